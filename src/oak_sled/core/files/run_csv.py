"""A run as CSV: a row a tick, a column a trace, floats that round-trip exactly."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import BinaryIO

import numpy as np

from oak_sled.core.files import disk, records
from oak_sled.core.kernel.rowlayout import HEAD_NAMES
from oak_sled.core.kernel.state import Floats
from oak_sled.core.results.record import block_columns
from oak_sled.core.results.run import Run

_UNITS = {"position": "m", "velocity": "m/s", "spin": "rad/s", "point": "m", "load": "N"}


def labels(run: Run) -> list[str]:
    """The header: t first, then motion, channels and parts of every craft, then blocks and shots, units in brackets."""
    layout = run.layout
    found = ["t [s]"]
    for one in layout.crafts:
        for name in one.names:
            found.append(_label(one.id, name))
            if name == "velocity.z":
                found.append(f"{one.id}.speed [m/s]")
    for name in layout.names[layout.first_block_column : layout.first_shot_of(0)]:
        unit = _UNITS.get(name.split(".")[2], "")
        found.append(name + (f" [{unit}]" if unit else ""))  # what lies on the ground is nobody's
    for one in layout.crafts:
        found += [_label(one.id, name) for name in one.shot_columns]
    for block in layout.watched:
        found += [f"{name} [{'N' if '.force.' in name else 'N m'}]" for name in block_columns(block)]
    return found


def _label(craft: str, name: str) -> str:
    pieces = name.split(".")
    unit = _UNITS.get(pieces[0], "")
    if pieces[0] == "shot":
        unit = ""
    elif len(pieces) == 3:
        unit = {"force": "N", "torque": "N m", "point": "m"}[pieces[1]]
    return f"{craft}.{name.replace('held axes', 'held_axes')}" + (f" [{unit}]" if unit else "")


def rows_of(run: Run) -> Iterator[Floats]:
    """The numbers below the header in pieces, shape (n, columns)."""
    layout, done = run.layout, 0
    ends = [layout.first_of(who) + HEAD_NAMES.index("velocity.z") + 1 for who in range(len(layout.crafts))]
    for rows in run.record.chunks(records.CHUNK):
        pieces, first = [(run.first_tick + done + np.arange(len(rows)))[:, None] * run.job.dt], 0
        for end in ends:
            pieces += [rows[:, first:end], np.sqrt(np.sum(rows[:, end - 3 : end] ** 2, axis=1))[:, None]]
            first = end
        yield np.concatenate([*pieces, rows[:, first:]], axis=1)
        done += len(rows)


def write(run: Run, file: BinaryIO, on_progress: Callable[[int, int], None] | None = None) -> None:
    """Writes the run. on_progress(done, of) : rows written so far; what it raises ends the writing."""
    import pyarrow as pa
    import pyarrow.csv as pc

    names = labels(run)
    schema = pa.schema([(name, pa.float64()) for name in names])
    options = pc.WriteOptions(quoting_style="none", quoting_header="none")
    done, of = 0, len(run.record)
    with pc.CSVWriter(file, schema, write_options=options) as writer:
        for rows in rows_of(run):
            writer.write_table(records.table(rows, schema))
            done += len(rows)
            if on_progress is not None:
                on_progress(done, of)


def dumps(run: Run) -> str:
    """The run as CSV text."""
    buffer = io.BytesIO()
    write(run, buffer)
    return buffer.getvalue().decode()


def save(run: Run, path: Path, on_progress: Callable[[int, int], None] | None = None) -> None:
    """Writes the run as CSV, whole or not at all; raises `Refused`."""
    with disk.written(path) as file:
        write(run, file, on_progress)
