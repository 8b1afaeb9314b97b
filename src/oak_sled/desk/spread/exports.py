"""Results of a spread that leave for a file: a table, and a picture of the map."""

from __future__ import annotations

import functools
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog

from oak_sled.core.base import disk
from oak_sled.core.base.faults import Refused
from oak_sled.core.results import measures
from oak_sled.core.study import map_picture, spread
from oak_sled.core.yard.spreads import Spread
from oak_sled.desk.work import folders

if TYPE_CHECKING:
    from oak_sled.desk.spread.page import SpreadPage


def ask_csv(page: SpreadPage) -> None:
    """Asks where the table goes."""
    _ask_file(page, "Results of the spread", "CSV files (*.csv)", ".csv", functools.partial(write_csv, page))


def ask_picture(page: SpreadPage) -> None:
    """Asks where the picture goes."""
    _ask_file(page, "Picture of the map", "PNG pictures (*.png)", ".png", functools.partial(write_picture, page))


def _ask_file(page: SpreadPage, title: str, kinds: str, suffix: str, write: Callable[[Path], None]) -> None:
    plan = page.plan
    if plan is None or plan.results is None:
        page.session.say("compute the spread first", True)
        return
    name, _ = QFileDialog.getSaveFileName(page, title, folders.suggested(page.session, suffix, plan.id), kinds)
    if name:
        folders.remember(page.session, name)
        write(Path(name))


def _known(page: SpreadPage, plan: Spread) -> list[measures.Measure]:
    crafts = [one.id for craft in page.session.yard.crafts for one in craft.singles]
    return [measures.measure(name, crafts) for name in plan.measures]


def write_csv(page: SpreadPage, file: Path) -> None:
    """Writes the results as CSV; what cannot be written is said."""
    plan = page.plan
    if plan is not None:
        _write(page, file, lambda: disk.write_whole(file, spread.csv_of(plan, _known(page, plan)).encode()))


def write_picture(page: SpreadPage, file: Path) -> None:
    """Writes the map as PNG."""
    plan = page.plan
    if plan is not None:
        _write(page, file, lambda: map_picture.write(file, plan, _known(page, plan), page.measure))


def _write(page: SpreadPage, file: Path, write: Callable[[], object]) -> None:
    try:
        write()
    except Refused as refused:
        page.session.say(str(refused.faults[0]), True)
    else:
        page.session.say(f"wrote {file.name}")
