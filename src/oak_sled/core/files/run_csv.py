"""A run as CSV: a row a tick, a column a trace, floats that round-trip exactly."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import BinaryIO

import numpy as np

from oak_sled.core.files import disk, records
from oak_sled.core.run import Run
from oak_sled.core.state import Floats

_UNITS = {"position": "m", "velocity": "m/s", "spin": "rad/s", "point": "m", "load": "N"}


def labels(run: Run) -> list[str]:
    """The header: t first, then the craft's motion, channels, parts, and blocks, units in brackets."""
    craft = run.job.craft.id
    found = ["t [s]"]
    for name in run.layout.names:
        pieces = name.split(".")
        if pieces[0] == "block":  # what lies on the ground is nobody's
            found.append(f"{name} [m]" if pieces[2] == "position" else name)
            continue
        unit = _UNITS.get(pieces[0], "")
        if len(pieces) == 3:
            unit = {"force": "N", "torque": "N m", "point": "m"}[pieces[1]]
        found.append(f"{craft}.{name.replace('held axes', 'held_axes')}" + (f" [{unit}]" if unit else ""))
        if name == "velocity.z":
            found.append(f"{craft}.speed [m/s]")
    return found


def rows_of(run: Run) -> Iterator[Floats]:
    """The numbers below the header in pieces, shape (n, columns)."""
    velocity, done = run.layout.place("velocity.x"), 0
    for rows in run.record.chunks(records.CHUNK):
        t = (run.first_tick + done + np.arange(len(rows))) * run.job.dt
        speed = np.sqrt(np.sum(rows[:, velocity : velocity + 3] ** 2, axis=1))
        after = velocity + 3
        yield np.column_stack([t, rows[:, :after], speed, rows[:, after:]])
        done += len(rows)


def write(run: Run, file: BinaryIO, told: Callable[[int, int], None] | None = None) -> None:
    """Writes the run. told(done, of) : rows written so far; what it raises ends the writing."""
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
            if told is not None:
                told(done, of)


def dumps(run: Run) -> str:
    """The run as CSV text."""
    buffer = io.BytesIO()
    write(run, buffer)
    return buffer.getvalue().decode()


def save(run: Run, path: Path, told: Callable[[int, int], None] | None = None) -> None:
    """Writes the run as CSV, whole or not at all; raises `Refused`."""
    with disk.written(path) as file:
        write(run, file, told)
