"""A kernel function by its Python source: its tree, its names, where its lines stand; what units are called with."""

from __future__ import annotations

import ast
import contextlib
import functools
import hashlib
import inspect
import textwrap
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from oak_sled.core.compiler import types
from oak_sled.core.compiler.types import Type

PACKAGE = Path(__file__).parents[2]
_LINES = 100_000
_files: list[str] = []
_outside = hashlib.sha256()
_seals: list[str] = []


class Source:
    """A function of the kernel. always : it goes into its caller. is_unit : it is compiled by itself."""

    def __init__(self, function: Callable[..., Any], always: bool = False, is_unit: bool = False):
        self.__doc__, self.__module__ = function.__doc__, function.__module__
        self.py_func, self.always, self.is_unit = function, always, is_unit
        self.__name__ = function.__name__
        self.file = in_package(function.__code__.co_filename)
        if self.file not in _files:
            _files.append(self.file)
        self.seal = _seal(function.__code__.co_filename)

    @functools.cached_property
    def node(self) -> ast.FunctionDef:
        """The source as a tree; its lines count from 1."""
        found = ast.parse(textwrap.dedent(inspect.getsource(self.py_func))).body[0]
        assert isinstance(found, ast.FunctionDef)
        return found

    def symbol(self, given: tuple[Type, ...]) -> str:
        """Its name in compiled code, for arguments of these types."""
        seal = hashlib.sha256("; ".join(types.words(one) for one in given).encode()).hexdigest()[:10]
        module = self.file.removesuffix(".py").replace("/", ".").removeprefix("core.")
        return f"{module}.{self.__name__}.{seal}{self.seal}"

    def where(self, line: int = 1) -> str:
        """File and line, for a message."""
        return f"{self.file} line {self.py_func.__code__.co_firstlineno + line - 1}"

    def line_of(self, line: int) -> int:
        """File and line as one number, for compiled code."""
        return _number_of(self.file) * _LINES + self.py_func.__code__.co_firstlineno + line - 1


@functools.cache
def _is_ours(file: str) -> bool:
    return Path(file).is_relative_to(PACKAGE)


def _seal(file: str) -> str:
    """A mark of the content of a file that is not the package's own: two of one name are two; else ""."""
    if _is_ours(file):
        return ""
    content = b""
    with contextlib.suppress(OSError):  # a function without a file cannot be read, and is refused then
        content = Path(file).read_bytes()
    seal = hashlib.sha256(content).hexdigest()[:10]
    if seal not in _seals:
        _seals.append(seal)
        _outside.update(content)
    return seal


def outside() -> str:
    """A hash of the sources of kernel functions that are not the package's own, such as those of a test."""
    return _outside.hexdigest()


def _number_of(file: str) -> int:
    """A number for a file that does not depend on what else was imported: it stands in compiled code that is kept."""
    return zlib.crc32(file.encode())


@functools.cache
def in_package(file: str) -> str:
    """A file by its place in the package, so that no path of this machine is in what is made of it."""
    path = Path(file)
    return path.relative_to(PACKAGE).as_posix() if path.is_relative_to(PACKAGE) else path.name


def told_line(number: int) -> str:
    """File and line of a number that `Source.line_of` made."""
    file = next((one for one in _files if _number_of(one) == number // _LINES), "a file of the kernel")
    return f"{file} line {number % _LINES}"


@dataclass(frozen=True)
class Declared:
    """Arguments and result of units that are called by their address.

    takes : a type an argument; None: a record, an array or a bundle of any kind, which whoever writes the address
    answers for. gives : the type of the result.
    """

    takes: tuple[Type | None, ...]
    gives: Type
