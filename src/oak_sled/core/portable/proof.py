"""A test that travels with exported code."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Proof:
    """A test: its file and text, and the script that runs it."""

    file: str
    text: str
    script: str
