"""The files of the shelf beside the documents: the entry of a card in the index, and its own file.

Both are read whole or refused: a card that was taken in is one that can be shown.
"""

import math
from typing import Annotated, Any, Literal, TypeVar

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, ValidationError

from oak_sled.core.base.document import faults_of
from oak_sled.core.base.faults import Refused
from oak_sled.core.kernel import state
from oak_sled.core.project.ratings import MOST_RATINGS, Rating
from oak_sled.core.project.shelf import Card

MOST_CARDS_OTHERS = 7
"""Crafts that take part beside the one that is looked at, as many as a drill may cast."""
MOST_RECORDS = 20_000
LATEST = 4e9
"""s since 1970: a year that every calendar of the system knows."""
LONGEST = 1e6
"""s of a kept drive."""
FAR = 1e9
"""m: what lies further out on the path of a card is drawn there."""
MOST_TEXT = 4000
MOST_TRAIL = 1000
_Text = Annotated[str, Field(max_length=MOST_TEXT)]
_Model = TypeVar("_Model", bound=BaseModel)


class _Stored(BaseModel):
    """A file of the shelf: other names beside the known ones are of a newer version, and are let be."""

    model_config = ConfigDict(strict=True, extra="ignore", frozen=True)


class Entry(_Stored):
    """A card in the index: what the user did with it, and its name."""

    id: str = Field(pattern=r"^[0-9A-Za-z]{1,40}$")
    title: _Text
    pinned: bool
    starred: bool
    says: _Text
    when: FiniteFloat = Field(ge=0.0, le=LATEST)
    ratings: list[dict[str, Any]] = Field([], max_length=MOST_RATINGS)

    def rated(self) -> tuple[Rating, ...]:
        """The ratings of its craft; one that cannot be read is left out."""
        found = []
        for one in self.ratings:
            try:
                found.append(Rating.model_validate(one))
            except ValidationError:
                continue
        return tuple(found)


class CardData(_Stored):
    """The file of a card: the documents of its run as they stand there, and what is known of the run."""

    craft: dict[str, Any]
    others: list[dict[str, Any]] = Field([], max_length=MOST_CARDS_OTHERS)
    ground: dict[str, Any]
    drill: dict[str, Any]
    ticks: int = Field(ge=20, le=2000)
    integrator: Literal["semi_implicit", "explicit"]
    live: bool
    message: _Text
    status: Literal[0, 1, 2]
    digest: str = Field("", max_length=200)
    records: list[Annotated[str, Field(pattern=r"^[0-9A-Za-z]{1,40}\.parquet$")]] | None = Field(
        None, max_length=MOST_RECORDS
    )
    found: dict[str, FiniteFloat | None] | None = None
    trail: list[Annotated[list[FiniteFloat], Field(min_length=2, max_length=2)]] | None = Field(
        None, min_length=1, max_length=MOST_TRAIL
    )
    seconds: FiniteFloat | None = Field(None, ge=0.0, le=LONGEST)


assert {state.RUNNING, state.ENDED, state.DIVERGED} == {0, 1, 2}


def entry_of(data: Any) -> Entry:
    """The entry in what was read; raises `Refused`."""
    return _checked(Entry, data, "index")


def card_of(data: Any, where: str) -> CardData:
    """The card in what was read; raises `Refused`."""
    return _checked(CardData, data, where)


def _checked(model: type[_Model], data: Any, where: str) -> _Model:
    try:
        return model.model_validate(data)
    except ValidationError as error:
        raise Refused(faults_of(error, where, data)) from None


def data_of(card: Card) -> dict[str, Any]:
    """The content of the file of a card."""
    job = card.job
    return {
        "craft": job.craft.model_dump(mode="json"),
        "others": [one.model_dump(mode="json") for one in job.others],
        "ground": job.ground.model_dump(mode="json"),
        "drill": job.drill.model_dump(mode="json"),
        "ticks": job.ticks,
        "integrator": job.integrator,
        "live": card.live,
        "message": card.message[:MOST_TEXT],
        "seconds": card.seconds,
        "status": card.run.status if card.live else 0,
        "digest": "" if card.live else card.kept.digest,
        "found": {name: _finite(value) for name, value in card.found.items()},
        "trail": np.round(np.clip(np.nan_to_num(card.trail), -FAR, FAR), 4).tolist(),
    }


def _finite(value: float | None) -> float | None:
    return value if value is not None and math.isfinite(value) else None


def index_entry_of(card: Card) -> dict[str, Any]:
    """The entry of a card in the index."""
    return {
        "id": card.id,
        "title": card.title[:MOST_TEXT],
        "pinned": card.pinned,
        "starred": card.starred,
        "says": card.says[:MOST_TEXT],
        "when": card.when,
        "ratings": [one.model_dump(mode="json") for one in card.ratings],
    }
