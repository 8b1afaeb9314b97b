"""Writes the demo of the freight airship: gas, swivel fans, a mixer, holders, and a mast in the wind.

Run it after a change of what it is made of; the file is what `demo:freight-airship` opens.
"""

from __future__ import annotations

from pathlib import Path

from oak_sled.core.files import yard_json
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.gas import Gas
from oak_sled.core.parts.holders.attitude import AttitudeHolder
from oak_sled.core.parts.holders.height import HeightHolder
from oak_sled.core.parts.holders.mixer import Mixer
from oak_sled.core.parts.holders.place import PlaceHolder
from oak_sled.core.parts.propeller import Propeller
from oak_sled.core.parts.wing import Wing
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Target, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.volume import Volume
from oak_sled.core.yard.yard import Bench, Yard

FILE = Path(__file__).parent.parent / "src" / "oak_sled" / "demo" / "freight_airship.json"


def channels() -> tuple[Channel, ...]:
    """All of them return: let go, it comes to a stop where it is."""
    slow = {"rise": 0.5, "fall": 0.8}
    return (
        Channel(id="climb", title="climb", plus_keys=("W",), minus_keys=("S",), **slow),
        Channel(id="ahead", title="ahead", plus_keys=("Up",), minus_keys=("Down",), **slow),
        Channel(id="left", title="left", plus_keys=("Left",), minus_keys=("Right",), **slow),
        Channel(id="yaw", title="yaw left", plus_keys=("A",), minus_keys=("D",), **slow),
    )


def fans() -> tuple[Propeller, ...]:
    """Four on outriggers that swivel up and down, and one across at each end."""
    common = {"mixed": True, "lag": 0.6, "rate": 20.0, "inertia": 3.0, "pitch_speed": 34.0}
    found = []
    for ahead, x in (("front", 9.0), ("rear", -9.0)):
        for side, y in (("left", 6.5), ("right", -6.5)):
            found.append(
                Propeller(
                    id=f"{ahead}_{side}", title=f"Fan, {ahead} {side}", thrust=1500.0, diameter=2.6, x=x, y=y, z=-3.5,
                    swivel_deg=95.0, swivel_rate_deg=120.0, reverse=0.9, turns=side, **common,
                )
            )  # fmt: skip
    for name, x in (("bow", 17.5), ("stern", -17.5)):
        found.append(
            Propeller(
                id=f"{name}_fan", title=f"Fan across, {name}", thrust=900.0, diameter=2.0, x=x, y=0.0, z=-0.8,
                azimuth_deg=90.0, reverse=1.0, **common,
            )
        )  # fmt: skip
    return tuple(found)


def ship() -> Craft:
    """A hull of gas with a freight deck under it."""
    slow = {"acts": "mixer", "aid": False, "damping_ratio": 0.9}
    holders = (
        PlaceHolder(
            id="place", title="Place", frequency=0.03, integral=0.02, integral_m=15.0, ahead_channel="ahead",
            left_channel="left", ahead_speed=9.0, left_speed=3.0, leash=25.0, max_acceleration=0.6, **slow,
        ),
        AttitudeHolder(
            id="attitude", title="Attitude", roll="level", pitch="level", yaw="heading", yaw_channel="yaw",
            frequency=0.05, yaw_frequency=0.04, yaw_rate_deg=4.0, **slow,
        ),
        HeightHolder(
            id="height", title="Height", channel="climb", climb=1.5, along="world", carries=0.0152, frequency=0.05,
            integral=0.015, integral_m=6.0, leash=6.0, **slow,
        ),
    )  # fmt: skip
    level = {"zero_lift_deg": 0.0, "incidence_deg": 0.0, "dihedral_deg": 0.0, "moment": 0.0, "panels": 2}
    parts = (
        *holders, Mixer(id="mixer", title="Mixer"), *fans(),
        Gas(id="gas", title="Lifting gas", volume=2080.0, gas_density=0.18, slender=3.1, z=1.4),
        AirDrag(id="hull_drag", title="Hull in the air", front_area=95.0, side_area=300.0, top_area=300.0,
                drag_coefficient=0.09, at_point=True, x=-1.0),
        Wing(id="planes", title="Level planes", area=22.0, span=11.0, x=-15.0, z=0.0, **level),
        Wing(id="fins", title="Upright fins", area=22.0, span=11.0, x=-15.0, z=0.0, bank_deg=90.0, **level),
    )  # fmt: skip
    body = Body(
        mass=2450.0, length=34.0, width=11.0, height=11.0, shape="capsule", held=(), damping=0.0, spin_damping=0.0,
        inertia_from="given", roll_inertia=42e3, pitch_inertia=260e3, yaw_inertia=255e3,
    )  # fmt: skip
    return Craft(
        id="airship", title="Freight airship", body=body, channels=channels(),
        parts=tuple(sorted(parts, key=lambda part: part.STAGE)),
    )  # fmt: skip


def told(channel: str, *knots: tuple[float, float]) -> Track:
    """A track of steps."""
    return Track(channel=channel, knots=tuple(Knot(t=time, value=value) for time, value in knots))


def drills() -> tuple[Drill, ...]:
    """From a hover to the mast in the wind."""

    def drill(name: str, title: str, ground: str, duration: float, *tracks: Track, **more: object) -> Drill:
        return Drill(
            id=name, title=title, ground=ground, craft="airship", duration=duration,
            start=Start(x=-60.0, y=-30.0, height=20.0), tracks=tracks, **more,
        )  # fmt: skip

    return (
        drill(
            "hover", "Hover in still air", "calm", 60.0, event_time=20.0,
            targets=(Target(measure="place_rms", high=0.5), Target(measure="tilt_rms", high=0.5)),
        ),
        drill(
            "strafe", "Sideways to the mast", "windy", 110.0, told("ahead", (5.0, 0.5), (18.0, 0.0)),
            told("left", (5.0, 1.0), (15.0, 0.0)), event_time=80.0,
            targets=(Target(measure="largest_roll", high=5.0), Target(measure="place_rms", high=1.5)),
        ),
        drill(
            "turn_about", "Turn about in the wind", "windy", 120.0, told("yaw", (5.0, 1.0), (50.0, 0.0)),
            event_time=80.0,
            targets=(Target(measure="largest_roll", high=6.0), Target(measure="place_rms", high=6.0)),
        ),
        drill(
            "climb", "Climb by 20 m", "calm", 60.0, told("climb", (5.0, 1.0), (19.0, 0.0)), event_time=45.0,
            targets=(Target(measure="highest", low=18.0, high=26.0), Target(measure="tilt_rms", high=1.0)),
        ),
        drill(
            "fan_lost", "A fan across is lost", "windy", 120.0,
            events=(Event(id="loss", what="fail", target="bow_fan", t=10.0),), event_time=60.0,
            targets=(Target(measure="largest_roll", high=6.0), Target(measure="height_lost", high=2.0)),
        ),
    )  # fmt: skip


def main() -> None:
    """Writes the yard."""
    mast = Block(id="mast", title="Mast", shape="cylinder", moves="fixed", length=0.8, width=0.8, height=30.0, x=30.0,
                 y=10.0)  # fmt: skip
    calm = Ground(
        id="calm",
        title="The mast field, calm",
        length=600.0,
        width=400.0,
        edges="open",
        air_density=1.34,
        blocks=(mast,),
    )
    wind = Volume(
        id="lake_wind", title="Wind off the lake", does="wind", everywhere=True, y=-50.0, speed=4.0, to_deg=-80.0,
        gusts=0.6, gust_length=60.0,
    )  # fmt: skip
    windy = calm.replace(id="windy", title="The mast field in wind", volumes=(wind,))
    yard = Yard(
        title="The mast field",
        bench=Bench(craft="airship", ground="windy", drill="strafe"),
        crafts=(ship(),),
        grounds=(calm, windy),
        drills=drills(),
    )
    FILE.write_text(yard_json.dumps(yard), encoding="utf-8")


if __name__ == "__main__":
    main()
