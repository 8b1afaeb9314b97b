"""Calls of compiled code from Python: arguments cell by cell, results out of memory, types looked up quickly."""

from __future__ import annotations

import ctypes
import functools
import sys
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from oak_sled.core.compiler import types
from oak_sled.core.compiler.types import Array, Bundle, Record, Scalar, Tuple, Type


def _place_in(samples: Sequence[Any]) -> int:
    """Bytes into an object at which the address of its numbers stands, as all `samples` have it; -1 where they do not.

    NumPy tells it by `__array_interface__`, which builds a description for 3.5 us; some 70 arrays go to every run.
    Where it stands in the object is part of NumPy's binary interface, but nothing holds Python to it: so it is looked
    for when this is loaded, and asked for in NumPy's own way where it is not found.
    """
    if sys.implementation.name != "cpython":
        return -1
    size = min(type(one).__basicsize__ for one in samples)
    return next((at for at in range(16, size - 7, 8) if all(_held_at(one, at) == _told(one) for one in samples)), -1)


def _held_at(value: Any, at: int) -> int:
    return ctypes.c_uint64.from_address(id(value) + at).value


def _told(value: Any) -> int:
    address: int = value.__array_interface__["data"][0]
    return address


_RECORDS = np.zeros(3, [("a", "f8"), ("b", "i8", 3)])
_IN_ARRAY = _place_in((_RECORDS, np.zeros((2, 3)), np.arange(4)[1:], np.zeros(0), np.ones((3, 0, 2), np.int64)))
_IN_RECORD = _place_in(tuple(_RECORDS))


def address_of(value: np.ndarray | np.void) -> int:
    """The address of the numbers of an array or a record."""
    at = _IN_ARRAY if isinstance(value, np.ndarray) else _IN_RECORD
    return _told(value) if at < 0 else _held_at(value, at)


_CELL = {"double": ctypes.c_double, "i64": ctypes.c_int64, "i1": ctypes.c_bool, "ptr": ctypes.c_void_p}


class Entry:
    """A unit that Python can enter by its door, at `address`, and by that for many calls in one, at `batch`; ctypes
    releases the interpreter meanwhile."""

    def __init__(self, address: int, batch: int, given: tuple[Type, ...], gives: Type):
        self._cells = [cell for one in given for cell in types.cells(one)]
        handed: list[Any] = [_CELL[cell] for cell in self._cells]
        self.call = ctypes.CFUNCTYPE(None, *handed, ctypes.c_void_p)(address)
        self._batch = ctypes.CFUNCTYPE(None, ctypes.c_int64, ctypes.c_void_p, ctypes.c_void_p)(batch)
        self.given, self.gives = given, gives
        self._kinds = types.cells(gives)
        self._scalars = [isinstance(one, Scalar) for one in given]
        """True for arguments that are handed over as they are."""
        self._plain = isinstance(gives, Tuple) and all(one in (types.FLOAT, types.INT) for one in gives.items)
        """True if it gives back a flat tuple of numbers."""
        self._out: Any = ctypes.c_int64 * max(1, len(self._kinds))
        self._floats: Any = ctypes.c_double * max(1, len(self._kinds))

    def __call__(self, arguments: tuple[Any, ...]) -> Any:
        """Runs it; what it gives back is a number, a tuple of them, or None."""
        keep: list[Any] = []
        handed = self._handed(arguments, keep)
        out = self._out()
        self.call(*handed, ctypes.addressof(out))
        return self._given_back(out)

    def _handed(self, arguments: tuple[Any, ...], keep: list[Any]) -> list[Any]:
        """All arguments cell by cell; `keep` as in `cells_of`."""
        handed: list[Any] = []
        for one, of, is_scalar in zip(arguments, self.given, self._scalars, strict=True):
            if is_scalar:
                handed.append(one)
            elif isinstance(one, np.ndarray):  # every dimension is told
                handed.append(address_of(one))
                handed += one.shape
            else:
                handed += cells_of(one, of, keep)
        return handed

    def _given_back(self, out: Any) -> Any:
        if not self._kinds:
            return None
        floats = self._floats.from_buffer(out)
        if self._plain:
            return tuple([floats[k] if one == "double" else out[k] for k, one in enumerate(self._kinds)])
        return _shaped(
            self.gives, iter([floats[k] if one == "double" else out[k] for k, one in enumerate(self._kinds)])
        )

    def prepared(self, arguments: tuple[Any, ...]) -> Prepared:
        """Arguments for `together`, read now: their arrays have to stay where they are."""
        keep: list[Any] = []
        handed = self._handed(arguments, keep)
        block = np.zeros(len(handed), np.int64)
        for place, (value, cell) in enumerate(zip(handed, self._cells, strict=True)):
            if cell == "double":
                block[place : place + 1].view(np.float64)[0] = value
            else:
                block[place] = value
        return Prepared(self, arguments, block, keep)

    def together(self, calls: Sequence[Prepared]) -> list[Any]:
        """Runs it once for each of `calls`, one after another, in one call of compiled code; what each gives back."""
        blocks = np.stack([one.block for one in calls])
        results = np.zeros((len(calls), max(1, len(self._kinds))), np.int64)
        self._batch(len(calls), address_of(blocks), address_of(results))
        return [self._given_back(self._out.from_buffer(row)) for row in results]


@dataclass(frozen=True, eq=False)
class Prepared:
    """The arguments of one call of many: their cells, 8 bytes each, and what else has to live as long."""

    entry: Entry
    arguments: tuple[Any, ...]
    block: np.ndarray
    keep: list[Any]


def cells_of(value: Any, of: Type, keep: list[Any]) -> list[Any]:
    """A value cell by cell; `keep` gets what has to live as long as the cells are in use."""
    if isinstance(of, Array):
        return [address_of(value), *(size for size, known in zip(value.shape, of.shape, strict=True) if known is None)]
    if isinstance(of, Bundle):
        block = _bundle(value)[1]
        keep.append(block)
        return [address_of(block)]
    if isinstance(of, Record):
        return [address_of(value)]
    if isinstance(of, Tuple):
        return [cell for item, one in zip(value, of.items, strict=True) for cell in cells_of(item, one, keep)]
    return [value]


_bundles: dict[int, tuple[Any, Type, Any]] = {}
_MOST_BUNDLES = 8


def _bundle(value: Any) -> tuple[Type, Any]:
    """The type of a bundle and the block of its cells. Those of the last few are kept: a drive hands over the same ones
    in every frame, and a NamedTuple and where its arrays lie do not change."""
    known = _bundles.get(id(value))
    if known is not None and known[0] is value:
        return known[1], known[2]
    of = _made_once(types.of_value(value))
    assert isinstance(of, Bundle)
    inner = [cell for name, one in of.members for cell in cells_of(getattr(value, name), one, [])]
    block = np.array(inner, np.int64)
    if len(_bundles) >= _MOST_BUNDLES:
        _bundles.clear()
    _bundles[id(value)] = (value, of, block)
    return of, block


@functools.cache
def _made_once(of: Type) -> Type:
    return of


def type_of(value: Any) -> Type:
    """The type of an argument, the same object each time; raises `Refused`."""
    if isinstance(value, tuple):
        return _bundle(value)[0] if hasattr(value, "_fields") else _made_once(types.of_value(value))
    return types.of_value(value)


def _shaped(of: Type, numbers: Iterator[Any]) -> Any:
    if isinstance(of, Tuple):
        return tuple(_shaped(item, numbers) for item in of.items)
    return bool(next(numbers)) if of == types.BOOL else next(numbers)
