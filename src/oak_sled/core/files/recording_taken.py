"""Takes a table as it was guessed, or as the user corrected it, for a recording: rows that cannot be used are left out
and said, units and axes turned into ours."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.files.recording_table import Guess, places_of, stacked
from oak_sled.core.yard.recording import (
    INPUT,
    MOST_COLUMNS,
    MOST_ROWS,
    MOVES,
    NUMBER,
    PLACE,
    SPINS,
    TURN,
    Recording,
    of_columns,
    rate_of,
)

JUMP = 30.0
"""A step this many times the usual one is a jump of the craft to another place: what stands after it is left out."""
GAP = 5.0
"""A step of time this many times the usual one is a gap."""


def taken(of: Guess) -> tuple[Recording, tuple[str, ...]]:
    """The recording in SI and our axes, and what was left out of it, a sentence each; raises `Refused` where nothing
    can be used."""
    table, columns, game = of.table, of.columns, of.game
    notes = list(table.notes)
    seconds = table.columns[columns["t"]] * {"s": 1.0, "ms": 0.001, "tick": 1.0 / game.ticks}[of.time]
    places = places_of(table, columns)
    keep = np.isfinite(seconds) & np.isfinite(places).all(axis=1)
    if not keep.all():
        notes.append(f"{_lines(~keep)}: no time or place, left out")
    latest = np.maximum.accumulate(np.where(keep, seconds, -np.inf))
    back = keep & (seconds <= np.concatenate([[-np.inf], latest[:-1]]))
    if back.any():
        notes.append(f"{_lines(back)}: the time jumps back or stands, left out")
    keep &= ~back
    keep &= _until_jump(seconds, places, keep, notes)
    if keep.sum() > MOST_ROWS:
        notes.append(f"it has {keep.sum()} rows; the first {MOST_ROWS} are taken")
        keep[np.flatnonzero(keep)[MOST_ROWS:]] = False
    if keep.sum() < 3:
        raise refuse(
            table.name, f"has {keep.sum()} rows that can be used", "three rows with a time and a place at least"
        )
    t = seconds[keep] - seconds[keep][0]
    steps = np.diff(t)
    for row in np.flatnonzero(steps > GAP * np.median(steps))[:3]:
        notes.append(f"a gap of {units.plain(steps[row], 's', 3)} at {units.plain(t[row], 's', 3)}: straight over it")
    display, axes = game.told(), game.axes.back()
    found: dict[str, Floats] = {}
    metre = display.shown(1.0, "m")[0]
    found |= zip(PLACE, axes.vectors(places[keep] / metre).T, strict=True)
    if "rotation.w" in columns:
        turns = _filled(stacked(table, columns, TURN)[keep], "an attitude", notes)
        size = np.linalg.norm(turns, axis=1, keepdims=True)
        found |= zip(TURN, axes.attitudes(turns / np.where(size > 1e-9, size, 1.0)).T, strict=True)
    elif "heading" in columns:
        found |= zip(TURN, _headed(of, keep, notes).T, strict=True)
    if "velocity.x" in columns:
        speed = display.shown(1.0, "m/s")[0]
        moves = _filled(stacked(table, columns, MOVES)[keep], "a velocity", notes)
        found |= zip(MOVES, axes.vectors(moves / speed).T, strict=True)
    if "spin.x" in columns:
        rate = display.shown(1.0, "rad/s")[0]
        spins = _filled(stacked(table, columns, SPINS)[keep], "a spin", notes)
        found |= zip(SPINS, axes.axials(spins / rate).T, strict=True)
    used = set(columns.values())
    for name, own in columns.items():
        if name.startswith(INPUT):
            found[name] = _filled(table.columns[own][keep][:, None], own, notes)[:, 0]
    for name, values in table.columns.items():
        own = re.sub(r"\W+", "_", name).strip("_")
        if name not in used and own and np.isfinite(values[keep]).all() and len(found) < MOST_COLUMNS:
            found[NUMBER + own] = values[keep]
    rate = float(np.clip(rate_of(t), 1e-3, 2000.0))
    return of_columns(table.name[:80] or "a game", rate, t, found), tuple(notes)


def _headed(of: Guess, keep: NDArray[np.bool_], notes: list[str]) -> Floats:
    """Attitudes of a heading alone, ours, shape (rows, 4): the angle in the table turns from forward towards the left,
    or, in axes of the other hand, towards the right."""
    name = of.columns["heading"]
    angle = np.unwrap(_filled(of.table.columns[name][keep][:, None], "a heading", notes)[:, 0] * _radians(of, name))
    half = 0.5 * angle * of.game.axes.mirrors
    nothing = np.zeros(len(half))
    return np.stack([np.cos(half), nothing, nothing, np.sin(half)], axis=1)


def _radians(of: Guess, name: str) -> float:
    """rad in one unit of an angle in the table: as its header says, else degrees where it goes past a turn in rad."""
    told = of.table.units.get(name, "")
    known = {"deg": np.pi / 180.0, "°": np.pi / 180.0, "rad": 1.0, "turn": 2.0 * np.pi}
    if told in known:
        return float(known[told])
    values = of.table.columns[name]
    return float(np.pi / 180.0) if np.nanmax(np.abs(values)) > 7.0 else 1.0


def _filled(values: Floats, what: str, notes: list[str]) -> Floats:
    """Values with what is missing taken from between its neighbours, shape (rows, n)."""
    missing = ~np.isfinite(values).all(axis=1)
    if not missing.any():
        return values
    if missing.all():
        raise refuse(what, "has no number in any row", "numbers")
    notes.append(f"{int(missing.sum())} rows without {what}: taken from between their neighbours")
    at, known = np.arange(len(values)), ~missing
    return np.stack([np.interp(at, at[known], column[known]) for column in values.T], axis=1)


def _until_jump(seconds: Floats, places: Floats, keep: NDArray[np.bool_], notes: list[str]) -> NDArray[np.bool_]:
    """The rows before the craft is set to another place: what follows is another drive."""
    rows = np.flatnonzero(keep)
    if len(rows) < 4:
        return keep
    far = np.linalg.norm(np.diff(places[rows], axis=0), axis=1) / np.maximum(np.diff(seconds[rows]), 1e-9)
    usual = max(float(np.percentile(far, 90)), 1e-9)
    jumps = np.flatnonzero(far > JUMP * usual)
    if not len(jumps):
        return keep
    row = int(rows[jumps[0] + 1])
    notes.append(f"line {row + 2}: it jumps to another place; what follows is left out")
    found = keep.copy()
    found[row:] = False
    return found


def _lines(wrong: NDArray[np.bool_]) -> str:
    rows = np.flatnonzero(wrong) + 2
    more = f" and {len(rows) - 3} more" if len(rows) > 3 else ""
    return f"line{'s' if len(rows) > 1 else ''} {', '.join(str(row) for row in rows[:3])}{more}"
