"""The document of a rail: a line through knots that bodies run along."""

import math
from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field, reference
from oak_sled.core.geometry import railpath

MOST_KNOTS = 400
APART = 0.2
"""m between two knots at least."""
SHARPEST = 0.3
"""m of radius below which a bend is a kink."""
KINK = 150.0
"""Degrees by which the way from knot to knot turns at most."""


class RailKnot(Frozen):
    """A point that a rail runs through."""

    x: float = dial(0.0, "m", "east", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    y: float = dial(0.0, "m", "north", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    z: float = dial(0.0, "m", "height; of a rail on the ground above that, of a level one none", low=-1e4, high=1e5)
    bank_deg: float = dial(0.0, "°", "bank, positive to the right side down", low=-180.0, high=180.0)
    tangent: Literal["smooth", "set"] = Field("smooth", description="its direction there: as the curve runs, or set")
    heading_deg: float = dial(0.0, "°", "heading of the rail there, where it is set", low=-360.0, high=360.0)


class Rail(Frozen):
    """A rail: a smooth curve through its knots. What is bound to it by a bogie runs along it."""

    id: str = name_field("its name")
    title: str = Field("", max_length=60, description="display name")
    knots: tuple[RailKnot, ...] = Field(
        (RailKnot(), RailKnot(x=20.0)), min_length=2, max_length=MOST_KNOTS, description="points that it runs through"
    )
    closed: bool = Field(False, description="whether it comes back to its first knot")
    lies: Literal["level", "ground", "free"] = Field(
        "free", description="level at one height, as high above the ground as its knots say, or free in space"
    )
    height: float = dial(0.5, "m", "height of a level rail", low=-1e4, high=1e5, slider=(0.0, 20.0))
    ends: Literal["buffers", "open"] = Field("buffers", description="at open ends: buffers, or what runs on comes off")
    start_joins: str = reference("rail", "the rail that its first knot branches off; empty: none")
    end_joins: str = reference("rail", "the rail that its last knot joins; empty: none")
    start_set: bool = Field(False, description="whether the switch at its first knot leads onto it at the start")
    end_set: bool = Field(False, description="whether the switch at its last knot leads onto it at the start")

    TITLE: ClassVar[str] = "rail"

    @model_validator(mode="after")
    def _runs(self) -> Self:
        if self.is_known_whole():
            return self
        p = self.places()
        loop = np.vstack([p, p[:1]]) if self.closed else p
        steps = np.diff(loop, axis=0)
        apart = np.linalg.norm(steps, axis=1)
        if self.closed and len(p) < 3:
            raise ValueError("knots: a closed rail needs 3 knots or more")
        if apart.min() < APART:
            k = int(np.argmin(apart)) + 1
            raise ValueError(
                f"knots.{k % len(p)}: lies {units.show(float(apart.min()), 'm')} from the knot before it "
                f"(at least {units.show(APART, 'm')}, or one knot)"
            )
        ways = steps / apart[:, None]
        nexts = np.roll(ways, -1, axis=0) if self.closed else ways[1:]
        turned = np.degrees(np.arccos(np.clip((ways[: len(nexts)] * nexts).sum(axis=1), -1.0, 1.0)))
        if len(turned) and turned.max() > KINK:
            k = (int(np.argmax(turned)) + 1) % len(p)
            raise ValueError(
                f"knots.{k}: the rail turns back by {units.show(float(turned.max()), '°')} there, a kink "
                f"(up to {units.show(KINK, '°')}, or more knots round a bend)"
            )
        sharpest = railpath.through(p, self.closed, np.zeros(len(p)), self.headings()).smallest_radius
        if sharpest < SHARPEST:
            raise ValueError(
                f"knots: its sharpest bend has a radius of {units.show(sharpest, 'm')}, a kink "
                f"(at least {units.show(SHARPEST, 'm')}, by knots farther apart)"
            )
        for which in ("start", "end"):
            joins = getattr(self, f"{which}_joins")
            if joins == self.id:
                raise ValueError(f"{which}_joins: a rail does not branch off itself (another rail, or empty)")
            if joins and self.closed:
                raise ValueError(f"{which}_joins: a closed rail has no ends (closed off, or empty)")
        return self.found_whole()

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or self.id.replace("_", " ")

    @property
    def x(self) -> float:
        """Middle of its knots, m."""
        return float(np.mean([knot.x for knot in self.knots]))

    @property
    def y(self) -> float:
        """Middle of its knots, m."""
        return float(np.mean([knot.y for knot in self.knots]))

    @property
    def joins(self) -> tuple[str, str]:
        """The rails that its first and its last knot lie on."""
        return self.start_joins, self.end_joins

    def places(self) -> Floats:
        """Its knots as they are written, m, shape (k, 3); of a level one all at its height."""
        z = [self.height if self.lies == "level" else knot.z for knot in self.knots]
        return np.array([(knot.x, knot.y, high) for knot, high in zip(self.knots, z, strict=True)])

    def headings(self) -> list[float | None]:
        """rad of the tangent at each knot; None where it is smooth."""
        return [math.radians(knot.heading_deg) if knot.tangent == "set" else None for knot in self.knots]

    def moved(self, dx: float, dy: float) -> Self:
        """The rail with all its knots moved, m."""
        return self.replace(knots=tuple(one.replace(x=one.x + dx, y=one.y + dy) for one in self.knots))
