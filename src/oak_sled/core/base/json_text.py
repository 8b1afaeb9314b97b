"""JSON as the program writes it: a value a line, so that it diffs well; very long lists of knots in little time.

The encoder of the standard library takes ten seconds for a million knots when it writes a value a line. Here those
lists are written by themselves, and put into its text where a mark stands: not a byte differs.
"""

from __future__ import annotations

import json
import math
import secrets
from typing import Any

MANY = 1000
"""Entries from which on a list of knots is written by itself."""
_KNOT = {"t", "value"}


def text_of(data: Any) -> str:
    """JSON in lines; raises ValueError for what it cannot hold, such as an infinity."""
    marked = _Marked()
    text = json.dumps(marked.swapped(data, 0), indent=1, ensure_ascii=False, allow_nan=False)
    for mark, knots in marked.lists.items():
        text = text.replace(f'"{mark}"', knots)
    return text + "\n"


class _Marked:
    """Data with a mark in the place of each long list of knots. lists : what stands there, by the marks."""

    def __init__(self) -> None:
        self.lists: dict[str, str] = {}
        self._seal = secrets.token_hex(12)

    def swapped(self, data: Any, depth: int) -> Any:
        """The data with its marks; what holds none is the same object."""
        if isinstance(data, dict):
            return {key: self.swapped(value, depth + 1) for key, value in data.items()}
        if not isinstance(data, list) or not data or not isinstance(data[0], dict):
            return data
        if len(data) < MANY or not all(isinstance(one, dict) and one.keys() == _KNOT for one in data):
            return [self.swapped(one, depth + 1) for one in data]
        mark = f"{self._seal}-{len(self.lists)}"
        self.lists[mark] = _knots(data, depth)
        return mark


def _knots(data: list[dict[str, float]], depth: int) -> str:
    """A list of knots that stands `depth` levels down."""
    numbers = [(one["t"], one["value"]) for one in data]
    if not all(isinstance(t, float) and isinstance(v, float) for t, v in numbers):
        numbers = [(float(t), float(v)) for t, v in numbers]
    if not all(math.isfinite(t) and math.isfinite(v) for t, v in numbers):
        raise ValueError("Out of range float values are not JSON compliant")
    outer, inner = "\n" + " " * (depth + 1), "\n" + " " * (depth + 2)
    made = [f'{{{inner}"t": {t!r},{inner}"value": {v!r}{outer}}}' for t, v in numbers]
    return f"[{outer}" + f",{outer}".join(made) + "\n" + " " * depth + "]"
