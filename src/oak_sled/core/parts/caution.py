"""A caution: a finding about a setup or its last run."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Remedy:
    """What mends a finding in one step. words : of the button that does it. changes : paths below the craft, and the
    values that they take."""

    words: str
    changes: tuple[tuple[str, Any], ...]


@dataclass(frozen=True)
class Caution:
    """A finding. where : path of the part or dial below the craft ("parts.fan"), or "" for the run. remedy : what mends
    it, where that is known."""

    name: str
    where: str
    says: str
    helps: str
    remedy: Remedy | None = None

    def __str__(self) -> str:
        place = self.where.removeprefix("parts.")
        return f"{place + ': ' if place else ''}{self.says}; {self.helps}"
