"""The outlook of ties: how a coupling swings, how stiff it may be for a tick, and how a train starts."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from oak_sled.core.advice import bodymass, jointed, onrails, outlook
from oak_sled.core.assembly import bodynames, surfaces
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.units import show
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.swing import Swing
from oak_sled.core.yard.block import TIMBER, Block
from oak_sled.core.yard.bogie import Bogie
from oak_sled.core.yard.coupling import Coupling
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.hinge import Driven
from oak_sled.core.yard.rail import Rail
from oak_sled.core.yard.tie import Tie

EXACT = 0.5
"""Stiffness of a coupling, times dt2 over the mass that it moves, up to which it keeps the energy that it springs."""


@dataclass(frozen=True)
class Train:
    """Cars that are coupled one behind another, the first of them a craft or a block.

    masses : kg; holds : N that friction and the slope hold each with; push : N of the first at full channel; slacks :
    m, and draws : N/m, of the couplings. All from the first on.
    """

    names: tuple[str, ...]
    masses: tuple[float, ...]
    holds: tuple[float, ...]
    push: float
    slacks: tuple[float, ...]
    draws: tuple[float, ...]


@dataclass(frozen=True)
class TrainStart:
    """The start of a train: s at which each car moves off, and the greatest pull on a coupling, N."""

    times: tuple[float, ...]
    pull: float


def told_of(item: Rail | Tie, ground: Ground, crafts: Sequence[Craft], ticks: int) -> tuple[str, ...]:
    """Lines about a rail or a tie."""
    if isinstance(item, Rail):
        return onrails.of_rail(ground, item)
    if isinstance(item, Bogie):
        return onrails.of_bogie(ground, item, crafts)
    if isinstance(item, Driven):
        return jointed.of(ground, item)
    return of(ground, item, crafts, ticks) if isinstance(item, Coupling) else ()


def of(ground: Ground, tie: Coupling, crafts: Sequence[Craft], ticks: int) -> tuple[str, ...]:
    """Lines about a coupling, and about the train that it is in."""
    masses = [bodymass.of(ground, name, crafts) for name in (tie.one, tie.other)]
    mass = _together(*masses)
    lines = []
    if mass is not None:
        swing = Swing.of(tie.stiffness, tie.damping, mass)
        lines.append(f"drawn, it swings at {show(swing.rate / math.tau, 'Hz')}, {swing.words()}")
        most = EXACT * mass * ticks**2
        if tie.stiffness > most:
            lines.append(f"stiffer than {ticks} ticks/s show: it takes energy; up to {show(most, 'N/m')} it keeps it")
    found = train_of(ground, tie, crafts, ticks)
    if found is not None:
        lines += told(found)
    return tuple(lines)


def cautions(job: Job) -> Iterator[Caution]:
    """The cautions of ties: what is too stiff for the tick, and what follows a channel that is not there."""
    crafts = [one.craft for one in job.actors]
    channels = [channel.id for channel in crafts[0].channels] if crafts else []
    for tie in (*job.ground.ties, *job.drill.ties):
        for name in tie.driven_by():
            if not name or name in channels:
                continue
            yield Caution(
                "tie_lacks_channel",
                "",
                f"{tie.heading} is driven by channel {name!r}, which the craft under test lacks",
                "a channel of it (Ground page), or none",
            )
    for tie, fault in bodynames.flawed(job):
        what, _, right = fault.partition(": ")[2].partition(" (")
        yield Caution("tie_left_out", "", f"{tie.heading} is left out: {what}", right.removesuffix(")"))
    yield from onrails.cautions(job)
    yield from jointed.cautions(job)
    found = [one.tie for one in bodynames.ties_of(job) if isinstance(one.tie, Coupling)]
    stiff = [
        (one.stiffness / most, one, most) for one in found if (most := _stiffest(job, one, crafts)) < one.stiffness
    ]
    if stiff:
        _, worst, most = max(stiff, key=lambda each: each[0])
        yield Caution(
            "tie_too_stiff",
            "",
            f"{worst.heading} is stiffer than {job.ticks} ticks/s show: it takes energy"
            + (f", and {len(stiff) - 1} more" if len(stiff) > 1 else ""),
            f"up to {show(most, 'N/m')} it keeps it; or more ticks/s",
        )


def _stiffest(job: Job, tie: Coupling, crafts: Sequence[Craft]) -> float:
    """N/m up to which a coupling keeps the energy that it springs; endless where nothing moves on it."""
    mass = _together(*(bodymass.of(job.ground, name, crafts) for name in (tie.one, tie.other)))
    return math.inf if mass is None else EXACT * mass * job.ticks**2


def told(train: Train) -> tuple[str, ...]:
    """Lines about a train that a craft is to start."""
    cars, slack = len(train.names) - 1, sum(train.slacks)
    most = longest(train)
    first = f"{train.names[0].replace('_', ' ')} and {cars} car{'' if cars == 1 else 's'}, {show(slack, 'm')} of slack"
    if most < cars:
        return first, f"it starts {most} of them: {show(train.push, 'N')} against {show(sum(train.holds), 'N')}"
    begun = start_of(train)
    return (
        first,
        f"the last moves off after {show(begun.times[-1], 's')}; up to {show(begun.pull, 'N')} on a coupling",
        f"it would start {'any number' if most >= 10_000 else most} of such cars",
    )


def train_of(ground: Ground, tie: Coupling, crafts: Sequence[Craft], ticks: int) -> Train | None:
    """The train that a coupling is in, from the craft ahead of it on; None without one, and for one that is held."""
    couplings = [one for one in ground.ties if isinstance(one, Coupling)]
    first, seen = tie, {tie.id}
    while (ahead := next((one for one in couplings if one.other == first.one), None)) is not None:
        if ahead.id in seen:
            return None  # a ring has no first car
        first = ahead
        seen.add(ahead.id)
    craft = next((one for one in crafts if one.id == first.one), None)
    if craft is None:
        return None
    setting = outlook.setting_of(craft, ground, ticks)
    push = sum(part.forward_thrust(setting.moves) for part in craft.working_parts if craft.gain_of(part) > 0.0)
    slope = math.sin(math.radians(ground.tilt_deg)) * ground.gravity
    chain, names, at = [first], [craft.id], first.other
    while at:
        names.append(at)
        behind = next((one for one in couplings if one.one == at and one.id not in {each.id for each in chain}), None)
        if behind is None or behind.other in names:
            break
        chain.append(behind)
        at = behind.other
    if not at:
        return None  # it is held to the world
    cars = [next((one for one in ground.blocks if one.id == name), None) for name in names[1:]]
    known = [car for car in cars if car is not None]
    if len(known) != len(cars):
        return None
    holds = [setting.friction + slope * setting.moves, *(_friction(ground, car) + slope * car.mass for car in known)]
    return Train(
        tuple(names), (setting.moves, *(car.mass for car in known)), tuple(holds), push,
        tuple(one.slack for one in chain), tuple(one.stiffness for one in chain),
    )  # fmt: skip


def longest(train: Train) -> int:
    """The number of cars like the mean of its own that it starts from rest, with the push it has."""
    cars = train.holds[1:]
    mean = sum(cars) / len(cars)
    left = train.push - train.holds[0]
    return 0 if left <= 0.0 else 10_000 if mean <= 0.0 else min(int(left / mean), 10_000)


def start_of(train: Train) -> TrainStart:
    """Slack by slack: those that move speed up evenly, and take the next one along without a bounce (its coupling gives
    the greatest pull of a spring between two masses that meet so). A car that stands still pulls its friction."""
    times, now, speed = [0.0], 0.0, 0.0
    moving, held, pull = train.masses[0], train.holds[0], 0.0
    for mass, hold, slack, draws in zip(train.masses[1:], train.holds[1:], train.slacks, train.draws, strict=True):
        rate = (train.push - held) / moving
        if rate <= 0.0 and speed * speed + 2.0 * rate * slack <= 0.0:
            return TrainStart((*times, math.inf), pull)
        root = math.sqrt(speed * speed + 2.0 * rate * slack)
        now += 2.0 * slack / (speed + root) if speed + root > 0.0 else 0.0
        together = moving * mass / (moving + mass)
        steady = (train.push - held) * mass / (moving + mass) + hold * moving / (moving + mass)
        pull = max(pull, steady + math.sqrt(steady**2 + draws * together * root**2))
        speed, moving, held = root * moving / (moving + mass), moving + mass, held + hold
        times.append(now)
    return TrainStart(tuple(times), pull)


def _together(one: float | None, other: float | None) -> float | None:
    """kg that swings on what is between two masses; None where neither moves."""
    if one is None or other is None:
        return one if other is None else other
    return one * other / (one + other)


def _friction(ground: Ground, car: Block) -> float:
    """N at which a block begins to slide on the ground."""
    names, pairs = surfaces.materials(ground)
    friction = float(pairs[names.index("ground"), names.index(car.material or TIMBER), 0])
    return friction * car.mass * ground.gravity * math.cos(math.radians(ground.tilt_deg))
