"""Writes the demo of rails: cabins on a rope way over a frozen bay, and a quarry line with a bend that is too sharp.

Run it after a change of what is below, or of the documents it is made of.
"""

from __future__ import annotations

from pathlib import Path

from oak_sled.core.assembly import railways
from oak_sled.core.files import yard_json
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.project import railing
from oak_sled.core.yard.block import Block, Material
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.coupling import Coupling
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.hinge import Hinge
from oak_sled.core.yard.rail import Rail, RailKnot
from oak_sled.core.yard.yard import Bench, Yard

DEMO = Path(__file__).parents[1] / "src" / "oak_sled" / "demo"
HANG = 2.6
"""m from the rope to the middle of a cabin."""
IRON = Material(id="iron", friction=0.4, look="iron")
TOWERS = ((-70.0, 9.0), (-20.0, 12.0), (40.0, 15.0), (90.0, 16.0))
"""Towers of the rope way: x and height of the rope, m."""
SAG = 0.03
"""Sag of the rope between two towers, as a share of their distance."""
FIRST, SECOND = -60.0, -66.0
"""m east of the two carriages at the start."""


def rope_way() -> Rail:
    """The rope over its towers: a parabola between two, as a rope hangs that is tight."""
    knots = [RailKnot(x=TOWERS[0][0], z=TOWERS[0][1])]
    for (x0, z0), (x1, z1) in zip(TOWERS, TOWERS[1:], strict=False):
        for share in (0.25, 0.5, 0.75, 1.0):
            sag = 4.0 * SAG * (x1 - x0) * share * (1.0 - share)
            knots.append(RailKnot(x=x0 + share * (x1 - x0), z=round(z0 + share * (z1 - z0) - sag, 3)))
    return Rail(id="rope_way", title="Rope way", knots=tuple(knots))


def carriage(name: str, x: float, z: float) -> Block:
    """A carriage that runs on the rope, from which a cabin hangs."""
    return Block(id=name, x=x, z=z, length=1.6, width=0.3, height=0.3, mass=90.0, material="iron")


def bay(**more: object) -> Ground:
    """The bay with the rope way: a driven carriage with the cabin of the craft, and a freight car coupled behind."""
    given = {"id": "bay", "title": "Frozen bay", "length": 260.0, "width": 120.0, "rails": (rope_way(),), **more}
    ground = Ground.model_validate({**given, "materials": (IRON,), "friction": 0.1})
    path = railways.of(ground).paths[0]
    (x, _, z), (back, _, low) = (
        [round(one, 3) for one in path.at(path.nearest((at, 0.0, 9.0)))[0].tolist()] for at in (FIRST, SECOND)
    )
    towers = tuple(
        Block(id=f"tower_{k + 1}", moves="fixed", x=at, y=2.2, length=0.8, width=0.8, height=high + 0.5)
        for k, (at, high) in enumerate(TOWERS)
    )
    car = Block(
        id="freight_car", x=back, z=round(low - HANG - 0.6, 3), length=2.0, width=1.2, height=1.2, mass=700.0
    )  # fmt: skip
    blocks = (carriage("carriage", x, z), carriage("freight_carriage", back, low), car, *towers)
    ground = ground.replace(blocks=blocks)
    for name in ("carriage", "freight_carriage"):
        ground = railing.put_on(ground, name, "rope_way", 1, "on")
    bogies = tuple(
        tie.replace(
            id=f"{tie.one}_bogie", roll="free", resistance=60.0, channel="drive" if tie.one == "carriage" else "",
            drive_force=5200.0, drive_speed=9.0, brake_channel="brake",
            brake_force=4500.0 if tie.one == "carriage" else 2500.0,
        )
        for tie in ground.ties
    )  # fmt: skip
    hang = {"azimuth_deg": 90.0, "friction": 40.0, "damping": 300.0}
    hangers = (
        Hinge(id="hanger", one="cabin", other="carriage", x=x, z=z, **hang),
        Hinge(id="freight_hanger", one="freight_car", other="freight_carriage", x=back, z=low, **hang),
    )
    bar = Coupling(
        id="bar", one="carriage", other="freight_carriage", slack=0.0, stiffness=200_000.0, buffer=200_000.0,
        damping=6000.0, x=x, z=z, end_x=back, end_z=low,
    )  # fmt: skip
    return ground.replace(ties=(*bogies, *hangers, bar))


def cabin() -> Craft:
    """A cabin that hangs; what drives it is the carriage."""
    return Craft(
        id="cabin",
        title="Cabin",
        body=Body(mass=900.0, length=2.4, width=1.5, height=2.0, spin_damping=0.1),
        channels=(
            Channel(id="drive", plus_keys=("W", "Up"), minus_keys=("S", "Down"), rise=0.5, fall=1.0),
            Channel(id="brake", plus_keys=("Space",), two_sided=False, rise=1.0, fall=4.0),
        ),
        parts=(AirDrag(id="air", title="Air", front_area=3.0, side_area=4.8, top_area=3.6),),
    )


def lookout() -> Craft:
    """A post beside the quarry line, from which its tub is watched."""
    held = ("x", "y", "z", "roll", "pitch", "yaw")
    return Craft(
        id="lookout", title="Lookout", body=Body(mass=500.0, length=1.5, width=1.5, height=3.0, held=held), channels=()
    )


def quarry(speed: float, name: str, title: str) -> Ground:
    """A quarry line: straight, a banked bend, a bend that is not, and a siding. speed : that of its tub, m/s."""
    spots = (
        (-60, 0, 0),
        (-40, 0, 0),
        (-20, 0, 0),
        (4, 8, -14),
        (16, 30, -14),
        (18, 52, 0),
        (26, 64, 0),
        (44, 66, 0),
        (80, 66, 0),
    )
    knots = [RailKnot(x=float(x), y=float(y), bank_deg=float(bank)) for x, y, bank in spots]
    line = Rail(id="line", title="Quarry line", lies="level", height=0.4, ends="open", knots=tuple(knots))
    aside = ((-40.0, 0.0), (-26.0, -1.6), (-10.0, -6.0), (10.0, -8.0))
    siding = Rail(
        id="siding", title="Siding", lies="level", height=0.4, start_joins="line",
        knots=tuple(RailKnot(x=x, y=y) for x, y in aside),
    )  # fmt: skip
    tub = Block(
        id="tub", title="Ore tub", x=-54.0, z=0.4, length=2.6, width=1.2, height=1.1, mass=1200.0, speed_x=speed,
        material="iron",
    )  # fmt: skip
    ground = Ground(
        id=name, title=title, length=260.0, width=200.0, friction=0.1, materials=(IRON,), blocks=(tub,),
        rails=(line, siding),
    )  # fmt: skip
    ground = railing.put_on(ground, "tub", "line", 2)
    return ground.replace(ties=tuple(one.replace(friction=0.01, derails_at=5200.0) for one in ground.ties))


def track(channel: str, *knots: tuple[float, float]) -> Track:
    return Track(channel=channel, knots=tuple(Knot(t=t, value=value) for t, value in knots))


def drill(name: str, title: str, ground: str, seconds: float, targets: dict[str, object], **more: object) -> Drill:
    """A drill of the cabin; targets : the band of each measure."""
    told = [{"measure": measure, **dict(band)} for measure, band in targets.items()]  # type: ignore[call-overload]
    fields = {"craft": "cabin", "ground": ground, "duration": seconds, "targets": told, **more}
    return Drill.model_validate({"id": name, "title": title, **fields})


def yard() -> Yard:
    """The yard of the rope way."""
    ground = bay()
    path = railways.of(ground).paths[0]
    x, _, z = path.at(path.nearest((FIRST, 0.0, 9.0)))[0].tolist()
    hung = {"start": Start(x=round(x, 3), height=round(z - HANG - 1.0, 3))}
    aside = {"craft": "lookout", "start": Start(x=-60.0, y=-30.0), "watch": ("tub",)}
    whole, go = {"ties_broken": {"high": 0.0}}, (0.5, 1.0)
    drills = (
        drill(
            "over", "Over the bay, and brake before the far tower", "bay", 26.0,
            {"distance": {"low": 100.0, "high": 150.0}, "stop_distance": {"high": 40.0}, **whole},
            tracks=(track("drive", go, (15.5, 0.0)), track("brake", (15.5, 0.7))), event_time=15.5, **hung,
        ),
        drill(
            "wind", "In a side wind of 14 m/s", "windy_bay", 15.0, {"largest_roll": {"high": 25.0}, **whole},
            tracks=(track("drive", go),), **hung,
        ),
        drill(
            "reverse", "Out, and back again", "bay", 22.0, {"largest_pitch": {"high": 30.0}, "drift": {"high": 12.0}},
            tracks=(track("drive", go, (6.0, -1.0), (14.5, 0.0)), track("brake", (14.5, 0.6))), **hung,
        ),
        drill(
            "tub", "An ore tub rolls through both bends", "quarry", 30.0, {"side_load": {"low": 500.0}, **whole},
            **aside,
        ),
        drill(
            "derail", "Too fast: it derails in the bend without bank", "quarry_fast", 16.0,
            {"ties_broken": {"low": 1.0}}, **aside,
        ),
        drill(
            "siding", "Onto the siding, and against its buffer", "quarry", 16.0, whole,
            events=({"id": "throw", "what": "switch", "target": "siding", "t": 0.5},), **aside,
        ),
    )  # fmt: skip
    return Yard(
        title="Rope way over the bay", ticks=120, bench=Bench(craft="cabin", ground="bay", drill="over"),
        crafts=(cabin(), lookout()), drills=drills,
        grounds=(
            ground, bay(id="windy_bay", title="Bay in a side wind", wind_speed=14.0, wind_to_deg=90.0),
            quarry(6.0, "quarry", "Quarry line"), quarry(13.0, "quarry_fast", "Quarry line, fast"),
        ),
    )  # fmt: skip


if __name__ == "__main__":
    yard_json.save(yard(), DEMO / "gondola.json")
