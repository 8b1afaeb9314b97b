"""Writes the demos of ties: an ice tug and its sledges on slack couplings, and a crane with a load on a rope.

Run it after a change of what is below, or of the documents it is made of.
"""

from __future__ import annotations

from pathlib import Path

from oak_sled.core.files import yard_json
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.parts.yawdamper import YawDamper
from oak_sled.core.project import trains
from oak_sled.core.yard.block import Block, Material
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.coupling import Coupling
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Member, Start, Target, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.hinge import Cone, Hinge
from oak_sled.core.yard.rope import Rope
from oak_sled.core.yard.yard import Bench, Yard

DEMO = Path(__file__).parents[1] / "src" / "oak_sled" / "demo"
STEEL = Material(id="steel_runners", friction=0.01, restitution=0.0, look="iron")
SLEDGE = Block(
    id="sledge", title="Sledge 1", x=-4.1, length=3.0, width=1.6, height=0.8, mass=900.0, material="steel_runners"
)
LIKE = Coupling(id="like", one="a", other="b", slack=0.15, stiffness=400_000.0, buffer=400_000.0, damping=12_000.0)


def tug() -> Craft:
    """An ice tug: a heavy sled with a strong fan, runners that hold sideways, and a brake of teeth."""
    return Craft(
        id="tug",
        title="Ice tug",
        body=Body(mass=2600.0, length=4.0, width=2.0, height=1.2, spin_damping=0.3),
        channels=(
            Channel(id="throttle", plus_keys=("W",), minus_keys=("S",), rise=1.0, fall=2.0),
            Channel(id="steer", plus_keys=("A",), minus_keys=("D",), rise=3.0, fall=4.0),
            Channel(id="brake", plus_keys=("Space",), two_sided=False, rise=4.0, fall=8.0),
        ),
        parts=(
            Thruster(id="fan", title="Fan", channel="throttle", thrust=9000.0, reverse_share=0.5),
            Torque(id="rudder", title="Rudder", channel="steer", turn=9000.0, full_effect_speed=3.0),
            AirDrag(id="air", title="Air", front_area=4.0, side_area=7.0, top_area=8.0),
            Runner(id="runners", title="Runners", side_grip=0.6, glide=0.02, z=-0.9, spread_x=1.5, spread_y=0.9),
            Brake(id="teeth", title="Teeth", channel="brake", bite=0.35),
            YawDamper(id="damper", title="Yaw damper", damping=6000.0, free_deg=10.0),
        ),
    )  # fmt: skip


def laid(name: str, title: str, cars: int, radius: float = 0.0, **more: object) -> Ground:
    """A ground with a train behind the tug, which stands with its middle at the origin."""
    ground = Ground.model_validate(
        {"id": name, "title": title, "materials": (STEEL,), "friction": 0.02, "length": 900.0, "width": 300.0, **more}
    )
    ground = trains.lay(ground.replace(blocks=(SLEDGE,)), "sledge", cars - 1, gap=0.6, radius=radius, like=LIKE)
    front = trains.end_of(SLEDGE, 0.5)
    hitch = LIKE.replace(
        id="hitch", one="tug", other="sledge", x=-2.0, y=0.0, z=front[2], end_x=front[0], end_y=front[1],
        end_z=front[2],
    )  # fmt: skip
    return ground.replace(ties=(hitch, *ground.ties))


def track(channel: str, *knots: tuple[float, float]) -> Track:
    return Track(channel=channel, knots=tuple(Knot(t=t, value=value) for t, value in knots))


def drill(
    name: str, title: str, ground: str, seconds: float, tracks: tuple[Track, ...], *targets: Target, **more: object
) -> Drill:
    fields = {"ground": ground, "craft": "tug", "duration": seconds, "tracks": tracks, "targets": targets, **more}
    return Drill.model_validate({"id": name, "title": title, **fields})


def planted(name: str, x: float, stiffness: float) -> Runner:
    """A pair of runners that holds sideways in proportion to the slip angle."""
    return Runner(
        id=name, title=name.replace("_", " ").capitalize(), x=x, z=-0.6, spread_y=0.7, law="linear",
        stiffness=stiffness, side_grip=0.8, glide=0.01,
    )  # fmt: skip


TRAILER = {"mass": 900.0, "length": 3.4, "width": 1.8, "height": 1.2, "held": ("z", "roll", "pitch")}
HITCH = Cone(id="hitch", one="trailer", other="body", x=-2.2, z=0.0, cone_deg=120.0)


def hauler(**more: object) -> Craft:
    """A sled that tows: runners before and behind its middle, and a rudder."""
    parts = (
        Thruster(id="fan", title="Fan", channel="throttle", thrust=5000.0, reverse_share=0.5),
        Torque(id="rudder", title="Rudder", channel="steer", turn=4000.0),
        AirDrag(id="air", title="Air", front_area=3.0, side_area=5.0, top_area=6.0),
        planted("front_runners", 1.4, 8.0),
        planted("rear_runners", -1.4, 8.0),
    )
    body = Body(mass=1500.0, length=4.0, width=1.8, height=1.2, held=("z", "roll", "pitch"))
    craft = Craft(id="hauler", title="Hauler", body=body, channels=tug().channels[:2], parts=parts)
    return craft.replace(**more)


def with_trailer() -> Craft:
    """The hauler with a trailer of its own, whose runners stand ahead of its centre of mass."""
    behind = planted("trailer_runners", 0.4, 6.0).replace(carried_by="trailer")
    return hauler(
        id="rear_heavy", title="Hauler, load behind", bodies=({**TRAILER, "id": "trailer", "x": -4.2},), ties=(HITCH,),
        parts=(*hauler().parts, behind),
    )  # fmt: skip


def trailer() -> Craft:
    """A trailer by itself, whose runners stand behind its centre of mass."""
    return Craft(
        id="front_heavy", title="Trailer, load ahead of its runners", body=Body.model_validate(TRAILER),
        parts=(planted("runners", -0.3, 6.0),),
    )  # fmt: skip


def towing(name: str, craft: str, title: str, *targets: Target, **more: object) -> Drill:
    """A hauler at 15 m/s with a trailer behind it, and a jerk of its rudder."""
    tracks = (track("throttle", (0.0, 0.1)), track("steer", (0.5, 1.0), (0.8, 0.0)))
    fields = {"ground": "long_lake", "craft": craft, "duration": 9.0, "tracks": tracks, "targets": targets, **more}
    return Drill.model_validate({"id": name, "title": title, **fields, "start": Start(speed=15.0), "event_time": 0.5})


def yard() -> Yard:
    """The yard of the sledge train."""
    go = track("throttle", (0.5, 1.0))
    return Yard(
        title="Sledge train",
        ticks=120,
        bench=Bench(craft="tug", ground="lake", drill="start"),
        crafts=(
            tug(), hauler(), trailer(), with_trailer(),
        ),
        grounds=(
            Ground(id="long_lake", title="Long lake", length=2000.0, width=400.0, friction=0.02),
            laid("lake", "Eight sledges on the lake", 8),
            laid("bend", "Six sledges round a bend", 6, radius=40.0),
            laid("bank", "Five sledges on a bank of 2°", 5, tilt_deg=2.0),
        ),
        drills=(
            drill("start", "Start with eight", "lake", 12.0, (go,), Target(measure="top_speed", low=8.0)),
            drill(
                "brake", "Start, and brake after 8 s", "lake", 14.0,
                (track("throttle", (0.5, 1.0), (8.0, 0.0)), track("brake", (8.0, 1.0))),
                Target(measure="stop_distance", high=15.0), event_time=8.0,
            ),
            drill("climb", "Slide back, and climb a bank", "bank", 14.0, (go,), Target(measure="distance", low=50.0)),
            drill(
                "bend", "Round a bend, and brake in it", "bend", 12.0,
                (track("throttle", (0.5, 1.0), (7.0, 0.0)), track("steer", (1.0, 0.6)), track("brake", (7.0, 1.0))),
                Target(measure="turned", low=20.0), Target(measure="peak_slip", high=3.0), event_time=7.0,
            ),
            towing(
                "front_heavy", "hauler", "A trailer with its load ahead: it swings out",
                Target(measure="peak_slip@front_heavy", high=5.0),
                cast=(Member(id="front_heavy", start=Start(x=-4.2, speed=15.0)),),
                ties=(HITCH.replace(one="front_heavy", other="hauler", x=2.0, z=0.0),),
            ),
            towing(
                "rear_heavy", "rear_heavy", "A trailer with its load behind: it sways and folds up",
                Target(measure="peak_slip@rear_heavy.trailer", low=15.0),
            ),
        ),
    )  # fmt: skip


def crane() -> Yard:
    """The yard of the crane: a jib that slews about a vertical hinge, and a load on a rope that is reeled."""
    channels = (
        Channel(id="slew", plus_keys=("A", "Left"), minus_keys=("D", "Right"), rise=1.0, fall=1.0),
        Channel(id="hoist", plus_keys=("W", "Up"), minus_keys=("S", "Down"), rise=2.0, fall=4.0),
    )
    tower = Craft(
        id="tower",
        title="Tower",
        body=Body(
            mass=8000.0, length=1.2, width=1.2, height=8.0, held=("x", "y", "z", "roll", "pitch", "yaw"), shape_z=4.0
        ),
        bodies=({"id": "jib", "x": 3.6, "z": 8.3, "length": 9.0, "width": 0.4, "height": 0.5, "mass": 700.0},),
        ties=(
            Hinge(
                id="slewing", one="jib", other="body", z=8.3, elevation_deg=90.0, motor="rate", motor_rate_deg=20.0,
                motor_torque=20_000.0, channel="slew", damping=500.0,
            ),
        ),
        channels=channels,
    )  # fmt: skip
    load = Block(id="load", x=7.6, z=2.0, length=1.2, width=1.2, height=1.0, mass=500.0)
    mark = Block(id="mark", moves="trigger", x=0.0, y=7.6, length=2.0, width=2.0, height=0.6)
    stand = Block(id="stand", moves="fixed", x=7.6, length=2.0, width=2.0, height=1.8)
    ties = (
        Rope(
            id="fall",
            one="load",
            other="tower.jib",
            x=7.6,
            z=3.0,
            end_x=7.6,
            end_z=8.05,
            channel="hoist",
            reel_speed=1.0,
            reel_force=9000.0,
            shortest=1.0,
        ),
    )
    ground = Ground(
        id="quay",
        title="Crane quay",
        materials=(Material(id="iron", friction=0.4, look="iron"),),
        blocks=(load, mark, stand),
        ties=ties,
        friction=0.4,
    )
    hoist = track("hoist", (0.5, 1.0), (2.5, 0.0), (12.5, -1.0), (17.5, 0.0))
    fields = {"ground": "quay", "craft": "tower", "watch": ("load",)}
    over = Drill.model_validate({
        "id": "set_down", "title": "Lift, slew and set down", "duration": 20.0, **fields,
        "tracks": (hoist, track("slew", (3.0, 1.0), (7.5, 0.0))), "targets": ({"measure": "reports", "low": 1.0},),
    })  # fmt: skip
    swing = Drill.model_validate({
        "id": "swing", "title": "Lift, and stop the slew at once", "duration": 14.0, **fields,
        "tracks": (track("hoist", (0.5, 1.0), (2.5, 0.0)), track("slew", (3.0, 1.0), (6.0, 0.0))),
        "targets": ({"measure": "reports", "high": 0.0},),
    })  # fmt: skip
    return Yard(
        title="Crane quay", ticks=120, bench=Bench(craft="tower", ground="quay", drill="set_down"), crafts=(tower,),
        grounds=(ground,), drills=(over, swing),
    )  # fmt: skip


if __name__ == "__main__":
    yard_json.save(yard(), DEMO / "sledge_train.json")
    yard_json.save(crane(), DEMO / "crane.json")
