"""Cautions: findings about a setup and its last run. Each says where, what, and what would help."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from oak_sled.core.advice import balance, misfires, modes, outlook, tying, volumes
from oak_sled.core.assembly import ground_shape
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import units
from oak_sled.core.base.units import show
from oak_sled.core.formulas import lawunits
from oak_sled.core.parts.caution import Caution, Remedy
from oak_sled.core.parts.common import Case
from oak_sled.core.parts.context import Setting
from oak_sled.core.results import tied
from oak_sled.core.results.run import Run
from oak_sled.core.yard import casting
from oak_sled.core.yard.craft import Craft


def find(job: Job, run: Run | None = None) -> tuple[Caution, ...]:
    """Every caution about a job, and about its run if there is one: of every body of its craft."""
    found = [*_deaf_drill(job), *_shared_keys(job), *misfires.find(job), *tying.cautions(job)]
    for one in job.bodies:
        own = _of_body(job.seen_from(one.id), None if run is None else run.seen_from(one.id))
        name = one.id.partition(".")[2]
        found += [_elsewhere(each, name, one.heading) for each in own] if name else own
    if run is not None:
        found += [*_explosion(run), *_overlap(run), *_lost(run), *_broken(run)]
    return tuple(found)


def _of_body(job: Job, run: Run | None) -> list[Caution]:
    """The cautions of a body with its parts."""
    setting = outlook.setting_of(job.craft, job.ground, job.ticks, run, job.body)
    found = [
        *_damping(job),
        *_thrust(job.single, setting),
        *_no_support(job),
        *_held_level(job),
        *_held_height(job.single),
        *volumes.find(job),
        *_balance(job),
        *_slows_flight(job),
        *_of_parts(job, setting, run),
    ]
    if run is not None:
        found += [*_standing(run), *_rays(run)] if not run.live else []
        found += _formulas(run)
    return found


def _elsewhere(caution: Caution, name: str, heading: str) -> Caution:
    """A caution as it is said of a further body: with its name, and its places in the craft."""

    def place(path: str) -> str:
        is_body = path == "body" or path.startswith("body.")
        return f"bodies.{name}{path.removeprefix('body')}" if is_body else path

    remedy = caution.remedy
    if remedy is not None:
        remedy = replace(remedy, changes=tuple((place(path), value) for path, value in remedy.changes))
    return replace(caution, where=place(caution.where), says=f"{heading}: {caution.says}", remedy=remedy)


def _slows_flight(job: Job) -> Iterator[Caution]:
    """The caution of a body whose own damping slows it in the air beside the drag that its parts have."""
    craft, body = job.single, job.single.body
    most = sum(part.most_lift(job.ground.air_density) for part in craft.working_parts if craft.gain_of(part) > 0.0)
    weight = body.true_mass() * job.ground.gravity * body.gravity_scale
    if most <= 0.0 or weight <= 0.0 or body.damping <= 0.0 or body.damping_law == "per_tick":
        return
    stall = math.sqrt(weight / most)
    lost = body.damping * body.true_mass() * stall
    if lost > 0.05 * weight:
        yield Caution(
            "damping_aloft",
            "body.damping",
            f"the damping of its body takes {show(lost, 'N')} at {show(stall, 'm/s')}, where its wings begin to carry",
            "0: wings and hull have drag of their own (air drag)",
            Remedy("no damping", (("body.damping", 0.0),)),
        )


def _balance(job: Job) -> Iterator[Caution]:
    """The caution of wings that turn a craft over by themselves, where nothing holds its nose."""
    craft = job.single
    found = balance.of(craft)
    held = "pitch" in craft.body.held or any("pitch" in part.wishes() for part in craft.parts)
    if found is None or found.margin > 0.0 or held or job.ground.air_density <= 0.0:
        return
    yield Caution(
        "tail_heavy",
        "body",
        f"its centre of mass lies {show(-found.margin, 'm')} behind the neutral point of its wings: it turns over",
        "weight or wings moved: the centre ahead of the neutral point (Build page), or a larger tailplane",
    )


def _of_parts(job: Job, setting: Setting, run: Run | None) -> Iterator[Caution]:
    """Cautions of every part; a muted one has none."""
    others = [one.id for one in job.ground.blocks]
    others += [one.craft.id for one in job.actors if one.whole.id != job.craft.id]
    events = job.drill.events
    case = Case(
        setting=setting,
        top_speed=outlook.top_speed(setting),
        parts={part.id: part for part in job.single.working_parts},
        held=job.single.body.held,
        others=tuple(others),
        catches=any(one.catches for one in job.ground.blocks)
        or any(one.craft.body.catches for k, one in enumerate(job.actors) if k != job.who),
        dynamic_others=len(job.actors) > 1 or any(one.moves == "free" for one in job.ground.blocks),
        uneven=ground_shape.is_uneven(job.ground),
        triggered=frozenset(event.target for event in events if event.what == "trigger"),
        pulls=tuple(
            (event.target, math.hypot(event.x, event.y, event.z))
            for event in events
            if event.what == "release" and (event.craft or job.actors[0].craft.id) == job.craft.id
        ),
    )
    notes = None if run is None else run.own_notes()
    for place, part in enumerate(job.single.working_parts):
        if part.mute:
            continue
        acted = None
        if run is not None and run.ticks:
            acted = float(np.mean(run.column(f"{part.id}.activity")[1:] > 0.0)) if part.LIMITS else None
        counted = None if notes is None else tuple(notes[place].tolist())
        yield from part.cautions(replace(case, notes=counted, acted=acted))


def _broken(run: Run) -> Iterator[Caution]:
    """Cautions about ties that broke in a run."""
    for one in tied.changes(run):
        if one.word not in tied.MEANT:
            yield Caution("tie_broke", "", one.says, "less load on it, or a tie that bears more (Ground page)")


def _standing(run: Run) -> Iterator[Caution]:
    """Cautions about the stand of its craft on its rays, from the real kernel linearised at rest."""
    craft = run.job.single
    weight = run.job.ground.gravity * craft.body.gravity_scale
    if "z" in craft.body.held or weight <= 0.0 or not any(part.legs() for part in craft.parts):
        return
    stands = modes.of_run(run)
    if stands is None or min(stands.loads) < -1e-6 * weight:
        yield Caution(
            "stands_nowhere",
            "body",
            "no equilibrium on level ground: it tips, sinks or never settles",
            "supports on all sides of the centre of mass, with springs that carry its weight",
        )
        return
    for mode in stands.modes:
        if mode.grows:
            yield Caution(
                "mode_grows",
                "body",
                f"unstable in {mode.name} at {run.job.ticks} ticks/s",
                mode.would_hold(),
            )


def _rays(run: Run) -> Iterator[Caution]:
    """Cautions about rays that start inside something, or found nothing in the whole run."""
    for part in run.job.single.parts:
        rays = part.legs()
        if not rays or run.job.single.gain_of(part) == 0.0 or not run.ticks:
            continue
        gaps = [run.column(f"{part.id}.{number}.gap") for number in range(1, 1 + len(rays))]
        if any(float(gap[0]) <= ray.radius for gap, ray in zip(gaps, rays, strict=True)):
            yield Caution(
                "starts_in_the_ground",
                f"parts.{part.id}",
                "a mount starts inside the ground or a body, and is pushed out in the first tick",
                "a higher start, or a higher mount",
            )
        elif all(float(gap.min()) >= ray.reach for gap, ray in zip(gaps, rays, strict=True)):
            yield Caution(
                "finds_no_ground",
                f"parts.{part.id}",
                f"none of its rays of {show(rays[0].reach, 'm')} hit anything in this run",
                "a longer reach, a lower start, or ground below",
            )


def _formulas(run: Run) -> Iterator[Caution]:
    """Formulas of its craft that were no finite number somewhere in the run: where in the text, and at what."""
    for fault in run.faults:
        if fault.craft != run.job.single.id:
            continue
        law = run.job.single.written[fault.law]
        step = lawunits.first_wrong(law.code, fault.given, law.numbers)
        at = ", ".join(
            f"{one.name} {show(value, one.unit)}" for one, value in zip(law.place.quantities, fault.given, strict=False)
        )
        yield Caution(
            "formula_not_finite",
            f"parts.{fault.part}.{law.place.field}",
            f"formula {fault.law}: column {step.column}: not finite at {at}; counted as 0 ({fault.times} times)",
            "keep divisors off 0 and roots and logs above it: max(x, 0.01 [m])",
        )


def _held_level(job: Job) -> Iterator[Caution]:
    if ground_shape.is_uneven(job.ground) and "z" in job.single.body.held:
        yield Caution(
            "held_level",
            "body",
            "height is held: uneven ground does not carry it",
            "free z, roll and pitch: take them out of the body's held axes",
            _freed(job.single),
        )


def _held_height(craft: Craft) -> Iterator[Caution]:
    """Pads and wheels of a craft whose height is held: they push, and move nothing."""
    carriers = [part for part in craft.parts if part.legs() and craft.gain_of(part) > 0.0]
    if "z" in craft.body.held and carriers:
        yield Caution(
            "height_is_held",
            "body",
            f"its height is held: its {carriers[0].heading.lower()} cannot carry it",
            "z, roll and pitch free (Build page, body, held axes)",
            _freed(craft),
        )


def _freed(craft: Craft) -> Remedy:
    """Frees what has to be free for the ground to carry a craft."""
    held = tuple(axis for axis in craft.body.held if axis not in ("z", "roll", "pitch"))
    return Remedy("free z, roll and pitch", (("body.held", held),))


def _shared_keys(job: Job) -> Iterator[Caution]:
    for key, users in casting.shared_keys(one.whole for k, one in enumerate(job.actors) if one.lead == k).items():
        own = next((channel for craft, channel in users if craft.id == job.craft.id), None)
        others = [f"{craft.heading} {channel.heading}" for craft, channel in users if channel is not own]
        if own is not None:
            yield Caution(
                "shared_key",
                f"channels.{own.id}",
                f"the key {key} drives {own.heading} and {' and '.join(others)} too",
                "a key for each: while driving, click the key in the panel of keys",
            )


def _lost(run: Run) -> Iterator[Caution]:
    if run.lost_contacts:
        yield Caution(
            "contacts_lost",
            "",
            f"{run.lost_contacts} contacts or neighbours exceeded their buffer and were dropped",
            "fewer overlapping bodies, or coarser shapes",
        )


def _overlap(run: Run) -> Iterator[Caution]:
    if run.overlap is not None:
        depth, one, other = run.overlap
        wells = [well.id for well in run.job.ground.wells]
        says = f"{one} and {other} overlap by {show(depth, 'm')} at the start, and are pushed apart"
        helps = "move one of them, on the plan of the ground"
        if one in wells or other in wells:
            ball, inside = (one, other) if one in wells else (other, one)
            says = f"{inside} starts {show(depth, 'm')} inside {ball}, to whose middle it falls, and is pushed out"
            helps = "start it farther from its middle, or in an orbit"
        yield Caution("overlap", "", says, helps)


def _explosion(run: Run) -> Iterator[Caution]:
    if run.is_diverged:
        head, _, tail = run.message.partition(". ")
        yield Caution("diverged", "", head, tail.rstrip("."))


def _damping(job: Job) -> Iterator[Caution]:
    body = job.single.body
    for name in ("damping", "spin_damping"):
        number = getattr(body, name)
        if number == 0.0:
            continue
        rate = outlook.rate_of(body.damping_law, number, job.dt)
        words = name.replace("_", " ")
        if body.damping_law == "per_tick":
            same = (
                f"exact law at {units.plain(rate, '1/s', 3)} is the same here"
                if math.isfinite(rate)
                else "use the exact law"
            )
            yield Caution(
                "tick_dependent_damping",
                f"body.{name}",
                f"{words} as a share per tick depends on the tick rate ({number:g} at {job.ticks} ticks/s)",
                same,
                _exact(job) if math.isfinite(rate) else None,
            )
        elif body.damping_law == "explicit" and number * job.dt > 1.0:
            yield Caution(
                "overshooting_damping",
                f"body.{name}",
                f"explicit {words} of {units.plain(number, '1/s')} reverses the velocity every tick "
                f"at {job.ticks} ticks/s",
                f"keep it below {units.plain(1.0 / job.dt, '1/s')}, or use the exact law",
                _exact(job),
            )


def _exact(job: Job) -> Remedy:
    """Damps by the exact law, as much as now at this tick rate."""
    body = job.single.body
    rates = {
        name: outlook.rate_of(body.damping_law, getattr(body, name), job.dt) for name in ("damping", "spin_damping")
    }
    numbers = tuple((f"body.{name}", float(f"{rate:.4g}")) for name, rate in rates.items() if math.isfinite(rate))
    return Remedy("use the exact law", (("body.damping_law", "exact"), *numbers))


def _thrust(craft: Craft, setting: Setting) -> Iterator[Caution]:
    if 0.0 < setting.thrust <= setting.friction:
        strongest = next(part for part in craft.parts if part.FAMILY == "drive" and not part.mute)
        yield Caution(
            "too_weak",
            f"parts.{strongest.id}",
            f"{show(setting.thrust, 'N')} of thrust cannot overcome {show(setting.friction, 'N')} of friction",
            f"more than {show(setting.friction, 'N')} moves it",
        )


def _no_support(job: Job) -> Iterator[Caution]:
    body = job.single.body
    if (
        "z" not in body.held
        and not any(one.moves == "fixed" for one in job.ground.blocks)
        and not (job.ground.floor or ground_shape.is_uneven(job.ground))
        and job.ground.gravity * body.gravity_scale > 0.0
    ):
        yield Caution(
            "nothing_below",
            "body.held",
            "z is free and there is no ground below: it falls",
            "hold z, or give the ground its floor",
            Remedy("hold z", (("body.held", (*body.held, "z")),)),
        )


def _deaf_drill(job: Job) -> Iterator[Caution]:
    names = [channel.id for channel in job.craft.channels]
    used = {name for part in job.craft.parts for name in part.channels_used()}
    used |= {name for tie in (*job.ground.ties, *job.drill.ties, *job.craft.ties) for name in tie.driven_by()}
    for track in job.seen_from(job.craft.id).actor.tracks:
        if track.channel not in names:
            yield Caution(
                "no_such_channel",
                "",
                f"the drill has inputs for channel {track.channel!r}, which this craft lacks",
                f"channels here: {', '.join(names) or 'none'}",
            )
    for name in names:
        if name not in used:
            yield Caution(
                "unused_channel", "", f"no part listens to channel {name!r}", "add a part to it, or remove it"
            )
