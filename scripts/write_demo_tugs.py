"""Writes the demo of the ice tugs: two latch onto a tumbling block of ice, stop its spin and bring it to a mark.

Run it after a change of what it is made of; the file is what `demo:ice-tugs` opens.
"""

from __future__ import annotations

import math
from pathlib import Path

from write_demo_pod import told

from oak_sled.core.files import yard_json
from oak_sled.core.parts.controljet import ControlJet
from oak_sled.core.parts.holders.attitude import AttitudeHolder
from oak_sled.core.parts.holders.drift import DriftHolder
from oak_sled.core.parts.holders.mixer import Mixer
from oak_sled.core.parts.tank import Tank
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.control import Control
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Member, Start, Target, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.hinge import Latch
from oak_sled.core.yard.yard import Bench, Yard

FILE = Path(__file__).parent.parent / "src" / "oak_sled" / "demo" / "ice_tugs.json"
SPIN = 6.0
"""°/s at which the block tumbles, about its upright axis; a little about another."""
LONG = 3.0
"""m of half the block."""
KEYS = {
    "left_tug": ("W", "S", "A", "D", "R", "F", "Q", "E", "Z", "X", "C", "V"),
    "right_tug": ("I", "K", "J", "L", "Y", "H", "U", "O", "N", "M", "B", "G"),
}
"""Of each tug: ahead, back, left, right, up, down, yaw left and right, then the switches."""


def deep() -> Ground:
    """Nothing but a block of ice that turns, and a frame that it is to be brought to."""
    berg = Block(
        id="berg", title="Block of ice", length=2.0 * LONG, width=2.4, height=2.4, z=-1.2, mass=1400.0,
        spin_z_deg=SPIN, spin_y_deg=0.6, material="ice",
    )  # fmt: skip
    mark = Block(id="mark", title="Mark", length=8.0, width=8.0, height=8.0, y=30.0, z=-4.0, moves="trigger")
    return Ground(
        id="deep", title="Far from anything", gravity=0.0, air_density=0.0, floor=False, edges="open", length=200.0,
        width=200.0, blocks=(berg, mark), materials=(
            {"id": "ice", "friction": 0.05, "restitution": 0.1, "look": "snow"},
        ),
    )  # fmt: skip


def tug(name: str, title: str, side: float) -> Craft:
    """A tug for one end of the block. side : -1 for the end toward west at the start, 1 for the other."""
    keys, pad = KEYS[name], list(KEYS).index(name) + 1

    def stick(channel: str, words: str, plus: str, minus: str, *controls: Control) -> Channel:
        return Channel(
            id=channel, title=words, plus_keys=(plus,), minus_keys=(minus,), controls=controls, rise=20.0, fall=20.0
        )

    def switch(channel: str, words: str, key: str, button: int) -> Channel:
        return Channel(
            id=channel, title=words, plus_keys=(key,), controls=(own(f"button {button}"),), two_sided=False,
            stays="toggle", rise=1e3, fall=1e3,
        )  # fmt: skip

    def own(what: str, factor: float = 1.0) -> Control:
        return Control(id=f"pad_{what.replace(' ', '_')}", number=pad, what=what, factor=factor)

    channels = (
        stick("ahead", "ahead", keys[0], keys[1], own("left y")),
        stick("left", "left", keys[2], keys[3], own("left x", -1.0)),
        stick("lift", "lift", keys[4], keys[5], own("right y")),
        stick("yaw", "yaw left", keys[6], keys[7], own("right x", -1.0)),
        switch("beside", "beside the ice", keys[8], 1), switch("close", "on to the ice", keys[9], 2),
        switch("still", "stop turning", keys[10], 3), switch("haul", "to the mark", keys[11], 4),
    )  # fmt: skip
    loop = {"acts": "mixer", "aid": False}
    beside = DriftHolder(
        id="beside", title="Beside the ice", switch="beside", holds="place", target="berg", frequency=0.08,
        damping_ratio=1.0, place_x=side * (LONG + 3.4), max_acceleration=0.5, ahead_channel="close",
        channel_speed=-side * 0.25, **loop,
    )  # fmt: skip
    face = AttitudeHolder(
        id="face", title="Nose to the ice", switch="beside", roll="level", pitch="target", yaw="target",
        target="berg", frequency=0.12, yaw_frequency=0.12, damping_ratio=1.0, **loop,
    )  # fmt: skip
    still = AttitudeHolder(
        id="still", title="Stop turning", switch="still", roll="rate", pitch="rate", yaw="rate", frequency=0.5,
        damping_ratio=1.0, yaw_channel="yaw", yaw_rate_deg=10.0, **loop,
    )  # fmt: skip
    haul = DriftHolder(
        id="haul", title="To the mark", switch="haul", holds="place", target="mark", frequency=0.03,
        damping_ratio=1.6, max_acceleration=0.25, **loop,
    )  # fmt: skip
    mixer = Mixer(id="mixer", title="Mixer", ahead_channel="ahead", left_channel="left", lift_channel="lift")
    body = Body(mass=420.0, length=2.0, width=1.6, height=1.6, held=(), damping=0.0, spin_damping=0.0)
    parts = (beside, haul, face, still, mixer, *jets(), Tank(id="tank", title="Tank", fuel=60.0, size=0.6))
    return Craft(
        id=name, title=title, body=body, channels=channels, parts=tuple(sorted(parts, key=lambda one: one.STAGE))
    )


def jets() -> tuple[ControlJet, ...]:
    """Two each way along every axis, beside the middle, so that a pair pushes and two of different pairs turn."""
    found = []
    names = (("aft", "fore"), ("right", "left"), ("low", "high"))
    for axis, (azimuth, elevation) in enumerate(((0.0, 0.0), (90.0, 0.0), (0.0, 90.0))):
        for sign, where in zip((1.0, -1.0), names[axis], strict=True):
            for side in (1.0, -1.0):
                at = [0.0, 0.0, 0.0]
                at[axis], at[(axis + 1) % 3] = -0.8 * sign, 0.7 * side
                along = ("left", "top", "fore")[axis] if side > 0 else ("right", "bottom", "aft")[axis]
                found.append(
                    ControlJet(
                        id=f"{where}_{along}", title=f"Jet {where} {along}", thrust=120.0, least_on=0.01,
                        dead_band=0.005, exhaust=1200.0, elevation_deg=sign * elevation,
                        azimuth_deg=azimuth if sign > 0.0 or axis == 2 else azimuth - 180.0,
                        x=at[0], y=at[1], z=at[2],
                    )
                )  # fmt: skip
    return tuple(found)


def tracks(late: float) -> tuple[Track, ...]:
    """Beside the ice and with it round, on to it, stop, and away to the mark. late : s behind the other tug."""
    on = (
        told("beside", (0.5 + late, 1.0), (0.7 + late, 0.0), (42.0, 1.0), (42.2, 0.0)),
        told("close", (16.0 + late, 1.0), (16.2 + late, 0.0), (30.0 + late, 1.0), (30.2 + late, 0.0)),
        told("still", (43.0, 1.0), (43.2, 0.0)),
        told("haul", (60.0, 1.0), (60.2, 0.0)),
    )  # fmt: skip
    return on


def drills() -> tuple[Drill, ...]:
    """The whole errand, and the first half of it."""
    ports = tuple(
        Latch(
            id=f"{name}_port", title=f"Port of the {name.replace('_', ' ')}", one=name, other="berg", x=1.05, y=0.0,
            z=0.0, end_x=side * (LONG + 0.05), end_y=0.0, end_z=0.0, azimuth_deg=0.0, within=0.35, aligned_deg=180.0,
            slower_than=0.6,
        )
        for name, side in (("left_tug", -1.0), ("right_tug", 1.0))
    )  # fmt: skip
    start = {"yaw_rate_deg": SPIN}
    west = Start(x=-(LONG + 5.0), height=0.0, side_speed=-math.radians(SPIN) * (LONG + 5.0), **start)
    east = Start(x=LONG + 5.0, height=0.0, heading_deg=180.0, side_speed=-math.radians(SPIN) * (LONG + 5.0), **start)
    together = {
        "ground": "deep", "craft": "left_tug", "start": west, "tracks": tracks(0.0), "ties": ports, "watch": ("berg",),
        "cast": (Member(id="right_tug", start=east, tracks=tracks(1.0)),),
    }  # fmt: skip
    return (
        Drill(
            id="haul", title="Latch on, stop it, and haul it to the mark", duration=150.0, **together,
            targets=(
                Target(measure="latches_closed", low=2.0), Target(measure="spin_at_end", high=0.5),
                Target(measure="mark_distance", high=2.0), Target(measure="fuel_used", high=40.0),
            ),
        ),
        Drill(
            id="stop_it", title="Latch on, and stop it", duration=60.0, **together,
            targets=(Target(measure="latches_closed", low=2.0), Target(measure="spin_at_end", high=0.5)),
        ),
    )  # fmt: skip


def main() -> None:
    """Writes the yard."""
    yard = Yard(
        title="The ice tugs",
        bench=Bench(craft="left_tug", ground="deep", drill="haul"),
        crafts=(tug("left_tug", "Left tug", -1.0), tug("right_tug", "Right tug", 1.0)),
        grounds=(deep(),),
        drills=drills(),
    )
    FILE.write_text(yard_json.dumps(yard), encoding="utf-8")


if __name__ == "__main__":
    main()
