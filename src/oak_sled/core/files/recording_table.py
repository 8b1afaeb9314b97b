"""A recording of a game from a table, CSV or Parquet: columns are matched by their names, units and axes guessed from
the numbers, each with its reason, and what comes out is in SI and our axes.

A guess is a proposal: `recording_taken.taken` takes whatever the user makes of it.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from oak_sled.core.base import disk
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.results import rotations
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.game import Game
from oak_sled.core.yard.recording import INPUT, MOST_COLUMNS, PLACE, TURN

MOST_BYTES = 200_000_000
MOST_READ = 1_000_000
"""Rows of a Parquet file that are read: it may unpack to far more than its bytes."""
_HEAD = re.compile(r"^\s*(?P<name>[^\[\]()]*?)\s*([\[(](?P<unit>[^\])]*)[\])])?\s*$")
_TIMES = ("t", "time", "seconds", "timestamp", "tick", "ticks", "frame", "frames", "ms")
_GROUPS = {
    "position": ("position", "pos", "place", "p", "location", "loc", ""),
    "rotation": ("rotation", "rot", "quaternion", "quat", "attitude", "orientation", "q"),
    "velocity": ("velocity", "vel", "v"),
    "spin": ("spin", "angular_velocity", "angularvelocity", "angvel", "omega", "w"),
}
_HEADINGS = ("heading", "yaw", "course", "direction")
_SYNONYMS = {
    "throttle": ("accelerate", "acceleration", "gas", "thrust", "power", "forward"),
    "steer": ("steering", "turn", "wheel", "rudder"),
    "brake": ("braking", "stop"),
}


@dataclass(frozen=True)
class Table:
    """A table as it was read. columns : by their names, shape (rows,), NaN where a cell is no number; units : what
    stood in brackets behind a name; notes : what was not right, a sentence each."""

    name: str
    columns: Mapping[str, Floats]
    units: Mapping[str, str]
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Guess:
    """A table, and how it is taken. columns : the names in the table by those of a recording, "t" and "heading" among
    them; game : units and axes; by_ticks : the time counts ticks of the game; reasons : why, by what was guessed;
    unsure : of these, what the numbers do not decide."""

    table: Table
    columns: Mapping[str, str]
    game: Game
    time: str = "s"
    reasons: Mapping[str, str] = field(default_factory=dict)
    unsure: tuple[str, ...] = ()

    def with_game(self, **changes: object) -> Guess:
        """With other units or axes."""
        return replace(self, game=self.game.replace(**changes))


def load(path: Path) -> Table:
    """Reads a table; raises `Refused` with the place of what is wrong."""
    if path.suffix.lower() == ".parquet":
        return _parquet(path)
    text = disk.read_whole(path, MOST_BYTES, "a CSV file of a recording")
    try:
        return read(text.decode("utf-8-sig"), _named(path))
    except UnicodeDecodeError:
        raise refuse(str(path), "is not text", "CSV in UTF-8, or Parquet") from None


def _named(path: Path) -> str:
    return path.stem.replace("_", " ")


def _parquet(path: Path) -> Table:
    import pyarrow as pa
    import pyarrow.parquet as pq

    disk.open_regular(path, "a Parquet file").close()
    try:
        whole = pq.ParquetFile(path).metadata
        if whole.num_rows > MOST_READ or whole.num_columns > MOST_COLUMNS:
            what = f"has {whole.num_rows} rows of {whole.num_columns} columns"
            raise refuse(str(path), what, f"at most {MOST_READ} rows of {MOST_COLUMNS}")
        found = pq.read_table(path)
        names = [one for one in found.column_names if pa.types.is_floating(found.schema.field(one).type)
                 or pa.types.is_integer(found.schema.field(one).type)]  # fmt: skip
        columns = {name: np.asarray(found[name].to_numpy(zero_copy_only=False), dtype=np.float64) for name in names}
    except (pa.ArrowException, OSError, ValueError) as error:
        raise refuse(str(path), f"cannot be read: {str(error)[:120]}", "a Parquet file with a row a tick") from None
    return _table(_named(path), columns)


def read(text: str, name: str) -> Table:
    """The table in a text: a header, then a row a tick."""
    try:
        rows = [row for row in csv.reader(text.splitlines(), strict=True) if any(cell.strip() for cell in row)]
    except csv.Error as error:
        raise refuse(name, f"is not CSV: {error}", "commas between the columns, a row a tick") from None
    if len(rows) < 3:
        raise refuse(name, f"has {max(len(rows) - 1, 0)} rows", "a header, then a row a tick, two at least")
    head, columns = rows[0], {}
    for place, title in enumerate(head):
        columns[title] = np.array([_number(row[place]) if place < len(row) else np.nan for row in rows[1:]])
    return _table(name, columns)


def _table(name: str, given: Mapping[str, Floats]) -> Table:
    columns, told, notes = {}, {}, []
    for title, values in given.items():
        match = _HEAD.match(title)
        plain = (match["name"] if match else title).strip() or title
        if plain in columns:
            notes.append(f"column {plain!r} is there twice; the first one counts")
            continue
        columns[plain] = values
        told[plain] = (match["unit"] or "").strip() if match else ""
    return Table(name, columns, told, tuple(notes))


def _plain(value: float) -> str:
    return f"{value:.0f}" if abs(value) >= 100.0 else f"{value:.3g}"


def _number(cell: str) -> float:
    try:
        return float(cell)
    except ValueError:
        return float("nan")


# matching and guessing


def guess(table: Table, craft: Craft, game: Game) -> Guess:
    """The most likely meaning of a table for a craft; raises `Refused` without a time or a place. game : as the yard
    has it, which holds where the numbers say nothing else."""
    columns = _matched(table, craft)
    reasons: dict[str, str] = {}
    unsure: list[str] = []
    time, ticks = _time(table, columns["t"], game, reasons)
    made = game.replace(used=False, ticks=ticks, lasts="tick" if time == "tick" else "s")
    length = _unit_of(table, columns["position.x"], ("m", "cm", "mm", "px"))
    if length:
        made = made.replace(length=length)
        reasons["length"] = f"the header says {length}"
    else:
        reasons["length"] = f"as the yard has it: {made.length}"
        unsure.append("length")
    if "position.z" not in columns:
        reasons["up"] = "a plan: two columns of places"
    else:
        made = _axes(table, columns, made, reasons, unsure)
    made = _hand(table, columns, made, craft, reasons, unsure)
    return Guess(table, columns, made, time, reasons, tuple(unsure))


def _matched(table: Table, craft: Craft) -> dict[str, str]:
    """Columns of the table by the names of a recording."""
    low = {re.sub(r"[\s.\-]+", "_", name.strip().lower()).strip("_"): name for name in reversed(list(table.columns))}
    found: dict[str, str] = {}
    time = next((low[one] for one in _TIMES if one in low), None)
    if time is None:
        raise refuse(f"{table.name} line 1", "there is no column of time", f"one of {', '.join(_TIMES)}")
    found["t"] = time
    for group, names in _GROUPS.items():
        letters = "wxyz" if group == "rotation" else "xyz"
        for head in names:
            options = [f"{head}_{{}}", f"{head}{{}}"] if head else ["{}"]
            for option in options:
                there = {one: low[option.format(one)] for one in letters if option.format(one) in low}
                needed = len(letters) if group != "position" else 2
                if len(there) >= needed and f"{group}.x" not in found:
                    found |= {f"{group}.{one}": name for one, name in there.items()}
    if "position.x" not in found or ("position.y" not in found and "position.z" not in found):
        right = "columns x and y, and z, or position.x and so on"
        raise refuse(f"{table.name} line 1", "there are no columns of a place", right)
    if "rotation.w" not in found:
        heading = next((low[one] for one in _HEADINGS if one in low), None)
        if heading is not None:
            found["heading"] = heading
    for channel in craft.channels:
        names = (channel.id, f"input_{channel.id}", f"channel_{channel.id}", *_SYNONYMS.get(channel.id, ()))
        name = next((low[one] for one in names if one in low and low[one] not in found.values()), None)
        if name is not None:
            found[INPUT + channel.id] = name
    return found


def _unit_of(table: Table, name: str, known: Sequence[str]) -> str:
    unit = table.units.get(name, "")
    return unit if unit in known else ""


def _time(table: Table, name: str, game: Game, reasons: dict[str, str]) -> tuple[str, float]:
    """The unit in which time counts, "s", "ms" or "tick", and the ticks to a second of the game."""
    values = table.columns[name]
    steps = np.diff(values[np.isfinite(values)])
    steps = steps[steps > 0.0]
    if not len(steps):
        raise refuse(f"{table.name}, {name}", "never grows", "the time of each row")
    usual = float(np.median(steps))
    told = _unit_of(table, name, ("s", "ms", "tick"))
    whole = bool(np.all(np.mod(values[np.isfinite(values)], 1.0) == 0.0))
    if told:
        unit, why = told, f"the header says {told}"
    elif name.lower() in ("tick", "ticks", "frame", "frames") or (whole and usual == 1.0):
        unit, why = "tick", f"whole numbers that grow by {usual:g}: ticks of the game, {game.ticks:g} a second"
    elif usual >= 2.0:
        unit, why = "ms", f"steps of {usual:.3g}: milliseconds"
    else:
        unit, why = "s", f"steps of {usual:.3g}: seconds"
    reasons["time"] = why
    if unit == "tick":
        return unit, game.ticks
    seconds = usual * (0.001 if unit == "ms" else 1.0)
    rate = float(np.clip(1.0 / seconds, 1.0, 2000.0))
    return unit, round(rate) if abs(rate - round(rate)) < 0.02 * rate else rate


def stacked(table: Table, columns: Mapping[str, str], names: Sequence[str]) -> Floats:
    """Columns of a table side by side, shape (rows, names)."""
    return np.stack([table.columns[columns[name]] for name in names], axis=1)


def _axes(table: Table, columns: Mapping[str, str], game: Game, reasons: dict[str, str], unsure: list[str]) -> Game:
    """The axis that points up, and that forward, from an attitude with the motion, or from the motion alone."""
    places = stacked(table, columns, PLACE)
    places = places[np.isfinite(places).all(axis=1)]
    up = forward = ""
    if "rotation.w" in columns:
        turns = stacked(table, columns, TURN)
        size = np.linalg.norm(turns, axis=1)
        known = np.isfinite(size) & (size > 1e-6)
        axes = rotations.rotations(turns[known] / size[known, None])
        stays = np.array([np.median(axes[:, k, k]) for k in range(3)])
        best = int(np.argmax(stays))
        if stays[best] > 0.8 and stays[best] - np.sort(stays)[1] > 0.02:
            up = "xyz"[best]
            reasons["up"] = f"the craft turns about {up} and stays upright in it"
        steps = np.diff(stacked(table, columns, PLACE)[known], axis=0)
        if len(steps) == len(axes) - 1 and len(steps):
            local = np.einsum("nji,nj->ni", axes[1:], np.nan_to_num(steps))
            along = np.sum(local, axis=0) / max(float(np.sum(np.linalg.norm(local, axis=1))), 1e-12)
            most = int(np.argmax(np.abs(along)))
            if abs(along[most]) > 0.7:
                forward = ("-" if along[most] < 0.0 else "") + "xyz"[most]
                reasons["forward"] = f"{100 * abs(along[most]):.0f} % of the way goes along {forward} of the craft"
    if not up:
        spread = np.ptp(places, axis=0)
        least = int(np.argmin(spread))
        if spread[least] < 0.2 * np.sort(spread)[1]:
            up = "xyz"[least]
            reasons["up"] = f"it moves least along {up}: {_plain(spread[least])} of {_plain(spread.max())}"
        else:
            up = game.up
            reasons["up"] = f"as the yard has it: {up}; the places do not tell"
            unsure.append("up")
    if game.up[-1] == up[-1]:
        up = game.up
    if not forward or forward[-1] == up[-1]:
        forward = game.forward if game.forward[-1] != up[-1] else next(one for one in "xyz" if one != up[-1])
        reasons["forward"] = f"as the yard has it: {forward}" if "rotation.w" in columns else "no attitude is told"
        if "rotation.w" in columns:
            unsure.append("forward")
    return game.replace(up=up, forward=forward)


def _hand(
    table: Table, columns: Mapping[str, str], game: Game, craft: Craft, reasons: dict[str, str], unsure: list[str]
) -> Game:
    """The hand of the axes: steering to the left turns the path to the left in one of them alone."""
    name = columns.get(f"{INPUT}steer")
    if name is not None and any(one.id == "steer" for one in craft.channels):
        turned = []
        for hand in ("right", "left"):
            axes = game.replace(hand=hand).axes.back()
            places = np.nan_to_num(places_of(table, columns))
            ours = axes.vectors(places)
            moves = np.diff(ours[:, :2], axis=0)
            bend = moves[:-1, 0] * moves[1:, 1] - moves[:-1, 1] * moves[1:, 0]
            steer = np.nan_to_num(table.columns[name])[2:]
            turned.append(float(np.sum(bend * steer) / max(float(np.sum(np.abs(bend * steer))), 1e-12)))
        if max(turned) > 0.5:
            hand = ("right", "left")[int(np.argmax(turned))]
            reasons["hand"] = f"steering above 0 turns it to the left in {hand}-handed axes"
            return game.replace(hand=hand)
    reasons["hand"] = f"as the yard has it: {game.hand}; the numbers do not tell"
    unsure.append("hand")
    return game


def places_of(table: Table, columns: Mapping[str, str]) -> Floats:
    """Places as the table has them, shape (rows, 3): of a plan with 0 for the third."""
    there = [table.columns[columns[name]] if name in columns else None for name in PLACE]
    rows = next(len(one) for one in there if one is not None)
    return np.stack([np.zeros(rows) if one is None else one for one in there], axis=1)
