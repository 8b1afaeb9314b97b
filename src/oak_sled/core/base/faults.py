"""Faults: what is wrong with an input, where, and what would be right.

Every refusal of the core is a `Refused`, which carries one `Fault` for everything that is
wrong, so that a file with four mistakes gives four faults at once. Nothing is repaired quietly.
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable
from dataclasses import dataclass

MOST_CHARACTERS = 300
"""Of the line of a fault."""


@dataclass(frozen=True)
class Fault:
    """One fault: the place, the finding, and what would be right."""

    where: str
    what: str
    right: str = ""

    def __str__(self) -> str:
        tail = f" ({self.right})" if self.right else ""
        return one_line(f"{self.where}: {self.what}{tail}")

    def told(self) -> dict[str, str]:
        """Its words, for JSON."""
        return {"where": self.where, "what": self.what, "right": self.right}


def one_line(text: str) -> str:
    """At most `MOST_CHARACTERS`; what an input holds of control characters is shown, not printed."""
    shown = "".join(c if c.isprintable() else ascii(c)[1:-1] for c in text[: 2 * MOST_CHARACTERS])
    return shown if len(shown) <= MOST_CHARACTERS else f"{shown[: MOST_CHARACTERS - 3]}..."


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
