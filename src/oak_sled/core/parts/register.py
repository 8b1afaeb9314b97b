"""The register of part kinds: a line in KINDS, its name in AnyPart, and its branch in `act`.

The number of a kind is its place in KINDS. `docs/adding-a-part.md` walks through an addition.
"""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from oak_sled.core.jit import compiled
from oak_sled.core.parts import (
    air,
    brake,
    bumper,
    fin,
    impulse,
    knockback,
    launcher,
    limiter,
    runner,
    sling,
    thruster,
    torque,
)

KINDS = (
    (thruster.Thruster, thruster.RECORD),
    (torque.Torque, torque.RECORD),
    (runner.Runner, runner.RECORD),
    (air.AirDrag, air.RECORD),
    (fin.Fin, fin.RECORD),
    (brake.Brake, brake.RECORD),
    (limiter.Limiter, limiter.RECORD),
    (bumper.Bumper, bumper.RECORD),
    (impulse.Impulse, impulse.RECORD),
    (sling.Sling, sling.RECORD),
    (launcher.Launcher, launcher.RECORD),
    (knockback.Knockback, knockback.RECORD),
)
"""(document, packed record) of every kind of part."""

AnyPart = Annotated[
    thruster.Thruster
    | torque.Torque
    | runner.Runner
    | air.AirDrag
    | fin.Fin
    | brake.Brake
    | limiter.Limiter
    | bumper.Bumper
    | impulse.Impulse
    | sling.Sling
    | launcher.Launcher
    | knockback.Knockback,
    Field(discriminator="kind"),
]

THRUSTER, TORQUE, RUNNER, AIR, FIN, BRAKE, LIMITER, BUMPER, IMPULSE, SLING, LAUNCHER, KNOCKBACK = range(len(KINDS))

PART = np.dtype(
    [
        ("kind", "i8"),
        ("gain", "f8"),  # trim, mute and solo in one number
        ("drives", "f8"),  # 1 if it counts as thrust
        *((document.model_fields["kind"].default, record) for document, record in KINDS),
    ]
)
"""The row of a part in the kernel: what every part has, and a record of each kind, one of which is filled."""


@compiled
def act(part, p, body, ground, now):
    """Books the force of part `p` on its ledger line; returns its activity, 0 to 1."""
    if part.kind == THRUSTER:
        return thruster.act(part.thruster, p, now)
    if part.kind == TORQUE:
        return torque.act(part.torque, p, now)
    if part.kind == RUNNER:
        return runner.act(part.runner, p, body, ground, now)
    if part.kind == AIR:
        return air.act(part.air_drag, p, ground, now)
    if part.kind == FIN:
        return fin.act(part.fin, p, ground, now)
    if part.kind == BRAKE:
        return brake.act(part.brake, p, ground, now)
    if part.kind == IMPULSE:
        return impulse.act(part.impulse, p, now)
    if part.kind == SLING:
        return sling.act(part.sling, p, now)
    if part.kind == LAUNCHER:
        return launcher.act(p, now)
    if part.kind == KNOCKBACK:
        return knockback.act(p, now)
    return 0.0
