"""All that leaves: a craft as source code or numbers, and its run as a film of bodies or a report, by one word each."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.files import gltf
from oak_sled.core.portable import folder
from oak_sled.core.project import changelist, shelf
from oak_sled.core.project.shelf import Card
from oak_sled.core.report import page
from oak_sled.core.results.run import Run
from oak_sled.core.yard.camera import YardCamera
from oak_sled.core.yard.game import Game

OF_RUNS: dict[str, Callable[[Run, Card | None, Sequence[Card]], dict[str, str | bytes]]] = {
    "glb": lambda run, old, cards: {"run.glb": gltf.dumps(run)},
    "report": lambda run, old, cards: {
        "report.html": page.written(run, old, cards, None if old is None else shelf.card_of(run, "now"))
    },
}
"""Makers of what is made of a run, by the word that asks for it."""
WORDS = (*folder.LANGUAGES, folder.NUMBERS, *OF_RUNS)
"""Words that ask for something."""


@dataclass(frozen=True)
class Leaves:
    """A craft that leaves. cameras, game : those of its yard. run : makes the run of its drill, where one is needed.
    old : the card against which it is told what changed; cards : the shelf that it is of."""

    job: Job
    cameras: Sequence[YardCamera]
    game: Game
    run: Callable[[], Run]
    old: Card | None = None
    cards: Sequence[Card] = ()

    def files(self, to: str) -> dict[str, str | bytes]:
        """The files of the folder, by name; raises `Refused`."""
        if to not in WORDS:
            raise refuse("--to", f"cannot write {to!r}", close_match(to, list(WORDS)))
        if to in OF_RUNS:
            found = OF_RUNS[to](self.run(), self.old, self.cards)
        else:
            found = dict[str, str | bytes](folder.files_of(self.job, to, self.cameras, self.game))
        if self.old is not None:
            found["changes.md"] = changelist.page(self.old, shelf.card_of(self.run(), "now"), self.cards)
        return found
