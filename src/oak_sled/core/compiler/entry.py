"""How Python calls compiled code: arguments cell by cell, results out of memory, types looked up quickly."""

from __future__ import annotations

import ctypes
import functools
from collections.abc import Iterator
from typing import Any

import numpy as np

from oak_sled.core.compiler import types
from oak_sled.core.compiler.types import Array, Bundle, Record, Tuple, Type

_CELL = {"double": ctypes.c_double, "i64": ctypes.c_int64, "i1": ctypes.c_bool, "ptr": ctypes.c_void_p}


class Entry:
    """A unit that Python can enter by its door, at `address`; ctypes releases the interpreter meanwhile."""

    def __init__(self, address: int, given: tuple[Type, ...], gives: Type):
        cells: list[Any] = [_CELL[cell] for one in given for cell in types.cells(one)]
        self.call = ctypes.CFUNCTYPE(None, *cells, ctypes.c_void_p)(address)
        self.given, self.gives = given, gives
        self._kinds = types.cells(gives)
        self._out: Any = ctypes.c_int64 * max(1, len(self._kinds))
        self._floats: Any = ctypes.c_double * max(1, len(self._kinds))

    def __call__(self, arguments: tuple[Any, ...]) -> Any:
        """Runs it; what it gives back is a number, a tuple of them, or None."""
        keep: list[Any] = []
        handed = [cell for one, of in zip(arguments, self.given, strict=True) for cell in cells_of(one, of, keep)]
        out = self._out()
        self.call(*handed, ctypes.addressof(out))
        if not self._kinds:
            return None
        floats = self._floats.from_buffer(out)
        return _shaped(
            self.gives, iter([floats[k] if one == "double" else out[k] for k, one in enumerate(self._kinds)])
        )


def cells_of(value: Any, of: Type, keep: list[Any]) -> list[Any]:
    """A value cell by cell; `keep` gets what has to live as long as the cells are in use."""
    if isinstance(of, Array):
        return [value.ctypes.data, *(size for size, known in zip(value.shape, of.shape, strict=True) if known is None)]
    if isinstance(of, Bundle):
        block = _bundle(value)[1]
        keep.append(block)
        return [block.ctypes.data]
    if isinstance(of, Record):
        return [value.__array_interface__["data"][0]]
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
