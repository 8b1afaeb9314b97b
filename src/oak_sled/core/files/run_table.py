"""A run as a table for other programs: a row a tick, a column a trace, as CSV or as Parquet.

Floats round-trip exactly in both. In the units and axes in use (`units.in_use`): those of the game, where a yard
says so. `docs/command-line.md` lists the columns, from `columns_page`.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO

import numpy as np

from oak_sled.core.base import disk, units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.gameunits import GameDisplay
from oak_sled.core.files import records
from oak_sled.core.files.game_table import GameTable
from oak_sled.core.kernel.state import FIXED_LINES
from oak_sled.core.results.run import Run
from oak_sled.core.tick import rowlayout
from oak_sled.core.tick.rowlayout import HEAD_NAMES
from oak_sled.core.yard.ties import TIES

if TYPE_CHECKING:
    import pyarrow as pa

SPEED_AFTER = HEAD_NAMES.index("velocity.z") + 1
"""Columns of a craft in front of its speed, which no record holds."""
Progress = Callable[[int, int], None]


def labels(run: Run) -> list[str]:
    """The header: t first, then motion, channels and parts of every craft, then blocks and shots, units in brackets."""
    layout = run.layout
    found, first = ["t [s]"], 0
    for who, one in enumerate(layout.crafts):
        end = layout.first_of(who) + SPEED_AFTER
        found += [*layout.labels[first:end], f"{one.id}.speed [m/s]"]
        first = end
    return [*found, *layout.labels[first:]]


def rows_of(run: Run) -> Iterator[Floats]:
    """The numbers below the header in pieces, shape (n, columns)."""
    layout, done = run.layout, 0
    ends = [layout.first_of(who) + SPEED_AFTER for who in range(len(layout.crafts))]
    for rows in run.record.chunks(records.CHUNK):
        pieces, first = [(run.first_tick + done + np.arange(len(rows)))[:, None] * run.job.dt], 0
        for end in ends:
            pieces += [rows[:, first:end], np.sqrt(np.sum(rows[:, end - 3 : end] ** 2, axis=1))[:, None]]
            first = end
        yield np.concatenate([*pieces, rows[:, first:]], axis=1)
        done += len(rows)


def _told(run: Run) -> GameTable | None:
    """The table as that of a game; None where it leaves as it is."""
    display = units.in_use()
    return GameTable(labels(run), display) if isinstance(display, GameDisplay) else None


def _tables(run: Run, told: GameTable | None, schema: pa.Schema, on_progress: Progress | None) -> Iterator[pa.Table]:
    """The rows in pieces; on_progress(done, of) : rows that were taken so far; what it raises ends the writing."""
    done, of = 0, len(run.record)
    for rows in rows_of(run):
        yield records.table(rows if told is None else told.rows(rows), schema)
        done += len(rows)
        if on_progress is not None:
            on_progress(done, of)


def write(run: Run, file: BinaryIO, on_progress: Progress | None = None) -> None:
    """Writes the run as CSV. on_progress(done, of) : rows written so far; what it raises ends the writing."""
    import pyarrow as pa
    import pyarrow.csv as pc

    told = _told(run)
    schema = pa.schema([(name, pa.float64()) for name in (labels(run) if told is None else told.labels)])
    options = pc.WriteOptions(quoting_style="none", quoting_header="none")
    with pc.CSVWriter(file, schema, write_options=options) as writer:
        for table in _tables(run, told, schema, on_progress):
            writer.write_table(table)


def dumps(run: Run) -> str:
    """The run as CSV text."""
    buffer = io.BytesIO()
    write(run, buffer)
    return buffer.getvalue().decode()


def save(run: Run, path: Path, on_progress: Progress | None = None) -> None:
    """Writes the run as CSV, whole or not at all; raises `Refused`."""
    with disk.written(path) as file:
        write(run, file, on_progress)


def save_parquet(run: Run, path: Path, on_progress: Progress | None = None) -> None:
    """Writes the same table as Parquet, whole or not at all; raises `Refused`."""
    import pyarrow as pa

    told = _told(run)
    schema = pa.schema([(name, pa.float64()) for name in (labels(run) if told is None else told.labels)])
    with disk.written(path) as file, records.writer(file, schema) as writer:
        for table in _tables(run, told, schema, on_progress):
            writer.write_table(table, row_group_size=max(len(table), 1))


BENDS = " that bends round bodies; also the line `CRAFT_PART` that a part throws"


def columns_page() -> str:
    """The columns as a table in Markdown, from what the kernel writes."""
    groups = (
        ("", {"t": "s"}, "from the start of the drill; row 0 is the start"),
        ("CRAFT.", rowlayout.MOTION_UNITS, "centre of mass; attitude craft to world; world axes"),
        ("CRAFT.", {"speed": "m/s"}, "length of the velocity"),
        ("CRAFT.", {k: u for k, u in rowlayout.HEAD_UNITS.items() if k not in rowlayout.MOTION_UNITS},
         "load on the ground; the others count, or are 1 for yes"),
        ("CRAFT.channel.", {"NAME": ""}, "value of a channel"),
        ("CRAFT.input.", {"NAME": ""}, "raw input of a channel, as it was given in the tick"),
        ("CRAFT.LINE.", rowlayout.LINE_UNITS,
         "a line of the ledger, world axes, torque about the centre of mass; LINE is a part or one of "
         + ", ".join(f"`{name.replace(' ', '_')}`" for name in FIXED_LINES)),
        ("CRAFT.PART.", rowlayout.POINT_UNITS, "where the part acts, world axes"),
        ("CRAFT.PART.", {"activity": ""}, "how much it acts; its meaning is that of the part"),
        ("CRAFT.PART.N.", rowlayout.RAY_UNITS,
         "ray N of a pad or wheel: gap (its reach where nothing is found) and its rate, force along it, point found"),
        ("CRAFT.PART.N.", rowlayout.TIRE_UNITS,
         "wheel N with a tire: angle to the left, turn rate, drive and brake torque, slips, forces and their limits"),
        ("block.NAME.", rowlayout.MOTION_UNITS, "a block that moves"),
        ("", {"block.NAME.inside": "", "craft.NAME.inside": ""}, "bodies in what reports"),
        ("CRAFT.shot.PART.N.", rowlayout.SHOT_UNITS, "a shot; age -1: not in flight"),
        ("block.NAME.LINE.", rowlayout.LINE_UNITS,
         "ledger of a watched block; LINE is " + ", ".join(f"`{name}`" for name in rowlayout.BLOCK_LINES)),
        *(
            (
                "tie.NAME.", {one.name: one.unit for one in rows.shows},
                f"a {tie.TITLE}{'' if rows is tie.ROWS else BENDS}",
            )
            for tie in TIES for rows in tie.KINDS or (tie.ROWS,)
        ),
    )  # fmt: skip
    lines = ["| column | unit | meaning |", "| --- | --- | --- |"]
    for owner, known, says in groups:
        for unit in dict.fromkeys(known.values()):
            names = ", ".join(f"`{owner}{name}`" for name, of in known.items() if of == unit)
            lines.append(f"| {names} | {unit} | {says} |")
    return "\n".join(lines) + "\n"
