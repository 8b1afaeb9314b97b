"""Runs that can be ended from outside: the loop over ticks reads a word before each of them, and writes how far it is
(see `loop.is_stopped`).

A word belongs to the thread that runs, or to a leash that it holds. Nothing else of a run depends on it, so that it is
the same to the bit with any word.
"""

from __future__ import annotations

import threading
import weakref
from types import TracebackType

import numpy as np

from oak_sled.core.base.arrays import Ints

STOP, DONE = 0, 1
"""Places in a word: not 0 to end the run; ticks that are done."""
_LINE = 16
"""Numbers of a word: as much memory as a processor hands about as one, so that threads do not disturb each other."""


class Stopped(Exception):
    """A run was ended from outside, and has no result."""


class Leash:
    """Ends the runs of a thread from another, and tells how far they are. Runs inside `with leash:` are held by it."""

    def __init__(self) -> None:
        self.word = _new_word()
        self._before: list[tuple[Ints, Leash | None]] = []
        self._lent: list[Leash] = []

    def stop(self) -> None:
        """Ends what runs, and what would begin."""
        self.word[STOP] = 1
        for one in self._lent:
            one.stop()

    def lend(self) -> Leash:
        """A leash for another thread that does a part of the work: it is ended with this one."""
        made = Leash()
        self._lent.append(made)
        if self.is_stopped:
            made.stop()
        return made

    @property
    def is_stopped(self) -> bool:
        """True if `stop` was called."""
        return bool(self.word[STOP])

    @property
    def done(self) -> int:
        """Ticks of the run under way that are done."""
        return int(self.word[DONE])

    def __enter__(self) -> Leash:
        self._before.append((word(), _here.leash))
        _here.word, _here.leash = self.word, self
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        _here.word, _here.leash = self._before.pop()


class _Here(threading.local):
    word: Ints | None = None
    leash: Leash | None = None


_here = _Here()
_words: weakref.WeakValueDictionary[int, Ints] = weakref.WeakValueDictionary()
"""All words that somebody still has."""


def _new_word() -> Ints:
    made = np.zeros(_LINE, np.int64)
    _words[id(made)] = made
    return made


def word() -> Ints:
    """The word of this thread, shape (1,): that of the leash that holds it, or its own."""
    if _here.word is None:
        _here.word = _new_word()
    return _here.word


def lent() -> Leash:
    """A leash for a thread that works for this one: it is ended with this one's, where this one has any."""
    return Leash() if _here.leash is None else _here.leash.lend()


def stop_all() -> None:
    """Ends the runs of all threads: the program is to end."""
    for one in list(_words.values()):
        one[STOP] = 1


def let_all_go() -> None:
    """Takes `stop_all` back."""
    for one in list(_words.values()):
        one[STOP] = 0
