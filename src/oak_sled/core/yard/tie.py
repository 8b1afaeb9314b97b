"""The base of every document of a tie: two bodies, and where it is fixed to them."""

from collections.abc import Callable, Mapping
from typing import Any, ClassVar, Self

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field, reference
from oak_sled.core.contact import chain
from oak_sled.core.contact.linkkind import LinkKind, Shown
from oak_sled.core.geometry.railpath import Path


class Between(Frozen):
    """Two bodies, or a body and the world. Of a craft: two of its bodies, where `body` is the first. Of a drill: those
    who take part, a further body of one as CRAFT.BODY."""

    id: str = name_field("its name")
    title: str = Field("", max_length=60, description="display name")
    one: str = reference("block", "a dynamic block, or a craft", ...)
    other: str = reference("block", "body it is attached to: a block or a craft; empty: the world")

    @model_validator(mode="after")
    def _of_two(self) -> Self:
        if self.one == self.other:
            raise ValueError(f"other: {self.one!r} is held to itself (another body, or empty for the world)")
        return self

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or self.id.replace("_", " ")

    def on_rail(self) -> str:
        """The rail that it runs on; "" for none."""
        return str(getattr(self, "rail", ""))


Point = tuple[float, float, float]


class Tie(Between):
    """A tie of two bodies. Its kind declares `kind`, its own dials, `ROWS`, `TITLE` and `numbers`."""

    x: float = dial(0.0, "m", "its point on the first body, at the start", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    y: float = dial(0.0, "m", "its point on the first body, at the start", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    z: float = dial(1.0, "m", "height of that point above the level ground", low=-1e3, high=1e4, slider=(0.0, 10.0))

    TITLE: ClassVar[str] = "tie"
    ROWS: ClassVar[LinkKind]
    LOAD: ClassVar[str] = "load"
    """The column of what it bears, N; below 0 where it pushes."""
    BREAKS_BY: ClassVar[str] = ""
    """The column that breaks it, N, where that is not `LOAD`."""
    BREAKS: ClassVar[str] = "broke"
    """The word for that."""
    AXIS_OF_EACH: ClassVar[bool] = False
    """True if its axis, told by a drill, counts in the axes of each of both crafts: it is open until these agree."""
    COMES_OFF: ClassVar[str] = ""
    """The word for an end that is not a load; "" where there is none."""
    KINDS: ClassVar[tuple[LinkKind, ...]] = ()
    """All rows that it may make, where there are several."""
    SAGS: ClassVar[bool] = False
    """True for one that hangs through while it bears nothing."""

    @property
    def begin(self) -> Point:
        """Its point on the first body at the start, m."""
        return self.x, self.y, self.z

    @property
    def end(self) -> Point:
        """Its point on the other body at the start, m: the same, unless it is stretched between two."""
        return self.begin

    @classmethod
    def between(cls, one: Point, other: Point) -> dict[str, float]:
        """The fields of one that holds a body at `one` to another at `other`, m: at the second of them."""
        return dict(zip("xyz", other, strict=True))

    def idle(self) -> Mapping[str, str]:
        """Dials that do nothing as it is set, and the reasons."""
        return {}

    def flaw(self) -> str:
        """A fault of its places, both of them in the same axes, as "FIELD: fault (what is right)"; "" for none."""
        return ""

    def rows(self) -> LinkKind:
        """The rows that it makes."""
        return self.ROWS

    def nodes(self) -> int:
        """The nodes between its ends whose places are recorded."""
        return 0

    def columns(self) -> tuple[Shown, ...]:
        """The columns that are recorded of it: what its rows show, and the places of its nodes."""
        places = ((k, axis) for k in range(self.nodes()) for axis in "xyz")
        return (
            *self.rows().shows,
            *(Shown(f"node{k + 1}.{axis}", "m", f"node {k + 1}, {axis}") for k, axis in places),
        )

    def laid(self) -> Floats:
        """Its nodes at the start, both ends with them, shape (nodes, chain.COLUMNS)."""
        return np.zeros((0, chain.COLUMNS))

    def driven_by(self) -> tuple[str, ...]:
        """The channels that drive it, of its craft or of the craft under test, in the order of `link.drives`; "" for
        none."""
        return (str(getattr(self, "channel", "")),)

    def limit(self) -> float:
        """N at which it breaks; 0: never."""
        return float(getattr(self, "breaks_at", 0.0))

    def passes(self) -> bool:
        """True if its bodies do not touch each other while it holds."""
        return False

    def frames(self, to_one: Callable[[Floats], Floats], to_other: Callable[[Floats], Floats]) -> dict[str, Any]:
        """Fields of its record in the axes of its bodies. to_one, to_other : turn a vector of the world into these; all
        of shape (3,)."""
        return {}

    def on(self, path: Path, number: int, to_one: Callable[[Floats], Floats], ahead: Floats) -> dict[str, Any]:
        """Fields of its record on the rail that it runs on. path, number : that rail. to_one : turns a vector of the
        world into the axes of the first body; ahead : the forward axis of that, world axes; both of shape (3,)."""
        return {}

    def numbers(self, apart: float) -> dict[str, Any]:
        """The fields of its record but `at_a` and `at_b`, SI. apart : m between its ends at the start."""
        raise NotImplementedError

    def at_start(self, apart: float) -> dict[str, float]:
        """Values it shows before the first tick, by the names of its columns; the others are 0."""
        return {}


class Stretched(Tie):
    """A tie between two points that may be apart."""

    end_x: float = dial(1.0, "m", "its other end, at the start", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    end_y: float = dial(0.0, "m", "its other end, at the start", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    end_z: float = dial(1.0, "m", "height of its other end", low=-1e3, high=1e4, slider=(0.0, 10.0))

    @property
    def end(self) -> Point:
        return self.end_x, self.end_y, self.end_z

    @classmethod
    def between(cls, one: Point, other: Point) -> dict[str, float]:
        return dict(zip(("x", "y", "z", "end_x", "end_y", "end_z"), (*one, *other), strict=True))
