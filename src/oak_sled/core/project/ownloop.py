"""A craft made of the laws that were read off a hand-written game: one that does the same at any tick rate."""

from __future__ import annotations

import math

from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.limiter import Limiter
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.study.ownlaws import OwnLaws, Told
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft

MASS = 100.0
"""kg of a craft of which only motions are told."""
AT_ONCE = 1e6
"""1/s of a channel that follows its input at once, and N of an aim that is there at once."""
KEEL = 10.0
"""Lateral friction of what moves where it points."""
Parts = list[Thruster | Torque | AirDrag | Runner | Limiter]


def craft_of(laws: OwnLaws, name: str, air_density: float) -> tuple[Craft, tuple[str, ...]]:
    """A craft that moves by the laws, and a sentence for each of them that no part of ours is. air_density : kg/m3 of
    the ground that it is for, in which a quadratic drag is one of the air."""
    body = Body(mass=MASS, length=2.0, width=1.0, height=0.5, held=("z", "roll", "pitch"))
    missing = list(laws.why)
    fields: dict[str, float] = {}
    parts: Parts = []
    if laws.drive is not None:
        fields |= _driven(laws.drive, laws.ticks, parts, missing, air_density)
    if laws.turn is not None:
        fields |= _turned(laws.turn, laws.ticks, body, parts, missing)
    used = dict.fromkeys(told.channel for told in (laws.drive, laws.turn) if told is not None)
    keys = iter((("W", "S"), ("A", "D")))
    channels = tuple(
        Channel(id=one, title=one.replace("_", " "), plus_keys=(plus,), minus_keys=(minus,), rise=AT_ONCE, fall=AT_ONCE)
        for one, (plus, minus) in zip(used, keys, strict=False)
    )
    made = Craft(
        id=name, title=name.replace("_", " ").capitalize(), body=body.replace(**fields), channels=channels,
        parts=tuple(parts),
    )  # fmt: skip
    return made, tuple(missing)


def _number(told: Told, name: str) -> float:
    found = told.best.value(name)
    return 0.0 if found is None else found


def _driven(told: Told, ticks: float, parts: Parts, missing: list[str], density: float) -> dict[str, float]:
    """Adds the parts that drive it; the fields of the body."""
    fields: dict[str, float] = {}
    push, speed = _number(told, "push"), _number(told, "speed")
    kept, square, share = (told.best.value(name) for name in ("kept", "drag", "share"))
    rate = told.best.value("rate")
    limit = told.best.value("clamped at")
    if kept is not None:
        fields["damping"] = -ticks * math.log(min(max(kept, 1e-6), 1.0))
        # a frame pushes at once and then keeps a share: the same top speed as of a push that goes on
        push *= fields["damping"] * kept / (ticks * (1.0 - kept)) if kept < 1.0 else 1.0
    elif square is not None:
        area = 2.0 * square * MASS / max(density, 1e-9)
        parts.append(AirDrag(id="air", title="Air", front_area=area, side_area=area, top_area=area))
    elif share is not None:
        fields["damping"] = -ticks * math.log(max(1.0 - share, 1e-6))
        push = speed * fields["damping"]
    elif speed == 0.0:
        missing.append(f"{told.best.name} is of no part here that is fitted by itself: it is only pushed")
    aims = share is None and speed != 0.0
    size = speed if aims else push
    parts.append(
        Thruster(
            id="push", title="Push", channel=told.channel, way="speed_aim" if aims else "acceleration",
            thrust=abs(size), aim_limit=MASS * rate if rate is not None else AT_ONCE, on_release="stop",
            reverse_share=1.0, azimuth_deg=0.0 if size >= 0.0 else 180.0,
        )
    )  # fmt: skip
    if speed != 0.0:  # it moves where it points
        parts.append(Runner(id="keel", title="Keel", side_grip=KEEL, glide=0.0, spread_x=0.0, spread_y=0.0))
    if limit is not None:
        parts.append(Limiter(id="clamp", title="Clamp", limit=limit))
    return fields


def _turned(told: Told, ticks: float, body: Body, parts: Parts, missing: list[str]) -> dict[str, float]:
    """Adds what turns it; the fields of the body."""
    rate, share, gains = _number(told, "rate"), told.best.value("share"), told.best.value("gains")
    if told.best.value("turn") is not None:
        missing.append(f"{told.best.name} is of no part here that is fitted by itself: it is not turned")
        return {}
    if share is not None:
        quick = -ticks * math.log(max(1.0 - share, 1e-6))
        parts.append(Torque(id="turn", title="Turn", channel=told.channel, way="spin_acceleration", turn=rate * quick))
        return {"spin_damping": quick}
    most = gains * body.inertia()[2] if gains is not None else 1e7
    parts.append(
        Torque(
            id="turn",
            title="Turn",
            channel=told.channel,
            way="spin_aim",
            on_release="stop",
            turn=rate,
            aim_limit=min(most, 1e7),
        )
    )
    return {}
