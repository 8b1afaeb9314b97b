"""Forces of the parts of a craft at a chosen state: their real equations called once, with nothing moved.

For working points, curves and previews of a number, and for the tests that hold closed forms to the equations.
"""

from __future__ import annotations

import functools
import math
from collections.abc import Mapping

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.base.arrays import Floats
from oak_sled.core.kernel.state import FIXED_LINES
from oak_sled.core.parts.common import Part
from oak_sled.core.results import rotations
from oak_sled.core.results.run import Run
from oak_sled.core.tick import step
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground

SPEED = 10.0
"""m/s at which a grip curve is taken."""
SLIPS_DEG = np.linspace(0.0, 45.0, 91)
"""Slip angles of a grip curve."""


class Probe:
    """A craft that stands upright on the level part of a ground, heading along x, and is asked what pushes it.

    ticks : per second; dry friction never takes more than would stop the craft in one tick.
    """

    def __init__(self, craft: Craft, ground: Ground, ticks: int = 240):
        drill = Drill(id="probe", ground=ground.id, craft=craft.id, start=Start(), duration=1.0)
        self.craft = craft
        self._machine = Machine.of(Job(craft, ground.bare(), drill, ticks))
        self._load(1.0 + craft.carried_mass() / craft.body.true_mass())
        self._start = self._machine.save()

    def _load(self, share: float) -> None:
        """Lets what the craft carries weigh on what it stands on. share : mass with it over that of the craft alone."""
        self._machine.scene.solids["mass"][1] *= share
        self._machine.nows["load"] *= share
        self._machine.world.supports["load"] *= share

    def lines(
        self,
        velocity: tuple[float, float, float] = (0.0, 0.0, 0.0),
        spin: tuple[float, float, float] = (0.0, 0.0, 0.0),
        channels: Mapping[str, float] | None = None,
    ) -> Floats:
        """The ledger of one tick, shape (parts + fixed lines, 6): force (N) and torque (N m) of every part, and of
        gravity and damping behind them, world axes.

        velocity : m/s. spin : rad/s. channels : shaped values by name, 0 where none is given.
        """
        machine = self._machine
        machine.load(self._start)
        body, now = machine.scene.solids[1], machine.nows[0]
        body["velocity"], body["spin"] = velocity, spin
        for number, channel in enumerate(self.craft.channels):
            now["channels"][number] = (channels or {}).get(channel.id, 0.0)
        step.look(machine.world, machine.scene, machine.nows)
        return np.array(now["lines"][: len(self.craft.parts) + len(FIXED_LINES)])

    def of_part(self, name: str, lines: Floats) -> Floats:
        """The line of a part, shape (6,)."""
        found: Floats = lines[[part.id for part in self.craft.parts].index(name)]
        return found

    def load(self) -> float:
        """N on all supports, as they were asked last."""
        return float(self._machine.world.supports["load"].sum())


def grip_curve(craft: Craft, ground: Ground, ticks: int, name: str) -> Floats:
    """Side force of a runner over its load at each of SLIPS_DEG, shape (91,), at 10 m/s, before it slides.

    The runner stands alone on the craft, so that an edit of another part does not change it.
    """
    runner = next(part for part in craft.parts if part.id == name)
    alone = craft.with_only((runner.replace(mute=False, solo=False, slide_grip=1.0),))
    return _grip_curve(alone, ground, ticks)


@functools.lru_cache(maxsize=16)
def _grip_curve(craft: Craft, ground: Ground, ticks: int) -> Floats:
    probe = Probe(craft, ground, ticks)
    found = []
    for slip in np.radians(SLIPS_DEG):
        line = probe.lines((SPEED * math.cos(slip), SPEED * math.sin(slip), 0.0))[0]
        load = probe.load()
        found.append(abs(float(line[1])) / load if load > 0.0 else 0.0)
    curve = np.array(found)
    curve.flags.writeable = False  # shared by all who ask again
    return curve


def grip_used(run: Run, numbers: Floats, part: Part) -> float:
    """Side force over load of a runner, the load shared by the feet. numbers : the own row of a craft, shape (n,)."""
    place = run.layout.own_place(f"{part.id}.force.x")
    force, heading = numbers[place : place + 3], rotations.rotation(numbers[3:7])[:, 0]
    feet = sum(one.contact_count() for one in run.job.single.parts)
    load = float(numbers[run.layout.own_place("load")]) * part.contact_count() / max(feet, 1)
    left = float(force[1] * heading[0] - force[0] * heading[1])
    return abs(left) / load if load > 0.0 else 0.0
