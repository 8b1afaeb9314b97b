"""A run as CSV: a row a tick, a column a trace, floats that round-trip exactly."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from oak_sled.core import traces
from oak_sled.core.files import yard_json
from oak_sled.core.run import Run
from oak_sled.core.state import Floats

_UNITS = {"position": "m", "velocity": "m/s", "spin": "rad/s", "point": "m", "load": "N"}


def header(run: Run) -> list[tuple[str, Floats]]:
    """Every column as (header, values): t first, then the craft's motion, channels, parts, and blocks."""
    craft = run.job.craft.id
    found: list[tuple[str, Floats]] = [("t [s]", run.t)]
    for name in run.layout.names:
        pieces = name.split(".")
        if pieces[0] == "block":  # what lies on the ground is nobody's
            found.append((f"{name} [m]" if pieces[2] == "position" else name, run.column(name)))
            continue
        unit = _UNITS.get(pieces[0], "")
        if len(pieces) == 3:
            unit = {"force": "N", "torque": "N m", "point": "m"}[pieces[1]]
        label = f"{craft}.{name.replace('held axes', 'held_axes')}" + (f" [{unit}]" if unit else "")
        found.append((label, run.column(name)))
        if name == "velocity.z":
            found.append((f"{craft}.speed [m/s]", traces.values(run, "speed")))
    return found


def dumps(run: Run) -> str:
    """The run as CSV text."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    columns = header(run)
    writer.writerow([label for label, _ in columns])
    for row in zip(*(values.tolist() for _, values in columns), strict=True):
        writer.writerow([repr(value) for value in row])
    return text.getvalue()


def save(run: Run, path: Path) -> None:
    """Writes the run as CSV, whole or not at all."""
    yard_json.write_whole(path, dumps(run).encode())
