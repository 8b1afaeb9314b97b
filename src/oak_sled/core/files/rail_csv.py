"""The knots of a rail as CSV: `x [m], y [m], z [m], bank [deg]`, a row a knot, out and in again."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence
from pathlib import Path

from oak_sled.core.base import disk
from oak_sled.core.base.faults import refuse
from oak_sled.core.yard.rail import MOST_KNOTS, Rail, RailKnot

COLUMNS = {"x": "x", "y": "y", "z": "z", "bank": "bank_deg"}
"""Columns of a file, and the fields of a knot that they hold."""
UNITS = {"x": "m", "y": "m", "z": "m", "bank": "deg"}


def dumps(rail: Rail) -> str:
    """The knots of a rail as text."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow([f"{name} [{unit}]" for name, unit in UNITS.items()])
    for knot in rail.knots:
        writer.writerow([repr(getattr(knot, field)) for field in COLUMNS.values()])
    return text.getvalue()


def save(rail: Rail, path: Path) -> None:
    """Writes the knots of a rail, whole or not at all."""
    disk.write_whole(path, dumps(rail).encode())


def load(path: Path) -> tuple[RailKnot, ...]:
    """The knots in a file; raises `Refused` where a row is none."""
    with disk.open_regular(path, "CSV in UTF-8") as file:
        try:
            text = file.read(8_000_000).decode("utf-8-sig")
        except UnicodeDecodeError:
            raise refuse(str(path), "is not text", "CSV in UTF-8") from None
        except OSError as error:
            raise refuse(str(path), f"cannot be read: {disk.words(error)}", "a file you may read") from None
    return loads(text, path.name)


def loads(text: str, where: str = "rail") -> tuple[RailKnot, ...]:
    """The knots in a text: a header with at least x and y, then a row a knot, at most as many as a rail may have."""
    try:
        rows = [(number, row) for number, row in enumerate(csv.reader(io.StringIO(text), strict=True), 1) if any(row)]
    except csv.Error as error:
        raise refuse(where, f"is not CSV: {error}", "commas between the columns, a row a knot") from None
    if not rows:
        raise refuse(where, "has no rows", "a header such as x [m], y [m], z [m], then a row a knot")
    names = [cell.split("[")[0].strip().lower() for cell in rows[0][1]]
    missing = [name for name in ("x", "y") if name not in names]
    if missing:
        raise refuse(f"{where} line 1", f"has no column {missing[0]!r}", "a header with x and y at least, in m")
    if not 2 <= len(rows) - 1 <= MOST_KNOTS:
        raise refuse(where, f"has {len(rows) - 1} knots", f"2 to {MOST_KNOTS}")
    return tuple(_knot(row, names, f"{where} line {number}") for number, row in rows[1:])


def _knot(row: Sequence[str], names: Sequence[str], where: str) -> RailKnot:
    fields = {}
    for cell, name in zip(row, names, strict=False):
        if name not in COLUMNS:
            continue
        try:
            fields[COLUMNS[name]] = float(cell)
        except ValueError:
            raise refuse(where, f"{name} is {cell!r}, no number", f"{UNITS[name]} as a plain number") from None
        if not math.isfinite(fields[COLUMNS[name]]):
            raise refuse(where, f"{name} is {cell!r}", f"a finite number of {UNITS[name]}")
    if not {"x", "y"} <= set(fields):
        raise refuse(where, f"has {len(row)} values", f"one for each of {', '.join(names)}")
    return RailKnot(**fields)
