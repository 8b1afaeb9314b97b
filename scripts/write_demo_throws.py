"""Writes the demos of sudden pushes: the mortar and its wall of snow, the gust blower, the puck and its sling.

Run it after a change of what is below, or of the documents they are made of.
"""

from __future__ import annotations

from pathlib import Path

from oak_sled.core.files import yard_json
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.bumper import Bumper
from oak_sled.core.parts.impulse import Impulse
from oak_sled.core.parts.knockback import Knockback
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.sling import Sling
from oak_sled.core.yard.block import Block, Material
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Target, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground, Wall
from oak_sled.core.yard.yard import Bench, Yard

DEMO = Path(__file__).parents[1] / "src" / "oak_sled" / "demo"
SNOW = Material(id="snow", friction=0.55, restitution=0.0, look="snow")
IRON = Material(id="iron", friction=0.4, restitution=0.1, look="iron")


def fires(*times: float, target: str) -> tuple[Event, ...]:
    """A part set off at each of these times."""
    return tuple(Event(id=f"{target}_{k + 1}", what="trigger", t=t, target=target) for k, t in enumerate(times))


def channel(name: str, plus: tuple[str, ...], minus: tuple[str, ...] = (), two_sided: bool = False) -> Channel:
    """A channel on its keys."""
    return Channel(id=name, title=name, plus_keys=plus, minus_keys=minus, two_sided=two_sided, rise=8.0, fall=12.0)


def snow_wall(columns: int, rows: int, x: float) -> tuple[Block, ...]:
    """A wall of snow blocks in bond: every other row begins and ends with half a block."""
    long, deep, tall, gap = 0.8, 0.7, 0.5, 0.01
    found = []
    for row in range(rows):
        lengths = (
            [long] * columns if row % 2 == 0 else [0.5 * (long - gap), *[long] * (columns - 1), 0.5 * (long - gap)]
        )
        at = -0.5 * (sum(lengths) + gap * (len(lengths) - 1))
        for place, wide in enumerate(lengths):
            found.append(
                Block(
                    id=f"snow_{row + 1}_{place + 1}", x=x, y=round(at + 0.5 * wide, 4), z=row * tall, length=deep,
                    width=wide, height=tall, mass=round(110.0 * wide / long, 1), material="snow",
                    rests=True,
                )
            )  # fmt: skip
            at += wide + gap
    return tuple(found)


def mortar() -> Yard:
    """A snow-clearing mortar on a sledge lobs charges at a drift wall across the fairway."""
    craft = Craft(
        id="mortar",
        title="Snow mortar",
        body=Body(mass=900.0, length=2.4, width=1.6, height=0.8),
        channels=(
            channel("fire", ("Space",)),
            channel("lay", ("W",), ("S",), True),
            channel("swing", ("A",), ("D",), True),
        ),
        parts=(
            Launcher(
                id="barrel", title="Barrel", channel="fire", fires="on_press", muzzle_speed=15.7, rate=5.0,
                elevation_deg=38.0, tilt_channel="lay", tilt_deg=20.0, swing_channel="swing", swing_deg=25.0,
                spread_deg=2.0, seed=4, x=0.9, z=0.9, shot_mass=14.0, shot_size=0.28, shot_drag=0.47, lifetime=6.0,
                on_hit="bursts", blast="charge", in_flight=6, material="iron",
            ),
            Knockback(
                id="charge", title="Charge", timing="on_hit", volume="ball", reach=2.6, size=1100.0, lift_deg=25.0,
                level=False, fall_off="linear", spin_rate_deg=120.0,
            ),
        ),
    )  # fmt: skip
    fairway = Ground(
        id="fairway", title="Blocked fairway", friction=0.35, length=120.0, width=60.0, materials=(SNOW, IRON),
        blocks=snow_wall(10, 6, 24.0),
    )  # fmt: skip
    low = Ground(
        id="low_drift", title="Low drift", friction=0.35, length=120.0, width=60.0, materials=(SNOW, IRON),
        blocks=snow_wall(13, 5, 20.0),
    )  # fmt: skip
    drills = (
        Drill(
            id="breach", title="Breach the drift", ground="fairway", duration=3.6,
            events=fires(0.05, 0.25, 0.45, target="barrel"), watch=("snow_6_6", "snow_4_6", "snow_1_5"),
            targets=(Target(measure="blocks_moved", low=24.0), Target(measure="launch_distance@snow_6_6", low=1.0)),
        ),
        Drill(
            id="one_charge", title="One charge", ground="fairway", duration=3.6, events=fires(0.1, target="barrel"),
            watch=("snow_6_6", "snow_4_6"), targets=(Target(measure="blocks_moved", low=4.0),),
        ),
        Drill(
            id="walk_the_fire", title="Walk the fire across", ground="low_drift", duration=4.2,
            tracks=(
                Track(channel="swing", shape="ramps", knots=(Knot(t=0.0, value=-0.35), Knot(t=1.3, value=0.35))),
                Track(channel="lay", knots=(Knot(t=0.0, value=-0.5),)),
            ),
            events=fires(0.1, 0.5, 0.9, 1.3, target="barrel"), watch=("snow_5_4", "snow_5_7", "snow_5_10"),
            targets=(Target(measure="blocks_moved", low=16.0),),
        ),
    )  # fmt: skip
    bench = Bench(craft="mortar", ground="fairway", drill="breach")
    return Yard(title="Fairway battery", ticks=60, bench=bench, crafts=(craft,), grounds=(fairway, low), drills=drills)


def shove() -> Yard:
    """A gust blower that knocks standing freight of three weights over the ice."""
    body = Body(mass=700.0, length=2.2, width=1.5, height=1.0)
    channels = (channel("gust", ("Space",)), channel("slam", ("W",)))
    gust = Knockback(
        id="gust", title="Gust", channel="gust", timing="on_press", way="force", size=4600.0, lasts=0.35,
        rise_time=0.08, fall_time=0.12, volume="cone", reach=12.0, angle_deg=32.0, direction="facing", lift_deg=22.0,
        spin_rate_deg=1400.0, fall_off="linear", x=1.1, z=0.1, cool_down=1.0,
    )  # fmt: skip
    slam = Knockback(
        id="slam", title="Slam", channel="slam", timing="on_press", way="speed_change", size=6.0, lasts=0.1,
        volume="box", reach=8.0, width=9.0, height=3.0, direction="from_source", lift_deg=35.0, spin_rate_deg=200.0,
        x=1.1, z=0.1, cool_down=1.0,
    )  # fmt: skip
    craft = Craft(id="blower", title="Gust blower", body=body, channels=channels, parts=(gust, slam))
    held = craft.replace(
        id="anchored", title="Anchored blower",
        body=body.replace(held=("x", "y", "z", "roll", "pitch", "yaw")),
    )  # fmt: skip
    stand = (
        Block(id="light", title="light crate", x=7.0, y=2.4, length=0.7, width=0.7, height=1.2, mass=40.0),
        Block(id="middling", title="middling crate", x=7.0, y=0.0, length=0.7, width=0.7, height=1.2, mass=120.0),
        Block(id="heavy", title="heavy crate", x=7.0, y=-2.4, length=0.7, width=0.7, height=1.2, mass=360.0),
    )
    pier = Ground(id="pier", title="Icy pier", friction=0.4, length=120.0, width=60.0, blocks=stand)
    near = Ground(
        id="row", title="A row of drums", friction=0.4, length=120.0, width=60.0,
        blocks=tuple(
            Block(
                id=f"drum_{k + 1}", shape="cylinder", x=4.0 + 1.6 * k, y=0.5 * (-1) ** k, length=0.6, height=0.9,
                mass=80.0,
            )
            for k in range(6)
        ),
    )  # fmt: skip
    three = ("light", "middling", "heavy")
    drills = (
        Drill(
            id="one_gust", title="One gust on three weights", ground="pier", duration=6.0,
            events=fires(0.5, target="gust"), watch=three,
            targets=(
                Target(measure="launch_speed@light", low=8.0), Target(measure="launch_speed@heavy", low=0.4, high=3.0),
                Target(measure="launch_air@light", low=0.4), Target(measure="launch_distance@middling", low=1.5),
            ),
        ),
        Drill(
            id="one_slam", title="One slam, mass not counted", ground="pier", duration=6.0,
            events=fires(0.5, target="slam"), watch=three,
            targets=(
                Target(measure="launch_speed@light", low=5.0, high=6.5),
                Target(measure="launch_speed@heavy", low=5.0, high=6.5), Target(measure="launch_turns@light", low=0.2),
            ),
        ),
        Drill(
            id="down_the_row", title="Down a row of drums", ground="row", duration=6.0,
            events=fires(0.5, 2.5, target="gust"), watch=("drum_1", "drum_3", "drum_6"),
            targets=(Target(measure="launch_speed@drum_1", low=4.0), Target(measure="blocks_moved", low=3.0)),
        ),
    )  # fmt: skip
    bench = Bench(craft="anchored", ground="pier", drill="one_gust")
    return Yard(title="Gust pier", ticks=120, bench=bench, crafts=(held, craft), grounds=(pier, near), drills=drills)


def puck() -> Yard:
    """A freight puck that a sling sends over the ice, between cushions of rolled canvas."""
    craft = Craft(
        id="puck",
        title="Freight puck",
        body=Body(
            mass=60.0, shape="cylinder", length=1.2, width=1.2, height=0.5, held=("z", "roll", "pitch"),
            spin_damping=0.4,
        ),
        channels=(channel("hop", ("Space",)),),
        parts=(
            Sling(id="sling", title="Sling", size=960.0, cap=6.0, curve=1.2),
            Impulse(
                id="nudge", title="Nudge", channel="hop", fires="on_charge", size=240.0, charge_s=1.0, cool_down=0.4,
                frame="level_heading",
            ),
            AirDrag(id="air", title="Air", front_area=0.6, side_area=0.6, top_area=1.1),
            Brake(id="sole", title="Sole", bite=0.06, z=-0.25),
            Bumper(
                id="rim", title="Rim", response="bounce", restitution=0.85, tangential_share=1.0, wall_friction=0.02
            ),
        ),
    )  # fmt: skip
    pen = Ground(
        id="pen", title="Cushioned pen", length=64.0, width=44.0, edges="open",
        walls=(
            Wall(id="north", x=0.0, y=16.0, length=50.0, width=0.8, height=0.7),
            Wall(id="south", x=0.0, y=-16.0, length=50.0, width=0.8, height=0.7),
            Wall(id="east", x=25.0, y=0.0, heading_deg=90.0, length=32.8, width=0.8, height=0.7),
            Wall(id="west", x=-25.0, y=0.0, heading_deg=90.0, length=32.8, width=0.8, height=0.7),
            Wall(id="island", x=4.0, y=2.0, heading_deg=30.0, length=5.0, width=1.0, height=0.7),
            Wall(id="post", x=-6.0, y=-6.0, heading_deg=45.0, length=1.6, width=1.6, height=0.7),
        ),
    )  # fmt: skip

    def let_go(x: float, y: float, t: float = 0.4) -> tuple[Event, ...]:
        return (Event(id="let_go", what="release", t=t, target="sling", x=x, y=y),)

    start = Start(x=-18.0, y=-4.0)
    drills = (
        Drill(
            id="three_cushions", title="Off three cushions", ground="pen", duration=12.0, start=start, end="stopped",
            end_value=1.0, events=let_go(-4.6, -3.8), event_time=0.4,
            targets=(Target(measure="hits", low=3.0), Target(measure="launch_speed", low=10.0, high=17.0)),
        ),
        Drill(
            id="full_pull", title="A full pull", ground="pen", duration=14.0, start=start, end="stopped", end_value=1.0,
            events=let_go(-5.9, 0.9), event_time=0.4,
            targets=(Target(measure="launch_speed", low=15.0), Target(measure="hits", low=2.0)),
        ),
        Drill(
            id="charged_nudge", title="A charged nudge", ground="pen", duration=8.0, start=start,
            tracks=(Track(channel="hop", knots=(Knot(t=0.3, value=1.0), Knot(t=1.0, value=0.0))),),
            targets=(Target(measure="launch_speed", low=2.0, high=4.0), Target(measure="launch_distance", low=4.0)),
        ),
    )  # fmt: skip
    return Yard(
        title="Puck pen", bench=Bench(craft="puck", ground="pen", drill="three_cushions"), crafts=(craft,),
        grounds=(pen,), drills=drills,
    )  # fmt: skip


if __name__ == "__main__":
    for name, make in (("mortar", mortar), ("shove", shove), ("puck", puck)):
        yard_json.save(make(), DEMO / f"{name}.json")
