"""A craft on four tires, and runs of it in one line."""

from __future__ import annotations

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.wheels import tirelaws
from oak_sled.core.parts.wheels.drive import Drive
from oak_sled.core.parts.wheels.steering import Steering
from oak_sled.core.parts.wheels.tire import Tire
from oak_sled.core.parts.wheels.wheel import Wheel
from oak_sled.core.parts.wheels.wheelbrake import WheelBrake
from oak_sled.core.results import run
from oak_sled.core.results.run import Run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground

GRAVITY = 9.80665
MASS, BASE, TRACK = 1500.0, 2.6, 1.5
ICE = Ground(id="ice")
FOUR = Wheel(
    id="wheels", spread_x=0.5 * BASE, spread_y=0.5 * TRACK, stiffness=60000.0, bump=4000.0, rebound=5000.0, travel=0.3,
    z=-0.5,
)  # fmt: skip
BODY = Body(mass=MASS, length=3.6, width=1.6, height=0.8, held=())
TIRE = Tire(id="tires")
DRIVE = Drive(id="drive", channel="throttle", on="rear")
STEERING = Steering(id="steering", channel="steer")
BRAKES = WheelBrake(id="brakes", channel="brake")
LAWS = tuple(law.name for law in tirelaws.LAWS if not law.each_tick)
FRONT, REAR = (1, 3), (2, 4)
"""The wheels by number: left front, left rear, right front, right rear."""


def job(*parts, inputs=None, ground=ICE, seconds=5.0, ticks=120, body=BODY, end=None, **start) -> Job:
    channels = tuple(Channel(id=name, rise=1e6, fall=1e6) for name in ("throttle", "steer", "brake"))
    craft = Craft(id="craft", body=body, channels=channels, parts=tuple(sorted(parts, key=lambda part: part.STAGE)))
    tracks = tuple(
        Track(channel=name, shape="ramps", knots=tuple(Knot(t=t, value=v) for t, v in knots))
        for name, knots in (inputs or {}).items()
    )
    drill = Drill(
        id="d", ground=ground.id, craft="craft", start=Start(**start), tracks=tracks, duration=seconds, **(end or {})
    )
    return Job(craft, ground, drill, ticks)


def go(*parts, **options) -> Run:
    return run.execute(job(*parts, **options))


def speed(made: Run) -> np.ndarray:
    return np.hypot(made.column("velocity.x"), made.column("velocity.y"))
