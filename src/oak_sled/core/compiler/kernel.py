"""The functions of the kernel, compiled for the types they are called with, from the cache or anew.

`compiled` goes into every unit that uses it, `inlined` always into its caller; `unit` is a module of its own, called by
its symbol, so that an edit of it compiles nothing else. Called from Python, each of them is compiled at its first call.
"""

from __future__ import annotations

import ast
import contextlib
import functools
import hashlib
import os
import re
import threading
import time
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from oak_sled.core.base.faults import Refused, refuse
from oak_sled.core.compiler import machine, plain, types
from oak_sled.core.compiler.cache import Cache
from oak_sled.core.compiler.entry import Entry, Prepared, type_of
from oak_sled.core.compiler.source import PACKAGE, Declared, Source, in_package, outside, told_line
from oak_sled.core.compiler.types import Record, Type

if TYPE_CHECKING:
    from oak_sled.core.compiler.tree import Function

CHECKED = bool(os.environ.get("OAK_SLED_CHECKED"))
"""Hold every index to its array, and stop the process at one that is not inside: for the tests."""


JUST_NOW = 2.0
"""s in which a file may be edited twice and keep its time."""


class Kernel(Source):
    """A function of the kernel that Python can call."""

    quiet = False
    """True if nobody need be told that it is compiled."""

    def __init__(self, function: Callable[..., Any], always: bool = False, is_unit: bool = False):
        super().__init__(function, always, is_unit)
        self.entries: dict[tuple[Type, ...], Entry] = {}
        """By the types of the arguments: what Python has called so far."""
        self._quick: dict[tuple[int, ...], Entry] = {}
        self._held: list[tuple[Type, ...]] = []

    def __call__(self, *arguments: Any) -> Any:
        """Runs the compiled function, or its source inside `plain.python`; raises `Refused` for what is no argument."""
        if plain.is_on():
            return plain.function_of(self)(*(plain.seen(one) for one in arguments))
        return self._entry(arguments)(arguments)

    def prepared(self, *arguments: Any) -> Prepared:
        """Arguments for `together`: their arrays have to stay where they are."""
        return self._entry(arguments).prepared(arguments)

    def together(self, calls: Sequence[Prepared]) -> list[Any]:
        """Runs it for each set of arguments, one after another, all in one call of compiled code: nothing of Python
        comes between them. What each gives back; raises `Refused` where their types differ."""
        if plain.is_on():
            return [self(*one.arguments) for one in calls]
        if any(one.entry is not calls[0].entry for one in calls):
            raise refuse(self.__name__, "calls in one with arguments of different types", "the same types in all")
        return calls[0].entry.together(calls) if calls else []

    def _entry(self, arguments: tuple[Any, ...]) -> Entry:
        """The way in for arguments of these types, compiled if need be."""
        given = tuple([type_of(one) for one in arguments])
        key = tuple(map(id, given))  # types are made once: to ask for the same object is quicker than to compare
        entry = self._quick.get(key)
        if entry is None:
            entry = self.entries.get(given)
            if entry is None:
                entry = self.entries[given] = PROGRAM.entry(self, given)
            self._quick[key] = entry
            self._held.append(given)  # as long as their ids are in use
        return entry

    def address(self, given: tuple[Type, ...]) -> int:
        """The address of the unit for these types in this process, compiled if need be; raises `Refused`."""
        return PROGRAM.address(self, given)


class Address(Declared):
    """Units that are called by their address: `ACT(part.act, ...)`."""

    def __call__(self, address: int, *arguments: Any) -> Any:
        """The same in Python: the unit whose address this is, uncompiled."""
        kernel, given = PROGRAM.at[int(address)]
        seen = [
            plain.retyped(one, of.dtype) if isinstance(of, Record) else one
            for one, of in zip(arguments, given, strict=True)
        ]
        return kernel(*seen)


def compiled(function: Callable[..., Any]) -> Kernel:
    """A kernel function that goes into every unit that uses it."""
    return Kernel(function)


def inlined(function: Callable[..., Any]) -> Kernel:
    """`compiled`, and always inlined: for a stage that is called from one place and hands over much."""
    return Kernel(function, always=True)


def unit(function: Callable[..., Any]) -> Kernel:
    """A kernel function that is compiled by itself, once, and called by its symbol."""
    return Kernel(function, is_unit=True)


OnProgress = Callable[[str, int, int], None]
"""Of progress: a unit that is compiled now, how many are done, and of how many."""


class Program:
    """The code that is compiled and loaded in this process. `sources`: the files that decide what a kernel function
    is."""

    def __init__(self, sources: Callable[[], Iterable[Path]], cache: Cache | None = None):
        self._sources = sources
        self.cache = cache or Cache()
        self.on_progress: OnProgress | None = None
        self.compiled_anew: list[str] = []
        """Symbols of the units that were not in the cache."""
        self.at: dict[int, tuple[Kernel, tuple[Type, ...]]] = {}
        """Units and the types they take, by the addresses that were given out."""
        self._addresses: dict[tuple[int, tuple[Type, ...]], int] = {}
        self._loaded: set[str] = set()
        self._lock = threading.RLock()

    def is_ready(self) -> bool:
        """True if `mark_ready` was called for these sources on this machine."""
        return self.cache.index(f"ready-{self.made_of[:32]}") is not None

    def mark_ready(self) -> None:
        """Notes that all a run needs has been compiled."""
        self.cache.keep_index(f"ready-{self.made_of[:32]}", {})

    def is_untold(self) -> bool:
        """True the first time that it is asked for these sources on this machine: that something is compiled is said
        once, though each run compiles only what it needs."""
        name = f"told-{self.made_of[:32]}"
        if self.cache.index(name) is not None:
            return False
        self.cache.keep_index(name, {})
        return True

    @functools.cached_property
    def made_of(self) -> str:
        """A hash of the sources, of this compiler and of the machine; read from the cache while no file of the core has
        another size or time than when it was made."""
        stamp = _stamp()
        known = self.cache.index(f"sources-{stamp}") if stamp else None
        if known is not None and isinstance(known.get("made_of"), str):
            return str(known["made_of"])
        made = self._hashed()
        if stamp:
            self.cache.keep_index(f"sources-{stamp}", {"made_of": made})
        return made

    def _hashed(self) -> str:
        seal = hashlib.sha256(f"{machine.describe()} {CHECKED}".encode())
        for file in sorted([*self._sources(), *Path(__file__).parent.glob("*.py")]):
            seal.update(in_package(str(file)).encode())
            seal.update(what_is_read(file.read_text(encoding="utf-8")).encode())
        return seal.hexdigest()

    def entry(self, kernel: Kernel, given: tuple[Type, ...]) -> Entry:
        """The way from Python into a function, compiled if need be; raises `Refused`."""
        address, gives = self._ready(kernel, given, "door.")
        batch, _ = self._ready(kernel, given, "batch.")
        return Entry(address, batch, given, gives)

    def address(self, kernel: Kernel, given: tuple[Type, ...]) -> int:
        """The address of a unit, compiled if need be; raises `Refused`."""
        key = (id(kernel), given)
        if key not in self._addresses:
            address, _ = self._ready(kernel, given)
            self.at[address] = (kernel, given)
            self._addresses[key] = address
        return self._addresses[key]

    def _ready(self, kernel: Kernel, given: tuple[Type, ...], door: str = "") -> tuple[int, Type]:
        """Loads a function and all that it needs; (its address, or that of its door; the type of its result).

        door : "" for the function itself, "door." for that of Python, "batch." for that of many calls.
        """
        made_of = f"{self.made_of} {outside()} {kernel.symbol(given)} {bool(door)}"
        name = hashlib.sha256(made_of.encode()).hexdigest()[:32]
        found = self._from_index(name)
        symbol = kernel.symbol(given)
        if found is None or not {symbol, *([f"door.{symbol}"] if door else [])} <= set(found[0]):
            found = self._compile(kernel, given, name, bool(door))
        objects, gives = found
        wanted = f"{door}{symbol}"
        # two threads may have compiled the same: it is loaded once. To ask for an address finishes whatever is loaded,
        # so no other thread may be half way through its objects
        with self._lock:
            new = [symbol for symbol in objects if symbol not in self._loaded]
            with self.cache.loading() if new else contextlib.nullcontext():
                address = machine.load([objects[symbol] for symbol in new])
            self._loaded.update(new)
            return address(wanted), gives

    def _from_index(self, name: str) -> tuple[dict[str, bytes], Type] | None:
        index = self.cache.index(name)
        if index is None:
            return None
        objects = {}
        try:
            for symbol, made in index["objects"].items():
                content = b"" if symbol in self._loaded else self.cache.object(made)
                if content is None:
                    return None
                objects[symbol] = content
            return objects, types.unpacked(index["gives"])
        except (Refused, LookupError, TypeError, AttributeError, ValueError, RecursionError):  # it is no index of ours
            return None

    def _compile(
        self, kernel: Kernel, given: tuple[Type, ...], name: str, with_door: bool
    ) -> tuple[dict[str, bytes], Type]:
        from oak_sled.core.compiler import llvm

        function = self.read(kernel, given)
        texts = {one.symbol: self.text_of(one) for one in units_of(function)}
        if with_door:
            texts[f"door.{function.symbol}"] = llvm.door(function)
        names = {
            symbol: hashlib.sha256(f"{machine.describe()} {text}".encode()).hexdigest()[:32]
            for symbol, text in texts.items()
        }
        objects = {}
        for place, (symbol, text) in enumerate(texts.items()):
            made = self.cache.object(names[symbol])
            if made is None:
                if self.on_progress is not None and not kernel.quiet:
                    self.on_progress(symbol, place, len(texts))
                made = machine.compile_text(text)
                self.cache.keep_object(names[symbol], made)
                self.compiled_anew.append(symbol)
            objects[symbol] = made
        self.cache.keep_index(name, {"gives": types.packed(function.returns), "objects": names})
        return objects, function.returns

    def read(self, kernel: Kernel, given: tuple[Type, ...]) -> Function:
        """The typed tree of a function and of all that it calls; it counts as a unit. Raises `Refused`."""
        from oak_sled.core.compiler.reader import Reader  # what is in the cache needs no reader

        function = Reader().function(kernel, given)
        function.is_unit = True
        return function

    @staticmethod
    def text_of(function: Function) -> str:
        """A unit as LLVM text."""
        from oak_sled.core.compiler import llvm

        module = llvm.Module(CHECKED)
        module.add(function)
        return module.text()


def units_of(function: Function) -> list[Function]:
    """A function and every unit that it reaches, each once."""
    found: list[Function] = []
    seen: set[str] = set()

    def walk(one: Function) -> None:
        if one.symbol in seen:
            return
        seen.add(one.symbol)
        if one.is_unit:
            found.append(one)
        for called in one.calls:
            walk(called)

    walk(function)
    return found


class _Bare(ast.NodeTransformer):
    """Leaves out what no kernel function can read: docstrings, and the texts of declarations of documents."""

    DECLARE = frozenset({"dial", "Field", "name_field", "reference"})

    def visit_Expr(self, node: ast.Expr) -> ast.AST | None:
        return None if isinstance(node.value, ast.Constant) else self.generic_visit(node)

    def visit_Call(self, node: ast.Call) -> ast.AST:
        self.generic_visit(node)
        if isinstance(node.func, ast.Name) and node.func.id in self.DECLARE:
            node.args = [one for one in node.args if not _is_text(one)]
            node.keywords = [one for one in node.keywords if not _is_text(one.value)]
        return node


def _is_text(node: ast.expr) -> bool:
    return isinstance(node, ast.JoinedStr) or (isinstance(node, ast.Constant) and isinstance(node.value, str))


def what_is_read(text: str) -> str:
    """A source file without what decides nothing of the kernel: comments, docstrings and the texts of dials, so that an
    edit of those compiles nothing. Lines count, since a checked kernel names them."""
    tree = ast.parse(text)
    return ast.dump(_Bare().visit(tree), include_attributes=CHECKED)


_IMPORTS = re.compile(r"^from (oak_sled\.core[\w.]*) import (\([^)]*\)|.*)$", re.MULTILINE)
_MARK = re.compile(r"^@(compiled|inlined|unit)$", re.MULTILINE)


def kernel_sources() -> list[Path]:
    """The files that the kernel is made of: those that compile something, and all of the core they import."""
    core = PACKAGE / "core"
    texts = {file: file.read_text(encoding="utf-8") for file in sorted(core.rglob("*.py"))}
    wanted = [file for file, text in texts.items() if _MARK.search(text)]
    found: set[Path] = set()
    while wanted:
        file = wanted.pop()
        if file in found:
            continue
        found.add(file)
        for module, names in _IMPORTS.findall(texts[file]):
            place = core.joinpath(*module.split(".")[2:])
            parts = [place / f"{name}.py" for name in re.findall(r"\w+", names)]
            wanted += [part for part in (place.with_suffix(".py"), *parts) if part in texts]
    return sorted(found)


def _stamp() -> str:
    """A stamp that changes when a file of the core is edited, without reading any; "" while one was edited this moment,
    since times of files are coarse."""
    seal, newest = hashlib.sha256(f"{machine.describe()} {CHECKED}".encode()), 0.0
    for file in sorted((PACKAGE / "core").rglob("*.py")):
        found = file.stat()
        seal.update(f"{in_package(str(file))} {found.st_size} {found.st_mtime_ns}\n".encode())
        newest = max(newest, found.st_mtime)
    return seal.hexdigest()[:32] if newest < time.time() - JUST_NOW else ""


SHIPPED = Path(__file__).parent / "shipped"
"""Objects that came with the program, so that an install compiles nothing; see scripts/ship_kernel.py."""
PROGRAM = Program(kernel_sources, Cache(shipped=SHIPPED))
"""All compiled code of this process."""
machine.told_line[0] = told_line
