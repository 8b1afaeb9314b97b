"""Everything derived from a run, kept beside it: each result is computed once, whichever thread asks first."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import Any, TypeVar, cast

import numpy as np

T = TypeVar("T")


class Analysis:
    """Results by their keys. The worker and the window may ask at once."""

    def __init__(self) -> None:
        self._found: dict[Hashable, Any] = {}
        self._lock = threading.RLock()  # a result may be made of others

    def once(self, key: Hashable, compute: Callable[[], T]) -> T:
        """The result of that key, computed if it is not there. What is raised is not kept."""
        if key not in self._found:
            with self._lock:
                if key not in self._found:
                    self._found[key] = compute()
        return cast("T", self._found[key])

    def newest(self, key: Hashable, of: object, compute: Callable[[], T]) -> T:
        """The result of that key and of what it is made of: one alone is kept, so that a dial which is dragged through
        many does not fill the memory."""
        with self._lock:
            kept = self._found.get(key)
            if kept is None or kept[0] != of:
                kept = self._found[key] = (of, compute())
        return cast("T", kept[1])

    def knows(self, key: Hashable) -> bool:
        """True if the result of that key is there."""
        return key in self._found

    @property
    def nbytes(self) -> int:
        """Bytes of the arrays among them that are nobody else's."""
        return sum(_bytes_of(one) for one in list(self._found.values()))


def _bytes_of(value: Any) -> int:
    """Bytes of arrays, in tuples or lists too; a view is its owner's."""
    if isinstance(value, np.ndarray):
        return value.nbytes if value.base is None else 0
    return sum(_bytes_of(one) for one in value) if isinstance(value, tuple | list) and len(value) < 100 else 0
