"""A caution: a finding about a setup or its last run."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Caution:
    """A finding. where : path of the part or dial below the craft ("parts.fan"), or "" for the run."""

    name: str
    where: str
    says: str
    helps: str

    def __str__(self) -> str:
        place = self.where.removeprefix("parts.")
        return f"{place + ': ' if place else ''}{self.says}; {self.helps}"
