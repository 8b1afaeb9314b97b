"""The kernel as plain Python, on the same records: slow, and there to hold the compiled one to the truth.

A function runs from its own source, with two differences between Python and the language evened out: numbers are
NumPy's, so that dividing by 0 gives inf and not an exception, and `**`, `//`, `%`, `int` and `math` are what the page
on the language says (those of the C library, not Python's own).
"""

from __future__ import annotations

import ast
import contextlib
import copy
import ctypes
import ctypes.util
import functools
import types as python_types
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from oak_sled.core.compiler.source import Source

_state = {"on": False}


def is_on() -> bool:
    """True if kernel functions run as plain Python now."""
    return _state["on"]


@contextlib.contextmanager
def python() -> Iterator[None]:
    """Inside, every kernel function that is called runs as plain Python, and so does all that it calls."""
    before, _state["on"] = _state["on"], True
    try:
        with np.errstate(all="ignore"):
            yield
    finally:
        _state["on"] = before


class Row:
    """A record by its fields: `row.mass`."""

    __slots__ = ("_data",)

    def __init__(self, data: Any):
        object.__setattr__(self, "_data", data)  # an array of shape () over the memory of the record

    def __getattr__(self, name: str) -> Any:
        return seen(self._data[name])

    def __setattr__(self, name: str, value: Any) -> None:
        self._data[name] = value


class Rows:
    """An array of records: `rows[3].mass`."""

    __slots__ = ("_data",)

    def __init__(self, data: Any):
        self._data = data

    @property
    def shape(self) -> tuple[int, ...]:
        """Its sizes."""
        shape: tuple[int, ...] = self._data.shape
        return shape

    def __len__(self) -> int:
        return len(self._data)

    def __getitem__(self, place: Any) -> Row | Rows:
        inner = self._data[place] if isinstance(place, tuple) else self._data[place, ...]
        return Row(inner) if inner.ndim == 0 else Rows(inner)

    def __setitem__(self, place: Any, value: Row) -> None:
        self._data[place] = value._data


def seen(value: Any) -> Any:
    """A value as the kernel sees it: records and arrays of records by their fields."""
    if isinstance(value, tuple) and hasattr(value, "_fields"):
        return type(value)(*(seen(item) for item in value))
    if isinstance(value, np.void):
        value = _laid_over(value, value.dtype)
    if isinstance(value, np.ndarray):
        if value.dtype.names is not None:
            return Row(value) if value.ndim == 0 else Rows(value)
        return value[()] if value.ndim == 0 else value
    if isinstance(value, bool | np.bool_):
        return bool(value)
    return np.float64(value) if isinstance(value, float) else np.int64(value) if isinstance(value, int) else value


def _counted(*bounds: Any) -> Iterator[np.int64]:
    """`range`, in ints of 64 bits."""
    return map(np.int64, range(*(int(bound) for bound in bounds)))


def retyped(value: Any, dtype: np.dtype[Any]) -> Any:
    """A record as one of another kind that lies in the same place."""
    if not isinstance(value, Row) or value._data.dtype == dtype:
        return value
    return Row(_laid_over(value._data, dtype))


def _laid_over(value: Any, dtype: np.dtype[Any]) -> Any:
    """An array of shape () over the memory of a record."""
    place = value.__array_interface__["data"][0]
    memory: Any = (ctypes.c_char * dtype.itemsize).from_address(place)
    return np.ndarray((), dtype, buffer=memory)


_libm = ctypes.CDLL(ctypes.util.find_library("m") or "libm.so.6")


def _from_c(name: str, count: int) -> Callable[..., Any]:
    function = getattr(_libm, name)
    function.restype, function.argtypes = ctypes.c_double, [ctypes.c_double] * count
    return lambda *values: np.float64(function(*values))


def to_int(value: Any) -> np.int64:
    """A number as an int: cut off, the nearest that 64 bits hold, 0 for NaN."""
    if isinstance(value, np.uint64):
        return value.astype(np.int64)
    if value != value:
        return np.int64(0)
    if value in (np.inf, -np.inf):
        return np.int64(2**63 - 1 if value > 0 else -(2**63))
    return np.int64(max(-(2**63), min(2**63 - 1, int(value))))


def _power(base: Any, exponent: Any) -> Any:
    if not isinstance(exponent, np.int64):
        return _from_c("pow", 2)(base, exponent)
    made, left = None, int(exponent)
    while left:
        if left & 1:
            made = base if made is None else made * base
        left >>= 1
        if left:
            base = base * base
    return made


def _divide(a: Any, b: Any) -> Any:
    if isinstance(a, np.uint64):
        return np.uint64(0) if b == 0 else a // b
    return np.int64(0) if b == 0 else np.int64((int(a) // int(b) + 2**63) % 2**64 - 2**63)


def _rest(a: Any, b: Any) -> Any:
    if isinstance(a, np.uint64):
        return np.uint64(0) if b == 0 else a % b
    return np.int64(0) if b == 0 else np.int64(int(a) % int(b))


def _over(a: Any, b: Any) -> Any:
    return np.float64(a) / np.float64(b)


class _Math(python_types.SimpleNamespace):
    """`math` as the language has it."""


_MATH = _Math(
    **{name: _from_c(name, 1) for name in ("sqrt", "sin", "cos", "tan", "asin", "acos", "atan", "exp", "log")},
    **{name: _from_c(name, 2) for name in ("atan2", "hypot")},
    floor=lambda value: to_int(_from_c("floor", 1)(value)),
    ceil=lambda value: to_int(_from_c("ceil", 1)(value)),
    pi=np.float64(np.pi), tau=np.float64(2.0 * np.pi), e=np.float64(np.e), inf=np.float64(np.inf),
)  # fmt: skip
_OWN = {
    "_power": _power,
    "_divide": _divide,
    "_rest": _rest,
    "_over": _over,
    "int": to_int,
    "float": np.float64,
    "range": _counted,
}
_CALLED = {ast.Pow: "_power", ast.FloorDiv: "_divide", ast.Mod: "_rest", ast.Div: "_over"}


class _Rewrite(ast.NodeTransformer):
    """Operators that Python has otherwise become calls, and numbers names of NumPy's."""

    def __init__(self) -> None:
        self.numbers: dict[str, Any] = {}
        """The constants by their names."""

    def visit_Constant(self, node: ast.Constant) -> ast.expr:
        value = _known(node.value)
        if value is node.value:
            return node
        name = f"_number_{len(self.numbers)}"
        self.numbers[name] = value
        return ast.Name(name, ast.Load())

    def visit_BinOp(self, node: ast.BinOp) -> ast.expr:
        self.generic_visit(node)
        name = _CALLED.get(type(node.op))
        if name is None:
            return node
        return ast.Call(ast.Name(name, ast.Load()), [node.left, node.right], [])

    def visit_AugAssign(self, node: ast.AugAssign) -> ast.stmt:
        self.generic_visit(node)
        name = _CALLED.get(type(node.op))
        if name is None:
            return node
        old = copy.deepcopy(node.target)
        for inner in ast.walk(old):
            if hasattr(inner, "ctx"):
                inner.ctx = ast.Load()
        return ast.Assign([node.target], ast.Call(ast.Name(name, ast.Load()), [old, node.value], []))


def _known(value: Any) -> Any:
    """A constant as a number of NumPy."""
    if isinstance(value, float):
        return np.float64(value)
    if type(value) is int and -(2**63) <= value < 2**63:
        return np.int64(value)
    if type(value) is tuple:
        return tuple(_known(item) for item in value)
    return _MATH if getattr(value, "__name__", "") == "math" else value


@functools.cache
def function_of(kernel: Source) -> Callable[..., Any]:
    """A kernel function as plain Python."""
    rewrite = _Rewrite()
    tree = ast.Module([rewrite.visit(copy.deepcopy(kernel.node))], [])
    tree.body[0].decorator_list = []  # type: ignore[attr-defined]
    ast.fix_missing_locations(tree)
    space = {name: _known(value) for name, value in kernel.py_func.__globals__.items()}
    space |= _OWN | rewrite.numbers
    exec(compile(tree, f"<{kernel.file}>", "exec"), space)
    made: python_types.FunctionType = space[kernel.__name__]
    return made
