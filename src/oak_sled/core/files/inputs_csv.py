"""The inputs of a drill as CSV: `t [s]` and a column a channel, out and in again.

What comes in is taken as far as it makes sense: where a value is missing or no number, the last good one holds, and
every such place is said with its line.
"""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np

from oak_sled.core.assembly import tracks
from oak_sled.core.base import disk, units
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.results.run import Run
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import MOST_KNOTS, Drill, Knot, Track

MOST_ROWS = MOST_KNOTS
MOST_LINE = 1_000_000
"""Bytes of a line."""
LATEST = 7200.0
"""s: the longest that a drill may last."""
GAP = 4.0
"""A step of time this many times the usual one is a gap."""
_HEAD = re.compile(r"^\s*(?P<name>[^\[\]]*?)\s*(\[(?P<unit>[^\]]*)\])?\s*$")


@dataclass(frozen=True)
class Inputs:
    """The content of a file: tracks, how long it lasts (s), and its errors, a sentence each."""

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
    """The inputs in a file; raises `Refused` when nothing in it can be used. Read line by line, up to the bounds."""
    where = path.name
    with disk.open_regular(path, "CSV in UTF-8") as file:
        try:
            return _read(_lines_of(file, where), craft, where)
        except UnicodeDecodeError:
            raise refuse(str(path), "is not text", "CSV in UTF-8") from None
        except OSError as error:
            raise refuse(str(path), f"cannot be read: {disk.words(error)}", "a file you may read") from None


def _lines_of(file: BinaryIO, where: str) -> Iterator[str]:
    """The lines of a file as text; no more of it is held than one of them."""
    number = 0
    while line := file.readline(MOST_LINE + 1):
        number += 1
        if len(line) > MOST_LINE:
            raise refuse(f"{where} line {number}", "is too long", f"at most {MOST_LINE // 1000} kB a line")
        yield line.decode("utf-8-sig" if number == 1 else "utf-8")


def loads(text: str, craft: Craft, where: str = "inputs") -> Inputs:
    """The inputs in a text: a header `t [s]` and names of channels, then a row a moment."""
    return _read(iter(text.splitlines(keepends=True)), craft, where)


def _read(lines: Iterator[str], craft: Craft, where: str) -> Inputs:
    rows = _rows(lines, where)
    head = next(rows, None)
    if head is None:
        raise refuse(where, "has no rows", "a header, then a row a moment")
    notes: list[str] = []
    time_column, columns = _columns(head, craft, where, notes)
    found = _Numbers(where, time_column, columns)
    for row in rows:
        found.add(row)
    if found.line < 2:
        raise refuse(where, "has no rows", "a header, then a row a moment")
    times = found.moments(notes)
    tracks = []
    for place, name in columns.items():
        least = next(channel.least_input for channel in craft.channels if channel.id == name)
        tracks.append(_track(name, found.values[place], times, found.lines, least, notes))
    step = float(np.median(np.diff(times))) if len(times) > 1 else 0.05
    return Inputs(tuple(tracks), min(max(times[-1] + step, 0.05), LATEST), tuple(notes))


def _rows(lines: Iterator[str], where: str) -> Iterator[list[str]]:
    """The rows that are not empty, up to the bound; what follows is not read."""
    reader = csv.reader(lines, strict=True)
    count = 0
    try:
        for row in reader:
            if any(cell.strip() for cell in row):
                count += 1
                if count > MOST_ROWS + 1:
                    raise refuse(where, f"has more than {MOST_ROWS} rows", f"at most {MOST_ROWS}")
                yield row
    except csv.Error as error:
        raise refuse(where, f"is not CSV: {error}", "commas between the columns, a row a moment") from None


class _Numbers:
    """The numbers of the rows whose times go on: the times, the lines they stand on, and the columns that are
    wanted."""

    def __init__(self, where: str, time_column: int, columns: Iterable[int]):
        self.where, self.time_column = where, time_column
        self.times: list[float] = []
        self.lines: list[int] = []
        self.values: dict[int, list[float | None]] = {place: [] for place in columns}
        self.line = 1
        self._back: list[int] = []
        self._wrong: list[int] = []

    def add(self, row: list[str]) -> None:
        """Takes a row in."""
        self.line += 1
        time = _number(row, self.time_column)
        if time is None or not 0.0 <= time <= LATEST:
            self._wrong.append(self.line)
        elif self.times and time <= self.times[-1]:
            self._back.append(self.line)
        else:
            self.times.append(time)
            self.lines.append(self.line)
            for place, values in self.values.items():
                values.append(_number(row, place))

    def moments(self, notes: list[str]) -> list[float]:
        """The times, s; what was not right with them goes to the notes."""
        if not self.times:
            raise refuse(self.where, "no row has a time", f"seconds from 0 to {LATEST:g} in the column t [s]")
        if self._wrong:
            notes.append(
                f"{_lines(self._wrong)}: no time that can be used, left out "
                f"(0 to {units.plain(LATEST, 's')} would be right)"
            )
        if self._back:
            notes.append(f"{_lines(self._back)}: the time jumps back or stands, left out (times must rise)")
        steps = np.diff(self.times)
        if len(steps) > 2:
            usual = float(np.median(steps))
            for k in np.flatnonzero(steps > GAP * usual)[:5]:
                notes.append(
                    f"line {self.lines[k + 1]}: a gap of {units.plain(steps[k], 's', 3)} "
                    f"(usual {units.plain(usual, 's', 3)}), "
                    "over which the last value holds"
                )
        return self.times


def _columns(head: list[str], craft: Craft, where: str, notes: list[str]) -> tuple[int, dict[int, str]]:
    """Finds the column of the time, and those that are channels of the craft."""
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


def _track(
    name: str, values: list[float | None], times: list[float], lines: list[int], low: float, notes: list[str]
) -> Track:
    """A column as a track: a knot wherever the value changes."""
    knots: list[Knot] = []
    last = 0.0
    missing, outside = [], []
    for value, t, line in zip(values, times, lines, strict=True):
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
