"""Cautions: findings about a setup and its last run. Each says where, what, and what would help."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from oak_sled.core.advice import misfires, outlook
from oak_sled.core.advice.caution import Caution
from oak_sled.core.build import ground_shape
from oak_sled.core.build.jobs import Job
from oak_sled.core.documents import casting
from oak_sled.core.documents.craft import Craft
from oak_sled.core.documents.units import show
from oak_sled.core.kernel import state
from oak_sled.core.parts.common import Setting
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.results.run import Run


def find(job: Job, run: Run | None = None) -> tuple[Caution, ...]:
    """Every caution about a job, and about its run if there is one."""
    setting = outlook.setting_of(job.craft, job.ground, job.ticks, run)
    found = [
        *_damping(job),
        *_off_centre(job.craft),
        *_thrust(job.craft, setting),
        *_repeated_impulses(job),
        *_no_support(job),
        *_deaf_drill(job),
        *_share_law(job),
        *_held_level(job),
        *_shared_keys(job),
        *misfires.find(job, run),
    ]
    if run is not None:
        found += [*_limits(run), *_far_limits(job.craft, setting), *_explosion(run), *_overlap(run), *_lost(run)]
    return tuple(found)


def _held_level(job: Job) -> Iterator[Caution]:
    if ground_shape.is_uneven(job.ground) and "z" in job.craft.body.held:
        yield Caution(
            "held_level",
            "body",
            "height is held, so that uneven ground does not carry it",
            "free z, roll and pitch: take them out of the body's held axes",
        )


def _shared_keys(job: Job) -> Iterator[Caution]:
    for key, users in casting.shared_keys(one.craft for one in job.actors).items():
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
            f"{run.lost_contacts} contact points or neighbours found no room and did not act",
            "fewer bodies that lie in one another, or coarser shapes",
        )


def _overlap(run: Run) -> Iterator[Caution]:
    if run.overlap is not None:
        depth, one, other = run.overlap
        yield Caution(
            "overlap",
            "",
            f"{one} and {other} start {show(depth, 'm')} into each other, and are pushed apart",
            "move one of them, on the plan of the ground",
        )


def _explosion(run: Run) -> Iterator[Caution]:
    if run.status == state.DIVERGED:
        head, _, tail = run.message.partition(". ")
        yield Caution("diverged", "", head, tail.rstrip("."))


def _limits(run: Run) -> Iterator[Caution]:
    for part in run.job.craft.parts:
        if part.kind != "limiter" or part.mute or run.ticks == 0:
            continue
        acted = float(np.mean(run.column(f"{part.id}.activity")[1:] > 0.0))
        if acted == 0.0:
            yield Caution(
                "limit_never_acts",
                f"parts.{part.id}",
                "the limit never acted in this run",
                "lower it, or leave it out",
            )
        elif acted > 0.6:
            yield Caution(
                "limit_mostly_acts",
                f"parts.{part.id}",
                f"the limit acted in {100 * acted:.0f} % of the run, so it and not the forces sets the speed",
                "raise it, or lower the thrust",
            )


def _far_limits(craft: Craft, setting: Setting) -> Iterator[Caution]:
    top = outlook.top_speed(setting)
    for part in craft.parts:
        if part.kind != "limiter" or part.mute or part.limits not in ("total", "horizontal", "forward"):
            continue
        if math.isfinite(top) and 0.0 < 2.0 * top < part.limit:
            yield Caution(
                "limit_out_of_reach",
                f"parts.{part.id}",
                f"thrust tops out at {show(top, 'm/s')}, far below the limit of {show(part.limit, 'm/s')}",
                f"a limit near {show(top, 'm/s')} would act",
            )
        elif top > 5.0 * part.limit > 0.0:
            words = "has no top speed" if math.isinf(top) else f"would reach {show(top, 'm/s')}"
            yield Caution(
                "top_speed_far_above_limit",
                f"parts.{part.id}",
                f"the craft {words}, far above the limit of {show(part.limit, 'm/s')}",
                "less thrust or more drag, so that the limit is not all that slows it",
            )


def _damping(job: Job) -> Iterator[Caution]:
    body = job.craft.body
    for name in ("damping", "spin_damping"):
        number = getattr(body, name)
        if number == 0.0:
            continue
        rate = outlook.rate_of(body.damping_law, number, job.dt)
        words = name.replace("_", " ")
        if body.damping_law == "per_tick":
            same = f"exact law at {rate:.3g} 1/s is the same here" if math.isfinite(rate) else "use the exact law"
            yield Caution(
                "tick_dependent_damping",
                f"body.{name}",
                f"{words} as a share per tick changes with the tick rate ({number:g} at {job.ticks} ticks/s)",
                same,
            )
        elif body.damping_law == "explicit" and number * job.dt > 1.0:
            yield Caution(
                "overshooting_damping",
                f"body.{name}",
                f"explicit {words} of {number:g} 1/s turns motion round at {job.ticks} ticks/s",
                f"keep it below {1.0 / job.dt:g} 1/s, or use the exact law",
            )


def _off_centre(craft: Craft) -> Iterator[Caution]:
    """A push whose line passes beside the centre of mass turns the craft: torque z = x Fy - y Fx."""
    if "yaw" in craft.body.held:
        return
    centre = craft.body.centre()
    for part in craft.parts:
        if part.kind != "thruster" or part.mute or not part.at_point or part.frame != "craft":
            continue
        azimuth = math.radians(part.azimuth_deg)
        flat = math.cos(math.radians(part.elevation_deg))
        arm = (part.x - centre[0]) * math.sin(azimuth) * flat - (part.y - centre[1]) * math.cos(azimuth) * flat
        if abs(arm) > 0.005:
            side = "left" if arm > 0.0 else "right"
            yield Caution(
                "off_centre_push",
                f"parts.{part.id}",
                f"its line passes {show(abs(arm), 'm')} beside the centre of mass and turns the craft {side}",
                "move the mount, or let it act at the centre",
            )


def _thrust(craft: Craft, setting: Setting) -> Iterator[Caution]:
    if 0.0 < setting.thrust <= setting.friction:
        strongest = next(part for part in craft.parts if part.FAMILY == "drive" and not part.mute)
        yield Caution(
            "too_weak",
            f"parts.{strongest.id}",
            f"{show(setting.thrust, 'N')} of thrust cannot overcome {show(setting.friction, 'N')} of friction",
            f"more than {show(setting.friction, 'N')} moves it",
        )


def _repeated_impulses(job: Job) -> Iterator[Caution]:
    for part in job.craft.parts:
        if not isinstance(part, Thruster | Torque) or part.mute:
            continue
        if part.way not in ("impulse", "speed_change", "spin_impulse", "spin_change"):
            continue
        if part.timing in ("while_held", "always", "window"):
            yield Caution(
                "repeated_impulse",
                f"parts.{part.id}",
                f"an impulse given every tick is a force that grows with the tick rate (now {job.ticks} ticks/s)",
                "push as a force, or once a press",
            )


def _share_law(job: Job) -> Iterator[Caution]:
    for part in job.craft.parts:
        if part.kind == "runner" and part.law == "share" and part.share > 0.0 and not part.mute:
            yield Caution(
                "tick_dependent_grip",
                f"parts.{part.id}",
                f"taking {part.share:g} of the side speed a tick grips harder at more ticks/s",
                "the linear and curve laws do not depend on the tick",
            )


def _no_support(job: Job) -> Iterator[Caution]:
    body = job.craft.body
    if (
        "z" not in body.held
        and not (job.ground.floor or ground_shape.is_uneven(job.ground))
        and job.ground.gravity * body.gravity_scale > 0.0
    ):
        yield Caution(
            "nothing_below",
            "body.held",
            "upward motion is free and the ground has no floor, so it falls through",
            "hold z, or give the ground its floor",
        )


def _deaf_drill(job: Job) -> Iterator[Caution]:
    names = [channel.id for channel in job.craft.channels]
    used = {name for part in job.craft.parts for name in part.channels_used()}
    for track in job.actor.tracks:
        if track.channel not in names:
            yield Caution(
                "no_such_channel",
                "",
                f"the drill tells a channel {track.channel!r}, which this craft does not have",
                f"channels here: {', '.join(names) or 'none'}",
            )
    for name in names:
        if name not in used:
            yield Caution(
                "unused_channel", "", f"no part listens to channel {name!r}", "fit a part to it, or remove it"
            )
