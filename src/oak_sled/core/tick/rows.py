"""Recorded rows in memory: sparse as the kernel writes them, or sealed.

A sealed block has each column compressed on its own, without loss, and unpacked when someone looks at it.
"""

from __future__ import annotations

import uuid
import zlib
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from oak_sled.core.base.arrays import Floats

LINE = 8
"""Columns that are copied together when one of them is read. To read a column row by row, a line of memory of as many
numbers is fetched for each of them, so that its neighbours cost nothing; and most columns are read more than once."""


class Block(Protocol):
    """Rows that are not one plain array: stored sparsely, packed in memory, or in a file."""

    def __len__(self) -> int: ...

    def column(self, place: int) -> Floats:
        """One column, shape (rows,)."""

    def block(self, first: int, count: int) -> Floats:
        """Neighbouring columns, shape (rows, count)."""
        return np.stack([self.column(place) for place in range(first, first + count)], axis=1)

    def __getitem__(self, row: int) -> Floats:
        """One row, shape (width,)."""

    def chunks(self, most: int) -> Iterable[Floats]:
        """All rows in pieces of at most `most`, shape (n, width)."""

    @property
    def nbytes(self) -> int:
        """Bytes it takes in memory."""


@dataclass(frozen=True, eq=False)
class Rows:
    """Rows as the kernel writes them: the crafts in every row, what is beside them only where something of it may have
    changed.

    crafts : shape (n, width of the crafts). beside : shape (n or fewer, width of the rest). which : shape (n,), the row
    of `beside` that holds for each row.
    """

    crafts: Floats
    beside: Floats
    which: np.ndarray
    _turned: dict[int, Floats] = field(default_factory=dict, repr=False)
    """Columns that were read, as rows of their own, by the place of the first of each `LINE`."""

    @classmethod
    def room(cls, count: int, own: int, rest: int) -> Rows:
        """Room for `count` rows, not written yet; memory is taken as they are written. own, rest : the widths."""
        return cls(np.empty((count, own)), np.empty((count, rest)), np.zeros(count, np.int64))

    def first(self, count: int) -> Rows:
        """Its first rows."""
        used = int(self.which[count - 1]) + 1 if count else 0
        return Rows(self.crafts[:count], self.beside[:used], self.which[:count])

    def whole(self) -> Floats:
        """All rows as one array, shape (n, width)."""
        return np.concatenate([self.crafts, self.beside[self.which]], axis=1) if self.has_beside else self.crafts

    @property
    def has_beside(self) -> bool:
        """True if there is anything beside the crafts."""
        return self.beside.shape[1] > 0

    def __len__(self) -> int:
        return len(self.crafts)

    def __getitem__(self, row: int) -> Floats:
        return np.concatenate([self.crafts[row], self.beside[self.which[row]]]) if self.has_beside else self.crafts[row]

    def column(self, place: int) -> Floats:
        """One column, shape (n,)."""
        own = self.crafts.shape[1]
        if place >= own:
            return self.beside[self.which, place - own]
        first = place - place % LINE
        turned = self._turned.get(first)
        if turned is None:
            turned = self._turned[first] = np.ascontiguousarray(self.crafts[:, first : first + LINE].T)
        return turned[place - first]

    def block(self, first: int, count: int) -> Floats:
        """Neighbouring columns, shape (n, count)."""
        own = self.crafts.shape[1]
        if first + count <= own:
            return self.crafts[:, first : first + count]
        if first >= own:
            return self.beside[self.which, first - own : first - own + count]
        return np.stack([self.column(place) for place in range(first, first + count)], axis=1)

    def chunks(self, most: int) -> Iterator[Floats]:
        """All rows in pieces of at most `most`, shape (n, width)."""
        for first in range(0, len(self), most):
            part = slice(first, first + most)
            yield Rows(self.crafts[part], self.beside, self.which[part]).whole()

    @property
    def nbytes(self) -> int:
        """Bytes it takes."""
        read = sum(one.nbytes for one in self._turned.values())
        return self.crafts.nbytes + self.beside.nbytes + self.which.nbytes + read


class NotKept(LookupError):
    """A column was read that was not kept."""


class Kept:
    """Some columns of rows. numbers : shape (rows, columns kept). places : which they are, in order."""

    def __init__(self, numbers: Floats, places: Sequence[int]):
        self._numbers = numbers
        self._at = {place: k for k, place in enumerate(places)}

    def __len__(self) -> int:
        return len(self._numbers)

    def _place(self, column: int) -> int:
        if column not in self._at:
            raise NotKept(column)
        return self._at[column]

    def column(self, place: int) -> Floats:
        """One column, shape (rows,); raises `NotKept`."""
        return self._numbers[:, self._place(place)]

    def block(self, first: int, count: int) -> Floats:
        """Neighbouring columns, shape (rows, count): kept in order, they lie side by side; raises `NotKept`."""
        begin = self._place(first)
        for one in range(first, first + count):
            self._place(one)
        return self._numbers[:, begin : begin + count]

    def __getitem__(self, row: int) -> Floats:
        raise NotKept(row)

    def chunks(self, most: int) -> Iterable[Floats]:
        """Not all columns of a row are there; raises `NotKept`."""
        raise NotKept(most)

    @property
    def nbytes(self) -> int:
        """Bytes it takes."""
        return self._numbers.nbytes


class Sealed(Block):
    """A block of rows whose columns are compressed one by one, without loss."""

    def __init__(self, rows: Floats):
        self.id = uuid.uuid4().hex[:12]
        """By which a store knows that it has it already."""
        self.length, self.width = rows.shape
        self._columns = [self._pack(rows[:, place]) for place in range(self.width)]

    @staticmethod
    def _pack(column: Floats) -> bytes:
        bits = np.ascontiguousarray(column).view(np.uint8).reshape(-1, 8)
        # bytes of equal weight side by side: the slow ones repeat, and compress well
        return zlib.compress(np.ascontiguousarray(bits.T).tobytes(), 1)

    def column(self, place: int) -> Floats:
        """One column, shape (length,)."""
        raw = np.frombuffer(zlib.decompress(self._columns[place]), np.uint8).reshape(8, self.length)
        return np.ascontiguousarray(raw.T).reshape(-1).view(np.float64)

    def __getitem__(self, row: int) -> Floats:
        return np.array([self.column(place)[row] for place in range(self.width)])

    def __len__(self) -> int:
        return self.length

    def chunks(self, most: int) -> Iterator[Floats]:
        """All rows in pieces of at most `most`, shape (n, width)."""
        # columns stay side by side in memory: who asks for all rows writes column by column
        rows = np.stack([self.column(place) for place in range(self.width)]).T
        for first in range(0, self.length, most):
            yield rows[first : first + most]

    @property
    def nbytes(self) -> int:
        """Bytes it takes."""
        return sum(len(column) for column in self._columns)
