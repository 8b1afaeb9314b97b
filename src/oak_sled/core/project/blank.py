"""Blank documents to begin with: a bare craft, and a yard to drive it in."""

from __future__ import annotations

from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.yard import Bench, Yard


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
    full = Track(channel="throttle", knots=(Knot(t=0.0, value=1.0),))
    turn = Track(channel="steer", knots=(Knot(t=3.0, value=1.0), Knot(t=5.0, value=0.0)))
    return Yard(
        title="New yard",
        bench=Bench(craft="craft", ground="open_ice", drill="straight_pull"),
        crafts=(craft,),
        grounds=(Ground(id="open_ice", title="Open ice"),),
        drills=(
            Drill(id="straight_pull", title="Straight pull", tracks=(full,), duration=10.0),
            Drill(id="pull_and_turn", title="Pull and turn", tracks=(full, turn), duration=10.0, event_time=3.0),
        ),
    )
