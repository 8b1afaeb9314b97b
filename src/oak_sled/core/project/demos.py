"""The yards that ship with the program."""

from __future__ import annotations

from collections.abc import Callable
from importlib import resources
from pathlib import Path

from oak_sled.core.documents import yard
from oak_sled.core.documents.craft import Body, Channel, Craft
from oak_sled.core.documents.faults import close_match, refuse
from oak_sled.core.documents.yard import Yard
from oak_sled.core.files import yard_json
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque

DEMOS = {
    "fan-sled": "a fan-driven freight sled on lake ice: it drifts, and then it catches",
    "quay": "the fan sled, free in all axes, among loose freight: it pushes, climbs, jumps and topples",
    "mortar": "a snow mortar lobs charges at a wall of snow blocks, which comes down",
    "shove": "a gust blower knocks standing freight of three weights over the ice",
    "shunting": "a shunting sled and a courier in one world, each on its own keys: they shove, push and shoot",
    "puck": "a freight puck that a sling sends round a pen of cushions",
}
"""Name of every shipped yard, with a line about it."""


def load(name: str) -> Yard:
    """The shipped yard of that name."""
    if name not in DEMOS:
        raise refuse(f"demo:{name}", "there is no such demo", close_match(name, DEMOS))
    file = resources.files("oak_sled") / "demo" / f"{name.replace('-', '_')}.json"
    return yard_json.loads(file.read_text(encoding="utf-8"), f"demo:{name}")


def open_yard(where: str, told: Callable[[str], object] = str) -> Yard:
    """The yard that a name such as "demo:fan-sled" or a path means. told : takes a line where it was of an older
    format."""
    if where.startswith("demo:"):
        return load(where.removeprefix("demo:"))
    data = yard_json.read(Path(where))
    line = yard_json.told_of(data)
    if line:
        told(line)
    return yard_json.of(data, where)


def bare_craft(name: str, title: str) -> Craft:
    """A new craft: a bare body of a mass that suits its size, a thruster and a turn, ready to be driven."""
    channels = (
        Channel(id="throttle", title="throttle", plus_keys=("Up",), minus_keys=("Down",), rise=4.0, fall=6.0),
        Channel(id="steer", title="steer", plus_keys=("Left",), minus_keys=("Right",), rise=6.0, fall=8.0),
    )
    # 150 kg/m3: a light crate-built hull of this size, and a thrust of about 0.25 g
    body = Body(
        mass=250.0, length=2.4, width=1.4, height=0.5, held=("z", "roll", "pitch"), damping=0.15, spin_damping=1.5
    )
    return Craft(
        id=name,
        title=title,
        body=body,
        channels=channels,
        parts=(
            Thruster(id="thruster", channel="throttle", thrust=600.0),
            Torque(id="turn", channel="steer", turn=250.0),
        ),
    )


def blank_yard() -> Yard:
    """A yard with one bare craft on open ice, and two drills."""
    craft = bare_craft("craft", "New craft")
    full = yard.Track(channel="throttle", knots=(yard.Knot(t=0.0, value=1.0),))
    turn = yard.Track(channel="steer", knots=(yard.Knot(t=3.0, value=1.0), yard.Knot(t=5.0, value=0.0)))
    return Yard(
        title="New yard",
        bench=yard.Bench(craft="craft", ground="open_ice", drill="straight_pull"),
        crafts=(craft,),
        grounds=(yard.Ground(id="open_ice", title="Open ice"),),
        drills=(
            yard.Drill(id="straight_pull", title="Straight pull", tracks=(full,), duration=10.0),
            yard.Drill(id="pull_and_turn", title="Pull and turn", tracks=(full, turn), duration=10.0, event_time=3.0),
        ),
    )
