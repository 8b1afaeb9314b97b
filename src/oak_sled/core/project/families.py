"""Blank yards by family: a craft of few parts that works at once, open ice, and drills that show what it does.

Numbers are round ones of a size that suits the body; nothing is tuned to more than working: that is what is begun here.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.holders.attitude import AttitudeHolder
from oak_sled.core.parts.holders.height import HeightHolder
from oak_sled.core.parts.holders.mixer import Mixer
from oak_sled.core.parts.impulse import Impulse
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.pad import Pad
from oak_sled.core.parts.propeller import Propeller
from oak_sled.core.parts.rotor import Rotor
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.parts.upright import Upright
from oak_sled.core.parts.wheels.drive import Drive
from oak_sled.core.parts.wheels.steering import Steering
from oak_sled.core.parts.wheels.tire import Tire
from oak_sled.core.parts.wheels.wheel import Wheel
from oak_sled.core.parts.wheels.wheelbrake import WheelBrake
from oak_sled.core.parts.wing import Wing
from oak_sled.core.project import blank
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.yard import Bench, Yard


@dataclass(frozen=True)
class Family:
    """A family of crafts to begin with: its name on the command line, in the window, a line about it, and its yard."""

    name: str
    title: str
    says: str
    make: Callable[[], Yard]


def _channel(name: str, plus: str, minus: str = "", rise: float = 4.0, fall: float = 6.0, **more: object) -> Channel:
    keys = {"plus_keys": (plus,), "minus_keys": (minus,) if minus else (), "two_sided": bool(minus)}
    return Channel.model_validate({"id": name, "title": name, "rise": rise, "fall": fall, **keys, **more})


def _track(channel: str, *knots: tuple[float, float]) -> Track:
    return Track(channel=channel, knots=tuple(Knot(t=t, value=value) for t, value in knots))


def _yard(title: str, craft: Craft, drills: tuple[Drill, ...], ground: Ground | None = None) -> Yard:
    over = ground or Ground(id="open_ice", title="Open ice")
    return Yard(
        title=title,
        bench=Bench(craft=craft.id, ground=over.id, drill=drills[0].id),
        crafts=(craft,),
        grounds=(over,),
        drills=tuple(drill.replace(ground=over.id, craft=craft.id) for drill in drills),
    )


def _hovercraft() -> Yard:
    craft = Craft(
        id="hovercraft",
        title="Hovercraft",
        body=Body(mass=800.0, length=4.0, width=2.2, height=0.6, spin_damping=0.5),
        channels=(
            _channel("throttle", "W", "S", 2.0, 3.0), _channel("steer", "A", "D", 4.0, 6.0),
        ),
        parts=(
            Thruster(id="fan", title="Fan", channel="throttle", thrust=2400.0, reverse_share=0.5),
            Torque(id="rudder", title="Rudder", channel="steer", turn=2500.0),
            AirDrag(id="air", title="Air", front_area=2.4, side_area=4.5, top_area=8.0),
            Pad(id="pads", title="Pads", stiffness=11000.0, damping=1500.0, reach=0.9, z=-0.25, spread_x=1.6,
                spread_y=0.9),
            Upright(id="leveller", title="Leveller", toward="ground", stiffness=6000.0, damping=2500.0),
        ),
    )  # fmt: skip
    full = _track("throttle", (0.0, 1.0))
    return _yard(
        "New hovercraft",
        craft,
        (
            Drill(id="straight_pull", title="Straight pull", tracks=(full,), duration=12.0),
            Drill(id="turn", title="Turn", tracks=(full, _track("steer", (3.0, 1.0), (5.0, 0.0))), duration=12.0,
                  event_time=3.0),
            Drill(id="drop", title="Drop from 2 m", start=Start(height=2.0), duration=5.0),
        ),
    )  # fmt: skip


def _four_wheels() -> Yard:
    craft = Craft(
        id="car",
        title="Four wheels",
        body=Body(mass=1200.0, length=4.0, width=1.6, height=0.8),
        channels=(
            _channel("throttle", "W", "S"), _channel("steer", "A", "D", 5.0, 6.0), _channel("brake", "Space"),
        ),
        parts=(
            AirDrag(id="air", title="Air", front_area=2.2, side_area=4.5, top_area=6.0, drag_coefficient=0.4),
            Steering(id="steering", channel="steer", max_angle_deg=32.0),
            Drive(id="drive", channel="throttle", torque=1400.0),
            WheelBrake(id="brakes", title="Brakes", channel="brake", torque=3600.0, balance=0.62),
            Wheel(id="wheels", title="Wheels", stiffness=26000.0, bump=2000.0, rebound=2800.0, radius=0.34, z=-0.4,
                  spread_x=1.25, spread_y=0.8),
            Tire(id="tires", title="Tires"),
        ),
    )  # fmt: skip
    road = Ground(id="road", title="Open road", grip=1.0)
    return _yard(
        "New car",
        craft,
        (
            Drill(id="pull", title="Full throttle", tracks=(_track("throttle", (0.0, 1.0)),), duration=12.0),
            Drill(id="brake", title="Brake from 20 m/s", start=Start(speed=20.0), tracks=(_track("brake", (0.5, 1.0)),),
                  duration=6.0, event_time=0.5),
            Drill(id="step", title="Steer at 15 m/s", start=Start(speed=15.0),
                  tracks=(_track("steer", (1.0, 0.08)), _track("throttle", (0.0, 0.2))), duration=6.0, event_time=1.0),
        ),
        road,
    )  # fmt: skip


def _walker() -> Yard:
    moves = {
        "way": "speed_aim",
        "thrust": 5.0,
        "reverse_share": 1.0,
        "aim_limit": 1200.0,
        "frame": "level_heading",
        "air_share": 0.25,
        "on_release": "stop",
    }
    across = {**moves, "azimuth_deg": 90.0}  # fmt: skip
    craft = Craft(
        id="walker",
        title="Walker",
        body=Body(mass=80.0, shape="cylinder", length=0.6, width=0.6, height=1.2, held=("yaw",)),
        channels=(
            _channel("walk", "W", "S", 20.0, 20.0), _channel("aside", "A", "D", 20.0, 20.0),
            _channel("leap", "Space", "", 100.0, 100.0),
        ),
        parts=(
            Thruster.model_validate({"id": "walk", "title": "Walk", "channel": "walk", **moves}),
            Thruster.model_validate({"id": "aside", "title": "Aside", "channel": "aside", **across}),
            Impulse(id="leap", title="Leap", channel="leap", way="speed_change", size=4.5, cool_down=0.4,
                    gate="on_ground", grace_s=0.1, frame="world", elevation_deg=90.0),
            Pad(id="leg", title="Springy leg", stiffness=6000.0, damping=600.0, reach=0.75, aim="world",
                slope_limit_deg=50.0, z=-0.45),
            Upright(id="balance", title="Balance", stiffness=1000.0, damping=110.0),
        ),
    )  # fmt: skip
    walk = _track("walk", (0.5, 1.0), (3.5, 0.0))
    return _yard(
        "New walker",
        craft,
        (
            Drill(id="walk", title="Walk and stop", tracks=(walk,), duration=6.0, event_time=3.5),
            Drill(id="leap", title="Walk and leap", tracks=(walk, _track("leap", (2.0, 1.0), (2.1, 0.0))),
                  duration=6.0, event_time=2.0),
        ),
    )  # fmt: skip


def _thrower() -> Yard:
    craft = Craft(
        id="thrower",
        title="Thrower",
        body=Body(mass=900.0, length=2.4, width=1.6, height=0.8),
        channels=(
            _channel("fire", "Space", "", 100.0, 100.0), _channel("lay", "W", "S", fall=12.0),
            _channel("swing", "A", "D", fall=12.0),
        ),
        parts=(
            Launcher(id="barrel", title="Barrel", channel="fire", fires="on_press", muzzle_speed=20.0, rate=2.0,
                     elevation_deg=20.0, tilt_channel="lay", tilt_deg=30.0, swing_channel="swing", swing_deg=40.0,
                     x=0.9, z=0.7, shot_mass=8.0, shot_size=0.3, lifetime=8.0, in_flight=4, on_hit="goes_on"),
        ),
    )  # fmt: skip
    crates = tuple(
        Block(id=f"crate_{k + 1}", x=26.0, y=1.3 * (k % 3 - 1), z=1.0 * (k // 3), length=1.0, width=1.0, height=1.0,
              mass=60.0, rests=True)
        for k in range(6)
    )  # fmt: skip
    range_ = Ground(id="range", title="Throwing range", blocks=crates)
    fire = _track("fire", (0.5, 1.0), (0.6, 0.0), (2.0, 1.0), (2.1, 0.0))
    return _yard("New thrower", craft, (Drill(id="fire", title="Two shots", tracks=(fire,), duration=6.0),), range_)


def _plane() -> Yard:
    tail = {"incidence_deg": 0.0, "zero_lift_deg": 0.0, "dihedral_deg": 0.0, "moment": 0.0, "panels": 2,
            "control_share": 0.4, "x": -3.6}  # fmt: skip
    craft = Craft(
        id="plane",
        title="Plane",
        body=Body(mass=500.0, length=6.0, width=1.1, height=1.2, inertia_from="given", roll_inertia=700.0,
                  pitch_inertia=1300.0, yaw_inertia=1900.0),
        channels=(
            _channel("throttle", "W", "S", 0.6, 0.6, stays="lever", two_sided=False, start=0.795),
            _channel("pitch", "Down", "Up", 2.0, 3.0),
            _channel("roll", "Right", "Left", 2.5, 3.5, offset=0.0082),  # against the torque of the propeller
            _channel("yaw", "A", "D", 2.5, 3.5, offset=0.005),
        ),
        parts=(
            Propeller(id="propeller", title="Propeller", channel="throttle", x=3.0),
            Wing(id="wing", title="Wing", area=13.0, span=9.6, incidence_deg=2.0, dihedral_deg=5.0,
                 control_channel="roll", control_acts="opposed", control_from=0.6, x=0.15, z=0.6),
            Wing.model_validate({**tail, "id": "tailplane", "title": "Tailplane", "area": 2.4, "span": 3.2,
                                 "incidence_deg": 0.9, "behind": "wing", "control_channel": "pitch",
                                 "control_deg": -20.0, "z": 0.4}),
            Wing.model_validate({**tail, "id": "fin", "title": "Fin", "area": 1.2, "span": 1.3, "bank_deg": 90.0,
                                 "control_channel": "yaw", "control_deg": 20.0, "z": 1.0}),
            AirDrag(id="hull", title="Hull in the air", front_area=1.0, side_area=4.0, top_area=4.0,
                    drag_coefficient=0.35, at_point=True, x=-0.6),
            Runner(id="skis", title="Skis", law="linear", side_grip=0.5, glide=0.05, x=0.5, z=-1.0, spread_x=0.8,
                   spread_y=0.9),
        ),
    )  # fmt: skip
    lake = Ground(id="long_lake", title="Long lake", length=3000.0, width=800.0, friction=0.06)
    aloft = Start(x=-1200.0, height=150.0, speed=31.0, pitch_deg=-3.06)
    return _yard(
        "New plane",
        craft,
        (
            Drill(id="level", title="Level flight, hands off", start=aloft, duration=20.0),
            Drill(id="turn", title="Roll right and pull", start=aloft,
                  tracks=(_track("roll", (1.0, 0.3), (2.5, 0.0)), _track("pitch", (2.0, 0.2))), duration=15.0,
                  event_time=1.0),
            Drill(id="take_off", title="Take-off", start=Start(x=-1200.0),
                  tracks=(_track("throttle", (0.0, 1.0)), _track("pitch", (8.0, 0.3), (11.0, 0.05))), duration=25.0),
        ),
        lake,
    )  # fmt: skip


def _copter() -> Yard:
    def rotor(name: str, x: float, y: float, turns: str) -> Rotor:
        return Rotor.model_validate(
            {"id": name, "title": f"Rotor, {name.replace('_', ' ')}", "lift": 60.0, "diameter": 0.6, "rate": 80.0,
             "lag": 0.05, "inertia": 0.0015, "turns": turns, "x": x, "y": y, "z": 0.15}
        )  # fmt: skip

    craft = Craft(
        id="copter",
        title="Copter",
        body=Body(mass=10.0, length=1.0, width=1.0, height=0.25, inertia_from="given", roll_inertia=0.4,
                  pitch_inertia=0.4, yaw_inertia=0.75),
        channels=(
            _channel("climb", "W", "S", 2.0, 3.0), _channel("pitch", "Down", "Up"), _channel("roll", "Right", "Left"),
            _channel("yaw", "A", "D", 2.5, 3.5),
        ),
        parts=(
            AttitudeHolder(id="attitude", title="Attitude", aid=False, acts="mixer", frequency=1.1, damping_ratio=0.8,
                           roll="angle", pitch="angle", yaw="heading", yaw_frequency=0.35, roll_channel="roll",
                           pitch_channel="pitch", yaw_channel="yaw"),
            HeightHolder(id="height", title="Height", aid=False, acts="mixer", frequency=0.35, damping_ratio=0.9,
                         integral=0.3, channel="climb", climb=4.0),
            Mixer(id="mixer", title="Mixer"),
            rotor("front_left", 0.45, 0.45, "right"), rotor("front_right", 0.45, -0.45, "left"),
            rotor("rear_left", -0.45, 0.45, "left"), rotor("rear_right", -0.45, -0.45, "right"),
            AirDrag(id="hull", title="Hull in the air", front_area=0.12, side_area=0.12, top_area=0.3),
        ),
    )  # fmt: skip
    aloft = Start(height=10.0)
    return _yard(
        "New copter",
        craft,
        (
            Drill(id="hover", title="Hover", start=aloft, duration=6.0),
            Drill(id="roll_step", title="Step of roll", start=aloft, tracks=(_track("roll", (1.0, 0.5), (3.0, 0.0)),),
                  duration=6.0, event_time=1.0),
            Drill(id="climb", title="Climb and stop", start=aloft, tracks=(_track("climb", (1.0, 1.0), (4.0, 0.0)),),
                  duration=8.0, event_time=1.0),
        ),
    )  # fmt: skip


FAMILIES = (
    Family("body", "Thruster body", "one body, a thruster and a turn: the least that moves", blank.blank_yard),
    Family("hovercraft", "Hovercraft", "hovers on four pads, a fan pushes, a rudder turns", _hovercraft),
    Family("car", "Four wheels", "sprung wheels, tires, drive, steering and brakes", _four_wheels),
    Family("walker", "Walker", "an upright body on a springy leg, that walks, stops and leaps", _walker),
    Family("thrower", "Thrower", "lays a barrel and throws shots at crates", _thrower),
    Family("plane", "Plane", "propeller, wing, tailplane and fin, aloft and level", _plane),
    Family("copter", "Copter", "four rotors under a mixer, held level and at a height", _copter),
)
"""Every family that a new yard can begin with."""
