"""The laws of runners, each one object: its side force in the kernel, its words. A law is a line in LAWS.

Adding one: a function below, its branch in `force_of`, and an entry of LAWS; yard files, the strip, the Laws page and
tests follow from it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

import numpy as np

from oak_sled.core.compiler.kernel import Kernel, compiled
from oak_sled.core.formulas.machine import FORMULA
from oak_sled.core.parts import breakaway
from oak_sled.core.parts.slipcurve import SAMPLES, STEPS_A_RADIAN

RECORD = np.dtype(
    [
        ("law", "i8"),  # its place among LAWS
        ("each_tick", "i8"),  # 1: it takes a share of the side speed a tick
        ("side_grip", "f8"),
        ("share", "f8"),
        ("stiffness", "f8"),
        ("curve", "f8", (SAMPLES,)),
        ("glide", "f8"),
        *breakaway.FIELDS,
        ("steer_channel", "i8"),
        ("steer", "f8"),
        ("point", "f8", (3,)),
        ("spread_x", "f8"),
        ("spread_y", "f8"),
        ("columns", "i8"),
        ("rows", "i8"),
        ("first_support", "i8"),  # of its feet
        ("last_support", "i8"),  # behind those of the last runner of the craft
        ("formula", FORMULA),
    ]
)


SHARE, LINEAR, CURVE = range(3)


class RunnerLaw(NamedTuple):
    """A law of runners.

    name : in a yard file. words : on the screen. force : see `force_of`. uses : numbers of a runner, beside its grip,
    that change it. text : it as a formula of the share of the grip over `slip`, which is given the knots of the curve
    as text. each_tick : whether it takes a share of the side speed a tick, at any slip, and is no law over slip.
    """

    name: str
    words: str
    force: Kernel
    uses: tuple[str, ...]
    text: Callable[[Any, str], str]
    each_tick: bool = False


@compiled
def force_of(part, gain, slip, load, stops, side, ticks):
    """The side force of a law, N, at least 0, before its cap. A branch a law: an address to call takes 4 % of a tick.

    slip : rad. load : N. stops : kg/s by which its side speed is stopped in this tick. side : m/s, at least 0. ticks :
    nominal ticks that this one takes, 1 without substeps.
    """
    if part.law == SHARE:
        return share(part, gain, slip, load, stops, side, ticks)
    if part.law == LINEAR:
        return linear(part, gain, slip, load, stops, side, ticks)
    return drawn(part, gain, slip, load, stops, side, ticks)


@compiled
def share(part, gain, slip, load, stops, side, ticks):
    """A share of what stops it: of a nominal tick, spread over substeps so that n of them take the same."""
    taken = min(gain * part.share, 1.0)
    if ticks != 1.0:
        taken = 1.0 - (1.0 - taken) ** ticks
    return taken * stops * side


@compiled
def linear(part, gain, slip, load, stops, side, ticks):
    """Stiffness times slip."""
    return gain * part.stiffness * load * slip


@compiled
def drawn(part, gain, slip, load, stops, side, ticks):
    """The drawn share of the grip."""
    return gain * part.side_grip * load * curve_at(part, slip)


@compiled
def curve_at(part, slip):
    """Share of the side grip by the curve, at a slip angle, rad."""
    place = slip * STEPS_A_RADIAN
    low = min(int(place), SAMPLES - 2)
    rest = place - low
    return part.curve[low] * (1.0 - rest) + part.curve[low + 1] * rest


LAWS = (
    RunnerLaw("share", "share a tick", share, ("share",), lambda part, knots: "1", each_tick=True),
    RunnerLaw(
        "linear",
        "linear in slip",
        linear,
        ("stiffness",),
        lambda part, knots: f"clamp({part.stiffness / max(part.side_grip, 1e-9):.6g} * slip, 0, 1)",
    ),
    RunnerLaw("curve", "curve over slip", drawn, ("curve",), lambda part, knots: f"table(slip, {knots})"),
)
"""Every law of runners, in the order of their numbers."""
BY_NAME = {law.name: law for law in LAWS}
INDEX = {law.name: place for place, law in enumerate(LAWS)}

if TYPE_CHECKING:
    Name = str
else:
    Name = Literal[tuple(law.name for law in LAWS)]
"""The name of a law in a yard file."""


def uses(name: str) -> tuple[str, ...]:
    """The laws that use a number of a runner."""
    return tuple(law.name for law in LAWS if name in law.uses)
