"""The list of part kinds that can be fitted, in groups, each with a line about it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QMenu

from oak_sled.core.parts.common import Part
from oak_sled.core.parts.register import KINDS


def groups() -> dict[str, list[type[Part]]]:
    """The kinds by the group that each says of itself, in the order of the register; aids last."""
    kinds: list[type[Part]] = [kind.document for kind in KINDS]
    aids = [kind for kind in kinds if kind.model_fields["aid"].default]
    found: dict[str, list[type[Part]]] = {}
    for kind in kinds:
        if kind not in aids:
            found.setdefault(kind.GROUP, []).append(kind)
    return {**found, "aids": aids}


def fill(menu: QMenu, fit: Callable[[type[Part]], object]) -> None:
    """Fills a menu with a list for each group; `fit` is called with the kind that is chosen."""
    for group, kinds in groups().items():
        inner = menu.addMenu(f"{group}  ·  {_titles(kinds)}")
        assert inner is not None
        for kind in kinds:
            inner.addAction(f"{kind.TITLE}  ·  {kind.EXPLAINS}", lambda kind=kind: fit(kind))


def _titles(kinds: list[type[Part]]) -> str:
    """Titles of a group, in a line."""
    return ", ".join(kind.TITLE.lower() for kind in kinds)
