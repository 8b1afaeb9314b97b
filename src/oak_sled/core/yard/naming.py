"""Ids: free ones, and lists without duplicates."""

import re
from typing import Any


def free_name(wanted: str, taken: Any) -> str:
    """An id of the words `wanted`, or the next of wanted_2, wanted_3 ... that is not taken."""
    names = {item.id for item in taken}
    wanted = re.sub("[^a-z0-9]+", "_", wanted.lower()).strip("_")[:40]
    if wanted not in names:
        return wanted
    stem = (wanted.rstrip("0123456789").rstrip("_") or wanted)[:35]  # a name holds 40 characters
    return next(name for number in range(2, 10_000) if (name := f"{stem}_{number}") not in names)


def unique(where: str, items: Any) -> None:
    """Raises ValueError when an id stands twice among `items`."""
    seen: set[str] = set()
    for item in items:
        if item.id in seen:
            raise ValueError(f"{where}.{item.id}: the id stands twice (give each its own)")
        seen.add(item.id)
