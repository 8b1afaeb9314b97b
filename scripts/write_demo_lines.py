"""Writes the demo of thrown lines: a fast mail sled whips round bollards, and swings over a gap from a gantry.

Run it after a change of what is below, or of the documents it is made of.
"""

from __future__ import annotations

from pathlib import Path

from oak_sled.core.files import yard_json
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.line import Line
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.parts.yawdamper import YawDamper
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.yard import Bench, Yard

DEMO = Path(__file__).parents[1] / "src" / "oak_sled" / "demo"


def sled() -> Craft:
    """A light, fast mail sled with a line to the left, one to the right, and one ahead for gantries."""
    aside = {"throw_speed": 45.0, "longest": 16.0, "elevation_deg": 3.0, "hook_mass": 0.5, "x": 0.5, "z": 0.0}
    return Craft(
        id="mail_sled",
        title="Mail sled",
        body=Body(mass=260.0, length=2.4, width=1.2, height=0.7, spin_damping=2.5),
        channels=(
            Channel(id="throttle", plus_keys=("W",), minus_keys=("S",), rise=3.0, fall=4.0),
            Channel(id="steer", plus_keys=("A",), minus_keys=("D",), rise=5.0, fall=6.0),
            Channel(id="left", plus_keys=("Q",), two_sided=False, rise=100.0, fall=100.0),
            Channel(id="right", plus_keys=("E",), two_sided=False, rise=100.0, fall=100.0),
            Channel(id="ahead", plus_keys=("Space",), two_sided=False, rise=100.0, fall=100.0),
            Channel(id="reel", plus_keys=("R",), minus_keys=("F",), rise=4.0, fall=8.0),
        ),
        parts=(
            Thruster(id="fan", title="Fan", channel="throttle", thrust=1500.0, reverse_share=0.4),
            Torque(id="rudder", title="Rudder", channel="steer", turn=500.0, full_effect_speed=4.0),
            AirDrag(id="air", title="Air", front_area=1.0, side_area=1.8, top_area=2.6),
            Runner(id="runners", title="Runners", side_grip=0.35, glide=0.015, z=-0.45, spread_x=0.9, spread_y=0.5),
            YawDamper(id="damper", title="Yaw damper", damping=3000.0, free_deg=20.0),
            Line(id="left_line", title="Left line", channel="left", reel_channel="reel", azimuth_deg=80.0, **aside),
            Line(id="right_line", title="Right line", channel="right", reel_channel="reel", azimuth_deg=-80.0, **aside),
            Line(
                id="gantry_line", title="Gantry line", channel="ahead", reel_channel="reel", elevation_deg=47.0,
                throw_speed=50.0, longest=18.0, hook_mass=0.5, reel_speed=7.0, reel_force=9000.0, shortest=5.0, z=0.35,
            ),
        ),
    )  # fmt: skip


def bollard(name: str, x: float, y: float) -> Block:
    return Block(
        id=name, shape="cylinder", x=x, y=y, length=0.7, width=0.7, height=1.6, moves="fixed", catches=True,
        material="timber",
    )  # fmt: skip


def lake() -> Ground:
    """A mail route over the lake with bollards inside its bends."""
    blocks = (bollard("first", 60.0, 7.0), bollard("second", 48.0, 42.0), bollard("third", 12.0, 30.0))
    return Ground(id="route", title="Mail route", length=300.0, width=200.0, friction=0.02, blocks=blocks)


def gap() -> Ground:
    """Two quays with a gap between, and a gantry over it."""
    quay = {"moves": "fixed", "z": -5.0, "height": 5.0, "width": 24.0}
    beam = Block(id="gantry", x=9.0, z=9.5, length=0.7, width=14.0, height=0.7, moves="fixed", catches=True)
    posts = tuple(
        Block(id=f"post_{k + 1}", x=9.0, y=side * 7.5, z=-5.0, length=0.7, width=0.7, height=15.2, moves="fixed")
        for k, side in enumerate((1.0, -1.0))
    )
    blocks = (
        Block(id="near_quay", x=-40.0, length=80.0, **quay), Block(id="far_quay", x=68.0, length=100.0, **quay), beam,
        *posts,
    )  # fmt: skip
    return Ground(id="gap", title="Gap under a gantry", floor=False, length=300.0, width=60.0, blocks=blocks)


def track(channel: str, *knots: tuple[float, float]) -> Track:
    return Track(channel=channel, knots=tuple(Knot(t=t, value=value) for t, value in knots))


def press(channel: str, *times: float) -> Track:
    """A channel that is pressed for a moment at each time."""
    return track(channel, (0.0, 0.0), *(knot for t in times for knot in ((t, 1.0), (t + 0.15, 0.0))))


def drill(name: str, title: str, ground: str, seconds: float, targets: dict[str, object], **more: object) -> Drill:
    """A drill of the sled; targets : the band of each measure."""
    told = [{"measure": measure, **dict(band)} for measure, band in targets.items()]  # type: ignore[call-overload]
    fields = {"craft": "mail_sled", "ground": ground, "duration": seconds, "targets": told, **more}
    return Drill.model_validate({"id": name, "title": title, **fields})


def yard() -> Yard:
    """The yard of the mail sled."""
    fast = Start(speed=20.0)
    drills = (
        drill(
            "bend", "Whip round a bollard at 20 m/s", "route", 7.0,
            {"turned": {"low": 75.0, "high": 110.0}, "path_width": {"low": 60.0}},
            tracks=(track("throttle", (0.0, 0.3)), press("left", 2.63, 3.4)), start=fast,
        ),
        drill(
            "runners", "The same bend by rudder and runners alone", "route", 7.0, {"path_width": {"high": 30.0}},
            tracks=(track("throttle", (0.0, 0.3)), track("steer", (2.7, 1.0), (4.4, 0.0))), start=fast,
        ),
        drill(
            "gap", "Over a gap from a gantry", "gap", 6.0, {"distance": {"low": 70.0}, "highest": {"low": 1.0}},
            tracks=(track("throttle", (0.0, 0.5)), press("ahead", 0.78, 2.0), track("reel", (1.0, 1.0), (2.0, 0.0))),
            start=Start(x=-14.0, speed=12.0),
        ),
    )  # fmt: skip
    return Yard(
        title="Bollard turn", ticks=120, bench=Bench(craft="mail_sled", ground="route", drill="bend"), crafts=(sled(),),
        grounds=(lake(), gap()), drills=drills,
    )  # fmt: skip


if __name__ == "__main__":
    yard_json.save(yard(), DEMO / "bollard_turn.json")
