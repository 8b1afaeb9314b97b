"""The register of part kinds: a line in KINDS.

The tick knows no kind: a part's row holds the addresses of its equations. `docs/adding-a-part.md` walks through an
addition.
"""

from __future__ import annotations

import functools
import operator
from typing import TYPE_CHECKING, Annotated, Any

import numpy as np
from pydantic import Field

from oak_sled.core.compiler.kernel import Address, Kernel
from oak_sled.core.compiler.types import FLOAT, INT, NOTHING, Array, Record
from oak_sled.core.contact import records
from oak_sled.core.kernel import state
from oak_sled.core.parts import (
    air,
    brake,
    bumper,
    buoy,
    controljet,
    fin,
    gas,
    head,
    impulse,
    jet,
    knockback,
    launcher,
    lean,
    lightener,
    limiter,
    line,
    pad,
    payload,
    propeller,
    rotor,
    runner,
    sling,
    tank,
    thruster,
    torque,
    turnslower,
    upright,
    wing,
    yawdamper,
)
from oak_sled.core.parts.common import Kind, Part
from oak_sled.core.parts.holders import attitude, drift, height, mixer, place, speed
from oak_sled.core.parts.wheels import bar, countersteer, drive, holddown, sliplimit, steering, tire, wheel, wheelbrake

KINDS = (
    thruster.KIND,
    torque.KIND,
    propeller.KIND,
    rotor.KIND,
    jet.KIND,
    controljet.KIND,
    runner.KIND,
    air.KIND,
    fin.KIND,
    wing.KIND,
    gas.KIND,
    brake.KIND,
    limiter.KIND,
    bumper.KIND,
    impulse.KIND,
    sling.KIND,
    launcher.KIND,
    line.KIND,
    knockback.KIND,
    buoy.KIND,
    pad.KIND,
    upright.KIND,
    wheel.KIND,
    bar.KIND,
    payload.KIND,
    tank.KIND,
    lightener.KIND,
    steering.KIND,
    drive.KIND,
    wheelbrake.KIND,
    tire.KIND,
    countersteer.KIND,
    sliplimit.KIND,
    holddown.KIND,
    yawdamper.KIND,
    turnslower.KIND,
    head.KIND,
    lean.KIND,
    place.KIND,
    drift.KIND,
    attitude.KIND,
    height.KIND,
    speed.KIND,
    mixer.KIND,
)
"""Every kind of part."""

if TYPE_CHECKING:
    AnyPart = Any  # of some kind: what is common to all stands in `Part`
else:
    AnyPart = Annotated[functools.reduce(operator.or_, (kind.document for kind in KINDS)), Field(discriminator="kind")]
"""A part of any kind, told apart by its `kind`."""

_FRONT = np.dtype(
    [
        ("kind", "i8"),
        ("gain", "f8"),  # trim, mute and solo in one number
        ("drives", "f8"),  # 1 if it counts as thrust
        ("predicts", "i8"),  # 1 if it reads the velocity that the lines before it would leave
        ("act", "i8"),  # the address of its equation among the forces; 0: it has none there
        ("dry_friction", "i8"),  # likewise: its dry friction, behind all of them
        ("command", "i8"),  # likewise: on its channels, before all of them
        ("others", "i8"),  # likewise: on other things than the craft
        ("limit", "i8"),  # likewise: on the speeds
        ("fade", "i8"),  # likewise: on the lines of the forces
    ]
)
_OWN = np.dtype([("first", "f8")])
_NAMES = tuple(str(kind.document.model_fields["kind"].default) for kind in KINDS)

PART = np.dtype(
    {
        "names": [*(_FRONT.names or ()), "own", *_NAMES],
        "formats": [*(_FRONT[name] for name in _FRONT.names or ()), _OWN, *(kind.record for kind in KINDS)],
        "offsets": [*range(0, _FRONT.itemsize, 8), *([_FRONT.itemsize] * (1 + len(KINDS)))],
        "itemsize": _FRONT.itemsize + max(kind.record.itemsize for kind in KINDS),
    }
)
"""The row of a part in the kernel: what every part has, and behind it its own record, by the name of its kind or as
`own`: all of these lie in the same place, and one of them is filled."""

_PARTS = Array(Record(PART), (None,))
_BODY, _NOW = Record(records.SOLID), Record(state.NOW)
ACT = Address((None, FLOAT, INT, _BODY, Record(state.GROUND), Array(Record(state.SUPPORT), (None,)), _NOW), FLOAT)
"""act(own, gain, p, body, ground, supports, now): books a force on ledger line p of its craft; returns the activity, 0
to 1. gain : trim, mute and solo in one number, to be counted before any cap."""
OTHERS = Address((Array(Record(state.CRAFT), (None,)), _PARTS, INT, INT, None, None, Array(_NOW, (None,))), NOTHING)
"""act_on_others(crafts, parts, c, p, scene, shot_memory, nows): part p of craft c pushes other bodies; what its craft
feels goes to `now.reaction`."""
COMMAND = Address(
    (
        *(None, FLOAT, INT, _BODY, Array(_BODY, (None,)), Record(state.GROUND)),
        *(Array(Record(state.SUPPORT), (None,)), _NOW),
    ),
    NOTHING,
)
"""command(own, gain, p, body, solids, ground, supports, now): a controller: writes `now.channels`, `now.wish` or
`now.asked` from the state at the start of the tick."""
LIMIT = Address((None, FLOAT, INT, _BODY, _NOW), FLOAT)
"""act(own, gain, p, body, now): changes speeds and books that; returns 1 if it did."""
FADE = Address((None, FLOAT, _PARTS, INT, INT, _BODY, _NOW), FLOAT)
"""fade(own, gain, parts, first, p, body, now): changes lines of forces; returns 1 if it did."""
OF_LAW = Address((None, Array(FLOAT, (None,))), FLOAT)
"""law(own, given): the value of a law of a part at the quantities of its place."""


def kind_of(part: Part) -> Kind:
    """The kind of a part."""
    return next(kind for kind in KINDS if kind.document is type(part))


PLACES = {place.name: place for kind in KINDS for place in kind.document.PLACES}
"""Every place where a formula may stand, by name."""


@functools.cache
def law_address(kind: int, place: str) -> int:
    """The address of a law of a kind, compiled if need be; see OF_LAW."""
    own = Record(KINDS[kind].record)
    return KINDS[kind].laws[place].address(tuple(own if one is None else one for one in OF_LAW.takes))


def equations(kind: Kind) -> tuple[tuple[str, Kernel | None, Address], ...]:
    """The equations of a kind that act on its craft: the field of its row, the unit, what it takes."""
    return (
        ("command", kind.command, COMMAND),
        ("act", kind.act, ACT),
        ("dry_friction", kind.dry_friction, ACT),
        ("limit", kind.limit, LIMIT),
        ("fade", kind.fade, FADE),
    )


@functools.cache
def addresses(number: int) -> dict[str, int]:
    """The addresses of the equations of a kind, compiled if need be, as fields of its row."""
    kind, own = KINDS[number], Record(KINDS[number].record)
    found = {"predicts": int(kind.predicts)}
    for name, equation, declared in equations(kind):
        if equation is not None:
            found[name] = equation.address(tuple(own if one is None else one for one in declared.takes))
    return found
