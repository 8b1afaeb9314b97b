"""Writes the demo of the ski plane: its parts, the lake, and the drills of the trade.

Run it after a change of what it is made of; the file is what `demo:bush-plane` opens.
"""

from __future__ import annotations

from pathlib import Path

from oak_sled.core.files import yard_json
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.propeller import Propeller
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.wing import Wing
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Target, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.yard import Bench, Yard

LEVEL = 0.014
"""Roll input that holds the wings level against the torque of the airscrew at full throttle."""
FILE = Path(__file__).parent.parent / "src" / "oak_sled" / "demo" / "bush_plane.json"


def channels() -> tuple[Channel, ...]:
    """Throttle and flap are levers; the stick and the pedals return."""
    lever = {"two_sided": False, "stays": "lever"}
    return (
        Channel(id="throttle", title="throttle", plus_keys=("W",), minus_keys=("S",), rise=0.6, fall=0.6, **lever),
        Channel(id="pitch", title="nose up", plus_keys=("Down",), minus_keys=("Up",), rise=2.0, fall=3.0),
        Channel(id="roll", title="roll right", plus_keys=("Right",), minus_keys=("Left",), rise=2.5, fall=3.5),
        Channel(id="yaw", title="rudder left", plus_keys=("A",), minus_keys=("D",), rise=2.5, fall=3.5),
        Channel(id="flap", title="flap", plus_keys=("F",), minus_keys=("R",), rise=0.5, fall=0.5, **lever),
    )


def plane() -> Craft:
    """Two seats, freight behind them, and skis."""
    level = {"zero_lift_deg": 0.0, "dihedral_deg": 0.0, "moment": 0.0, "panels": 2, "control_share": 0.4}
    parts = (
        Propeller(
            id="airscrew", title="Airscrew", channel="throttle", thrust=2600.0, pitch_speed=62.0, rate=40.0,
            diameter=1.9, inertia=0.5, lag=0.4, x=3.2, z=0.1,
        ),
        Wing(
            id="wing", title="Wing", area=15.0, span=10.4, x=0.15, z=0.7, incidence_deg=2.0, zero_lift_deg=-3.0,
            dihedral_deg=5.0, panels=6, stall_deg=17.0, moment=-0.03, friction=0.014, control_channel="roll",
            control_acts="opposed", control_from=0.6, control_deg=18.0, flap_channel="flap", flap_to=0.55,
            ground_effect=True,
            flap_deg=35.0,
        ),
        Wing(
            id="tailplane", title="Tailplane", area=2.9, span=3.4, x=-4.3, z=0.35, incidence_deg=0.2,
            control_channel="pitch", control_deg=-22.0, behind="wing", wash_of="airscrew", wash_share=0.4, **level,
        ),
        Wing(
            id="fin", title="Fin", area=1.5, span=1.5, x=-4.3, z=0.95, bank_deg=90.0, incidence_deg=0.0,
            control_channel="yaw", control_deg=22.0, wash_of="airscrew", wash_share=0.6, **level,
        ),
        AirDrag(
            id="hull_drag", title="Hull in the air", front_area=1.1, side_area=4.5, top_area=4.5,
            drag_coefficient=0.35, at_point=True, x=-0.6,
        ),
        Runner(id="skis", title="Skis", law="linear", side_grip=0.5, glide=0.05, x=0.55, z=-1.0, spread_x=0.8,
               spread_y=0.9),
    )  # fmt: skip
    # of a plane with its wings and tail, which a box of the size of its hull does not have
    body = Body(
        mass=620.0, length=6.4, width=1.1, height=1.3, held=(), damping=0.0, spin_damping=0.0, inertia_from="given",
        roll_inertia=850.0, pitch_inertia=1600.0, yaw_inertia=2300.0,
    )  # fmt: skip
    return Craft(
        id="ski_plane", title="Ski plane", body=body, channels=channels(),
        parts=tuple(sorted(parts, key=lambda part: part.STAGE)),
    )  # fmt: skip


def told(channel: str, *knots: tuple[float, float]) -> Track:
    """A track of steps."""
    return Track(channel=channel, knots=tuple(Knot(t=time, value=value) for time, value in knots))


def lever(channel: str, *places: tuple[float, float]) -> Track:
    """A lever that is pushed to places at times: its input is how it is pushed, at the pace of its channel."""
    pace = next(one.rise for one in channels() if one.id == channel)
    knots, stands = [], 0.0
    for time, place in places:
        knots += [(time, 1.0 if place > stands else -1.0), (time + abs(place - stands) / pace, 0.0)]
        stands = place
    return told(channel, *knots)


def drills() -> tuple[Drill, ...]:
    """From the take-off to the landing."""

    def drill(name: str, title: str, duration: float, start: Start, *tracks: Track, **more: object) -> Drill:
        return Drill(
            id=name, title=title, ground="long_lake", craft="ski_plane", duration=duration, start=start, tracks=tracks,
            **more,
        )  # fmt: skip

    def aloft(speed: float, height: float) -> Start:
        return Start(x=-1200.0, speed=speed, height=height)

    return (
        drill(
            "take_off", "Take-off", 24.0, Start(x=-1400.0), lever("throttle", (0.0, 1.0)), lever("flap", (0.0, 0.4)),
            told("pitch", (8.0, 0.25), (10.5, 0.0)), told("roll", (6.0, 2.0 * LEVEL)),
            targets=(Target(measure="take_off_run", high=140.0), Target(measure="highest", low=50.0)),
        ),
        drill(
            "climb", "Climb at full throttle", 30.0, aloft(30.0, 100.0), lever("throttle", (0.0, 1.0)),
            told("roll", (0.0, LEVEL)),
            targets=(Target(measure="climb_rate", low=6.0),),
        ),
        drill(
            "stall", "Stall and recovery", 22.0, aloft(28.0, 400.0), told("pitch", (2.0, 0.9), (9.0, 0.0)),
            event_time=2.0, targets=(Target(measure="largest_pitch", low=17.0),),
        ),
        drill(
            "glide", "Glide, engine off", 60.0, aloft(30.0, 400.0), event_time=4.0,
            targets=(Target(measure="glide_ratio", low=9.0, high=14.0),),
        ),
        drill(
            "roll_doublet", "Roll to both sides", 12.0, aloft(32.0, 300.0), lever("throttle", (0.0, 0.55)),
            told("roll", (0.0, LEVEL), (1.0, 0.5), (2.5, -0.5), (4.0, LEVEL)), event_time=1.0,
            targets=(Target(measure="largest_roll", low=20.0, high=45.0),),
        ),
        drill(
            "turn", "Turn to the right", 30.0, aloft(33.0, 300.0), lever("throttle", (0.0, 0.8)),
            told("roll", (0.0, LEVEL), (1.0, 0.35), (3.0, 0.0)), told("pitch", (2.0, 0.25)),
            targets=(Target(measure="largest_roll", low=40.0),),
        ),
        drill(
            "cross_wind", "Take-off in a cross-wind", 24.0, Start(x=-1400.0), lever("throttle", (0.0, 1.0)),
            lever("flap", (0.0, 0.4)), told("pitch", (8.0, 0.25), (10.5, 0.0)),
            told("roll", (9.0, 2.0 * LEVEL)), told("yaw", (0.0, 0.42), (8.0, 0.14), (11.0, 0.0)),
            targets=(Target(measure="largest_roll", high=10.0), Target(measure="take_off_run", high=140.0)),
        ).replace(ground="windy_lake"),
        drill(
            "landing", "Landing with flaps", 30.0, Start(x=-800.0, speed=24.5, height=22.0),
            lever("throttle", (0.0, 0.05), (8.0, 0.0)), lever("flap", (0.0, 1.0)),
            told("pitch", (8.0, 0.15)),
            targets=(Target(measure="touch_sink", high=2.5),),
        ),
    )  # fmt: skip


def main() -> None:
    """Writes the yard."""
    lake = Ground(
        id="long_lake", title="The long lake", length=3000.0, width=800.0, edges="open", air_density=1.3, friction=0.06
    )
    yard = Yard(
        title="The long lake",
        bench=Bench(craft="ski_plane", ground="long_lake", drill="take_off"),
        crafts=(plane(),),
        grounds=(lake, lake.replace(id="windy_lake", title="The long lake, windy", wind_speed=4.0, wind_to_deg=90.0)),
        drills=drills(),
    )
    FILE.write_text(yard_json.dumps(yard), encoding="utf-8")


if __name__ == "__main__":
    main()
