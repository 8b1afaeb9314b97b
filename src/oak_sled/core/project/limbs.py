"""Further bodies of a craft: added with what holds them, renamed and taken off, each as one edit."""

from __future__ import annotations

from typing import Any

from oak_sled.core.base.faults import refuse
from oak_sled.core.parts.common import Part
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.hinge import Cone, Fixed, Hinge
from oak_sled.core.yard.limb import Limb
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.renaming import in_spreads
from oak_sled.core.yard.rope import Rope
from oak_sled.core.yard.singles import FIRST
from oak_sled.core.yard.tie import Stretched, Tie
from oak_sled.core.yard.yard import Yard

KINDS = {
    "trailer": "a body behind, hitched by a ball joint, on runners like those of the craft",
    "rear_frame": "a body behind, on an upright hinge that a channel steers",
    "jib": "a beam on top, on an upright hinge that a channel turns",
    "outrigger": "a body beside, held by a fixed joint",
    "hung_load": "a load on a rope below",
}
"""The kinds of further bodies, and what each is."""
GAP = 0.6
"""m between a craft and what is hitched behind it."""
LINE = 3.0
"""m of rope on which a load hangs."""


def added(craft: Craft, kind: str) -> tuple[Craft, str]:
    """The craft with one more body of one of KINDS, what holds it, and the channel that moves it; and its name."""
    name = free_name(kind, (*craft.bodies, *craft.parts))
    if kind in ("trailer", "rear_frame"):
        return _with_one_behind(craft, kind, name), name
    make = {"jib": _with_jib, "hung_load": _with_hung_load, "outrigger": _with_outrigger}[kind]
    return make(craft, name), name


def _held(craft: Craft) -> dict[str, Any]:
    """The fields that a further body takes over from the first."""
    return {"held": craft.body.held, "damping_law": craft.body.damping_law, "layer": craft.body.layer}


def _like(craft: Craft) -> dict[str, Any]:
    """Fields of a further body of the size of the first and half its mass."""
    half = craft.body.half_extents()
    size = {"length": 2.0 * half[0], "width": 2.0 * half[1], "height": 2.0 * half[2]}
    return {**size, "mass": round(0.5 * craft.body.true_mass(), 1), **_held(craft)}


def _with_one_behind(craft: Craft, kind: str, name: str) -> Craft:
    """It with a trailer or a rear frame behind the last of its row, on feet like those of the first body."""
    half, middle = craft.body.half_extents(), craft.body.middle()
    rear = middle[0] - half[0]
    row = [body for body in craft.bodies if body.y == 0.0 and body.x + body.middle()[0] < rear]
    last = min(row, key=_back, default=None)
    back, ahead = (rear, FIRST) if last is None else (_back(last), last.id)
    limb = Limb(id=name, x=round(back - GAP - half[0], 2), z=round(middle[2], 2), **_like(craft))
    at = {"x": round(back - 0.5 * GAP, 2), "z": round(middle[2], 2), "one": name, "other": ahead}
    if kind == "trailer":
        hitch: Tie = Cone(id=free_name("hitch", craft.ties), cone_deg=60.0, **at)
    else:
        craft, channel = _steered(craft, "steer")
        hitch = Hinge(
            id=free_name("steering_hinge", craft.ties), elevation_deg=90.0, motor="place", motor_angle_deg=30.0,
            channel=channel, motor_torque=20.0 * limb.mass, limited=True, low_deg=-40.0, high_deg=40.0, **at,
        )  # fmt: skip
    made = _tied(craft, limb, hitch)
    for part in (_copied(part, craft, limb) for part in craft.own_parts if part.feet()):
        made = made.with_part(part.replace(id=free_name(f"{name}_{part.id}"[:40], made.parts)))
    return made


def _with_jib(craft: Craft, name: str) -> Craft:
    """It with a beam on top, on an upright hinge that a channel turns."""
    craft, channel = _steered(craft, "jib")
    half, middle = craft.body.half_extents(), craft.body.middle()
    beam, up = 0.15 * min(half[1], 1.0) + 0.05, middle[2] + half[2]
    limb = Limb(
        id=name, mass=round(0.1 * craft.body.true_mass(), 1), length=2.4 * half[0], width=2 * beam, height=2 * beam,
        x=round(middle[0] + half[0], 2), z=round(up + 2.0 * beam, 2), **_held(craft),
    )  # fmt: skip
    hinge = Hinge(
        id=free_name("slew", craft.ties), one=name, other=FIRST, x=round(middle[0], 2), z=round(up + beam, 2),
        elevation_deg=90.0,
        motor="rate", motor_rate_deg=30.0, motor_torque=10.0 * craft.body.true_mass(), channel=channel,
    )  # fmt: skip
    return _tied(craft, limb, hinge)


def _with_hung_load(craft: Craft, name: str) -> Craft:
    """It with a load on a rope below."""
    half, middle = craft.body.half_extents(), craft.body.middle()
    side, low = round(0.6 * half[1], 2), round(middle[2] - half[2], 2)
    limb = Limb(
        id=name, mass=round(0.2 * craft.body.true_mass(), 1), length=side, width=side, height=side,
        x=round(middle[0], 2), z=round(low - LINE - 0.5 * side, 2), layer=craft.body.layer,
    )  # fmt: skip
    line = Rope(
        id=free_name("line", craft.ties), one=name, other=FIRST, x=limb.x, z=round(low - LINE, 2), end_x=limb.x,
        end_z=low,
    )  # fmt: skip
    return _tied(craft, limb, line)


def _with_outrigger(craft: Craft, name: str) -> Craft:
    """It with a body beside it, held by a fixed joint."""
    half, middle = craft.body.half_extents(), craft.body.middle()
    x, z = round(middle[0], 2), round(middle[2], 2)
    limb = Limb(id=name, x=x, y=round(middle[1] + 2.2 * half[1], 2), z=z, **_like(craft))
    y = round(middle[1] + 1.1 * half[1], 2)
    return _tied(craft, limb, Fixed(id=free_name("joint", craft.ties), one=name, other=FIRST, x=x, y=y, z=z))


def _tied(craft: Craft, limb: Limb, tie: Tie) -> Craft:
    return craft.replace(bodies=(*craft.bodies, limb), ties=(*craft.ties, tie))


def _back(limb: Limb) -> float:
    return limb.x + limb.middle()[0] - limb.half_extents()[0]


def _steered(craft: Craft, channel: str) -> tuple[Craft, str]:
    """The craft with a channel of that name."""
    if channel in [one.id for one in craft.channels]:
        return craft, channel
    return craft.replace(channels=(*craft.channels, Channel(id=channel, title=channel, two_sided=True))), channel


def _copied(part: Part, craft: Craft, limb: Limb) -> Part:
    """A part of the first body on another one, in as large a rectangle as there, without what steers it."""
    middle = craft.body.middle()
    fields: dict[str, Any] = {"carried_by": limb.id, "title": "", "mute": False, "solo": False}
    if "x" in type(part).model_fields:
        fields |= {"x": round(part.__dict__["x"] - middle[0], 3), "y": round(part.__dict__["y"] - middle[1], 3)}
    return part.replace(**fields | {name: "" for name in type(part).model_fields if name.endswith("channel")})


def without(craft: Craft, name: str) -> Craft:
    """The craft without a further body, the parts on it, and what tied it."""
    return craft.replace(
        bodies=tuple(one for one in craft.bodies if one.id != name),
        parts=tuple(part for part in craft.parts if part.carried_by != name),
        ties=tuple(tie for tie in craft.ties if name not in (tie.one, tie.other)),
    )


def renamed(craft: Craft, old: str, new: str) -> Craft:
    """The craft in which a further body is called `new`; parts and ties follow. Raises `Refused` for a taken name."""
    if new in (FIRST, *(one.id for one in craft.bodies), *(part.id for part in craft.parts)):
        raise refuse(f"crafts.{craft.id}.bodies.{old}.id", f"the name {new!r} is taken", "a name of its own")

    def own(name: str) -> str:
        return new if name == old else name

    return craft.replace(
        bodies=tuple(one.replace(id=own(one.id)) for one in craft.bodies),
        parts=tuple(part.replace(carried_by=new) if part.carried_by == old else part for part in craft.parts),
        ties=tuple(tie.replace(one=own(tie.one), other=own(tie.other)) for tie in craft.ties),
    )


def renamed_in(yard: Yard, name: str, old: str, new: str) -> Yard:
    """The yard in which a further body of the craft `name` is called `new`: its craft, and what names it as CRAFT.BODY
    (ties of grounds and drills, events, targets, spreads), follow. Raises `Refused` for a taken name."""
    was, now = f"{name}.{old}", f"{name}.{new}"

    def own(found: str) -> str:
        return now if found == was else found

    def with_ties(owner: Any, *fields: str) -> Any:
        made = {
            field: tuple(one.replace(one=own(one.one), other=own(one.other)) for one in getattr(owner, field))
            for field in fields
        }
        return owner if all(made[field] == getattr(owner, field) for field in fields) else owner.replace(**made)

    drills = []
    for drill in yard.drills:
        found = with_ties(drill, "ties")
        events = tuple(one.replace(target=own(one.target)) for one in found.events)
        targets = tuple(
            one.replace(measure=f"{one.measure.partition('@')[0]}@{now}") if one.measure.endswith(f"@{was}") else one
            for one in found.targets
        )
        same = events == found.events and targets == found.targets
        drills.append(found if same else found.replace(events=events, targets=targets))
    crafts = tuple(renamed(one, old, new) if one.id == name else one for one in yard.crafts)
    grounds = tuple(with_ties(one, "joints", "ties") for one in yard.grounds)
    spreads = in_spreads(yard, f"crafts.{name}.bodies.{old}", f"crafts.{name}.bodies.{new}")
    return yard.replace(crafts=crafts, grounds=grounds, drills=tuple(drills), **dict(spreads))


def tie_renamed_in(yard: Yard, name: str, old: str, new: str) -> Yard:
    """The yard in which a tie of the craft `name` is called `new`; events and spreads follow. Raises `Refused`."""
    path = f"crafts.{name}.ties.{old}"
    changes: list[tuple[str, Any]] = [(f"{path}.id", new)]
    for drill in yard.drills:
        for event in drill.events:
            if event.aims_at == "tie" and event.target == f"{name}_{old}"[:40]:
                changes.append((f"drills.{drill.id}.events.{event.id}.target", f"{name}_{new}"[:40]))
    return yard.edit_all([*changes, *in_spreads(yard, path, f"crafts.{name}.ties.{new}")])


def tied(craft: Craft, kind: type[Tie], one: str, **more: Any) -> tuple[Craft, str]:
    """The craft with a tie more, from a further body to the first; and its name. one : the further body. more : fields
    of the tie.

    Raises `Refused` for a craft of one body.
    """
    limb = next((body for body in craft.bodies if body.id == one), None)
    if limb is None:
        raise refuse(f"crafts.{craft.id}.ties", "a tie holds two bodies, and it has one", "another body first")
    here, there = (limb.x, limb.y, limb.z), craft.body.middle()
    half = (0.5 * (here[0] + there[0]), 0.5 * (here[1] + there[1]), 0.5 * (here[2] + there[2]))
    places = kind.between(here, there) if issubclass(kind, Stretched) else kind.between(half, half)
    fields = {name: round(value, 2) for name, value in places.items()}
    name = free_name(kind.TITLE, craft.ties)
    return craft.replace(ties=(*craft.ties, kind(id=name, one=one, other=FIRST, **fields, **more))), name
