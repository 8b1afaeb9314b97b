"""The record of a run: rows of numbers, by name.

A drill's rows are one block of them. A live drive grows without end, so that every full block is sealed.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.contact.linkkind import Shown
from oak_sled.core.kernel import state
from oak_sled.core.tick import rowlayout
from oak_sled.core.tick.rows import Block, Rows, Sealed

BLOCK = 7200
"""Rows in a sealed block: a minute at the default tick rate."""


@dataclass(frozen=True)
class CraftColumns:
    """Columns of a craft in a recorded row."""

    id: str
    channels: tuple[str, ...]
    parts: tuple[str, ...]
    shots: tuple[str, ...] = ()
    rays: tuple[str, ...] = ()
    tires: tuple[str, ...] = ()
    ledger: bool = True
    """True if its ledger stands there."""
    volumes: tuple[str, ...] = ()
    """The ledger lines of the volumes of its ground that push."""

    @cached_property
    def units(self) -> dict[str, str]:
        """The name of every column of it but its shots, with its unit."""
        return rowlayout.craft_columns(self.channels, self.parts, self.rays, self.tires, self.ledger, self.volumes)

    @cached_property
    def names(self) -> tuple[str, ...]:
        """The name of every column of it but its shots."""
        return tuple(self.units)

    @cached_property
    def shot_columns(self) -> tuple[str, ...]:
        """The name of every column of its shots."""
        return tuple(f"shot.{name}.{what}" for name in self.shots for what in rowlayout.SHOT_NAMES)


@dataclass(frozen=True)
class Layout:
    """Position of each number in a recorded row: craft by craft, then blocks, what reports, shots, ledgers, and
    ties.

    triggers : the bodies that report what is in them, as block.NAME or craft.NAME. watched : the blocks whose ledger
    is kept. ties : their names, and what each shows.

    who : the craft whose columns have the bare names, such as "position.x"; those of the others begin with the id of
    their craft and a slash.
    """

    crafts: tuple[CraftColumns, ...]
    blocks: tuple[str, ...] = ()
    triggers: tuple[str, ...] = ()
    watched: tuple[str, ...] = ()
    ties: tuple[tuple[str, tuple[Shown, ...]], ...] = ()
    who: int = 0

    @classmethod
    def of(cls, job: Job) -> Layout:
        """The layout of the rows of a job, seen from the craft that it looks at."""
        return cls(
            tuple(
                CraftColumns(
                    one.craft.id,
                    tuple(c.id for c in one.channels),
                    tuple(p.id for p in one.craft.parts),
                    bodynames.shot_names(one.craft),
                    bodynames.ray_names(one.craft),
                    bodynames.tire_names(one.craft),
                    volumes=bodynames.volume_lines(job.ground),
                )
                for one in job.actors
            ),
            (*(one.id for one in bodynames.moving(job.ground)), *bodynames.rider_names(job)),
            bodynames.reporters(job),
            bodynames.watched(job),
            tuple((one.tie.id, one.tie.columns()) for one in bodynames.ties_of(job)),
            job.who,
        )

    @property
    def own(self) -> CraftColumns:
        """The columns of the craft that is looked at."""
        return self.crafts[self.who]

    @property
    def channels(self) -> tuple[str, ...]:
        """Its channels."""
        return self.own.channels

    @property
    def parts(self) -> tuple[str, ...]:
        """Its parts."""
        return self.own.parts

    @property
    def shots(self) -> tuple[str, ...]:
        """Its shots."""
        return self.own.shots

    def first_of(self, who: int) -> int:
        """The column where a craft begins."""
        return sum(len(one.names) for one in self.crafts[:who])

    @cached_property
    def first(self) -> int:
        """The column where the craft that is looked at begins."""
        return self.first_of(self.who)

    @cached_property
    def first_block_column(self) -> int:
        """The column where the blocks begin, `rowlayout.MOTION` each; behind them the triggers, one each."""
        return self.first_of(len(self.crafts))

    def first_shot_of(self, who: int) -> int:
        """The column where the shots of a craft begin: four each, place and s in flight (-1: not in flight)."""
        before = sum(rowlayout.SHOT * len(one.shots) for one in self.crafts[:who])
        return self.first_block_column + rowlayout.MOTION * len(self.blocks) + len(self.triggers) + before

    def own_place(self, name: str) -> int:
        """The column of that name, counted from the first of the craft that is looked at."""
        return self.place(name) - self.first

    @property
    def lines(self) -> tuple[str, ...]:
        """The ledger lines in order: those of the parts, then the fixed ones."""
        return self.parts + state.FIXED_LINES + self.own.volumes

    @cached_property
    def names(self) -> tuple[str, ...]:
        """The name of every column."""
        found: list[str] = []
        for who, one in enumerate(self.crafts):
            found += self._seen(who, one.names)
        found += [f"block.{name}.{what}" for name in self.blocks for what in rowlayout.MOTION_NAMES]
        found += [f"{name}.inside" for name in self.triggers]
        for who, one in enumerate(self.crafts):
            found += self._seen(who, one.shot_columns)
        found += [name for one in self.watched for name in block_columns(one)]
        found += [f"tie.{name}.{one.name}" for name, shows in self.ties for one in shows]
        return tuple(found)

    def _seen(self, who: int, names: tuple[str, ...]) -> Iterable[str]:
        return names if who == self.who else (f"{self.crafts[who].id}/{name}" for name in names)

    @cached_property
    def stored(self) -> tuple[str, ...]:
        """The names in files, which do not depend on the craft that is looked at."""
        return self.names if self.who == 0 else replace(self, who=0).names

    @cached_property
    def labels(self) -> tuple[str, ...]:
        """The name of every column as it leaves in files: the id of its craft in front, its unit in brackets."""
        found = [_label(one.id, name, unit) for one in self.crafts for name, unit in one.units.items()]
        for name in self.blocks:
            found += [_label(f"block.{name}", what, unit) for what, unit in rowlayout.MOTION_UNITS.items()]
        found += [f"{name}.inside" for name in self.triggers]
        for one in self.crafts:
            found += [
                _label(one.id, f"shot.{name}.{what}", unit)
                for name in one.shots
                for what, unit in rowlayout.SHOT_UNITS.items()
            ]
        for name in self.watched:
            for line in rowlayout.BLOCK_LINES:
                found += [_label(f"block.{name}.{line}", what, unit) for what, unit in rowlayout.LINE_UNITS.items()]
        found += [_label(f"tie.{name}", one.name, one.unit) for name, shows in self.ties for one in shows]
        return tuple(found)

    @cached_property
    def _places(self) -> dict[str, int]:
        return {name: place for place, name in enumerate(self.names)}

    @cached_property
    def width(self) -> int:
        """Numbers in a row."""
        return len(self.names)

    def without_ledger(self) -> Layout:
        """The layout of rows without the ledgers of crafts."""
        return replace(self, crafts=tuple(replace(one, ledger=False) for one in self.crafts))

    def room(self, count: int) -> Rows:
        """Room for so many rows."""
        own = self.first_block_column
        return Rows.room(count, own, self.width - own)

    def place(self, name: str) -> int:
        """The column of that name; raises `Refused` for one that does not exist."""
        if name not in self._places:
            raise refuse("trace", f"there is no {name!r}", close_match(name, self.names))
        return self._places[name]


def _label(owner: str, name: str, unit: str) -> str:
    """A column as it leaves in files; no name there has a blank."""
    return f"{owner}.{name.replace(' ', '_')}" + (f" [{unit}]" if unit else "")


def block_columns(name: str) -> tuple[str, ...]:
    """The columns of the ledger of a watched block."""
    return tuple(f"block.{name}.{line}.{what}" for line in rowlayout.BLOCK_LINES for what in rowlayout.LINE_NAMES)


class Record:
    """Rows of a run in one or more blocks. Reading never changes it; only `Recorder` grows one."""

    def __init__(self, layout: Layout, blocks: Iterable[Floats | Block]):
        self.layout = layout
        self.blocks: list[Floats | Block] = list(blocks)

    def __len__(self) -> int:
        return sum(len(block) for block in self.blocks)

    def seen_from(self, who: int) -> Record:
        """The same rows, with the bare names for another craft."""
        return Record(replace(self.layout, who=who), self.blocks)

    def column(self, place: int) -> Floats:
        """One column over all rows, shape (rows,)."""
        pieces = [b[:, place] if isinstance(b, np.ndarray) else b.column(place) for b in self.blocks]
        return pieces[0] if len(pieces) == 1 else np.concatenate(pieces)

    def block(self, first: int, count: int) -> Floats:
        """Neighbouring columns over all rows, shape (rows, count)."""
        if len(self.blocks) == 1:
            only = self.blocks[0]
            return only[:, first : first + count] if isinstance(only, np.ndarray) else only.block(first, count)
        return np.stack([self.column(place) for place in range(first, first + count)], axis=1)

    def row(self, number: int) -> Floats:
        """One row, shape (width,)."""
        for block in self.blocks:
            if number < len(block):
                return block[number]
            number -= len(block)
        raise refuse("trace", "there is no such row", f"0 to {len(self) - 1}")

    def chunks(self, most: int) -> Iterator[Floats]:
        """All rows in pieces of at most `most`, shape (n, width): no more than a block is unpacked at a time."""
        for block in self.blocks:
            if isinstance(block, np.ndarray):
                for first in range(0, len(block), most):
                    yield block[first : first + most]
            else:
                yield from block.chunks(most)

    @property
    def nbytes(self) -> int:
        """Bytes it takes."""
        return sum(block.nbytes for block in self.blocks)


class Watched(Block):
    """A record as a block that notes which of its columns are read."""

    def __init__(self, record: Record):
        self._record = record
        self.read: set[int] = set()
        """The columns."""

    def __len__(self) -> int:
        return len(self._record)

    def column(self, place: int) -> Floats:
        """One column, shape (rows,)."""
        self.read.add(place)
        return self._record.column(place)

    def block(self, first: int, count: int) -> Floats:
        """Neighbouring columns, shape (rows, count)."""
        self.read.update(range(first, first + count))
        return self._record.block(first, count)

    def __getitem__(self, row: int) -> Floats:
        self.read.update(range(self._record.layout.width))
        return self._record.row(row)

    def chunks(self, most: int) -> Iterable[Floats]:
        """All rows in pieces of at most `most`, shape (n, width)."""
        self.read.update(range(self._record.layout.width))
        return self._record.chunks(most)

    @property
    def nbytes(self) -> int:
        """Bytes it takes."""
        return self._record.nbytes


class Recorder:
    """Grows the record of a live drive: an open buffer of two blocks, sealed by one block when full."""

    def __init__(self, layout: Layout):
        self.layout = layout
        self._sealed: list[Sealed] = []
        self._buffer = np.zeros((2 * BLOCK, layout.width))
        self._filled = 0

    def __len__(self) -> int:
        return self._filled + BLOCK * len(self._sealed)

    def room(self, count: int) -> Floats:
        """The next rows, shape (count, width), to be written by the kernel; old ones are sealed if need be."""
        if self._filled + count > len(self._buffer):
            self._sealed.append(Sealed(self._buffer[:BLOCK]))
            self._buffer[: self._filled - BLOCK] = self._buffer[BLOCK : self._filled].copy()
            self._filled -= BLOCK
        rows = self._buffer[self._filled : self._filled + count]
        self._filled += count
        return rows

    def give_back(self, count: int) -> None:
        """Discards rows that were reserved and not written."""
        self._filled -= count

    def cut(self, length: int) -> None:
        """Drops rows behind `length`, as far as they are not sealed (a step back)."""
        self._filled = max(0, length - BLOCK * len(self._sealed))

    def recent(self) -> Floats:
        """The rows that are not sealed yet, shape (rows, width): at least the last minute."""
        return self._buffer[: self._filled]

    @property
    def first_recent(self) -> int:
        """The number of the first row of `recent`."""
        return BLOCK * len(self._sealed)

    def finish(self) -> Record:
        """The record so far, apart from what will still be driven."""
        return Record(self.layout, [*self._sealed, self._buffer[: self._filled].copy()])

    @property
    def nbytes(self) -> int:
        """Bytes it takes."""
        return self._buffer.nbytes + sum(block.nbytes for block in self._sealed)
