"""Faults: what is wrong with an input, where, and what would be right.

Every refusal of the core is a `Refused`, which carries one `Fault` for each thing that is
wrong, so that a file with four mistakes is told of four at once. Nothing is repaired quietly.
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True)
class Fault:
    """One thing that is wrong: the place, the finding, and what would be right."""

    where: str
    what: str
    right: str = ""

    def __str__(self) -> str:
        tail = f" ({self.right})" if self.right else ""
        return f"{self.where}: {self.what}{tail}"


class Refused(Exception):
    """An input that is not taken. `faults` holds at least one `Fault`."""

    def __init__(self, faults: Iterable[Fault]):
        self.faults = tuple(faults)
        super().__init__("\n".join(str(fault) for fault in self.faults))


def refuse(where: str, what: str, right: str = "") -> Refused:
    """A refusal of one fault, ready to be raised."""
    return Refused([Fault(where, what, right)])


def close_match(word: str, known: Iterable[str]) -> str:
    """A hint such as "did you mean fan? known: fan, air", for a name that is not known."""
    known = list(known)
    near = difflib.get_close_matches(word, known, n=1)
    hint = f"did you mean {near[0]}? " if near else ""
    return f"{hint}known: {', '.join(known) or 'none'}"
