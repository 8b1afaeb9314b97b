"""Figures of tuning: known numbers of demo crafts are hidden by random changes, and found again.

Each task is tuned from the same start, within the same bounds and tries, by two plain methods of SciPy as well: bounded
least squares with slopes from differences, and Nelder and Mead's simplex.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares, minimize

from oak_sled.bench.lines import line
from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused
from oak_sled.core.feel import character, movable, quantities, searching, tune, words
from oak_sled.core.feel import goal as goals
from oak_sled.core.feel.goal import Goal
from oak_sled.core.feel.tryout import Scale, Tryout
from oak_sled.core.project import demos
from oak_sled.core.yard.spreads import Scatter
from oak_sled.core.yard.wish import Wish
from oak_sled.core.yard.yard import Yard

CRAFTS = (
    ("fan-sled", "fan_sled"), ("ferry", "ferry"), ("ice-truck", "truck"), ("hopper", "blower"),
    ("bush-plane", "ski_plane"), ("survey-copter", "survey_copter"), ("sledge-train", "tug"),
    ("bollard-turn", "mail_sled"), ("mail-pod", "bare_pod"), ("floe-probe", "probe"),
)  # fmt: skip
EACH = 2
"""Tasks of a craft."""
HIDDEN, ABOUT = 6, 0.6
"""Dials that are changed, and by which power of e at most."""
TRIES = 250
AIM_MET, AIM_TRIES = 18, 1.5


@dataclass(frozen=True)
class Task:
    """A craft whose numbers were changed, and the word that it fitted before."""

    name: str
    yard: Yard
    craft: str
    paths: tuple[str, ...]
    goal: Goal


def tasks(each: int = EACH) -> list[Task]:
    """The tasks; their seeds are their numbers."""
    found = []
    for number in range(each * len(CRAFTS)):
        name, craft = CRAFTS[number % len(CRAFTS)]
        rng = np.random.default_rng(1000 + number)
        yard = demos.load(name)
        word = felt_alike(words.like(dict(character.of(yard, craft).values), "as_it_was"))
        job = job_of(yard, yard.drill(), craft)
        free = [path for path, value in movable.free_dials(yard, job) if value > 0.0]
        title = f"{name} {number // len(CRAFTS) + 1}"
        while True:  # until the documents take the numbers together
            paths = tuple(free[int(k)] for k in rng.permutation(len(free))[:HIDDEN])
            scales = [movable.scale_of(yard, path) for path in paths]
            moved = [(scale.path, scale.value(_within(scale, rng.uniform(-ABOUT, ABOUT)))) for scale in scales]
            try:
                hidden = yard.edit_all(moved)
            except Refused:
                continue
            break
        found.append(Task(title, hidden, craft, paths, Goal(((word, 1.0),))))
    return found


def felt_alike(word: Wish) -> Wish:
    """A word with bands twice as wide: a difference that is felt to either side."""
    bands = []
    for band in word.bands:
        half = 0.5 * quantities.known(band.quantity).size
        low = None if band.low is None else band.low - half
        bands.append(band.replace(low=low, high=None if band.high is None else band.high + half))
    return word.replace(bands=tuple(bands))


def _within(scale: Scale, power: float) -> float:
    value = scale.first * float(np.exp(power))
    return scale.place(min(max(value, scale.low), scale.high))


def ours(task: Task) -> int | None:
    """Tries until all is met; None where it is not."""
    found = tune.tune(task.yard, task.goal, task.craft, dials=task.paths, most=TRIES)
    return found.tries if found.is_met else None


class _Met(Exception):
    """All is met."""


class _Spent(Exception):
    """No tries are left."""


def plain(task: Task, method: Callable[[Callable[[Floats], Floats], Floats, Floats], object]) -> int | None:
    """The same by a plain method. method : called with residuals, and bounds of shape (n,)."""
    yard = task.yard
    terms = task.goal.terms(yard)
    scales = movable.scales_of(yard, yard.bench.drill, task.craft, task.paths)
    tryout = Tryout.of(yard, task.craft, yard.bench.drill, terms, Scatter())

    def residuals(place: Floats) -> Floats:
        repeats = tryout.values(scales, [place])[0]
        if tryout.tries > TRIES:
            raise _Spent
        if repeats is None:
            return np.full(len(terms), goals.MISSED)
        if (goals.misses(terms, repeats[0]) <= searching.MET).all():
            raise _Met
        return goals.residuals(terms, repeats[0])

    low = np.array([scale.place(scale.low) for scale in scales])
    high = np.array([scale.place(scale.high) for scale in scales])
    try:
        method(residuals, low, high)
    except _Met:
        return tryout.tries
    except _Spent:
        return None
    return None


def by_least_squares(residuals: Callable[[Floats], Floats], low: Floats, high: Floats) -> object:
    """SciPy's bounded least squares."""
    return least_squares(residuals, np.zeros(len(low)), bounds=(low, high), diff_step=searching.STEP, max_nfev=TRIES)


def by_simplex(residuals: Callable[[Floats], Floats], low: Floats, high: Floats) -> object:
    """SciPy's simplex of Nelder and Mead."""

    def cost(place: Floats) -> float:
        found = residuals(place)
        return float(found @ found)

    bounds = list(zip(low.tolist(), high.tolist(), strict=True))
    return minimize(cost, np.zeros(len(low)), method="Nelder-Mead", bounds=bounds, options={"maxfev": TRIES})


def tuning(each: int = EACH) -> None:
    """Prints in how many tasks all was met again, and the tries that took against the better of the plain methods."""
    every = tasks(each)
    mine = [ours(task) for task in every]
    plains = [[plain(task, method) for method in (by_least_squares, by_simplex)] for task in every]
    best = [min(TRIES if one is None else one for one in pair) for pair in plains]
    met = sum(one is not None for one in mine)
    other = sum(any(one is not None for one in pair) for pair in plains)
    spent = sum(TRIES if one is None else one for one in mine)
    aim = f"aim {AIM_MET * len(every) / (EACH * len(CRAFTS)):.0f} met"
    line("tuned again after 6 dials changed", f"{met} of {len(every)}", f"plain {other}", met / len(every), aim)
    against = f"the better plain method {sum(best)}"
    line("tries it took", str(spent), against, spent / sum(best), f"aim {AIM_TRIES}")
