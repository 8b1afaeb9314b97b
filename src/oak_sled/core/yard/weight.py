"""The memory that a document takes beyond another: frozen documents share what an edit did not touch."""

from __future__ import annotations

import sys
from typing import Any

from pydantic import BaseModel

LONG = 1000
"""Entries of a list from which on a sample of them stands for all."""
SAMPLE = 50
DOCUMENT = 400
"""Bytes of a document of a few fields: measured with tracemalloc for a knot of a track."""


def beyond(new: Any, old: Any) -> int:
    """Bytes of `new` that `old` does not hold, about right: what is the very same object in both counts nothing."""
    if new is old:
        return 0
    if isinstance(new, BaseModel):
        known = old if type(old) is type(new) else None
        fields = type(new).model_fields
        return DOCUMENT + sum(beyond(getattr(new, name), getattr(known, name, None)) for name in fields)
    if isinstance(new, tuple):
        return sys.getsizeof(new) + _entries(new, old if isinstance(old, tuple) else ())
    if isinstance(new, dict):
        return sys.getsizeof(new) + sum(beyond(value, None) for value in new.values())
    return 0 if new is None or isinstance(new, bool) else sys.getsizeof(new)


def _entries(new: tuple[Any, ...], old: tuple[Any, ...]) -> int:
    """Bytes of the entries that the old list does not hold, wherever they stand in it."""
    known = {id(one) for one in old}
    fresh = [one for one in new if id(one) not in known]
    if len(fresh) > LONG:
        sample = fresh[:: len(fresh) // SAMPLE]
        return sum(beyond(one, None) for one in sample) * len(fresh) // len(sample)
    places = {getattr(one, "id", None): one for one in old} if len(old) <= LONG else {}
    return sum(beyond(one, places.get(getattr(one, "id", None))) for one in fresh)
