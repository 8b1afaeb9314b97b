"""The laws of hover pads, each one object: what it pushes, its closed forms, its words. A law is a line in LAWS.

With gap g, reach L and compression x = L - g. What a law pushes is written once, as a kernel function; Python asks the
same function (`PadLaw.at`). Closed forms stand beside it where they are known, and a test holds them to it.
"""

import math
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

import numpy as np

from oak_sled.core.compiler.kernel import Address, Kernel, compiled, unit
from oak_sled.core.compiler.types import FLOAT, INT, Array, Record, Type
from oak_sled.core.formulas.machine import FORMULA
from oak_sled.core.kernel.state import MEMORY

NEAREST = 1e-3
"""m, the least gap that the cushion law counts with: it grows without bound toward 0."""
ON = 4
"""Place in the memory of a pad from which on it keeps which of its rays are on."""

RECORD = np.dtype(
    [
        ("law", "i8"),  # the address of the push of its law
        ("stiffness", "f8"),
        ("progression", "f8"),
        ("lift", "f8"),
        ("band", "f8"),
        ("reach", "f8"),
        ("damping", "f8"),
        ("from_gap", "i8"),
        ("holds", "i8"),
        ("along_normal", "i8"),
        ("pulls", "i8"),
        ("most", "f8"),
        ("first_ray", "i8"),
        ("rays", "i8"),
        ("first_of_all", "i8"),  # of the rays of the craft, and behind the last of them
        ("last_of_all", "i8"),
        ("least_rise", "f8"),  # upward part of a normal below which it does not stand on it
        ("formula", FORMULA),
        ("alone", "f8", (MEMORY,)),  # the memory of a pad that is on no craft: see `push_alone`
    ]
)
"""The record of a pad."""

_TAKES: tuple[Type, ...] = (Record(RECORD), Array(FLOAT, (MEMORY,)), INT, FLOAT)
PUSH_OF = Address(_TAKES, FLOAT)
"""push(part, memory, foot, gap): N of a pad that is still, before its gain and its cap."""


class PadLaw(NamedTuple):
    """A law of pads.

    name : in a yard file. words : on the screen. push : see PUSH_OF. uses : the numbers of a pad that only laws which
    name them use. text : it as a formula, for a pad. slope, rest, stored : closed forms for a pad without a cap: N/m by
    which the force grows as the gap closes, the gap that carries a load of N above 0, and J from the reach down to a
    gap; None: worked out by numbers. stands : False where no gap carries a load at rest.
    """

    name: str
    words: str
    push: Kernel
    uses: tuple[str, ...]
    text: Callable[[Any], str]
    slope: Callable[[Any, float], float] | None = None
    rest: Callable[[Any, float], float] | None = None
    stored: Callable[[Any, float], float] | None = None
    stands: bool = True

    @property
    def address(self) -> int:
        """Address of its push, compiled if need be."""
        return self.push.address(_TAKES)

    def at(self, pad: Any, gap: float) -> float:
        """N of a pad that is still, by the kernel's own function; one that is on or off is on within its reach."""
        row = np.zeros(1, RECORD)[0]
        row["law"] = self.address
        for name in ("stiffness", "progression", "lift", "band", "reach"):
            row[name] = getattr(pad, name)
        return float(push_alone(row, float(gap)))


@compiled
def push_alone(part, gap):
    """N of a pad that is still and on no craft; one that is on or off is on within its reach only."""
    part.alone[ON] = 0.0
    return PUSH_OF(part.law, part, part.alone, 0, gap)


@compiled
def squeezed(part, gap):
    """m by which a pad is compressed, at least 0."""
    return max(part.reach - gap, 0.0)


@unit
def spring(part, memory, foot, gap):
    """k x."""
    return part.stiffness * squeezed(part, gap)


@unit
def progressive(part, memory, foot, gap):
    """k x (1 + b x / L)."""
    squeeze = squeezed(part, gap)
    force = part.stiffness * squeeze
    force *= 1.0 + part.progression * squeeze / part.reach
    return force


@unit
def cushion(part, memory, foot, gap):
    """N (L / g - 1), as of a pressure that grows as the gap closes."""
    if gap >= part.reach:
        return 0.0
    return part.lift * (part.reach / max(gap, NEAREST) - 1.0)


@unit
def on_off(part, memory, foot, gap):
    """N below the reach, until the gap is wider than that by the band."""
    squeeze = part.reach - gap
    if squeeze > 0.0:
        memory[ON + foot] = 1.0
    elif squeeze < -part.band:
        memory[ON + foot] = 0.0
    return memory[ON + foot] * part.lift


def _bend(pad: Any) -> float:
    return float(pad.progression / pad.reach)


def _progressive_rest(pad: Any, load: float) -> float:
    if pad.stiffness <= 0.0:
        return 0.0
    squeeze = load / pad.stiffness
    if pad.progression > 0.0:
        squeeze = (math.sqrt(1.0 + 4.0 * _bend(pad) * squeeze) - 1.0) / (2.0 * _bend(pad))
    return max(pad.reach - squeeze, 0.0)


def _cushion_stored(pad: Any, gap: float) -> float:
    near = max(gap, NEAREST)
    return float(pad.lift * (pad.reach * math.log(pad.reach / near) - pad.reach + near))


LAWS = (
    PadLaw(
        "spring",
        "spring",
        spring,
        ("stiffness",),
        text=lambda pad: f"{pad.stiffness:.6g} [N/m] * (reach - gap)",
        slope=lambda pad, gap: pad.stiffness,
        rest=lambda pad, load: max(pad.reach - load / pad.stiffness, 0.0) if pad.stiffness > 0.0 else 0.0,
        stored=lambda pad, gap: 0.5 * pad.stiffness * (pad.reach - gap) ** 2,
    ),
    PadLaw(
        "progressive",
        "progressive spring",
        progressive,
        ("stiffness", "progression"),
        text=lambda pad: (
            f"{pad.stiffness:.6g} [N/m] * (reach - gap) * (1 + {pad.progression:g} * (reach - gap) / reach)"
        ),
        slope=lambda pad, gap: pad.stiffness * (1.0 + 2.0 * pad.progression * (pad.reach - gap) / pad.reach),
        rest=_progressive_rest,
        stored=lambda pad, gap: pad.stiffness * (pad.reach - gap) ** 2 * (0.5 + _bend(pad) * (pad.reach - gap) / 3.0),
    ),
    PadLaw(
        "cushion",
        "cushion",
        cushion,
        ("lift",),
        text=lambda pad: f"{pad.lift:.6g} [N] * (reach / max(gap, 1 [mm]) - 1)",
        slope=lambda pad, gap: pad.lift * pad.reach / max(gap, NEAREST) ** 2,
        rest=lambda pad, load: pad.reach * pad.lift / (load + pad.lift) if pad.lift > 0.0 else 0.0,
        stored=_cushion_stored,
    ),
    PadLaw(
        "on_off",
        "on and off",
        on_off,
        ("lift", "band"),
        text=lambda pad: f"{pad.lift:.6g} [N]",
        slope=lambda pad, gap: 0.0,
        rest=lambda pad, load: pad.reach,
        stands=False,
    ),
)
"""Every law of pads."""
BY_NAME = {law.name: law for law in LAWS}

if TYPE_CHECKING:
    Name = str
else:
    Name = Literal[tuple(law.name for law in LAWS)]
"""The name of a law in a yard file."""


def uses(name: str) -> tuple[str, ...]:
    """The laws that use a number of a pad."""
    return tuple(law.name for law in LAWS if name in law.uses)
