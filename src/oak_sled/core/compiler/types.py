"""The types of the kernel's language, and how a value of each lies in memory.

A value is a row of cells: a float is one, a tuple those of its items, an array its address and the sizes that are not
part of its type, a record and a bundle (a NamedTuple of arrays) their address.
"""

from __future__ import annotations

import functools
from dataclasses import dataclass
from typing import Any

import numpy as np

from oak_sled.core.base.faults import refuse


@dataclass(frozen=True)
class Scalar:
    """A number or a truth. cell : its LLVM type."""

    name: str
    cell: str


FLOAT = Scalar("float", "double")
INT = Scalar("int", "i64")
WORD = Scalar("word", "i64")
"""Unsigned 64 bits, made by `np.uint64`: for dice and hashes."""
BOOL = Scalar("bool", "i1")
NOTHING = Scalar("nothing", "")


@dataclass(frozen=True)
class Tuple:
    """A fixed row of values."""

    items: tuple[Type, ...]


@dataclass(frozen=True)
class Record:
    """One element of a structured array, by its address."""

    dtype: np.dtype[Any]


@dataclass(frozen=True)
class Array:
    """A C-ordered array of floats, ints or records. shape : a size, or None where only the run knows it."""

    element: Type
    shape: tuple[int | None, ...]


@dataclass(frozen=True)
class Bundle:
    """A NamedTuple of arrays, by the address of its cells."""

    name: str
    members: tuple[tuple[str, Type], ...]

    @functools.cached_property
    def _hash(self) -> int:
        return hash((self.name, self.members))

    def __hash__(self) -> int:
        return self._hash  # it is asked for at every call from Python, and goes over every field


@dataclass(frozen=True)
class Fixed:
    """A Python object that is known while the source is read: a module, a function, a kernel function."""

    value: Any


Type = Scalar | Tuple | Record | Array | Bundle | Fixed


def cells(of: Type) -> tuple[str, ...]:
    """The LLVM types of the cells of a value."""
    if isinstance(of, Scalar):
        return (of.cell,) if of.cell else ()
    if isinstance(of, Tuple):
        return tuple(cell for item in of.items for cell in cells(item))
    if isinstance(of, Array):
        return ("ptr",) + ("i64",) * sum(size is None for size in of.shape)
    return () if isinstance(of, Fixed) else ("ptr",)


def of_dtype(dtype: np.dtype[Any]) -> Type:
    """The type of an element of an array of that dtype; raises `Refused`."""
    if dtype.names is not None:
        return Record(dtype)
    if dtype.kind in "fi" and dtype.itemsize == 8 and dtype.isnative:
        return FLOAT if dtype.kind == "f" else INT
    raise refuse("kernel", f"numbers of {dtype}", "f8 or i8")


def of_field(dtype: np.dtype[Any], name: str) -> tuple[Type, int]:
    """The type of a field of a record and its place, bytes; KeyError for a field that is not there."""
    if dtype.fields is None:
        raise KeyError(name)
    inner, offset = dtype.fields[name][:2]
    if inner.subdtype is not None:
        return Array(of_dtype(inner.subdtype[0]), inner.subdtype[1]), offset
    return of_dtype(inner), offset


def bytes_of(element: Type) -> int:
    """Bytes from one element of an array to the next."""
    return element.dtype.itemsize if isinstance(element, Record) else 8


def of_value(value: Any) -> Type:
    """The type of what Python hands to the kernel; raises `Refused`."""
    if isinstance(value, np.ndarray):
        if not value.flags.c_contiguous:
            raise refuse("kernel", f"an array of strides {value.strides}", "a C-ordered one, np.ascontiguousarray")
        return _of_array(value.dtype, value.ndim)
    if isinstance(value, np.void):
        return _of_record(value.dtype)
    if isinstance(value, bool | np.bool_):
        return BOOL
    if isinstance(value, int | np.integer):
        return INT
    if isinstance(value, float | np.floating):
        return FLOAT
    if isinstance(value, tuple) and hasattr(value, "_fields"):
        if all(isinstance(one, np.ndarray) and one.flags.c_contiguous for one in value):
            return _of_arrays(type(value), tuple([(one.dtype, one.ndim) for one in value]))
        return Bundle(type(value).__name__, tuple((name, of_value(getattr(value, name))) for name in value._fields))
    if isinstance(value, tuple):
        return Tuple(tuple(of_value(item) for item in value))
    raise refuse("kernel", f"cannot take {type(value).__name__}", "numbers, tuples, arrays, records, NamedTuples")


@functools.cache
def _of_array(dtype: np.dtype[Any], dimensions: int) -> Array:
    return Array(of_dtype(dtype), (None,) * dimensions)


@functools.cache
def _of_arrays(made_by: Any, kinds: tuple[tuple[np.dtype[Any], int], ...]) -> Bundle:
    members = zip(made_by._fields, kinds, strict=True)
    return Bundle(made_by.__name__, tuple((name, _of_array(dtype, ndim)) for name, (dtype, ndim) in members))


@functools.cache
def _of_record(dtype: np.dtype[Any]) -> Record:
    return Record(dtype)


def words(of: Type) -> str:
    """A type in words that are the same in every process."""
    if isinstance(of, Tuple):
        return f"({', '.join(words(item) for item in of.items)})"
    if isinstance(of, Record):
        return f"record {_dtype_words(of.dtype)}"
    if isinstance(of, Array):
        return f"array of {words(of.element)} [{', '.join('?' if n is None else str(n) for n in of.shape)}]"
    if isinstance(of, Bundle):
        return f"{of.name}({', '.join(f'{name}: {words(member)}' for name, member in of.members)})"
    return of.name if isinstance(of, Scalar) else getattr(of.value, "__name__", str(of.value))


def short(of: Type) -> str:
    """A type in words for a message: without the fields of a record."""
    if isinstance(of, Record):
        return f"a record of {len(of.dtype.names or ())} fields"
    if isinstance(of, Array):
        return f"an array of {'records' if isinstance(of.element, Record) else words(of.element) + 's'}"
    if isinstance(of, Tuple):
        return f"a tuple of {len(of.items)}"
    return words(of)


def _dtype_words(dtype: np.dtype[Any]) -> str:
    if dtype.subdtype is not None:
        return f"{_dtype_words(dtype.subdtype[0])}{list(dtype.subdtype[1])}"
    if dtype.names is None or dtype.fields is None:
        return str(dtype.str)
    inner = (f"{name}@{dtype.fields[name][1]}:{_dtype_words(dtype.fields[name][0])}" for name in dtype.names)
    return f"{{{','.join(inner)}|{dtype.itemsize}}}"


def packed(of: Type) -> Any:
    """A type that a kernel function gives back to Python, as JSON; raises `Refused` for an address."""
    if isinstance(of, Tuple):
        return [packed(item) for item in of.items]
    if isinstance(of, Scalar):
        return of.name
    raise refuse("kernel", f"gives {short(of)} back to Python", "numbers, or nothing: write into an array")


def unpacked(data: Any) -> Type:
    """The type that `packed` wrote; raises `Refused`."""
    if isinstance(data, list):
        return Tuple(tuple(unpacked(item) for item in data))
    found = {one.name: one for one in (FLOAT, INT, WORD, BOOL, NOTHING)}.get(data)
    if found is None:
        raise refuse("kernel", f"no type is called {data!r}")
    return found
