"""The inputs of a drill as CSV: `t [s]` and a column a channel, out and in again.

What comes in is taken as far as it makes sense: where a value is missing or no number, the last good one holds, and
every such place is said with its line.
"""

from __future__ import annotations

import csv
import io
import math
import re
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oak_sled.core.build import tracks
from oak_sled.core.documents.craft import Craft
from oak_sled.core.documents.faults import close_match, refuse
from oak_sled.core.documents.yard import Drill, Knot, Track
from oak_sled.core.files import disk
from oak_sled.core.results.run import Run

MOST_ROWS = 500_000
GAP = 4.0
"""A step of time this many times the usual one is a gap."""
_HEAD = re.compile(r"^\s*(?P<name>[^\[\]]*?)\s*(\[(?P<unit>[^\]]*)\])?\s*$")


@dataclass(frozen=True)
class Inputs:
    """What stood in a file: tracks, how long it lasts (s), and what was not right in it, a sentence each."""

    tracks: tuple[Track, ...]
    duration: float
    notes: tuple[str, ...]


def dumps(drill: Drill, craft: Craft, ticks: int, run: Run | None = None) -> str:
    """The inputs of a drill at every tick; what a driver steers is taken from a run of it, if there is one."""
    times = np.arange(math.ceil(drill.duration * ticks - 1e-9)) / ticks
    columns = []
    for channel in craft.channels:
        track = next((one for one in drill.tracks if one.channel == channel.id), Track(channel=channel.id))
        values = tracks.sample(track, times)
        if track.shape in ("aim", "pace") and run is not None:
            steered = run.column(f"channel.{channel.id}")[1:]
            values = np.concatenate([steered, np.full(len(times), steered[-1])])[: len(times)]
        columns.append(values.tolist())
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(["t [s]", *(channel.id for channel in craft.channels)])
    for t, *row in zip(times.tolist(), *columns, strict=True):
        writer.writerow([repr(t), *(repr(value) for value in row)])
    return text.getvalue()


def save(text: str, path: Path) -> None:
    """Writes the inputs, whole or not at all."""
    disk.write_whole(path, text.encode())


def load(path: Path, craft: Craft) -> Inputs:
    """The inputs in a file; raises `Refused` when nothing in it can be used."""
    try:
        if path.stat().st_size > 200_000_000:
            raise refuse(str(path), "is too large for inputs", "at most 200 MB")
        text = path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError:
        raise refuse(str(path), "is not text", "CSV in UTF-8") from None
    except OSError as error:
        raise refuse(
            str(path), f"cannot be read: {(error.strerror or str(error)).lower()}", "a file you may read"
        ) from None
    return loads(text, craft, path.name)


def loads(text: str, craft: Craft, where: str = "inputs") -> Inputs:
    """The inputs in a text: a header `t [s]` and names of channels, then a row a moment."""
    try:
        rows = list(csv.reader(io.StringIO(text), strict=True))
    except csv.Error as error:
        raise refuse(where, f"is not CSV: {error}", "commas between the columns, a row a moment") from None
    rows = [row for row in rows if any(cell.strip() for cell in row)]
    if len(rows) < 2:
        raise refuse(where, "has no rows", "a header, then a row a moment")
    if len(rows) > MOST_ROWS:
        raise refuse(where, f"has {len(rows)} rows", f"at most {MOST_ROWS}")
    notes: list[str] = []
    time_column, columns = _columns(rows[0], craft, where, notes)
    times, lines = _times(rows, time_column, where, notes)
    tracks = []
    for place, name in columns.items():
        two_sided = next(channel.two_sided for channel in craft.channels if channel.id == name)
        track = _track(name, [rows[line - 1] for line in lines], place, times, lines, -1.0 if two_sided else 0.0, notes)
        tracks.append(track)
    step = float(np.median(np.diff(times))) if len(times) > 1 else 0.05
    return Inputs(tuple(tracks), max(times[-1] + step, 0.05), tuple(notes))


def _columns(head: list[str], craft: Craft, where: str, notes: list[str]) -> tuple[int, dict[int, str]]:
    """Which column is the time, and which ones are channels of the craft."""
    known = [channel.id for channel in craft.channels]
    time_column = -1
    found: dict[int, str] = {}
    for place, cell in enumerate(head):
        match = _HEAD.match(cell)
        name, unit = (match["name"], match["unit"]) if match else (cell.strip(), None)
        short = name.rpartition("channel.")[2]
        if name in ("t", "time"):
            if unit not in (None, "s"):
                raise refuse(f"{where} line 1", f"the time is in [{unit}]", "seconds: t [s]")
            time_column = place
        elif short in known:
            if unit not in (None, "", "1"):
                notes.append(
                    f"column {short!r} is in [{unit}] and was left out (a plain number from -1 to 1 would be right)"
                )
            elif short in found.values():
                notes.append(f"column {short!r} is there twice; the first one counts")
            else:
                found[place] = short
        elif "channel." in name or "." not in name:  # other columns of an exported run are no inputs
            notes.append(f"column {name!r} is no channel of this craft and was left out ({close_match(short, known)})")
    if time_column < 0:
        raise refuse(f"{where} line 1", "there is no column of time", "a column headed t [s]")
    if not found:
        raise refuse(
            f"{where} line 1", "no column is a channel of this craft", f"columns named {', '.join(known) or 'none'}"
        )
    return time_column, found


def _times(rows: list[list[str]], place: int, where: str, notes: list[str]) -> tuple[list[float], list[int]]:
    """The times that go on, s, and the lines they stand on."""
    times: list[float] = []
    lines: list[int] = []
    back, wrong = [], []
    for line, row in enumerate(rows[1:], start=2):
        value = _number(row, place)
        if value is None or not 0.0 <= value <= 1e5:
            wrong.append(line)
        elif times and value <= times[-1]:
            back.append(line)
        else:
            times.append(value)
            lines.append(line)
    if not times:
        raise refuse(where, "no row has a time", "seconds from 0 on in the column t [s]")
    if wrong:
        notes.append(f"{_lines(wrong)}: no time that can be used, left out (seconds from 0 on would be right)")
    if back:
        notes.append(f"{_lines(back)}: the time jumps back or stands, left out (times must rise)")
    steps = np.diff(times)
    if len(steps) > 2:
        usual = float(np.median(steps))
        for k in np.flatnonzero(steps > GAP * usual)[:5]:
            notes.append(
                f"line {lines[k + 1]}: a gap of {steps[k]:.3g} s (usual {usual:.3g} s), over which the last value holds"
            )
    return times, lines


def _track(
    name: str, rows: list[list[str]], place: int, times: list[float], lines: list[int], low: float, notes: list[str]
) -> Track:
    """A column as a track: a knot wherever the value changes."""
    knots: list[Knot] = []
    last = 0.0
    missing, outside = [], []
    for row, t, line in zip(rows, times, lines, strict=True):
        value = _number(row, place)
        if value is None:
            missing.append(line)
            continue
        if not low <= value <= 1.0:
            outside.append(line)
            value = min(max(value, low), 1.0)
        if not knots or value != last:
            knots.append(Knot(t=t, value=value))
            last = value
    if missing:
        notes.append(f"{name}, {_lines(missing)}: no number, the last good value holds")
    if outside:
        notes.append(f"{name}, {_lines(outside)}: outside {low:g} to 1, brought inside")
    return Track(channel=name, shape="steps", knots=tuple(knots))


def _number(row: list[str], place: int) -> float | None:
    try:
        value = float(row[place])
    except (ValueError, IndexError):
        return None
    return value if math.isfinite(value) else None


def _lines(lines: list[int]) -> str:
    shown = ", ".join(str(line) for line in lines[:4])
    return f"line{'s' if len(lines) > 1 else ''} {shown}{f' and {len(lines) - 4} more' if len(lines) > 4 else ''}"
