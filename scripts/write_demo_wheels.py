"""Writes the demos on tires: the ice truck in its variants, and the snow blower whose hopper fills.

Run it after a change of what is below, or of the documents they are made of.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np

from oak_sled.core.files import yard_json
from oak_sled.core.geometry import terrain
from oak_sled.core.geometry.terrain import Patch, Relief
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.bumper import Bumper
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.head import Head
from oak_sled.core.parts.payload import Payload
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.speedcurve import SpeedKnot
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.parts.turnslower import TurnSlower
from oak_sled.core.parts.wheels.bar import Bar
from oak_sled.core.parts.wheels.countersteer import CounterSteer
from oak_sled.core.parts.wheels.drive import Drive
from oak_sled.core.parts.wheels.sliplimit import SlipLimit
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
from oak_sled.core.yard.ground import Gate, Ground, Wall
from oak_sled.core.yard.yard import Bench, Yard

DEMO = Path(__file__).parents[1] / "src" / "oak_sled" / "demo"


def channel(name: str, plus: str, minus: str = "", rise: float = 4.0, fall: float = 6.0) -> Channel:
    """A channel on its keys."""
    return Channel(
        id=name, title=name, plus_keys=(plus,), minus_keys=(minus,) if minus else (), two_sided=bool(minus), rise=rise,
        fall=fall,
    )  # fmt: skip


def ramps(name: str, *knots: tuple[float, float]) -> Track:
    """A channel along straight lines between times and values."""
    return Track(channel=name, shape="ramps", knots=tuple(Knot(t=t, value=value) for t, value in knots))


def steps(name: str, *knots: tuple[float, float]) -> Track:
    """A channel that holds each value until the next."""
    return Track(channel=name, knots=tuple(Knot(t=t, value=value) for t, value in knots))


TRUCK_CHANNELS = (
    channel("throttle", "W", "S"),
    channel("steer", "A", "D", 5.0, 8.0),
    channel("brake", "Space"),
    channel("handbrake", "X", rise=20.0, fall=20.0),
)
TRUCK_BODY = Body(mass=1650.0, length=4.4, width=1.5, height=0.9, held=(), centre_z=-0.05)
SLOWS = ((0, 1), (6, 0.75), (12, 0.42), (20, 0.2), (35, 0.12))
LIMIT = tuple(SpeedKnot(speed=speed, share=share) for speed, share in SLOWS)
ENGINE = tuple(SpeedKnot(speed=speed, share=share) for speed, share in ((0, 0.85), (6, 1.0), (16, 0.75), (34, 0.0)))


def truck_parts(driven: str) -> tuple[Part, ...]:
    """Parts that are fitted to an ice truck that drives the wheels of that end, or all."""
    return (
        AirDrag(id="air", title="Air", front_area=3.0, side_area=6.5, top_area=8.0, drag_coefficient=0.8),
        Bar(id="bar", title="Anti-roll bars", joins="wheels", stiffness=14000.0),
        Steering(
            id="steering", channel="steer", max_angle_deg=34.0, rate_deg=130.0, return_rate_deg=220.0, limit=LIMIT
        ),
        Drive(
            id="drive", channel="throttle", on=driven, torque=2600.0, curve=ENGINE, coast=140.0, lock=0.35,
            reverse_share=0.5,
        ),
        WheelBrake(id="brakes", title="Brakes", channel="brake", torque=5200.0, balance=0.62, rise_s=0.08),
        WheelBrake(
            id="handbrake", title="Handbrake", channel="handbrake", on="rear", torque=3800.0, grip_kept=0.65,
            rise_s=0.05, recovery_s=0.35,
        ),
        Wheel(
            id="wheels", title="Wheels", stiffness=34000.0, bump=2600.0, rebound=3600.0, travel=0.3, radius=0.42,
            z=-0.55, spread_x=1.35, spread_y=0.92,
        ),
        Tire(
            id="tires", title="Studded tires", side_grip=1.0, stiffness=11.0, along_grip=1.05, along_stiffness=13.0,
            factor=1.45, curvature=-0.2, slide_grip=0.85, slides_past_deg=14.0, grips_below_deg=8.0, blend_s=0.25,
            load_sensitivity=0.06, nominal_load=4000.0, inertia=1.4, rolling=0.02,
        ),
        Bumper(id="bumper", title="Bumper"),
    )  # fmt: skip


def truck(name: str, title: str, driven: str) -> Craft:
    """An ice truck."""
    return Craft(id=name, title=title, body=TRUCK_BODY, channels=TRUCK_CHANNELS, parts=truck_parts(driven))


def aided() -> Craft:
    """The truck with every aid that there is, each on its own switch."""
    aids = (
        YawDamper(id="yaw_damper", title="Yaw damper", damping=6000.0, free_deg=45.0),
        TurnSlower(id="slower", title="Slower in turns", channel="steer", limit_g=0.4, strength=0.4),
        CounterSteer(id="counter", title="Counter-steer", share=0.8),
        SlipLimit(id="limit", title="Slip limit"),
    )
    parts = sorted((*truck_parts("all"), *aids), key=lambda part: part.STAGE)
    return Craft(id="aided", title="Ice truck with aids", body=TRUCK_BODY, channels=TRUCK_CHANNELS, parts=tuple(parts))


def drifter() -> Craft:
    """The truck that drives its rear wheels, and steers against its slides by itself."""
    counter = CounterSteer(id="counter", title="Counter-steer", share=1.2, max_angle_deg=35.0)
    parts = sorted((*truck_parts("rear"), counter), key=lambda part: part.STAGE)
    return Craft(
        id="drifter", title="Rear drive, counter-steered", body=TRUCK_BODY, channels=TRUCK_CHANNELS, parts=tuple(parts)
    )


def loaded(name: str, title: str, height: float) -> Craft:
    """The truck with its freight that high."""
    body = TRUCK_BODY.replace(mass=2300.0, centre_z=height, height=1.1)
    return Craft(id=name, title=title, body=body, channels=TRUCK_CHANNELS, parts=truck_parts("all"))


def plain() -> Craft:
    """The plain alternative: a yaw torque that builds with speed, and friction that resists sideways."""
    body = TRUCK_BODY.replace(held=("z", "roll", "pitch"))
    parts = (
        Thruster(id="drive", title="Drive", channel="throttle", thrust=6000.0, gate="on_ground", reverse_share=0.6),
        AirDrag(id="air", title="Air", front_area=3.0, side_area=6.5, top_area=8.0, drag_coefficient=0.8),
        Torque(
            id="turn", title="Turn", channel="steer", turn=5200.0, full_effect_speed=8.0, flips_in_reverse=True,
        ),
        Runner(id="grip", title="Grip", side_grip=0.95, glide=0.02, spread_x=1.35, spread_y=0.85, z=-0.85),
        Bumper(id="bumper", title="Bumper"),
    )  # fmt: skip
    body = body.replace(spin_damping=1.6)
    return Craft(id="plain", title="Plain truck", body=body, channels=TRUCK_CHANNELS, parts=parts)


LAKE = Ground(
    id="lake", title="The lake road", grip=0.5, length=400.0, width=240.0, middle_x=60.0, air_density=1.34,
    patches=(
        Patch(id="planks", title="Planed planks", x=150.0, y=0.0, length=60.0, width=14.0, grip=1.9, glide=0.8),
        Patch(id="snow", title="Packed snow", x=60.0, y=40.0, length=80.0, width=24.0, grip=0.7, glide=4.0),
    ),
)  # fmt: skip
PLANKS = Ground(
    id="planks", title="The plank yard", grip=0.95, length=300.0, width=200.0, middle_x=60.0, air_density=1.34,
    walls=(Wall(id="stack", x=60.0, y=60.0, length=30.0, width=2.0, height=2.0),),
    blocks=(
        Block(
            id="ramp", title="Loading ramp", shape="wedge", moves="fixed", x=45.0, y=-20.0,
            length=14.0, width=6.0, height=1.4,
        ),
        *(
            Block(id=f"crate_{k + 1}", title=f"Crate {k + 1}", x=90.0, y=-6.0 + 3.0 * k, length=1.2, width=1.2,
                  height=1.2, mass=90.0)
            for k in range(4)
        ),
    ),
)  # fmt: skip
SPLIT = Ground(
    id="split", title="Half snow, half ice", grip=0.5, length=300.0, width=120.0, middle_x=60.0, air_density=1.34,
    patches=(
        Patch(id="glaze", title="Glaze", x=60.0, y=20.0, length=300.0, width=40.0, grip=0.3, glide=1.0),
    ),
)  # fmt: skip
COURSE = Ground(
    id="course", title="Slalom on the ice", grip=0.5, length=300.0, width=80.0, middle_x=90.0, air_density=1.34,
    gates=tuple(
        Gate(id=f"gate_{k + 1}", x=30.0 + 22.0 * k, y=(3.0 if k % 2 == 0 else -3.0), heading_deg=0.0, width=5.0)
        for k in range(7)
    ),
)  # fmt: skip


LANES = Ground(
    id="lanes", title="Lane change on the ice", grip=0.5, length=300.0, width=60.0, middle_x=90.0, air_density=1.34,
    gates=tuple(
        Gate(id=f"lane_{k + 1}", x=x, y=y, heading_deg=0.0, width=4.0)
        for k, (x, y) in enumerate(((25.0, 0.0), (40.0, 0.0), (66.0, 3.5), (82.0, 3.5), (108.0, 0.0), (130.0, 0.0)))
    ),
)  # fmt: skip
RING = 18.0
EIGHT = Ground(
    id="eight", title="Figure of eight", grip=0.5, length=160.0, width=120.0, middle_x=0.0, air_density=1.34,
    gates=tuple(
        Gate(
            id=f"ring_{k + 1}", x=RING * math.sin(turn), y=side * RING * (1.0 - math.cos(turn)),
            heading_deg=math.degrees(side * turn), width=6.0,
        )
        for k, (turn, side) in enumerate(
            (0.25 * math.pi * step, side) for side in (1.0, -1.0) for step in range(1, 9)
        )
    ),
)  # fmt: skip


def pace(speed: float) -> Track:
    """The driver holds that speed, m/s."""
    return Track(channel="throttle", shape="pace", knots=(Knot(t=0.0, value=1.0),), pace=speed, pace_gain=0.4)


def driver(gain: float = 2.4, lead: float = 0.3, sight: float = 9.0) -> Track:
    """The driver steers for the gates."""
    return Track(channel="steer", shape="aim", gain=gain, lead=lead, sight=sight)


def drill(name: str, title: str, ground: Ground, *tracks: Track, speed: float = 0.0, **more: object) -> Drill:
    """A drill of the truck that drives all wheels, where no other is named."""
    start = Start(speed=speed, **more.pop("start", {}))
    settings = {"craft": "truck", "duration": 8.0, **more}
    return Drill(id=name, title=title, ground=ground.id, tracks=tracks, start=start, **settings)


def wants(measure: str, low: float | None = None, high: float | None = None) -> Target:
    """A target."""
    return Target(measure=measure, low=low, high=high)


def turning_drills() -> tuple[Drill, ...]:
    """Circles, steps, drifts and turns."""
    return (
        drill(
            "circle",
            "Steady circle on ice",
            LAKE,
            ramps("steer", (0.5, 0.0), (2.0, 0.5)),
            steps("throttle", (0.0, 0.1)),
            speed=8.0,
            duration=12.0,
            event_time=0.5,
            twins=("rear_drive", "front_drive"),
            targets=(wants("held_side_g", low=0.15), wants("peak_slip", high=12.0)),
        ),
        drill(
            "step",
            "Step of steering",
            PLANKS,
            ramps("steer", (1.0, 0.0), (1.1, 0.35)),
            steps("throttle", (0.0, 0.15)),
            speed=14.0,
            duration=5.0,
            event_time=1.0,
            twins=("plain",),
            targets=(wants("yaw_response", high=0.6), wants("largest_roll", high=8.0)),
        ),
        drill(
            "pull",
            "Full throttle from rest",
            LAKE,
            steps("throttle", (0.2, 1.0)),
            duration=8.0,
            twins=("rear_drive", "front_drive"),
            targets=(wants("time_to_10", high=4.0),),
        ),
        drill(
            "drift",
            "Hold a drift",
            LAKE,
            steps("throttle", (0.0, 0.25), (1.5, 0.9)),
            ramps("steer", (0.8, 0.0), (1.1, 0.8), (1.5, 0.8), (1.9, 0.1), (9.0, 0.1)),
            steps("handbrake", (1.2, 1.0), (1.5, 0.0)),
            speed=11.0,
            craft="drifter",
            twins=("rear_drive",),
            duration=6.5,
            event_time=1.2,
            targets=(wants("held_slip", low=15.0), wants("peak_slip", high=60.0), wants("slide_share", low=30.0)),
        ),
        drill(
            "handbrake_turn",
            "Turn by the handbrake",
            LAKE,
            ramps("steer", (0.5, 0.0), (0.8, 1.0), (2.4, 1.0), (2.8, 0.0)),
            steps("handbrake", (0.8, 1.0), (2.4, 0.0)),
            speed=13.0,
            duration=6.0,
            event_time=0.8,
            targets=(wants("turned", low=120.0),),
        ),
    )


def braking_drills() -> tuple[Drill, ...]:
    """Brakes in a turn and on split grip, and courses for the driver."""
    return (
        drill(
            "brake_in_turn",
            "Brake in a turn",
            LAKE,
            ramps("steer", (0.3, 0.0), (0.8, 0.35)),
            steps("brake", (1.5, 0.6)),
            speed=12.0,
            duration=9.0,
            event_time=1.5,
            end="stopped",
            end_value=2.0,
            craft="aided",
            twins=("truck",),
            targets=(wants("stop_distance", high=24.0), wants("peak_slip", high=20.0)),
        ),
        drill(
            "split",
            "Brake on half glaze, half ice",
            SPLIT,
            steps("brake", (0.5, 0.8)),
            speed=13.0,
            duration=14.0,
            event_time=0.5,
            end="stopped",
            end_value=1.0,
            craft="aided",
            twins=("truck",),
            targets=(wants("stop_distance", high=60.0),),
        ),
        drill(
            "slalom",
            "Slalom",
            COURSE,
            Track(channel="steer", shape="aim", gain=2.2, lead=0.35, sight=10.0),
            steps("throttle", (0.0, 0.22)),
            speed=9.0,
            duration=24.0,
            end="last_gate",
            twins=("plain",),
            targets=(wants("gates_passed", low=7.0),),
        ),
        drill(
            "lane_change",
            "Double lane change",
            LANES,
            driver(),
            pace(10.5),
            speed=10.5,
            duration=20.0,
            end="last_gate",
            twins=("rear_drive", "front_drive", "plain"),
            targets=(wants("gates_passed", low=6.0),),
        ),
        drill(
            "figure_eight",
            "Figure of eight",
            EIGHT,
            driver(sight=7.0),
            pace(6.5),
            speed=6.5,
            duration=60.0,
            end="last_gate",
            twins=("rear_drive", "plain"),
            targets=(wants("gates_passed", low=16.0),),
        ),
    )


def limit_drills() -> tuple[Drill, ...]:
    """Drills that find the limits: sine with dwell, lift-off, a ramp, and roll-over."""
    return (
        drill(
            "sine_dwell",
            "Sine with dwell",
            PLANKS,
            pace(14.0),
            ramps("steer", (0.5, 0.0), (0.86, 0.6), (1.57, -0.6), (2.07, -0.6), (2.43, 0.0)),
            speed=14.0,
            duration=5.0,
            event_time=0.5,
            twins=("aided",),
            targets=(wants("peak_slip", high=25.0),),
        ),
        drill(
            "lift_off",
            "Lift off in a turn",
            LAKE,
            ramps("steer", (0.5, 0.0), (2.0, 0.45)),
            steps("throttle", (0.0, 0.35), (5.0, 0.0)),
            speed=9.0,
            duration=9.0,
            event_time=5.0,
            craft="front_drive",
            twins=("rear_drive",),
            targets=(wants("peak_slip", high=30.0),),
        ),
        drill(
            "ramp",
            "Over the loading ramp",
            PLANKS,
            pace(9.0),
            speed=9.0,
            duration=7.0,
            start={"y": -20.0},
            targets=(wants("air_time", low=0.2), wants("largest_roll", high=10.0)),
        ),
        drill(
            "roll_search",
            "Steer more until a wheel lifts",
            PLANKS,
            ramps("steer", (0.5, 0.0), (14.0, 1.0)),
            pace(13.0),
            speed=13.0,
            duration=14.0,
            craft="high_freight",
            event_time=0.5,
            targets=(wants("least_load", high=0.5), wants("largest_roll", low=20.0)),
        ),
        drill(
            "roll_over",
            "Tip with high freight",
            PLANKS,
            ramps("steer", (0.5, 0.0), (1.0, 0.9)),
            steps("throttle", (0.0, 0.2)),
            speed=15.0,
            craft="high_freight",
            duration=5.0,
            event_time=0.5,
            twins=("low_freight",),
            targets=(wants("largest_roll", low=45.0),),
        ),
        drill(
            "steady_freight",
            "The same with low freight",
            PLANKS,
            ramps("steer", (0.5, 0.0), (1.0, 0.9)),
            steps("throttle", (0.0, 0.2)),
            speed=15.0,
            craft="low_freight",
            duration=5.0,
            event_time=0.5,
            targets=(wants("largest_roll", high=12.0), wants("least_load", low=0.5)),
        ),
    )


def truck_drills() -> tuple[Drill, ...]:
    """Drills of the ice truck."""
    return (*turning_drills(), *braking_drills(), *limit_drills())


def ice_truck() -> Yard:
    """The yard of the ice truck."""
    return Yard(
        title="Ice truck",
        bench=Bench(craft="truck", ground="lake", drill="circle"),
        crafts=(
            truck("truck", "Ice truck, all wheels", "all"),
            truck("rear_drive", "Ice truck, rear drive", "rear"),
            truck("front_drive", "Ice truck, front drive", "front"),
            aided(),
            drifter(),
            loaded("high_freight", "High freight", 0.75),
            loaded("low_freight", "Low freight", -0.1),
            plain(),
        ),
        grounds=(LAKE, PLANKS, SPLIT, COURSE, LANES, EIGHT),
        drills=truck_drills(),
    )


BLOWER_CHANNELS = (
    channel("throttle", "W", "S"),
    channel("steer", "A", "D", 3.0, 5.0),
    channel("brake", "Space"),
    channel("blower", "E", rise=2.0, fall=2.0),
    channel("tip", "Up", "Down", 2.0, 4.0),
)
BLOWER_BODY = Body(mass=2600.0, length=4.6, width=1.7, height=1.2, held=(), centre_z=-0.2)


def blower_parts(slower: bool) -> tuple[Part, ...]:
    """Parts that are fitted to a snow blower, with or without the aid that slows it in turns."""
    parts = (
        AirDrag(id="air", title="Air", front_area=4.0, side_area=8.0, top_area=8.0, drag_coefficient=1.0),
        Bar(id="bar", title="Anti-roll bars", joins="wheels", stiffness=30000.0),
        Payload(
            id="hopper", title="Hopper", mass=150.0, full_mass=1500.0, fill_channel="blower", fill_rate=60.0, size=1.1,
            channel="tip", rate=0.45, x=-0.5, y=0.0, z=0.9, to_x=-0.5, to_y=1.3, to_z=2.3,
        ),
        Head(id="driver", title="Driver's head", x=1.3, y=0.0, z=1.2),
        Steering(
            id="steering", title="Rear steering", channel="steer", on="rear", max_angle_deg=34.0, rate_deg=60.0,
            return_rate_deg=90.0,
        ),
        Drive(
            id="drive", channel="throttle", on="all", torque=5200.0, coast=400.0, lock=0.6,
            curve=tuple(SpeedKnot(speed=speed, share=share) for speed, share in ((0, 1), (3, 0.9), (8, 0.0))),
        ),
        WheelBrake(id="brakes", title="Brakes", channel="brake", torque=9000.0, balance=0.5, rise_s=0.1),
        Wheel(
            id="wheels", title="Wheels", finds="sphere", stiffness=80000.0, bump=6000.0, rebound=8000.0, travel=0.3,
            radius=0.55, z=-0.6, spread_x=1.3, spread_y=0.95,
        ),
        Tire(
            id="tires", title="Chained tires", side_grip=0.9, stiffness=9.0, along_grip=1.0, along_stiffness=11.0,
            factor=1.3, nominal_load=9000.0, load_sensitivity=0.05, inertia=5.0, rolling=0.03,
        ),
        Bumper(id="bumper", title="Bumper"),
    )  # fmt: skip
    slow = TurnSlower(id="slower", title="Slower in turns", channel="steer", limit_g=0.16, strength=0.5)
    return tuple(sorted((*parts, slow) if slower else parts, key=lambda part: part.STAGE))


def bumps(seed: int, columns: int, rows: int) -> str:
    """Frozen ruts: smooth bumps, packed as a grey picture."""
    random = np.random.default_rng(seed)
    rough = random.random((rows, columns))
    for axis in (0, 1):
        rough = (np.roll(rough, 1, axis) + 2.0 * rough + np.roll(rough, -1, axis)) / 4.0
    rough = (rough - rough.min()) / (rough.max() - rough.min())
    return terrain.pack(np.round(65535 * rough).astype(np.uint16))


ROAD = Ground(
    id="road", title="The rutted road", grip=0.7, length=260.0, width=60.0, middle_x=90.0, air_density=1.34,
    relief=Relief(
        source="ruts", columns=161, rows=33, data=bumps(7, 161, 33), x=60.0, y=0.0, length=120.0, width=24.0, low=0.0,
        high=0.16,
    ),
)  # fmt: skip
YARD = Ground(id="yard", title="The depot yard", grip=0.9, length=200.0, width=120.0, middle_x=40.0, air_density=1.34)
BANK = Ground(
    id="bank", title="The bank", grip=0.9, length=200.0, width=120.0, middle_x=40.0, air_density=1.34, tilt_deg=16.0,
    rises_to_deg=90.0,
)  # fmt: skip


def blows(name: str, title: str, ground: Ground, *tracks: Track, speed: float = 0.0, **more: object) -> Drill:
    """A drill of the snow blower."""
    return drill(name, title, ground, *tracks, speed=speed, **{"craft": "blower", **more})


def turns_high(name: str, title: str, **more: object) -> Drill:
    """The hopper is filled and tipped up, then a turn."""
    knots = tuple(Knot(t=t, value=value) for t, value in ((0.0, 0.0), (29.9, 0.0), (30.0, 1.0)))
    return blows(
        name, title, YARD, Track(channel="throttle", shape="pace", pace=5.5, knots=knots),
        steps("brake", (0.0, 1.0), (29.0, 0.0)), steps("blower", (0.0, 1.0), (23.0, 0.0)),
        steps("tip", (24.0, 1.0), (28.0, 0.0)), ramps("steer", (36.0, 0.0), (38.0, -0.8)), duration=48.0,
        event_time=36.0, **more,
    )  # fmt: skip


def blower_drills() -> tuple[Drill, ...]:
    """Drills of the snow blower."""
    return (
        blows(
            "clear",
            "Clear the rutted road",
            ROAD,
            pace(3.0),
            steps("blower", (1.0, 1.0)),
            speed=3.0,
            duration=26.0,
            event_time=1.0,
            targets=(wants("comfort", high=1.6), wants("distance", low=60.0)),
        ),
        blows(
            "tip",
            "Tip a full hopper on the level",
            YARD,
            steps("brake", (0.0, 1.0)),
            steps("blower", (0.0, 1.0), (23.0, 0.0)),
            steps("tip", (24.0, 1.0)),
            duration=32.0,
            event_time=24.0,
            targets=(wants("least_load", low=2.0), wants("largest_roll", high=9.0)),
        ),
        blows(
            "tip_on_the_bank",
            "Tip it down the bank",
            BANK,
            steps("brake", (0.0, 1.0)),
            steps("blower", (0.0, 1.0), (23.0, 0.0)),
            steps("tip", (24.0, 1.0)),
            duration=34.0,
            event_time=24.0,
            start={"heading_deg": 180.0, "roll_deg": -16.0},
            targets=(wants("largest_roll", low=45.0),),
        ),
        turns_high(
            "turn_high",
            "Turn with the hopper up and full",
            twins=("hasty",),
            targets=(wants("largest_roll", high=25.0),),
        ),
        turns_high(
            "turn_high_hasty", "The same without slowing", craft="hasty", targets=(wants("largest_roll", low=45.0),)
        ),
    )


def hopper() -> Yard:
    """The yard of the snow blower."""
    return Yard(
        title="Hopper",
        bench=Bench(craft="blower", ground="road", drill="clear"),
        crafts=(
            Craft(
                id="blower", title="Snow blower", body=BLOWER_BODY, channels=BLOWER_CHANNELS, parts=blower_parts(True)
            ),
            Craft(
                id="hasty",
                title="Not slowed in turns",
                body=BLOWER_BODY,
                channels=BLOWER_CHANNELS,
                parts=blower_parts(False),
            ),
        ),
        grounds=(ROAD, YARD, BANK),
        drills=blower_drills(),
    )


if __name__ == "__main__":
    for name, yard in (("ice_truck", ice_truck()), ("hopper", hopper())):
        (DEMO / f"{name}.json").write_text(yard_json.dumps(yard), encoding="utf-8")
