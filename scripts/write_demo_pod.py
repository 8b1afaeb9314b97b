"""Writes the demo of the mail pod: twelve jets above a small ball of ice, a relay to dock with, by hand and by assists.

Run it after a change of what it is made of; the file is what `demo:mail-pod` opens.
"""

from __future__ import annotations

import math
from pathlib import Path

from oak_sled.core.files import yard_json
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.controljet import ControlJet
from oak_sled.core.parts.holders.attitude import AttitudeHolder
from oak_sled.core.parts.holders.drift import DriftHolder
from oak_sled.core.parts.holders.mixer import Mixer
from oak_sled.core.parts.jet import Jet
from oak_sled.core.parts.tank import Tank
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.control import Control
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Member, Start, Target, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.hinge import Latch
from oak_sled.core.yard.orbit import Orbit
from oak_sled.core.yard.yard import Bench, Yard

FILE = Path(__file__).parent.parent / "src" / "oak_sled" / "demo" / "mail_pod.json"
RADIUS, SURFACE, ALTITUDE = 50.0, 0.12, 16.0
AXES = ("ahead", "left", "lift", "roll", "pitch", "yaw")
RATE = math.degrees(math.sqrt(SURFACE * RADIUS**2 / (RADIUS + ALTITUDE) ** 3))
"""°/s at which a round orbit turns."""


def icefall() -> Ground:
    """A small ball of ice, with nothing round it."""
    ball = Block(
        id="icefall", title="Icefall", shape="ball", length=2.0 * RADIUS, z=-RADIUS, moves="fixed", attracts=SURFACE
    )
    return Ground(
        id="low_orbit", title="Low orbit of Icefall", gravity=0.0, air_density=0.0, floor=False, edges="open",
        length=400.0, width=400.0, blocks=(ball,),
    )  # fmt: skip


def channels() -> tuple[Channel, ...]:
    """Six sticks that return, the main engine, and switches for the assists."""

    def stick(name: str, title: str, plus: str, minus: str, *controls: Control) -> Channel:
        return Channel(
            id=name, title=title, plus_keys=(plus,), minus_keys=(minus,), controls=controls, rise=20.0, fall=20.0
        )

    def switch(name: str, title: str, key: str, button: int, start: float = 0.0) -> Channel:
        return Channel(
            id=name, title=title, plus_keys=(key,), controls=(pad(f"button {button}"),), two_sided=False,
            stays="toggle", start=start, rise=1e3, fall=1e3,
        )  # fmt: skip

    def pad(what: str, factor: float = 1.0) -> Control:
        return Control(id=f"pad_{what.replace(' ', '_')}", what=what, factor=factor)

    def pointer(what: str, factor: float = 1.0) -> Control:
        return Control(id=f"pointer_{what}", device="pointer", what=what, factor=factor)

    return (
        stick("ahead", "ahead", "W", "S", pad("left y")), stick("left", "left", "A", "D", pad("left x", -1.0)),
        stick("lift", "lift", "R", "F", pad("hat y")), stick("roll", "roll right", "E", "Q", pad("hat x")),
        stick("pitch", "nose up", "Down", "Up", pad("right y"), pointer("y")),
        stick("yaw", "yaw left", "Left", "Right", pad("right x", -1.0), pointer("x", -1.0)),
        Channel(
            id="burn", title="main engine", plus_keys=("B",), controls=(pad("right trigger"), pointer("left")),
            two_sided=False, rise=20.0, fall=20.0,
        ),
        switch("steady", "hold attitude", "H", 1, 1.0), switch("match", "match the relay", "M", 2),
        switch("about", "nose against the way", "V", 3), switch("align", "level, heading held", "N", 4),
        stick("close", "nearer to the relay", "T", "G", pad("button 6"), pad("button 5", -1.0)),
    )  # fmt: skip


CANT = 0.5
"""Sideways share of the thrust of a jet: so canted, any one of the twelve may fail and all can still be pushed."""


def jets() -> tuple[ControlJet, ...]:
    """Three at each of four corners, no two of which share a face: each pushes inward along an axis, canted outward."""
    corners = {
        "top_left_front": (1, 1, 1), "low_right_front": (1, -1, -1), "low_left_back": (-1, 1, -1),
        "top_right_back": (-1, -1, 1),
    }  # fmt: skip
    ways = (("back", "ahead"), ("right", "left"), ("down", "up"))
    found = []
    for corner, (sx, sy, sz) in corners.items():
        for axis, sign in enumerate((sx, sy, sz)):
            way = [CANT * sx, CANT * sy, CANT * sz]
            way[axis] = -sign
            pushes = ways[axis][0 if sign > 0 else 1]
            found.append(
                ControlJet(
                    id=f"{corner}_{pushes}", title=f"{corner.replace('_', ' ').capitalize()}, {pushes}", thrust=30.0,
                    least_on=0.01, dead_band=0.006, exhaust=900.0, x=0.9 * sx, y=0.75 * sy, z=0.75 * sz,
                    azimuth_deg=round(math.degrees(math.atan2(way[1], way[0])), 6),
                    elevation_deg=round(math.degrees(math.atan2(way[2], math.hypot(way[0], way[1]))), 6),
                )
            )  # fmt: skip
    return tuple(found)


def pod(name: str, title: str, *holders: Part) -> Craft:
    """The pod with assists of its own; its main engine stands at its back."""
    engine = Jet(
        id="engine", title="Main engine", channel="burn", thrust=60.0, breathes=False, exhaust=2400.0,
        idle_share=0.0, spools_up=0.15, spools_down=0.1, x=-1.15,
    )  # fmt: skip
    mixer = Mixer(
        id="mixer", title="Mixer", share=0.5, **{f"{axis}_channel": axis for axis in AXES if axis in NEEDS[name]}
    )
    parts = (*holders, mixer, *jets(), engine, Tank(id="tank", title="Tank", fuel=30.0, size=0.6))
    body = Body(
        mass=380.0, length=2.4, width=1.8, height=1.8, held=(), damping=0.0, spin_damping=0.0,
    )  # fmt: skip
    made = Craft(
        id=name, title=title, body=body, channels=channels(), parts=tuple(sorted(parts, key=lambda one: one.STAGE))
    )
    used = {channel for part in made.parts for channel in part.channels_used()}
    return made.replace(channels=tuple(one for one in made.channels if one.id in used))


NEEDS = {"pod": ("ahead", "left", "lift"), "bare_pod": AXES}
"""Channels that the mixer follows by itself: the sticks of the assisted pod for turning go to its attitude holder."""


def crafts() -> tuple[Craft, ...]:
    """The assisted pod, the bare one, and the relay."""
    loop = {"acts": "mixer", "aid": False, "frequency": 0.045, "yaw_frequency": 0.045, "damping_ratio": 1.0}
    sticks = {"roll_channel": "roll", "pitch_channel": "pitch", "yaw_channel": "yaw"}
    steady = AttitudeHolder(
        id="steady", title="Steady", switch="steady", roll="rate", pitch="rate", yaw="rate", roll_rate_deg=12.0,
        pitch_rate_deg=12.0, yaw_rate_deg=12.0, **sticks, **loop,
    )  # fmt: skip
    about = AttitudeHolder(
        id="about", title="Nose against the way", switch="about", roll="level", pitch="against", yaw="against", **loop
    )
    align = AttitudeHolder(
        id="align", title="Level, heading held", switch="align", roll="level", pitch="level", yaw="heading",
        yaw_channel="yaw", yaw_rate_deg=6.0, **loop,
    )  # fmt: skip
    match = DriftHolder(
        id="match", title="Place behind the relay", switch="match", holds="place", target="relay", place_x=-8.0,
        acts="mixer", aid=False, frequency=0.05, damping_ratio=1.0, max_acceleration=0.12, ahead_channel="close",
        channel_speed=0.25,
    )  # fmt: skip
    level = AttitudeHolder(id="level", title="Level", yaw="heading", frequency=0.2, yaw_frequency=0.2)
    relay = Craft(
        id="relay", title="Relay", parts=(level,),
        body=Body(mass=900.0, length=3.0, width=2.2, height=2.2, held=(), damping=0.0, spin_damping=0.0),
    )  # fmt: skip
    return (
        pod("pod", "Mail pod", match, steady, about, align),
        pod("bare_pod", "Pod without assists"),
        relay,
    )


def told(channel: str, *knots: tuple[float, float]) -> Track:
    """A track of steps."""
    return Track(channel=channel, knots=tuple(Knot(t=time, value=value) for time, value in knots))


def orbit(behind: float = 0.0) -> Orbit:
    """The orbit of the relay, some metres behind it."""
    return Orbit(around="icefall", altitude=ALTITUDE, anomaly_deg=-math.degrees(behind / (RADIUS + ALTITUDE)))


BY_HAND = (
    told("steady", (0.2, 1.0), (0.4, 0.0)),
    told("align", (0.2, 1.0), (0.4, 0.0)),
    told("ahead", (1.0, 1.0), (3.03, 0.0), (24.0, -0.21), (27.66, 0.0)),
    told("lift", (2.0, -0.38), (5.66, 0.0), (16.0, -0.37), (19.66, 0.0), (24.0, -0.1), (27.66, 0.0)),
)
"""Pushes found by trying, as a hand would: ahead, then down against the higher orbit that this makes, and the brake."""


def drills() -> tuple[Drill, ...]:
    """Out of the latch, round the ball, about and down, and back to the relay three ways."""
    turning = {"pitch_rate_deg": RATE}
    relay = (Member(id="relay", start=Start(orbit=orbit(), **turning)),)
    port = Latch(
        id="port", title="Port", one="pod", other="relay", x=1.25, y=0.0, z=0.0, end_x=-1.55, end_y=0.0, end_z=0.0,
        within=0.25, aligned_deg=15.0, slower_than=0.6,
    )  # fmt: skip
    docking = {"cast": relay, "event_time": 0.0, "duration": 60.0}
    ready = (
        Target(measure="latches_closed", low=1.0),
        Target(measure="closing_speed", high=0.5),
        Target(measure="dock_tilt", high=12.0),
    )
    near = Start(orbit=orbit(14.0), **turning)
    by_assists = (
        told("steady", (0.2, 1.0), (0.4, 0.0)), told("align", (0.2, 1.0), (0.4, 0.0)),
        told("match", (1.0, 1.0), (1.2, 0.0), (54.0, 1.0)), told("close", (25.0, 1.0), (50.0, 0.0)),
    )  # fmt: skip
    return (
        Drill(
            id="undock", title="Let go of the relay, and back away", ground="low_orbit", craft="pod", duration=20.0,
            start=Start(orbit=orbit(2.82), **turning), cast=relay, ties=(port,), event_time=2.0,
            tracks=(told("ahead", (3.0, -1.0), (5.0, 0.0)),),
            events=(Event(id="off", what="let_go", target="port", t=2.0),),
            targets=(Target(measure="latches_closed", high=0.0), Target(measure="fuel_used", high=1.0)),
        ),
        Drill(
            id="round", title="Once round, with nothing on", ground="low_orbit", craft="bare_pod", duration=200.0,
            start=Start(orbit=Orbit(around="icefall", altitude=ALTITUDE, eccentricity=0.15, inclination_deg=35.0)),
            targets=(
                Target(measure="lowest_altitude", low=15.9, high=16.1),
                Target(measure="highest_altitude", low=39.0, high=40.0),
            ),
        ),
        Drill(
            id="turn_and_burn", title="Turn about, and burn to come down", ground="low_orbit", craft="pod",
            duration=40.0, start=Start(orbit=orbit(40.0), **turning), cast=relay, event_time=1.0,
            tracks=(
                told("steady", (1.0, 1.0), (1.2, 0.0)), told("about", (1.0, 1.0), (1.2, 0.0)),
                told("burn", (24.0, 1.0), (24.6, 0.0)),
            ),
            targets=(
                Target(measure="turn_about_time", high=20.0), Target(measure="lowest_altitude", low=2.0, high=13.0),
                Target(measure="velocity_change_left", low=50.0),
            ),
        ),
        Drill(
            id="dock_assisted", title="Dock with the assists", ground="low_orbit", craft="pod", start=near,
            tracks=by_assists, ties=(port,), targets=(*ready, Target(measure="fuel_used", high=3.0)), **docking,
        ),
        Drill(
            id="dock_one_dead", title="Dock with one jet dead", ground="low_orbit", craft="pod", start=near,
            tracks=by_assists, ties=(port,), targets=ready,
            events=(Event(id="dead", what="fail", target="low_left_back_ahead", t=5.0),), **docking,
        ),
        Drill(
            id="dock_by_hand", title="Dock by hand, attitude held", ground="low_orbit", craft="pod", start=near,
            tracks=BY_HAND, ties=(port,), targets=ready, **docking,
        ),
    )  # fmt: skip


def main() -> None:
    """Writes the yard."""
    yard = Yard(
        title="The mail pod above Icefall",
        bench=Bench(craft="pod", ground="low_orbit", drill="dock_assisted"),
        crafts=crafts(),
        grounds=(icefall(),),
        drills=drills(),
    )
    FILE.write_text(yard_json.dumps(yard), encoding="utf-8")


if __name__ == "__main__":
    main()
