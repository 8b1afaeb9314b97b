"""Explains a tuning: what each move bought, how few moves would do, which terms fight, and which part would help.

Each is found by trying, with the very tries of the tuning: nothing is read off a model.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dials
from oak_sled.core.base.faults import Refused
from oak_sled.core.feel import goal as goals
from oak_sled.core.feel import roles
from oak_sled.core.feel.goal import Term
from oak_sled.core.feel.movable import scale_of
from oak_sled.core.feel.searching import MET, STEP, stay
from oak_sled.core.feel.tryout import Scale, Tryout, Values
from oak_sled.core.feel.tune import Move, Tuned
from oak_sled.core.parts import register
from oak_sled.core.parts.common import Part
from oak_sled.core.project import fitting
from oak_sled.core.study import descent
from oak_sled.core.yard.yard import Yard

POLISH, PART_STEPS, FRONT_STEPS = 2, 2, 4
"""Steps of least squares after a dial was put back, with a new part, and for a point of a trade-off."""
FIGHT = -0.35
"""Cosine of the slopes of two terms below which getting nearer to one costs the other."""
NEAR = 0.4
"""Fades from the end of its band within which a term that is met is felt by another."""
RATIOS = (0.03, 0.2, 1.0, 5.0, 30.0)
"""Weights of one term against another along a trade-off."""
HELPS = 0.15
"""Share of what is left that a new part must take to be told."""
OF_A_PART = 4
"""Dials of a new part that are tried."""

Told = Callable[[int, int], object]
"""Called with what is done, of how much; may raise to end it."""


@dataclass(frozen=True)
class Bought:
    """A move, and what would be left, in squared fades, if it were put back; the terms that would be missed then."""

    move: Move
    left: float
    lost: tuple[Term, ...]


@dataclass(frozen=True)
class Fewer:
    """The best that so many moves do. left : in squared fades; met : terms met. values : what it shows."""

    moves: tuple[Move, ...]
    left: float
    met: int
    values: Values
    yard: Yard


@dataclass(frozen=True)
class Fight:
    """Two terms of which each costs the other. cosine : of their slopes, -1 for straight against each other."""

    one: Term
    other: Term
    cosine: float


@dataclass(frozen=True)
class Point:
    """A point of a trade-off: what two terms show, and the yard."""

    one: float | None
    other: float | None
    left: float
    yard: Yard


@dataclass(frozen=True)
class Help:
    """A part that would help. left : in squared fades with it, its dials tuned a little. yard : with it fitted."""

    title: str
    left: float
    met: int
    yard: Yard


def _left(tuned: Tuned, values: Values) -> float:
    told = goals.residuals(tuned.terms, values)
    return float(told @ told)


def _lost(tuned: Tuned, values: Values) -> tuple[Term, ...]:
    now, then = goals.misses(tuned.terms, tuned.values), goals.misses(tuned.terms, values)
    return tuple(term for term, a, b in zip(tuned.terms, now, then, strict=True) if b > MET and b > a + 1e-6)


def _moved(tuned: Tuned) -> list[int]:
    """The numbers of the scales that were moved."""
    paths = [move.path for move in tuned.moves]
    return [k for k, scale in enumerate(tuned.scales) if scale.path in paths]


def bought(tuned: Tuned) -> tuple[Bought, ...]:
    """Each move put back alone, the one that bought most first."""
    moved = _moved(tuned)
    places = []
    for k in moved:
        place = tuned.place.copy()
        place[k] = tuned.scales[k].place(_before(tuned, k))
        places.append(place)
    found = []
    for k, repeats in zip(moved, tuned.tryout.values(tuned.scales, places), strict=True):
        if repeats is not None:
            move = next(one for one in tuned.moves if one.path == tuned.scales[k].path)
            found.append(Bought(move, _left(tuned, repeats[0]), _lost(tuned, repeats[0])))
    return tuple(sorted(found, key=lambda one: -one.left))


def _before(tuned: Tuned, k: int) -> float:
    return next(one.before for one in tuned.moves if one.path == tuned.scales[k].path)


def fewest(tuned: Tuned, told: Told = lambda done, of: None) -> tuple[Fewer, ...]:
    """The best that fewer and fewer moves do, from all of them down to none: the move that is missed least is put back
    first, and the others are moved a little to make up for it."""
    kept, place = _moved(tuned), tuned.place.copy()
    found = [_fewer(tuned, kept, place, tuned.values)]
    count = len(kept)
    while kept:
        told(count - len(kept), count)
        tries = []
        for k in kept:
            tried = place.copy()
            tried[k] = tuned.scales[k].place(_before(tuned, k))
            tries.append(tried)
        shown = tuned.tryout.values(tuned.scales, tries)
        costs = [np.inf if one is None else _left(tuned, one[0]) for one in shown]
        best = int(np.argmin(costs))
        if not np.isfinite(costs[best]):
            break
        place, kept = tries[best], [k for k in kept if k != kept[best]]
        if kept and costs[best] > 0.0:
            place = _polished(tuned.tryout, tuned.scales, kept, place, POLISH)
        repeats = tuned.tryout.values(tuned.scales, [place])[0]
        assert repeats is not None
        found.append(_fewer(tuned, kept, place, repeats[0]))
    return tuple(found)


def _fewer(tuned: Tuned, kept: list[int], place: Floats, values: Values) -> Fewer:
    moves = tuple(
        Move(scale.path, _before(tuned, k), scale.value(float(place[k])))
        for k, scale in enumerate(tuned.scales)
        if k in kept
    )
    met = int((goals.misses(tuned.terms, values) <= MET).sum())
    return Fewer(moves, _left(tuned, values), met, values, tuned.tryout.yard_at(tuned.scales, place))


def _polished(tryout: Tryout, scales: tuple[Scale, ...], free: list[int], place: Floats, most: int) -> Floats:
    """A place made better by least squares over some of its scales."""
    price = stay(tryout)

    def whole(part: Floats) -> Floats:
        made = place.copy()
        made[free] = part
        return made

    def residuals(part: Floats) -> Floats | None:
        told = tryout.residuals(scales, whole(part))
        return None if told is None else np.concatenate([told, price * part])

    def slopes(part: Floats, now: Floats) -> Floats:
        steps = [
            STEP if at + STEP <= scales[k].place(scales[k].high) else -STEP for k, at in zip(free, part, strict=True)
        ]
        moved = [whole(part + step * np.eye(len(part))[k]) for k, step in enumerate(steps)]
        found = np.zeros((len(now), len(free)))
        for k, (step, other) in enumerate(zip(steps, tryout.many(scales, moved), strict=True)):
            if other is not None:
                moves = price * (part + step * np.eye(len(part))[k])
                found[:, k] = (np.concatenate([other, moves]) - now) / step
        return found

    ends = [(scales[k].place(scales[k].low), scales[k].place(scales[k].high)) for k in free]
    bounds = np.array([max(low, -30.0) for low, _ in ends]), np.array([min(high, 30.0) for _, high in ends])
    best, _ = descent.descend(place[free], bounds, residuals, slopes, most, enough=1e-9, most_damping=1e2)
    return whole(best)


# what fights


def fights(tuned: Tuned) -> tuple[Fight, ...]:
    """Pairs of terms that cost each other, the worst first: one that is missed, and one that is missed or near the end
    of its band."""
    free = _moved(tuned) or list(range(len(tuned.scales)))
    steps = [STEP if _up(tuned, k) else -STEP for k in free]
    places = []
    for k, step in zip(free, steps, strict=True):
        moved = tuned.place.copy()
        moved[k] += step
        places.append(moved)
    away = np.array([_away(term, tuned.values.get(term.band.name)) for term in tuned.terms])
    slopes = np.zeros((len(tuned.terms), len(free)))
    for column, (step, repeats) in enumerate(zip(steps, tuned.tryout.values(tuned.scales, places), strict=True)):
        if repeats is not None:
            then = np.array([_away(term, repeats[0].get(term.band.name)) for term in tuned.terms])
            slopes[:, column] = (then - away) / step
    found = []
    size = np.linalg.norm(slopes, axis=1)
    for i in np.flatnonzero(away > MET):
        for j in np.flatnonzero(away > -NEAR):
            if (away[j] > MET and j <= i) or i == j or min(size[i], size[j]) <= 1e-9:
                continue
            cosine = float(slopes[i] @ slopes[j] / (size[i] * size[j]))
            if cosine < FIGHT:
                found.append((float(away[i]) * -cosine, Fight(tuned.terms[i], tuned.terms[j], cosine)))
    return tuple(fight for _, fight in sorted(found, key=lambda one: -one[0]))


def _up(tuned: Tuned, k: int) -> bool:
    return bool(tuned.place[k] + STEP <= tuned.scales[k].place(tuned.scales[k].high))


def _away(term: Term, value: float | None) -> float:
    """Fades by which a value lies beyond its band, below 0 by how far it is inside."""
    if value is None:
        return goals.MISSED
    band = term.band
    below = -np.inf if band.low is None else (band.low - value) / band.fade
    above = -np.inf if band.high is None else (value - band.high) / band.fade
    return float(max(below, above))


def front(tuned: Tuned, fight: Fight, told: Told = lambda done, of: None) -> tuple[Point, ...]:
    """The trade-off of two terms that fight: from all for the one to all for the other."""
    free = _moved(tuned) or list(range(len(tuned.scales)))
    points = []
    for done, ratio in enumerate(RATIOS):
        told(done, len(RATIOS))
        weights = {fight.one.band.name: ratio, fight.other.band.name: 1.0 / ratio}
        terms = tuple(replace(term, weight=term.weight * weights.get(term.band.name, 1.0)) for term in tuned.terms)
        tryout = replace(tuned.tryout, terms=terms)
        place = _polished(tryout, tuned.scales, free, tuned.place.copy(), FRONT_STEPS)
        repeats = tryout.values(tuned.scales, [place])[0]
        assert repeats is not None
        shown = repeats[0]
        points.append(
            Point(
                shown.get(fight.one.band.name), shown.get(fight.other.band.name), _left(tuned, shown),
                tryout.yard_at(tuned.scales, place),
            )
        )  # fmt: skip
    return tuple(points)


# what part is missing


def parts_that_help(tuned: Tuned, told: Told = lambda done, of: None) -> tuple[Help, ...]:
    """Parts of kinds that the craft has none of, each fitted as it comes and its main dials tuned a little: those that
    take away much of what is left, the best first."""
    craft = tuned.yard.craft(tuned.craft)
    there = {type(part) for part in craft.parts}
    kinds = [kind.document for kind in register.KINDS if kind.document not in there]
    found = []
    for done, kind in enumerate(kinds):
        told(done, len(kinds))
        one = _helped(tuned, kind)
        if one is not None and one.left < (1.0 - HELPS) * tuned.left:
            found.append(one)
    return tuple(sorted(found, key=lambda one: one.left))


def _helped(tuned: Tuned, kind: type[Part]) -> Help | None:
    """The craft with a part of a kind; None where it cannot be fitted, or does nothing."""
    craft = tuned.yard.craft(tuned.craft)
    try:
        with_it, part = fitting.fitted(craft, kind)
        yard = tuned.yard.edit(f"crafts.{craft.id}", with_it.with_part(part)).replace(spreads=(), cameras=())
        known = roles.find(yard, tuned.craft, tuned.drill) if tuned.tryout.known is not None else None
        tryout = Tryout(yard, tuned.craft, tuned.drill, tuned.terms, known, tuned.tryout.scatter, tuned.tryout.threads)
        main = [dial for dial in dials(part) if dial.main and dial.name not in part.idle()][:OF_A_PART]
        scales = tuple(scale_of(yard, f"crafts.{craft.id}.parts.{part.id}.{dial.name}") for dial in main)
        place = np.zeros(len(scales))
        plain = tryout.values(scales, [place])[0]
    except Refused:
        return None
    if plain is None or _left(tuned, plain[0]) == tuned.left:
        return None
    if scales:
        place = _polished(tryout, scales, list(range(len(scales))), place, PART_STEPS)
    repeats = tryout.values(scales, [place])[0]
    assert repeats is not None
    met = int((goals.misses(tuned.terms, repeats[0]) <= MET).sum())
    return Help(kind.TITLE, _left(tuned, repeats[0]), met, tryout.yard_at(scales, place))
