"""Roles of the channels of any craft, found by trying each: what drives it, what turns it, what brakes it, and from
which state it is probed.

A craft that is held in the air by itself begins there, one with wings in a steady flight, any other on level ground.
Levers are made to return to what they begin with, so that a probe can release them.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import trimmed
from oak_sled.core.results import rotations, run, traces
from oak_sled.core.results.run import Run
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.yard import Yard

ALOFT = 1000.0
"""m at which it is tried whether a craft holds itself in the air: far from the ground, whatever is done to it."""
TRY_S = 2.0
"""s for which a channel is tried."""
HOLDS = 1.0
"""m that a craft may sink or rise in that time which holds itself."""
MOVES, TURNS = 0.05, 0.004
"""m/s below which a channel does not drive, and rad below which it does not turn."""
LEANS = 0.05
"""rad of turning by which a gain of speed counts half: a nose that drops gains speed too, and is no drive."""
TWO_SIDED = 0.1
"""Share of the best drive from which on a channel that also reverses is preferred to one that does not."""
PULLS_UP = 0.05
"""Share of its speed that a channel must take in the time it is tried to count as a brake, beyond coasting."""
IN_THE_AIR, ON_THE_GROUND = (0.5, 0.25, 1.0), (0.05, 0.02, 1.0)
"""Weights of a turn about the forward, the left and the upward axis where the channel that turns most is sought."""
AXES = ("roll", "pitch", "yaw")
WAYS = ("ahead", "left", "up")


@dataclass(frozen=True)
class Roles:
    """Parts that channels of a craft play. craft : with levers that return. start : from which probes begin.
    held : input of channels all along. drive, turn, brake : channels, "" for none. sign, turn_sign : of the input that
    drives it along `way` (0 ahead, 1 left, 2 up) and turns it positively about `axis` (0 roll, 1 pitch, 2 yaw).
    is_flying : it begins in the air, where nothing is below. is_winged : in a steady flight on wings."""

    craft: Craft
    ground: Ground
    ticks: int
    integrator: str
    start: Start
    held: dict[str, float] = field(default_factory=dict)
    drive: str = ""
    sign: float = 1.0
    way: int = 0
    turn: str = ""
    turn_sign: float = 1.0
    axis: int = 2
    brake: str = ""
    is_flying: bool = False
    is_winged: bool = False

    def with_craft(self, craft: Craft) -> Roles:
        """The same roles for a like craft with other numbers."""
        return replace(self, craft=returning(craft) if not self.is_winged else _as_trimmed(craft, self.craft))

    def channel(self, name: str) -> Channel:
        """A channel by its name."""
        return next(one for one in self.craft.channels if one.id == name)

    def job(
        self, name: str, seconds: float, tracks: Mapping[str, tuple[tuple[float, float], ...]], start: Start
    ) -> Job:
        """A job of a probe. tracks : knots (s, value) by channel; those that are held are added."""
        told = {**{one: ((0.0, value),) for one, value in self.held.items()}, **tracks}
        made = tuple(
            Track(channel=channel, shape="steps", knots=tuple(Knot(t=t, value=value) for t, value in knots))
            for channel, knots in told.items()
        )
        drill = Drill(id=name, ground=self.ground.id, craft=self.craft.id, start=start, tracks=made, duration=seconds)
        return Job(self.craft, self.ground, drill, self.ticks, self.integrator)


def returning(craft: Craft) -> Craft:
    """The craft with levers that return to where they begin, so that they can be released."""
    changed = tuple(
        one.replace(stays="no", offset=one.offset + one.start, start=0.0) if one.stays == "lever" else one
        for one in craft.channels
    )
    return craft if changed == craft.channels else craft.replace(channels=changed)


def _as_trimmed(craft: Craft, before: Craft) -> Craft:
    """A craft with the trim of another one like it, channel by channel."""
    trims = {one.id: one.offset for one in before.channels}
    made = returning(craft)
    return made.replace(channels=tuple(one.replace(offset=trims.get(one.id, one.offset)) for one in made.channels))


def level(ground: Ground) -> Ground:
    """The bare ground with something to stand on, but in space."""
    return ground.bare() if ground.is_space else ground.bare().replace(floor=True)


def find(yard: Yard, craft: str = "", drill: str = "") -> Roles:
    """The roles of the channels of a craft on the bare ground of a drill, by trying each; raises `Refused` for names
    that are not there. Without a name, of the craft and the drill on the bench."""
    chosen = yard.drill(drill or yard.bench.drill)
    tested = yard.craft(craft or yard.craft_for(chosen))
    roles = _started(yard, chosen, tested)
    roles = _driven(roles)
    roles = _turned(roles, _speed_of(roles))
    return _braked(roles, _speed_of(roles))


def _started(yard: Yard, chosen: Drill, tested: Craft) -> Roles:
    """The state from which a craft is probed."""
    ground = level(yard.ground_of(chosen))
    plain = Roles(returning(tested), ground, yard.ticks, yard.integrator, Start())
    if ground.is_space:
        return replace(plain, is_flying=True)
    winged = _winged(yard, chosen, tested, plain)
    if winged is not None:
        return winged
    aloft = replace(plain, start=Start(height=ALOFT), is_flying=True)
    if tested.can_leave_ground() and abs(_tried(aloft, {})[0][2]) * TRY_S < HOLDS:
        return aloft
    return plain


def _winged(yard: Yard, chosen: Drill, tested: Craft, plain: Roles) -> Roles | None:
    """A steady flight of a craft that wings carry; None for any other, or where there is none."""
    blank = Drill(id=chosen.id, ground=plain.ground.id, craft=tested.id)
    bench = yard.bench.replace(craft=tested.id, ground=plain.ground.id, drill=blank.id)
    alone = yard.replace(spreads=(), drills=(blank,), crafts=(tested,), grounds=(plain.ground,), bench=bench)
    try:
        made, _ = trimmed.trimmed(alone, blank)
    except Refused:
        return None
    craft = returning(made.craft(tested.id))
    return replace(plain, craft=craft, start=made.drill(blank.id).start, is_flying=True, is_winged=True)


def _tried(roles: Roles, inputs: dict[str, float], start: Start | None = None) -> tuple[Floats, Floats]:
    """m/s of the velocity and rad by which it turned about its own axes after TRY_S with inputs, shape (3,) each;
    NaN where it diverged."""
    told = {name: ((0.0, value),) for name, value in inputs.items()}
    made = run.execute(roles.job("tried", TRY_S, told, start or roles.start))
    if made.is_diverged:
        return np.full(3, np.nan), np.full(3, np.nan)
    return traces.velocity(made)[-1].copy(), own_spin(made).sum(axis=0) * made.job.dt


def own_spin(made: Run) -> Floats:
    """rad/s about the own axes of a craft, shape (rows, 3)."""
    frames = rotations.rotations(made.columns(*(f"rotation.{axis}" for axis in "wxyz")))
    return np.asarray(np.einsum("kji,kj->ki", frames, traces.spin(made)))


def _free(roles: Roles) -> list[Channel]:
    """Channels that may play a part: levels that return."""
    return [one for one in roles.craft.channels if one.takes == "level" and one.stays == "no"]


def _driven(roles: Roles) -> Roles:
    """The channel that makes it go: along its nose, else aside, else upward. What turns it meanwhile counts less, since
    a nose that drops also gains speed."""
    still, about = _tried(roles, {})
    found: list[tuple[int, float, Channel, float]] = []
    for channel in _free(roles):
        moved, turned = _tried(roles, {channel.id: 1.0})
        change = np.nan_to_num(moved - still)
        size = np.abs(change) / (1.0 + float(np.linalg.norm(np.nan_to_num(turned - about))) / LEANS)
        found += [(way, float(size[way]), channel, math.copysign(1.0, change[way])) for way in range(3)]
    for way in range(3):
        ones = [one for one in found if one[0] == way and one[1] > MOVES]
        best = max(ones, key=lambda one: one[1], default=None)
        if best is None:
            continue
        both = [one for one in ones if one[2].two_sided and one[1] > TWO_SIDED * best[1] and not roles.is_winged]
        _, _, channel, sign = max(both, key=lambda one: one[1], default=best)
        return replace(roles, drive=channel.id, sign=sign if channel.two_sided else 1.0, way=way)
    return roles


def _speed_of(roles: Roles) -> Start:
    """A start at a speed at which it can be turned and braked: some of what the drive gives."""
    if roles.is_winged or roles.way != 0 or not roles.drive:
        return roles.start
    made = run.execute(roles.job("tried", 4.0 * TRY_S, {roles.drive: ((0.0, roles.sign),)}, roles.start))
    ahead = float(np.nanmax(traces.values(made, "forward_speed"))) if not made.is_diverged else 0.0
    return roles.start.replace(speed=min(max(0.6 * ahead, 0.0), 1e3))


def _turned(roles: Roles, start: Start) -> Roles:
    """The channel that turns it most, heading before roll before pitch."""
    driven = {roles.drive: 0.5 * roles.sign} if roles.drive and not roles.is_flying else {}
    _, about = _tried(roles, driven, start)
    best, size = roles, TURNS
    likes = IN_THE_AIR if roles.is_flying else ON_THE_GROUND
    for channel in _free(roles):
        if channel.id == roles.drive:
            continue
        _, turned = _tried(roles, {**driven, channel.id: 1.0}, start)
        counts = np.abs(np.nan_to_num(turned - about)) * likes
        axis = int(np.argmax(counts))
        if counts[axis] > size:
            sign = math.copysign(1.0, float((turned - about)[axis])) if channel.two_sided else 1.0
            best, size = replace(roles, turn=channel.id, turn_sign=sign, axis=axis), float(counts[axis])
    return best


def _braked(roles: Roles, start: Start) -> Roles:
    """The channel that takes most of its speed."""
    if roles.is_winged or roles.way != 0 or start.speed <= 0.0:
        return roles
    coasts, _ = _tried(roles, {}, start)
    best, least = roles, float(np.linalg.norm(coasts)) - PULLS_UP * start.speed
    for channel in _free(roles):
        if channel.id in (roles.drive, roles.turn) or channel.two_sided:
            continue
        moved, _ = _tried(roles, {channel.id: 1.0}, start)
        if np.linalg.norm(moved) < least:
            best, least = replace(roles, brake=channel.id), float(np.linalg.norm(moved))
    return best
