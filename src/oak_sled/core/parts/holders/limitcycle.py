"""The limit cycle of an attitude that is held by pulses: a swing between two pulses that never dies away."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.parts import controljet
from oak_sled.core.parts.actuator import Actuator, Triple
from oak_sled.core.parts.holders import authority

SECONDS = 400.0
"""s that are looked at, of which the first half is for settling."""


class Swing(NamedTuple):
    """A limit cycle. angle : rad to each side at most. open : share of the time in which a jet of each side is open.
    burns : kg/s on the mean."""

    angle: float
    open: float
    burns: float


def of_axis(
    found: Sequence[tuple[float, Actuator]],
    centre: Triple,
    axis: int,
    inertia: float,
    loop: tuple[float, float],
    dt: float,
) -> Swing | None:
    """The limit cycle about an axis of a craft (0 roll, 1 pitch, 2 yaw); None where no pulses turn it.

    found : actuators with their trims. inertia : kg m2. loop : 1/s2 and 1/s. dt : s of a tick.
    """
    if not any(one.least_on > 0.0 for _, one in found) or inertia <= 0.0:
        return None
    each = [authority.cheapest(found, centre, 3 + axis, sign) for sign in (1, -1)]
    if any(one is None for one in each):
        return None
    opened, full = max((max(shares), 1.0 / max(shares)) for shares in each if shares is not None)
    shares = next(one for one in each if one is not None and max(one) == opened)
    first = found[int(np.argmax(shares))][1]
    if first.least_on == 0.0:
        return None
    memory = np.zeros((2, 8))
    jet = (first.least_on, first.dead_band, first.lag - 0.5 * first.least_on)
    angle, is_open = cycle(memory, (loop[0], loop[1], full / inertia), jet, dt, int(SECONDS / dt))
    flow = sum(share * one.burns for share, (_, one) in zip(shares, found, strict=True)) / opened
    return Swing(angle, is_open, 2.0 * is_open * flow)


@compiled
def cycle(memory, loop, jet, dt, ticks):
    """The greatest angle, rad, in the second half of some ticks, and the share of it in which the jets of a side are
    open. memory : of the jets of each side, as `controljet.pulsed` has it, shape (2, 8). loop : 1/s2, 1/s, and the
    rad/s2 of a full command. jet : its shortest pulse, s, its dead band, and its lag, s."""
    spring, damper, full = loop
    least_on, dead_band, lag = jet
    kept = math.exp(-dt / lag) if lag > 0.0 else 0.0
    angle, rate = 0.0, 0.7 * full * least_on
    most, opened = 0.0, 0.0
    for k in range(ticks):
        wanted = -(spring * angle + damper * rate) / full
        for side in range(2):
            share = wanted if side == 0 else -wanted
            share = min(max(share, 0.0), 1.0)
            if share <= dead_band:
                share = 0.0
            is_open = controljet.pulse(memory[side], share, least_on, dt)
            memory[side, 0] = is_open + kept * (memory[side, 0] - is_open)
            if k >= ticks // 2:
                opened += 0.5 * is_open
        rate += dt * full * (memory[0, 0] - memory[1, 0])
        angle += dt * rate
        if k >= ticks // 2:
            most = max(most, abs(angle))
    return most, opened / float(ticks - ticks // 2)
