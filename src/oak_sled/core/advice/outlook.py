"""The outlook: what the numbers of a craft mean, in closed form, and beside what the last run showed."""

from __future__ import annotations

import functools
import math
from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np

from oak_sled.core.advice import handling, modes
from oak_sled.core.assembly import bodynames
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.units import show
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.context import Setting
from oak_sled.core.parts.thruster import approach
from oak_sled.core.results import traces
from oak_sled.core.results.run import Run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground


def setting_of(craft: Craft, ground: Ground, ticks: int, run: Run | None = None, body: str = "") -> Setting:
    """The craft and its ground as numbers for closed forms; muted parts do not count. That of a run with the very
    documents that made it is found once, and kept with it. body : the body of the craft that is asked for; "" for the
    first."""
    if run is not None and run.job.body != body:
        name = f"{craft.id}.{body}" if body else craft.id
        known = name in [one.id for one in run.job.bodies]  # else the run is of the craft of a moment ago
        run = run.seen_from(name) if known else None
    if run is None:
        return _setting_of(craft, ground, ticks, body)
    if run.live or craft is not run.job.craft or ground is not run.job.ground or ticks != run.job.ticks:
        return with_run(_setting_of(craft, ground, ticks, body), run)
    return run.analysis.once("setting", lambda: with_run(_setting_of(craft, ground, ticks, body), run))


def _setting_of(craft: Craft, ground: Ground, ticks: int, body: str) -> Setting:
    """That of a body of a craft: what drives and holds all of them together, and what carries that one."""
    if not craft.bodies:
        return _of_single(craft, ground, ticks)
    every = [_of_single(one, ground, ticks) for one in craft.singles]
    own = every[craft.singles.index(craft.single(body))]
    moves = sum(one.mass for one in every)
    together = {
        name: sum(getattr(one, name) for one in every)
        for name in ("thrust", "friction", "square_drag", "linear_drag", "fuel", "burns")
    }
    damping = sum(one.damping * one.mass for one in every) / moves
    drags = [one.drag_at for one in every if one.drag_at is not None]
    drag_at = (lambda speed: sum(one(speed) for one in drags)) if drags else None
    return replace(own, **together, moves=moves, damping=damping, drag_at=drag_at)


def at_once(craft: Craft, ground: Ground, ticks: int, run: Run | None, stood: Run | None, body: str = "") -> Setting:
    """The same for a window that must not wait: how the craft stands is that of `stood`, the last of its runs that came
    in (so of the craft a drag before), and is left out where there is none."""
    setting = setting_of(craft, ground, ticks, run, body)
    if run is not None and not run.live:
        return setting
    return replace(setting, tips_at=partial(_tips_of, setting.track, setting.centre_height, stood))


def _of_single(craft: Craft, ground: Ground, ticks: int) -> Setting:
    body = craft.body
    mass = body.true_mass() + craft.carried_mass()
    weight = mass * ground.gravity * max(body.gravity_scale, 0.0)
    fitted = [part for part in craft.working_parts if craft.gain_of(part) > 0.0]
    rays = sum(len(part.legs()) for part in fitted)
    stands = sum(part.contact_count() for part in fitted) + rays

    wheels, tired = bodynames.wheels(craft), set(bodynames.tired(craft))
    own_wheels = {part.id: {one.ray for one in wheels if one.part == part.id} for part in fitted}
    covered = frozenset(name for name, rays_of in own_wheels.items() if rays_of and rays_of <= tired)

    def share(part: Part) -> float:
        """Of the weight that a part carries: what stands on the ground shares it by its feet and rays, or by the wheels
        whose tires it is."""
        own = part.contact_count() + len(part.legs())
        grips = len(part.grips(wheels))
        return own / stands if own else grips / rays if grips else 1.0

    rubbing = [part for part in fitted if part.id not in covered]

    carried = [one for part in fitted if (one := part.carried()) is not None]
    lifted = sum(one.mass * (one.at[2] - body.centre()[2]) for one in carried) / mass
    sides = [ray.at[1] for part in fitted for ray in part.legs()]
    left = max(weight - sum(part.lifts(weight) for part in fitted), 0.0)
    springs = [part.springs(left / rays) for part in fitted if rays]
    drags = [part.drag_factors(ground.air_density) for part in fitted]
    written = [part for part in fitted if part.drag_at(10.0, ground.air_density) != 0.0]
    flying = [part for part in fitted if part.flight_drag(1e3, ground.air_density, weight) is not None]
    friction = sum(part.sliding_friction(weight * share(part), ground.grip) for part in rubbing)
    track = max(sides, default=0.0) - min(sides, default=0.0)
    height = craft.stands_above(ground.gravity) + lifted
    return Setting(
        mass=mass,
        moves=mass,
        yaw_inertia=body.inertia()[2],
        roll_inertia=body.inertia()[0],
        pitch_inertia=body.inertia()[1],
        weight=weight,
        air_density=ground.air_density,
        dt=1.0 / ticks,
        grip=ground.grip,
        thrust=sum(part.forward_thrust(mass) for part in fitted),
        friction=friction,
        square_drag=sum(square for square, _ in drags),
        linear_drag=sum(linear for _, linear in drags),
        damping=rate_of(body.damping_law, body.damping, 1.0 / ticks),
        side_grip=sum(part.side_capacity(weight * share(part), ground.grip) for part in rubbing),
        contacts=sum(part.contact_count() for part in fitted),
        centre=body.centre(),
        channel_names=tuple(channel.id for channel in craft.channels),
        range_of={},
        acted={},
        ticks=0,
        last_speed=0.0,
        carried=left,
        rays=rays,
        spring=sum(spring for spring, _ in springs),
        damper=sum(damper for _, damper in springs),
        track=track,
        centre_height=height,
        drag_at=partial(_drag_at, written, flying, (ground.air_density, weight, friction))
        if written or flying
        else None,
        tired=covered,
        fuel=sum(part.holds_fuel() for part in fitted),
        burns=sum(part.burns() for part in fitted),
        actuators=tuple((part.trim, one) for part in fitted for one in part.actuators()),
        handling=handling.of(craft, ground, height),
        tips_at=functools.lru_cache(maxsize=1)(partial(_tips_at, craft, ground, ticks, track, height)),
    )


def _tips_at(craft: Craft, ground: Ground, ticks: int, track: float, height: float) -> float:
    """g sideways at which it tips: with the lean of its springs, or that of a stiff craft where none is known."""
    if track <= 0.0 or height <= 0.0 or "roll" in craft.body.held:
        return math.inf
    stands = modes.standing_of(craft, ground, ticks)
    return _leaning(track, height, stands)


def _tips_of(track: float, height: float, run: Run | None) -> float:
    """The same, of a run that is there: its craft may be that of a moment ago."""
    if track <= 0.0 or height <= 0.0 or run is None or "roll" in run.job.single.body.held:
        return math.inf
    return _leaning(track, height, modes.of_run(run))


def _leaning(track: float, height: float, stands: modes.Standing | None) -> float:
    leans = None if stands is None else stands.tips
    return track / (2.0 * height) if leans is None else leans


def _drag_at(written: list[Part], flying: list[Part], at: tuple[float, float, float], speed: float) -> float:
    """N at a speed of drags that are formulas, and of lift; what flies leaves the friction of the ground. at : density
    of the air, kg/m3, weight and friction, N."""
    air_density, weight, friction = at
    carries = [one for part in flying if (one := part.flight_drag(speed, air_density, weight)) is not None]
    return sum(part.drag_at(speed, air_density) for part in written) + (min(carries) - friction if carries else 0.0)


def with_run(setting: Setting, run: Run) -> Setting:
    """The setting with the ranges of limited quantities from a run."""
    speed = traces.values(run, "speed")
    limiters = [part.id for part in run.job.single.parts if part.LIMITS]
    acted = {name: int(np.count_nonzero(run.column(f"{name}.activity"))) for name in limiters}
    ranges = ranges_of(run)
    stands = None if run.live else modes.of_run(run)
    swings = () if stands is None else tuple((one.name, one.rate, one.share) for one in stands.modes)
    found = replace(setting, range_of=ranges, acted=acted, ticks=run.ticks, last_speed=float(speed.max()), modes=swings)
    if run.live:
        return found
    return replace(found, tips_at=partial(_tips_of, setting.track, setting.centre_height, run))


_LIMITED: dict[str, Callable[[Run], Floats]] = {
    "total": lambda run: traces.values(run, "speed"),
    "horizontal": lambda run: np.hypot(traces.velocity(run)[:, 0], traces.velocity(run)[:, 1]),
    "vertical": lambda run: np.abs(traces.velocity(run)[:, 2]),
    "forward": lambda run: np.maximum(traces.values(run, "forward_speed"), 0.0),
    "reverse": lambda run: np.maximum(-traces.values(run, "forward_speed"), 0.0),
    "spin": lambda run: np.linalg.norm(run.columns("spin.x", "spin.y", "spin.z"), axis=1),
}


def ranges_of(run: Run) -> dict[str, tuple[float, float, float]]:
    """(least, greatest, 95 %) of every quantity that a limiter of its craft limits; computed once a run and kept."""
    wanted = {part.limits for part in run.job.single.parts if part.LIMITS}
    return {name: run.analysis.once(("range", name), partial(_range, run, name)) for name in wanted}


def _range(run: Run, name: str) -> tuple[float, float, float]:
    """Least, greatest, and what 95 % lie under, by rank: no interpolation, so that it is one that occurred."""
    values = _LIMITED[name](run)
    rank = min(len(values) - 1, int(0.95 * len(values)))
    return float(values.min()), float(values.max()), float(np.partition(values, rank)[rank])


def rate_of(law: str, number: float, dt: float) -> float:
    """The exact law's rate c (1/s) that slows as much in a tick as `number` does in `law`; inf if it stops dead."""
    if law == "exact":
        return number
    if law == "implicit":
        return math.log1p(number * dt) / dt
    kept = 1.0 - (number * dt if law == "explicit" else number)
    return -math.log(kept) / dt if kept > 0.0 else math.inf


def number_of(law: str, rate: float, dt: float) -> float:
    """The number that in `law` slows as much in a tick as the exact law at `rate` (1/s)."""
    if law == "exact":
        return rate
    if law == "implicit":
        return math.expm1(rate * dt) / dt
    taken = -math.expm1(-rate * dt)
    return taken / dt if law == "explicit" else taken


def converted(body: Body, law: str, dt: float) -> Body:
    """The body in another damping law that slows as much at this tick rate."""
    rates = [rate_of(body.damping_law, number, dt) for number in (body.damping, body.spin_damping)]
    numbers = [number_of(law, rate if math.isfinite(rate) else 40.0 / dt, dt) for rate in rates]
    return body.replace(damping_law=law, damping=numbers[0], spin_damping=numbers[1])


def told_of(craft: Craft, ground: Ground, ticks: int) -> dict[str, tuple[str, tuple[str, ...]]]:
    """The heading and the outlook of every body of a craft ("body", then the further ones by name) and of its parts."""
    names = ("", *(one.id for one in craft.bodies))
    settings = {name: setting_of(craft, ground, ticks, None, name) for name in names}
    found = {"body": ("Body", body_outlook(craft.body, settings[""]))}
    found |= {one.id: (one.heading, body_outlook(one, settings[one.id])) for one in craft.bodies}
    parts = craft.working_parts
    return found | {part.id: (part.heading, tuple(part.outlook(settings[part.carried_by]))) for part in parts}


def body_outlook(body: Body, setting: Setting) -> tuple[str, ...]:
    """The outlook of mass and damping: weight, half-lives, glide distance; how it swings on its supports."""
    if setting.modes:
        swings = " · ".join(
            f"{name} {show(rate / math.tau, 'Hz')}, {100.0 * share:.0f} %" for name, rate, share in setting.modes
        )
        return (f"{swings} of critical damping",)
    lines = []
    rate = rate_of(body.damping_law, body.damping, setting.dt)
    spin_rate = rate_of(body.damping_law, body.spin_damping, setting.dt)
    if rate > 0.0:
        far = f", glides {show(setting.last_speed / rate, 'm')}" if setting.last_speed else ""
        lines.append(f"speed halves in {show(math.log(2.0) / rate, 's')}{far}")
    else:
        lines.append(coast_words(setting))
    if spin_rate > 0.0:
        lines.append(f"spin halves in {show(math.log(2.0) / spin_rate, 's')}")
    else:
        lines.append("nothing damps the spin")
    return tuple(lines)


def coast_words(setting: Setting) -> str:
    """The distance in which it stops by friction and drag alone: closed form of v' = -(k v2 + F) / m from the last
    speed."""
    speed = setting.last_speed
    if speed <= 0.0:
        return f"weighs {show(setting.weight, 'N')}"
    square, friction, mass = setting.square_drag, setting.friction, setting.moves
    if friction <= 0.0:
        slows = square > 0.0 or setting.linear_drag > 0.0
        return "only the air slows it: it never quite stops" if slows else "nothing slows it: it never stops"
    if square <= 0.0:
        return f"coasts {show(mass * speed**2 / (2 * friction), 'm')} from {show(speed, 'm/s')}"
    path = mass / (2.0 * square) * math.log1p(square * speed**2 / friction)
    return f"coasts {show(path, 'm')} from {show(speed, 'm/s')}"


def dial_note(setting: Setting, kind: str, name: str, body: Body | None = None) -> str:
    """The law conversion and like notes that stand beside a single dial."""
    if kind == "body" and name in ("damping", "spin_damping") and body is not None:
        number = getattr(body, name)
        rate = rate_of(body.damping_law, number, setting.dt)
        if not math.isfinite(rate):
            return "stops dead in one tick"
        others = [
            f"{law.replace('_', ' ')} {number_of(law, rate, setting.dt):.4g}"
            for law in ("exact", "implicit", "explicit", "per_tick")
            if law != body.damping_law
        ]
        return " = ".join(others)
    return ""


def top_speed(setting: Setting) -> float:
    """m/s at which thrust meets friction and drag; inf when nothing slows it, 0 when it cannot start."""
    net = setting.thrust - setting.friction
    if net <= 0.0:
        return 0.0
    return approach(net, setting.square_drag, setting.linear_drag, setting.damping, setting.moves)[0]
