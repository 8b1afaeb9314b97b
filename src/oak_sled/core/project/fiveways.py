"""One body moved in five ways, and the drills that tell them apart: the yard in which one chooses a way to move.

Body, channels, speed that is aimed at and drills are the same; only what moves the body differs. The numbers are round
ones, each way tuned until it works, none to look better than another.
"""

from __future__ import annotations

from typing import Any

from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.pad import Pad
from oak_sled.core.parts.speedcurve import SpeedKnot
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.parts.upright import Upright
from oak_sled.core.parts.wheels.drive import Drive
from oak_sled.core.parts.wheels.steering import Steering
from oak_sled.core.parts.wheels.tire import Tire
from oak_sled.core.parts.wheels.wheel import Wheel
from oak_sled.core.parts.wheels.wheelbrake import WheelBrake
from oak_sled.core.parts.yawdamper import YawDamper
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Target, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground, Wall
from oak_sled.core.yard.yard import Bench, Yard

SPEED = 8.0
"""m/s that every way aims at."""
STRONGEST = 1e7
"""N: a speed aim that is bounded no more, and so sets the speed in every tick whatever stands against it."""
BODY = Body(mass=300.0, length=2.2, width=1.3, height=0.7)
PUSH = 1800.0
"""N: what pushes and stops the others, 0.6 of their weight."""
CHANNELS = (
    Channel(id="throttle", plus_keys=("W", "Up"), minus_keys=("S", "Down"), rise=10.0, fall=10.0),
    Channel(id="steer", plus_keys=("A", "Left"), minus_keys=("D", "Right"), rise=8.0, fall=10.0),
    Channel(id="aside", plus_keys=("Q",), minus_keys=("E",), rise=10.0, fall=10.0),
    Channel(id="brake", plus_keys=("Space",), two_sided=False, rise=10.0, fall=12.0),
)


def _craft(name: str, title: str, *parts: Part) -> Craft:
    used = {channel for part in parts for channel in part.channels_used()}
    channels = tuple(one for one in CHANNELS if one.id in used)
    return Craft(id=name, title=title, body=BODY, channels=channels, parts=parts)


def _aimed(limit: float) -> tuple[Thruster, ...]:
    """Pushes toward the speed, forward and aside, and to standstill without input: level, along the heading."""
    aim = Thruster(
        id="forward", title="Forward", channel="throttle", way="speed_aim", thrust=SPEED, reverse_share=1.0,
        aim_limit=limit, frame="level_heading", on_release="stop",
    )  # fmt: skip
    return aim, aim.replace(id="aside", title="Aside", channel="aside", azimuth_deg=90.0)


def _turn() -> tuple[Part, ...]:
    return Torque(id="turn", channel="steer", turn=1800.0), YawDamper(id="yaw_damper", damping=900.0, free_deg=0.0)


def _crafts() -> tuple[Craft, ...]:
    spread = {"spread_x": 0.8, "spread_y": 0.6}
    spin = {"way": "spin_aim", "aim_limit": STRONGEST, "on_release": "stop"}
    fading = tuple(SpeedKnot(speed=speed, share=share) for speed, share in ((0.0, 1.0), (SPEED - 2.0, 1.0), (9.0, 0.0)))
    return (
        _craft(
            "set_speed", "Speed set", *_aimed(STRONGEST),
            Torque.model_validate({"id": "turn", "channel": "steer", "turn": 2.0, **spin}),
        ),
        _craft(
            "force", "Force",
            Thruster(id="push", channel="throttle", thrust=PUSH, reverse_share=1.0, curve=fading),
            Brake(id="brake", channel="brake", bite=0.5), *_turn(),
            AirDrag(id="air", front_area=1.0, side_area=2.0, top_area=3.0),
        ),
        _craft(
            "one_ray", "One ray", *_aimed(PUSH), *_turn(),
            Pad(id="leg", stiffness=9000.0, damping=2600.0, reach=1.0, aim="world", z=-0.3),
            Upright(id="balance", stiffness=4000.0, damping=1200.0),
        ),
        _craft(
            "four_rays", "Four rays", *_aimed(PUSH), *_turn(),
            Pad.model_validate({"id": "pads", "stiffness": 3000.0, "damping": 600.0, "reach": 0.9, "z": -0.3,
                                **spread}),
        ),
        _craft(
            "tires", "Tires",
            Steering(id="steering", channel="steer", max_angle_deg=20.0),
            Drive(id="drive", channel="throttle", torque=0.3 * PUSH, curve=fading),
            WheelBrake(id="brakes", channel="brake", torque=900.0),
            Wheel.model_validate({"id": "wheels", "stiffness": 9000.0, "bump": 700.0, "rebound": 900.0, "radius": 0.3,
                                  "z": -0.25, **spread}),
            Tire(id="tires"),
            AirDrag(id="air", front_area=1.0, side_area=2.0, top_area=3.0),
        ),
    )  # fmt: skip


def _track(channel: str, *knots: tuple[float, float]) -> Track:
    return Track(channel=channel, knots=tuple(Knot(t=t, value=value) for t, value in knots))


def _drill(name: str, title: str, ground: str, *targets: Target, **more: Any) -> Drill:
    fields = {"ground": ground, "craft": "set_speed", "start": Start(x=-30.0), "targets": targets, **more}
    return Drill.model_validate({"id": name, "title": title, **fields})


def _drills() -> tuple[Drill, ...]:
    go = _track("throttle", (0.5, 1.0))
    stops = (_track("throttle", (0.5, 1.0), (5.0, 0.0)), _track("brake", (5.0, 1.0)))
    return (
        _drill(
            "go_and_stop", "Go and stop", "level", Target(measure="time_to_90", high=2.5),
            Target(measure="stop_distance", low=0.5, high=9.0), tracks=stops, duration=9.0, event_time=5.0,
        ),
        _drill(
            "turn", "Turn", "level", Target(measure="yaw_response", high=0.5),
            Target(measure="yaw_overshoot", high=8.0), Target(measure="peak_slip", high=20.0),
            tracks=(go, _track("steer", (3.0, 0.3))), duration=6.0, event_time=3.0,
        ),
        _drill(
            "wall", "Into a wall, aslant", "walled", Target(measure="speed_kept", low=50.0),
            Target(measure="hardest_hit", high=1500.0), tracks=(go,), start=Start(x=-12.0, heading_deg=40.0),
            duration=6.0,
        ),
        _drill(
            "slope", "Up a slope of 15°", "slope", Target(measure="distance", low=20.0),
            Target(measure="stop_distance", low=0.5, high=9.0), tracks=stops, duration=9.0, event_time=5.0,
        ),
        _drill(
            "freight", "Against 3 t of freight", "freight", Target(measure="distance", high=14.0), tracks=(go,),
            duration=6.0,
        ),
        _drill(
            "knock", "Knocked aside", "level", Target(measure="path_width", low=0.5), duration=4.0, event_time=1.0,
            events=(Event(id="knock", what="poke", t=1.0, y=900.0),),
        ),
    )  # fmt: skip


def five_ways() -> Yard:
    """The yard: five crafts of one body, six drills in which four of them are twins of the first."""
    crafts = _crafts()
    twins = tuple(one.id for one in crafts[1:])
    freight = Block(id="freight", x=-18.0, length=2.0, width=2.0, height=1.5, mass=3000.0)
    wall = Wall(id="wall", y=6.0, length=80.0, height=2.0)
    return Yard(
        title="Which way to move it",
        ticks=60,
        crafts=crafts,
        grounds=(
            Ground(id="level", title="Level"),
            Ground(id="walled", title="A wall", walls=(wall,)),
            Ground(id="slope", title="A slope of 15°", tilt_deg=15.0),
            Ground(id="freight", title="Freight", friction=0.3, blocks=(freight,)),
        ),
        drills=tuple(drill.replace(twins=twins, twin_gap=3.0) for drill in _drills()),
        bench=Bench(craft="set_speed", ground="level", drill="go_and_stop"),
    )
