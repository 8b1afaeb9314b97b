"""Ratings of crafts by hands that did not know which they drove: what was found in words, and how sure that is."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

MOST_SCORE = 2
"""A score goes from -2, far less than the other, to 2, far more."""
LONGEST_WORD = 40
MOST_RATINGS = 100


class Rating(BaseModel):
    """A finding about the craft of a card beside another one, in a word. scores : of each round, above 0 where it was
    more so than the other. other : what the other one was."""

    model_config = ConfigDict(frozen=True, extra="ignore")

    word: Annotated[str, Field(min_length=1, max_length=LONGEST_WORD)]
    scores: Annotated[tuple[Annotated[int, Field(ge=-MOST_SCORE, le=MOST_SCORE)], ...], Field(min_length=1)]
    other: Annotated[str, Field(max_length=200)] = ""
    when: FiniteFloat = 0.0

    @property
    def score(self) -> float:
        """The mean of all rounds."""
        return sum(self.scores) / len(self.scores)

    @property
    def agreed(self) -> int:
        """Rounds that said the same as the mean."""
        side = math.copysign(1.0, self.score) if self.score else 0.0
        return sum(1 for one in self.scores if one * side > 0.0)

    @property
    def sure(self) -> float:
        """1 less the chance that so many rounds or more would agree by guessing, either way (sign test; rounds that
        found them alike tell nothing)."""
        told = sum(1 for one in self.scores if one != 0)
        if told == 0 or self.score == 0.0:
            return 0.0
        tail = sum(math.comb(told, k) for k in range(self.agreed, told + 1)) / 2.0**told
        return max(0.0, 1.0 - 2.0 * tail)

    def words(self) -> str:
        """The rating in a sentence."""
        if self.score == 0.0:
            return f"no more and no less {self.word} than {self.other}"
        much = "far " if abs(self.score) > 1.4 else "a little " if abs(self.score) < 0.7 else ""
        more = "more" if self.score > 0.0 else "less"
        rounds = f"{self.agreed} of {len(self.scores)} round{'' if len(self.scores) == 1 else 's'}"
        sure = f"sure by {100.0 * self.sure:.0f} %" if self.sure > 0.0 else "which chance does as often"
        return f"{much}{more} {self.word} than {self.other}: {rounds}, {sure}"


@dataclass
class Blind:
    """A comparison of two variants under the names one and two, which change hands by chance in every round.

    names : what the variants are, told at the end only. seed : of who is one in each round.
    """

    names: tuple[str, str]
    seed: int
    rounds: list[tuple[int, dict[str, int]]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._rng = np.random.default_rng(self.seed)
        self._one = int(self._rng.integers(2))

    def variant(self, place: int) -> int:
        """The number of the variant that is one (0) or two (1) in this round."""
        return self._one if place == 0 else 1 - self._one

    def rate(self, scores: Mapping[str, int]) -> None:
        """Ends a round. scores : by word, above 0 where two is more so than one, from -2 to 2."""
        self.rounds.append((self._one, dict(scores)))
        self._one = int(self._rng.integers(2))

    def ratings(self, of: int, when: float = 0.0) -> tuple[Rating, ...]:
        """The ratings of a variant beside the other, by the words of all rounds."""
        found: dict[str, list[int]] = {}
        for one, scores in self.rounds:
            sign = -1 if one == of else 1
            for word, score in scores.items():
                found.setdefault(word, []).append(sign * score)
        other = self.names[1 - of]
        return tuple(
            Rating(word=word, scores=tuple(scores), other=other[:200], when=when) for word, scores in found.items()
        )


def merged(old: Sequence[Rating], new: Sequence[Rating]) -> tuple[Rating, ...]:
    """Ratings with new ones beside them: rounds of the same word against the same other one count together."""
    found = {(one.word, one.other): one for one in old}
    for one in new:
        before = found.get((one.word, one.other))
        scores = one.scores if before is None else (*before.scores, *one.scores)
        found[(one.word, one.other)] = one.model_copy(update={"scores": scores})
    return tuple(found.values())[-MOST_RATINGS:]
