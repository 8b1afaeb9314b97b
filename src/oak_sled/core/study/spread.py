"""Spread: a drill over a grid of dial values, the measures of each variant, as they come and on all cores.

Every variant is a run of documents of its own, and none knows of another: results are the same for any number of
threads. Disturbances follow from the seed and the number of the repeat, so that all variants meet the same ones.
"""

from __future__ import annotations

import hashlib
import os
import queue
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.assembly import world
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused, refuse
from oak_sled.core.results import measures, run
from oak_sled.core.results.measure import Measure
from oak_sled.core.study import variants
from oak_sled.core.study.variantrunner import MISSING, REFUSED, WILD, Hand, Stencils
from oak_sled.core.tick import stopping
from oak_sled.core.tick.stopping import Leash, Stopped
from oak_sled.core.yard.spreads import CARD, CRAFT, Spread, SpreadAxis, SpreadResults
from oak_sled.core.yard.yard import Yard

LOOK_S = 0.05
"""s after which it is looked whether a spread was cancelled."""
CHUNK = 4
"""Variants that a thread takes at a time."""


@dataclass(frozen=True)
class Progress:
    """Progress of a spread: runs done, of how many; and those that diverged or that were refused."""

    done: int
    of: int
    diverged: int
    refused: int


Found = Callable[[Progress, Sequence[int], Floats], None]
"""Called with the progress, the numbers of variants that are done, and their values, shape (n, 1 + repeats, measures);
by any thread, one at a time."""


def digest_of(yard: Yard, plan: Spread) -> str:
    """A fingerprint of all that decides the results of a spread: not of what the varied dials are now. Raises `Refused`
    where the yard has no more what it varies.

    What is as declared is left out, so that a field that documents get later leaves kept results as they were.
    """
    bare = plan.replace(results=None, title="", id="spread")
    seal = hashlib.sha256(bare.model_dump_json(exclude_defaults=True).encode())
    first = plan.values_of(0)
    crafts = next((axis.values for axis in plan.axes if axis.path in (CRAFT, CARD)), ("",))
    for name in crafts:
        pairs = zip(plan.axes, first, strict=True)
        values = [name if axis.path in (CRAFT, CARD) else value for axis, value in pairs]
        job = variants.job_for(yard, plan, values)
        for one in (job.craft, *job.others, job.ground, job.drill):
            seal.update(one.model_dump_json(exclude_defaults=True).encode())
        seal.update(f"{job.ticks} {job.integrator}".encode())
    return seal.hexdigest()[:32]


def order(plan: Spread) -> list[int]:
    """Variants in an order in which the whole grid is seen early: coarse first, then what lies between."""
    places = np.stack(np.unravel_index(np.arange(plan.variants), plan.shape), axis=1)
    rank = np.min([_coarseness(places[:, axis]) for axis in range(places.shape[1])], axis=0)
    return np.lexsort((np.arange(plan.variants), -rank)).tolist()


def _coarseness(places: np.ndarray) -> np.ndarray:
    """Number of times that 2 divides each place, up to 6; 0 counts as 6."""
    found = np.zeros(len(places), int)
    for power in range(1, 7):
        found += places % (1 << power) == 0
    return found


# computing


class Gathered:
    """The values of a spread as they come in, from any thread. found : see `Found`. Raises `Refused` where it cannot be
    computed at all."""

    def __init__(self, yard: Yard, plan: Spread, found: Found | None = None):
        self.yard, self.plan = yard.replace(spreads=()), plan.replace(results=None)
        self.values = np.full((plan.variants, 1 + plan.scatter.repeats, len(plan.measures)), np.nan)
        self.states = np.full((plan.variants, 1 + plan.scatter.repeats), MISSING, np.int8)
        """The end of each run, shape (variants, 1 + repeats): see DONE."""
        variants.check(self.yard, plan)
        self._found, self._lock, self._closed = found, threading.Lock(), False

    @property
    def done(self) -> int:
        """Runs that were done or refused."""
        return int(np.count_nonzero(self.states != MISSING))

    @property
    def finished(self) -> list[int]:
        """The variants of which all runs are done, in order."""
        return np.flatnonzero((self.states != MISSING).all(axis=1)).tolist()

    @property
    def shows_something(self) -> bool:
        """True if a run shows any of the measures."""
        return bool(np.isfinite(self.values).any())

    def close(self) -> None:
        """Takes no more: what still runs somewhere comes too late."""
        with self._lock:
            self._closed = True

    def take(self, numbers: Sequence[int], values: Floats, states: NDArray[np.int8]) -> None:
        """Values of variants, shape (n, 1 + repeats, measures), and how their runs ended, shape (n, 1 + repeats)."""
        with self._lock:
            if self._closed:
                return
            self.values[numbers], self.states[numbers] = values, states
            if self._found is not None:
                counts = np.bincount(self.states[self.states >= 0].astype(int), minlength=3)
                self._found(
                    Progress(self.done, self.plan.runs, int(counts[WILD]), int(counts[REFUSED])), numbers, values
                )

    def results(self) -> SpreadResults:
        """All values; raises `Refused` where no run shows any of its measures."""
        if not self.shows_something:
            raise _nothing_shown(self.yard, self.plan, int(np.count_nonzero(self.states == WILD)))
        return self.so_far()

    def so_far(self) -> SpreadResults:
        """The values that have come."""
        flat = [None if np.isnan(value) else value for value in self.values.reshape(-1).tolist()]
        ended = self.states.reshape(-1)
        return SpreadResults(
            made_of=digest_of(self.yard, self.plan),
            values=tuple(flat),
            diverged=tuple(np.flatnonzero(ended == WILD).tolist()),
            refused=tuple(np.flatnonzero(ended == REFUSED).tolist()),
        )


def compute(
    yard: Yard,
    plan: Spread,
    threads: int = 0,
    found: Found | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> SpreadResults | None:
    """Computes every variant; None where it was cancelled. Raises `Refused` where it cannot be computed at all, or
    where no run shows any of its measures.

    threads : 0 for one a core. found : see `Found`. cancelled : asked before every run.
    """
    gathered = Gathered(yard, plan, found)
    gather(gathered, threads, cancelled)
    return None if cancelled() else gathered.results()


def gather(gathered: Gathered, threads: int = 0, cancelled: Callable[[], bool] = lambda: False) -> None:
    """Computes every variant into `gathered`: see `compute`.

    Threads of its own, which nothing waits for where it is interrupted (Ctrl-C): what they are running is dropped.
    """
    yard, plan, lock = gathered.yard, gathered.plan, threading.Lock()
    left = iter(chunks(plan, CHUNK))
    world.compile_laws(variants.job_for(yard, plan, plan.values_of(0)))
    lent, stop = Stencils(), threading.Event()
    ended: queue.SimpleQueue[BaseException | None] = queue.SimpleQueue()

    def is_over() -> bool:
        return stop.is_set() or cancelled()

    def lend(hand: Hand) -> None:
        """One thread: takes variants until none is left."""
        while not is_over():
            with lock:
                numbers = next(left, None)
            if numbers is None:
                return
            made = hand.values_of(numbers, is_over)
            if made is None:
                return
            gathered.take(numbers, *made)

    def work(leash: Leash) -> None:
        try:
            with leash:
                lend(Hand(yard, plan, lent))
            ended.put(None)
        except Stopped:
            ended.put(None)
        except BaseException as error:
            ended.put(error)

    count = min(threads or os.cpu_count() or 1, plan.variants)
    leashes = [stopping.lent() for _ in range(count)]
    hands = [
        threading.Thread(target=work, args=(leash,), name=f"oak-sled-spread-{k}", daemon=True)
        for k, leash in enumerate(leashes)
    ]
    for hand in hands:
        hand.start()
    try:
        for _ in hands:
            error = _next(ended, lambda: _stop(leashes) if cancelled() else None)
            if error is not None:
                raise error
    except BaseException as error:
        stop.set()
        _stop(leashes)
        if not isinstance(error, KeyboardInterrupt):
            for hand in hands:
                hand.join()
        raise
    for hand in hands:
        hand.join()


def _stop(leashes: Sequence[Leash]) -> None:
    for leash in leashes:
        leash.stop()


def _next(ended: queue.SimpleQueue[BaseException | None], meanwhile: Callable[[], object]) -> BaseException | None:
    """The end of the next thread; `meanwhile` is called now and then."""
    while True:
        try:
            return ended.get(timeout=LOOK_S)
        except queue.Empty:
            meanwhile()


def chunks(plan: Spread, size: int) -> list[list[int]]:
    """The numbers of all variants in pieces, coarse first."""
    numbers = order(plan)
    return [numbers[k : k + size] for k in range(0, len(numbers), size)]


def _nothing_shown(yard: Yard, plan: Spread, diverged: int) -> Refused:
    if diverged == plan.runs:
        return refuse("axes", "every variant diverges", "a stretch nearer to what holds, or more ticks/s")
    first = measures.read_all(run.execute(variants.job_for(yard, plan, plan.values_of(0))))
    shown = [name for name, value in first.items() if value is not None]
    says = f"no variant of this drill shows {', '.join(plan.measures)}"
    return refuse("measures", says, f"one that it shows: {', '.join(shown)}")


def seconds_for(yard: Yard, plan: Spread, threads: int = 0) -> float:
    """s that a spread will take about, from two runs of its first and last variant."""
    hand = Hand(yard, plan.replace(scatter=plan.scatter.replace(repeats=0)))
    hand.values_of([0])
    began = time.perf_counter()
    hand.values_of([0, plan.variants - 1])
    each = 0.5 * (time.perf_counter() - began)
    return each * plan.runs / (threads or os.cpu_count() or 1)


def arrays_of(plan: Spread) -> Floats:
    """The results of a spread, shape (variants, 1 + repeats, measures), NaN where a run does not show one."""
    if plan.results is None:
        return np.full((plan.variants, 1 + plan.scatter.repeats, len(plan.measures)), np.nan)
    flat = [np.nan if value is None else value for value in plan.results.values]
    return np.array(flat).reshape(plan.variants, 1 + plan.scatter.repeats, len(plan.measures))


def is_current(yard: Yard, plan: Spread) -> bool:
    """True if its results are those of the yard as it is now, whatever the varied dials are."""
    return plan.results is not None and plan.results.made_of == digest_of(yard, plan)


def csv_of(plan: Spread, names: Sequence[Measure], finished: Sequence[int] | None = None) -> str:
    """The results as CSV: a row a run, the values of the axes, the repeat, how it ended (nothing, diverged or refused),
    and the measures with their units. finished : the variants to tell of; None for all."""
    heads = [axis.path for axis in plan.axes]
    heads += ["repeat"] if plan.scatter.repeats else []
    heads += ["status", *(f"{one.name} [{units.name_of(one.unit)}]" for one in names)]
    lines, values = [",".join(heads)], arrays_of(plan)
    diverged, refused = (
        set(runs) for runs in ((plan.results.diverged, plan.results.refused) if plan.results else ((), ()))
    )
    for number in range(plan.variants) if finished is None else finished:
        for repeat in range(1 + plan.scatter.repeats):
            pairs = zip(plan.axes, plan.values_of(number), strict=True)
            cells = [_cell(plan, axis, value) for axis, value in pairs]
            cells += [str(repeat)] if plan.scatter.repeats else []
            which = number * (1 + plan.scatter.repeats) + repeat
            cells.append("diverged" if which in diverged else "refused" if which in refused else "")
            cells += [
                "" if np.isnan(v) else repr(units.in_use().shown(float(v), one.unit)[0])
                for v, one in zip(values[number, repeat], names, strict=True)
            ]
            lines.append(",".join(cells))
    return "\n".join(lines) + "\n"


def _cell(plan: Spread, axis: SpreadAxis, value: float | str) -> str:
    """A value of an axis in a table: numbers as they are, cards by their headings."""
    if isinstance(value, float):
        return repr(value)
    text = plan.shown(axis, value) if axis.path == CARD else value
    return '"' + text.replace('"', '""') + '"' if any(one in text for one in ',"\n') else text
