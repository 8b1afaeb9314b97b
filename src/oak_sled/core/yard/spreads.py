"""Documents of spreads: which dials are varied over what, which measures are read, and what came out."""

import functools
import math
from typing import Literal, Self

import numpy as np
from pydantic import Field, FiniteFloat, model_validator

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field
from oak_sled.core.yard.craft import Craft

MOST_VALUES, MOST_VARIANTS = 10_000, 100_000
CRAFT, TICKS, CARD = "craft", "ticks", "card"
"""Paths of axes that are no dial: which craft runs the drill, at how many ticks a second, and with the settings of
which card of the shelf."""
MOST_CARDS = 200


class SpreadAxis(Frozen):
    """An axis of a spread: a dial over a range, or a list of values of a dial or a choice."""

    path: str = Field(
        max_length=200, description="what is varied: the path of a dial or a choice, craft, ticks, or card"
    )
    low: float = Field(0.0, ge=-1e12, le=1e12, allow_inf_nan=False, description="its first value, in the dial's unit")
    high: float = Field(1.0, ge=-1e12, le=1e12, allow_inf_nan=False, description="its last value")
    count: int = Field(9, ge=1, le=MOST_VALUES, description="how many values")
    scale: Literal["linear", "log"] = Field("linear", description="linear or logarithmic steps")
    listed: tuple[FiniteFloat | str, ...] = Field(
        (), max_length=MOST_VALUES, description="the values one by one, if any"
    )

    @model_validator(mode="after")
    def _possible(self) -> Self:
        if self.listed:
            if len(set(self.listed)) < len(self.listed):
                raise ValueError("listed: a value stands twice (each value once)")
            return self
        if self.count > 1 and self.low >= self.high:
            raise ValueError(f"low: {self.low:g} must be less than high, {self.high:g}")
        if self.scale == "log" and self.low <= 0.0:
            raise ValueError(f"low: a logarithmic range needs a low above 0, got {self.low:g}")
        return self

    @functools.cached_property
    def values(self) -> tuple[float | str, ...]:
        """Its values, in order."""
        if self.listed:
            return self.listed
        if self.scale == "log" and self.count > 1:
            return tuple(np.geomspace(self.low, self.high, self.count).tolist())
        return tuple(np.linspace(self.low, self.high, self.count).tolist())

    @property
    def is_range(self) -> bool:
        """True if its values are numbers of a stretch, between which others lie."""
        return not self.listed


class SpreadCard(Frozen):
    """A craft as it was on a card of the shelf: kept here, so that a spread over cards needs no shelf."""

    id: str = name_field("the name by which the axis refers to it")
    title: str = Field("", max_length=200, description="what the card was headed with")
    craft: Craft = Field(description="the craft with the settings of the card")


class Scatter(Frozen):
    """Disturbances of each variant, again and again, to tell what holds from what only works once."""

    repeats: int = Field(0, ge=0, le=200, description="randomised repeats per variant; 0: none")
    seed: int = Field(1, ge=0, le=2**31 - 1, description="random seed of the disturbances")
    late_ms: float = dial(60.0, "ms", "maximum input delay", low=0.0, high=2000.0, title="inputs late")
    friction: float = dial(0.05, "", "the friction of the ground is off by up to this share", low=0.0, high=0.9)
    mass: float = dial(0.03, "", "the mass of the craft is off by up to this share", low=0.0, high=0.9)
    place: float = dial(0.1, "m", "it starts off by up to this, along and across", low=0.0, high=100.0)
    heading_deg: float = dial(1.0, "°", "it starts turned by up to this", low=0.0, high=180.0, title="heading")
    speed: float = dial(0.02, "", "its first speed is off by up to this share", low=0.0, high=0.9)


class SpreadResults(Frozen):
    """Results of a spread: a number for each variant, repeat and measure, None where a run does not show it."""

    made_of: str = Field(max_length=64, description="the digest of the yard and the settings that it was computed from")
    values: tuple[FiniteFloat | None, ...] = Field(
        description="variants x (1 + repeats) x measures, the last one fastest"
    )
    diverged: tuple[int, ...] = Field(
        (), description="numbers of the runs that diverged: variant x (1 + repeats) + repeat"
    )
    refused: tuple[int, ...] = Field((), description="runs whose documents were refused, numbered so")


class Spread(Frozen):
    """A grid of variants of a drill, and the measures that are read from each."""

    id: str = name_field("the name by which it is referred to")
    title: str = Field("", max_length=60, description="display name")
    drill: str = Field("", max_length=60, description="the drill that every variant runs; empty: that on the bench")
    craft: str = Field("", max_length=60, description="the craft that runs it; empty: as the drill says")
    axes: tuple[SpreadAxis, ...] = Field(min_length=1, max_length=2, description="what is varied")
    measures: tuple[str, ...] = Field(min_length=1, max_length=12, description="what is read from each run")
    cards: tuple[SpreadCard, ...] = Field((), max_length=MOST_CARDS, description="the cards that an axis card lists")
    scatter: Scatter = Field(default_factory=Scatter, description="how each variant is disturbed")
    results: SpreadResults | None = Field(None, description="what came out, if it was computed")

    @model_validator(mode="after")
    def _possible(self) -> Self:
        paths = [axis.path for axis in self.axes]
        if len(set(paths)) < len(paths):
            raise ValueError(f"axes: {paths[0]} is varied twice (two different dials)")
        known = [card.id for card in self.cards]
        listed = next((axis.listed for axis in self.axes if axis.path == CARD), ())
        missing = [name for name in listed if name not in known]
        if missing:
            raise ValueError(
                f"axes: there is no card {missing[0]!r} (those of the spread: {', '.join(known) or 'none'})"
            )
        if CARD in paths and not listed:
            raise ValueError("axes: a card is no number (its cards, one by one)")
        if CARD in paths and CRAFT in paths:
            raise ValueError("axes: a card says which craft it is of (craft or card, not both)")
        if self.runs > MOST_VARIANTS:
            raise ValueError(f"axes: {self.runs} runs (at most {MOST_VARIANTS})")
        if self.results is not None and len(self.results.values) != self.runs * len(self.measures):
            raise ValueError("results: they do not fit the axes, repeats and measures (leave them out)")
        return self

    @functools.cached_property
    def shape(self) -> tuple[int, ...]:
        """Number of values of each axis."""
        return tuple(len(axis.values) for axis in self.axes)

    @property
    def variants(self) -> int:
        """Number of variants."""
        return math.prod(self.shape)

    @property
    def runs(self) -> int:
        """Number of runs they take."""
        return self.variants * (1 + self.scatter.repeats)

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or " × ".join(axis.path.rpartition(".")[2].replace("_", " ") for axis in self.axes)

    def card(self, name: float | str) -> SpreadCard:
        """The card of that name, which an axis lists."""
        return next(card for card in self.cards if card.id == name)

    def shown(self, axis: SpreadAxis, value: float | str) -> str:
        """A value that is a word as it is shown: a card by its heading."""
        return self.card(value).title or str(value) if axis.path == CARD else str(value).replace("_", " ")

    def values_of(self, variant: int) -> tuple[float | str, ...]:
        """The values of a variant, by its number; the last axis is the fastest."""
        places = np.unravel_index(variant, self.shape)
        return tuple(axis.values[int(place)] for axis, place in zip(self.axes, places, strict=True))


class Grid(Spread):
    """A spread over more things than a map shows: what the command line runs, and prints as a table."""

    axes: tuple[SpreadAxis, ...] = Field(min_length=1, max_length=6, description="what is varied")
