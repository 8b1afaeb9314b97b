"""Writes the demo of the survey copter: six rotors, a mixer, holders, and a sonde under it.

Run it after a change of what it is made of; the file is what `demo:survey-copter` opens.
"""

from __future__ import annotations

import math
from pathlib import Path

from oak_sled.core.files import yard_json
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.holders.attitude import AttitudeHolder
from oak_sled.core.parts.holders.height import HeightHolder
from oak_sled.core.parts.holders.mixer import Mixer
from oak_sled.core.parts.holders.place import PlaceHolder
from oak_sled.core.parts.payload import Payload
from oak_sled.core.parts.rotor import Rotor
from oak_sled.core.parts.runner import Runner
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Target, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.volume import Volume
from oak_sled.core.yard.yard import Bench, Yard

FILE = Path(__file__).parent.parent / "src" / "oak_sled" / "demo" / "survey_copter.json"
ARM = 0.95
"""m from the middle to each hub."""
FREE_MASS = 14.0


def channels() -> tuple[Channel, ...]:
    """All of them return: let go, it stays where it is."""
    return (
        Channel(id="climb", title="climb", plus_keys=("W",), minus_keys=("S",), rise=2.0, fall=3.0),
        Channel(id="ahead", title="ahead", plus_keys=("Up",), minus_keys=("Down",), rise=2.0, fall=3.0),
        Channel(id="left", title="left", plus_keys=("Left",), minus_keys=("Right",), rise=2.0, fall=3.0),
        Channel(id="yaw", title="yaw left", plus_keys=("A",), minus_keys=("D",), rise=2.5, fall=3.5),
    )


def stick() -> tuple[Channel, ...]:
    """Of the crafts whose angles or rates are commanded."""
    return (
        Channel(id="climb", title="climb", plus_keys=("W",), minus_keys=("S",), rise=2.0, fall=3.0),
        Channel(id="pitch", title="nose up", plus_keys=("Down",), minus_keys=("Up",), rise=4.0, fall=6.0),
        Channel(id="roll", title="roll right", plus_keys=("Right",), minus_keys=("Left",), rise=4.0, fall=6.0),
        Channel(id="yaw", title="yaw left", plus_keys=("A",), minus_keys=("D",), rise=2.5, fall=3.5),
    )


def rotors() -> tuple[Rotor, ...]:
    """Six round the hull, in pairs of a sense, so that five of them can still hold every axis."""
    found = []
    for number in range(6):
        angle = math.radians(30.0 + 60.0 * number)
        words = ("front_left", "left", "rear_left", "rear_right", "right", "front_right")[number]
        found.append(
            Rotor(
                id=words, title=f"Rotor, {words.replace('_', ' ')}", lift=52.0, diameter=0.56, rate=85.0, lag=0.05,
                inertia=0.0012, turns="left" if number in (0, 1, 4) else "right", solidity=0.1, ground_effect=True,
                x=round(ARM * math.cos(angle), 4), y=round(ARM * math.sin(angle), 4), z=0.16,
            )
        )  # fmt: skip
    return tuple(found)


def copter(name: str, title: str, keys: tuple[Channel, ...], *holders: Part) -> Craft:
    """The copter with holders of its own."""
    drag = AirDrag(id="hull_drag", title="Hull in the air", front_area=0.16, side_area=0.16, top_area=0.4,
                   drag_coefficient=0.8)  # fmt: skip
    sonde = Payload(id="sonde", title="Sonde", mass=1.6, size=0.16, x=0.0, z=-0.22, to_z=-0.22)
    skids = Runner(id="skids", title="Skids", law="linear", side_grip=0.4, glide=0.3, x=0.0, z=-0.36, spread_x=0.35,
                   spread_y=0.4)  # fmt: skip
    parts = (*holders, Mixer(id="mixer", title="Mixer"), *rotors(), drag, sonde, skids)
    body = Body(
        mass=FREE_MASS, length=1.1, width=1.1, height=0.28, held=(), damping=0.0, spin_damping=0.0,
        inertia_from="given", roll_inertia=0.62, pitch_inertia=0.62, yaw_inertia=1.15,
    )  # fmt: skip
    return Craft(
        id=name, title=title, body=body, channels=keys, parts=tuple(sorted(parts, key=lambda part: part.STAGE))
    )


def height() -> HeightHolder:
    """Holds the height through the rotors."""
    return HeightHolder(
        id="height", title="Height", channel="climb", climb=5.0, acts="mixer", aid=False, frequency=0.35,
        damping_ratio=0.9, integral=0.3,
    )  # fmt: skip


def crafts() -> tuple[Craft, ...]:
    """The same body, flown by place, by angle and by rate."""
    tilt = {"acts": "mixer", "aid": False, "frequency": 1.1, "damping_ratio": 0.75, "yaw_frequency": 0.35}
    sticks = {"roll_channel": "roll", "pitch_channel": "pitch", "yaw_channel": "yaw"}
    stays = PlaceHolder(
        id="place", title="Place", acts="lean", aid=False, frequency=0.14, damping_ratio=0.9, ahead_channel="ahead",
        left_channel="left", ahead_speed=10.0, left_speed=7.0, leash=12.0, integral=0.1,
    )  # fmt: skip
    heading = AttitudeHolder(id="attitude", title="Attitude", yaw="heading", yaw_channel="yaw", **tilt)
    return (
        copter("survey_copter", "Survey copter", channels(), stays, heading, height()),
        copter(
            "angle_copter", "Copter by angle", stick(),
            heading.replace(roll="angle", pitch="angle", **sticks), height(),
        ),
        copter(
            "rate_copter", "Copter by rate", stick(),
            heading.replace(roll="rate", pitch="rate", yaw="rate", **sticks), height(),
        ),
    )  # fmt: skip


def told(channel: str, *knots: tuple[float, float]) -> Track:
    """A track of steps."""
    return Track(channel=channel, knots=tuple(Knot(t=time, value=value) for time, value in knots))


def drills() -> tuple[Drill, ...]:
    """From the ground to the loss of a rotor."""

    def drill(
        name: str, title: str, craft: str, duration: float, aloft: float, *tracks: Track, **more: object
    ) -> Drill:
        return Drill(
            id=name, title=title, ground="camp", craft=craft, duration=duration, start=Start(height=aloft),
            tracks=tracks, **more,
        )  # fmt: skip

    return (
        drill(
            "lift_off", "Lift off and hover", "survey_copter", 14.0, 0.0, told("climb", (1.0, 0.8), (4.0, 0.0)),
            event_time=8.0, targets=(Target(measure="place_rms", high=0.3), Target(measure="tilt_rms", high=1.0)),
        ),
        drill(
            "survey_leg", "A leg of 60 m, and stop", "survey_copter", 24.0, 12.0,
            told("ahead", (1.0, 1.0), (7.0, 0.0)), event_time=16.0,
            targets=(Target(measure="drift", high=1.0), Target(measure="largest_roll", high=5.0)),
        ),
        drill(
            "angle_step", "Step to 20° of roll", "angle_copter", 6.0, 30.0, told("roll", (1.0, 2.0 / 3.0)),
            event_time=1.0,
            targets=(Target(measure="step_time", high=1.0), Target(measure="step_overshoot", high=12.0)),
        ),
        drill(
            "rate_doublet", "Roll rate to both sides", "rate_copter", 5.0, 30.0,
            told("roll", (1.0, 0.5), (1.5, -0.5), (2.5, 0.5), (3.0, 0.0)), event_time=1.0,
            targets=(Target(measure="largest_roll", low=15.0, high=60.0),),
        ),
        drill(
            "rotor_lost", "One rotor lost", "survey_copter", 16.0, 15.0, told("ahead", (6.0, 0.5), (9.0, 0.0)),
            events=(Event(id="loss", what="fail", target="front_left", t=2.0),), event_time=2.0,
            targets=(Target(measure="largest_roll", high=20.0), Target(measure="height_lost", high=1.0)),
        ),
        drill(
            "gusts", "Hover in gusts", "survey_copter", 30.0, 15.0, event_time=10.0,
            targets=(Target(measure="place_rms", high=1.0), Target(measure="tilt_rms", high=12.0)),
        ).replace(ground="windy_camp"),
        drill(
            "descent", "Down through its own wash", "survey_copter", 14.0, 60.0,
            told("climb", (1.0, -1.0), (8.0, 0.0)), event_time=1.0,
            targets=(Target(measure="height_lost", low=15.0, high=40.0),),
        ),
    )  # fmt: skip


def main() -> None:
    """Writes the yard."""
    camp = Ground(id="camp", title="The survey camp", length=400.0, width=400.0, edges="open", air_density=1.3)
    wind = Volume(
        id="gusts", title="Gusty wind", does="wind", everywhere=True, y=-12.0, speed=6.0, to_deg=150.0, gusts=1.5,
        gust_length=25.0,
    )  # fmt: skip
    windy = camp.replace(id="windy_camp", title="The camp in gusts", volumes=(wind,))
    yard = Yard(
        title="The survey camp",
        bench=Bench(craft="survey_copter", ground="camp", drill="lift_off"),
        crafts=crafts(),
        grounds=(camp, windy),
        drills=drills(),
    )
    FILE.write_text(yard_json.dumps(yard), encoding="utf-8")


if __name__ == "__main__":
    main()
