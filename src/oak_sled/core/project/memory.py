"""The memory that the runs of cards may take together, whoever holds the cards: the shelf, or the history of it.

Those that were not looked at for longest go first: a drill is run again when it is wanted, a drive is put on disk and
read from there. What is in sight is let be and not counted.
"""

from __future__ import annotations

import logging
import os
import threading
import weakref
from collections.abc import Callable, Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Protocol

from oak_sled.core.base.faults import Refused
from oak_sled.core.results.record import Record
from oak_sled.core.results.run import Run

log = logging.getLogger("oak_sled")

DEFAULT_MB = 512
Runs = Callable[[], Iterable[Run]]


class Holder(Protocol):
    """A holder of a run in memory that can release it."""

    @property
    def ready(self) -> Run | None:
        """The run, if it is in memory."""

    def release(self) -> None:
        """Lets go of its memory, or as much of it as can be had again."""


def _megabytes() -> int:
    """The bound that the user set, MB."""
    word = os.environ.get("OAK_SLED_MEMORY", "")
    return int(word) if word.isascii() and word.isdecimal() and len(word) < 8 else DEFAULT_MB


class Budget:
    """Holders in the order in which they were used, and the bound on what they hold. Safe to use from any thread."""

    def __init__(self, most: int):
        self.most = most
        self.to_disk: Callable[[Record], Record] | None = None
        """Puts a record on disk and gives it as it lies there; set by whoever knows where. Raises `Refused`."""
        self.in_sight: Runs = tuple
        """Runs that stay whatever they take."""
        self.drawn: Runs = tuple
        """Runs that are drawn beside those: they count, and whoever draws them sees that they fit."""
        self._held: dict[int, weakref.ref[Holder]] = {}
        self._lock = threading.RLock()
        self._pool: ThreadPoolExecutor | None = None
        self._leaving: dict[int, Future[None]] = {}

    def use(self, holder: Holder) -> None:
        """A holder has a run, and is used now."""
        key = id(holder)
        with self._lock:
            self._held.pop(key, None)
            self._held[key] = weakref.ref(holder, lambda gone: self._drop(key, gone))
        self.settle(holder)

    def _drop(self, key: int, gone: weakref.ref[Holder]) -> None:
        with self._lock:
            if self._held.get(key) is gone:
                del self._held[key]

    def holders(self) -> list[tuple[Holder, Run]]:
        """The holders of runs, the one that was not used for longest first."""
        with self._lock:
            found = [one() for one in list(self._held.values())]
        runs = [(holder, holder.ready) for holder in found if holder is not None]
        return [(holder, made) for holder, made in runs if made is not None]

    def taken(self) -> int:
        """Bytes that runs of cards and what is drawn beside take, without those in sight."""
        return sum(self._sizes().values())

    def fits(self, runs: Iterable[Run], more: int = 0) -> bool:
        """True if so many runs, and `more` bytes, may be drawn at once."""
        return sum({id(made.record): made.nbytes for made in runs}.values()) + more <= self.most

    def _sizes(self) -> dict[int, int]:
        """Bytes of each record that counts."""
        seen = {id(made.record) for made in self.in_sight()}
        runs = [*(made for _, made in self.holders()), *self.drawn()]
        return {id(made.record): made.nbytes for made in runs if id(made.record) not in seen}

    def settle(self, but: Holder | None = None) -> None:
        """Lets runs go until the rest is within the bound; in a thread of its own, since it may write to disk.

        but : who was just given its run, and is about to be asked for it.
        """
        used = {id(made.record) for made in (*self.in_sight(), *self.drawn())}
        found = [(holder, made) for holder, made in self.holders() if id(made.record) not in used and holder is not but]
        with self._lock:
            left = sum(size for record, size in self._sizes().items() if record not in self._leaving)
            for holder, made in found:
                if left <= self.most:
                    break
                if id(made.record) not in self._leaving:
                    left -= made.nbytes
                    self._leaving[id(made.record)] = self._pooled().submit(self._release, holder, made)

    def _pooled(self) -> ThreadPoolExecutor:
        if self._pool is None:
            self._pool = ThreadPoolExecutor(1, thread_name_prefix="oak-sled-memory")
        return self._pool

    def _release(self, holder: Holder, made: Run) -> None:
        try:
            holder.release()
        except Refused as refused:  # a full disk: it stays, and the next one is tried
            log.debug("a run stays in memory: %s", refused)
        finally:
            with self._lock:
                self._leaving.pop(id(made.record), None)

    def wait(self) -> None:
        """Waits until what is on its way out has gone."""
        with self._lock:
            going = list(self._leaving.values())
        for one in going:
            one.result()


BUDGET = Budget(_megabytes() * 1_000_000)
"""That of this process."""
