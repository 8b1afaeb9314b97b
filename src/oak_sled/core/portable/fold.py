"""Folds the typed tree of the kernel to what one craft uses of it.

Memory is looked at as it is at the start: a place that no tick writes is known, and every choice that hangs on it is
made here. A float that is known stays a number of the craft by its name, unless it is 0; what is 0 is left out.
Whether a place is written comes out of folding itself: nothing is at first, and it begins anew with what was found,
until nothing more is (a greatest fixed point; Jones, Gomard and Sestoft, Partial Evaluation, 1993, section 4).

One file, since it has a method for every node of the tree, and each calls the others.
"""

from __future__ import annotations

import dataclasses
import functools
import inspect
import itertools
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from oak_sled.core.base.faults import Refused, refuse
from oak_sled.core.compiler import tree
from oak_sled.core.compiler.kernel import PROGRAM, Kernel
from oak_sled.core.compiler.types import BOOL, FLOAT, INT, NOTHING, Array, Record, Tuple, Type
from oak_sled.core.portable import code
from oak_sled.core.portable.code import Call, Cell, Expr, Function, Item, Lit, Num, Row, Var

Path = tuple[str | int, ...]
"""A place in memory: names of members and fields, and indices."""
ROLLED_FROM = 5
"""Rounds from which on a loop over numbers stays a loop."""
SMALL = 14
"""Nodes of an expression up to which a function that only gives it goes into its caller."""


class Naming(Protocol):
    """Words for what lies in memory."""

    def cell(self, path: Path) -> tuple[str, Path]:
        """The name of a number that is kept, and which indices of its path it has."""

    def number(self, path: Path) -> str:
        """The name of a number of the craft, or of a table of them."""

    def told(self, path: Path) -> tuple[str, str]:
        """The unit of a number, and what it is; "" where that is not known."""

    def function(self, kernel: str, module: str, at: Sequence[Path]) -> str:
        """The name of a function that works at some places."""

    def is_flag(self, path: Path) -> bool:
        """True for a float that says yes or no, or that is no number of the craft."""

    def alike(self, path: Path) -> bool:
        """True for an array of records that are treated alike."""

    def is_part(self, path: Path) -> bool:
        """True for the row of a part."""

    def own(self, part: Any) -> Any:
        """The record of its own kind in the row of a part."""


@dataclass(frozen=True)
class Ref:
    """A record, an array or a bundle: what it is in memory, and where."""

    value: Any
    path: Path


@dataclass(frozen=True)
class Open:
    """A place by indices that only the run knows: they stand in its path. value : an axis for each of them, and behind
    those what lies there."""

    value: Any
    path: tuple[Any, ...]

    def indices(self) -> list[Expr]:
        """The indices of the run."""
        return [one for one in self.path if not isinstance(one, str | int)]

    def each(self) -> list[Path]:
        """Every place that it may be."""
        sizes = [range(n) for n in self.value.shape[: len(self.indices())]]
        found = []
        for chosen in itertools.product(*sizes):
            left = list(chosen)
            found.append(tuple(one if isinstance(one, str | int) else left.pop(0) for one in self.path))
        return found

    def deeper(self, value: Any, *steps: Any) -> Open:
        """A place in it."""
        return Open(value, (*self.path, *steps))


Value = Expr | Ref | Open


class Roll(Exception):
    """A loop cannot be written out, since the run decides where it ends."""


class Unlike(Exception):
    """A loop has to be written out, since its rounds are not alike."""


class Fold:
    """Functions folded for one memory. constants : paths that stay what they are, whatever is written there."""

    def __init__(self, naming: Naming):
        self.naming = naming
        self.written: set[Path] = set()
        self.changed = False
        self.assumed: set[str] = set()
        """Numbers by whose present value a choice was made."""
        self.numbers: dict[str, code.Number] = {}
        self.kept: dict[str, tuple[Type, dict[Path, Path]]] = {}
        """Kept numbers and arrays, by name: the type, and the place in memory of each index."""
        self.functions: dict[Any, Function] = {}
        self.trying = 0
        """Loops round what is folded now that are written out after all where their rounds are not alike."""
        self._taken: set[str] = set()
        self._trees: dict[int, tree.Function] = {}

    def settle(self, function: tree.Function, values: Sequence[Value]) -> Function:
        """The function folded for these values, with all that is written known; raises `Refused`."""
        for _ in range(60):
            self.changed = False
            self.assumed, self.numbers, self.kept, self.functions = set(), {}, {}, {}
            self._taken = set()
            made, _ = self.folded(function, values)
            if not self.changed:
                return made
        raise refuse(function.kernel.where(), "what is written does not settle", "a craft without that")

    def folded(self, function: tree.Function, values: Sequence[Value]) -> tuple[Function, list[Expr]]:
        """A function for some values, and what is still to be handed to it."""
        at = [one.path for one in values if isinstance(one, Ref | Open)]
        bound: dict[str, Value] = {}
        handed: list[Expr] = []
        arguments: list[tuple[str, Type]] = []
        whole = all(is_static(one) for one in values)
        for (name, kind), value in zip(function.arguments, values, strict=True):
            if isinstance(value, Ref) or (is_static(value) and (whole or at)):
                bound[name] = value
            elif isinstance(value, Open):
                bound[name] = self._by_argument(name, value, arguments, handed)
            else:
                arguments.append((name, kind))
                handed.append(value)
        key = (function.symbol, tuple(sorted((name, said(one)) for name, one in bound.items())))
        if key not in self.functions:
            made = Function("", comment_of(function), arguments, function.returns)
            self.functions[key] = made
            made.name = self._free(self.naming.function(function.kernel.__name__, function.symbol.split(".")[-3], at))
            _Body(self, function, made, bound).run()
        return self.functions[key], handed

    @staticmethod
    def _by_argument(name: str, value: Open, arguments: list[tuple[str, Type]], handed: list[Expr]) -> Open:
        """A place by an index, for a function that takes the index."""
        path: list[Any] = []
        for one in value.path:
            if isinstance(one, str | int):
                path.append(one)
                continue
            known = next((k for k, given in enumerate(handed) if same(given, one) and arguments[k][1] == INT), None)
            if known is None:
                arguments.append((f"{name}_at", INT))
                handed.append(one)
                known = len(arguments) - 1
            path.append(Var(INT, arguments[known][0]))
        return Open(value.value, tuple(path))

    def _free(self, name: str) -> str:
        found, count = name, 2
        while found in self._taken:
            found, count = f"{name}_{count}", count + 1
        self._taken.add(found)
        return found

    def at(self, address: int) -> tree.Function:
        """The function at an address that parts are called by."""
        if address not in self._trees:
            kernel, given = PROGRAM.at[address]
            self._trees[address] = PROGRAM.read(kernel, given)
        return self._trees[address]

    # memory

    def is_written(self, path: Path) -> bool:
        """True if a tick may write there."""
        return path in self.written

    def write(self, path: Path) -> None:
        """From now on that place is written."""
        if not self.is_written(path):
            self.written.add(path)
            self.changed = True

    def read(self, kind: Type, value: Any, path: Path) -> Expr:
        """The number at a place. value : what it is at the start."""
        if self.is_written(path):
            return self.cell(kind, path)
        if kind == INT:
            return Lit(INT, int(value))
        number = float(value)
        if number == 0.0 or self.naming.is_flag(path):
            return Lit(FLOAT, number)
        name = self.naming.number(path)
        told = self.naming.told(path)
        self.numbers.setdefault(name, code.Number((), [number], *told))
        if self.numbers[name].values != [number]:  # two places of one name and of two values
            name = f"{name}_{'_'.join(str(one) for one in path if isinstance(one, int))}"
            self.numbers.setdefault(name, code.Number((), [number], *told))
        if path not in self.numbers[name].places:
            self.numbers[name].places.append(path)
        return Num(FLOAT, name, [])

    def cell(self, kind: Type, path: Path) -> Cell:
        """A number that is kept."""
        name, indices = self.naming.cell(path)
        self.kept.setdefault(name, (kind, {}))[1][indices] = path
        return Cell(kind, name, [Lit(INT, int(one)) for one in indices])

    def read_open(self, kind: Type, one: Open) -> Expr:
        """A number by indices of the run."""
        places = one.each()
        if any(self.is_written(path) for path in places):
            return self.cell_open(kind, one)
        values = one.value.reshape(-1)
        if all(value == values[0] for value in values):
            return self.read(kind, values[0], places[0])
        if kind == INT and self.trying:
            raise Unlike
        name = self.naming.number(tuple(step for step in one.path if isinstance(step, str | int)))
        as_kind = int if kind == INT else float
        table = code.Number(one.value.shape, [as_kind(value) for value in values])
        while name in self.numbers and (self.numbers[name].shape, self.numbers[name].values) != (
            table.shape, table.values,
        ):  # fmt: skip
            name = f"{name}_each"  # a single number, or another table, has that name
        self.numbers.setdefault(name, table)
        return Num(kind, name, one.indices())

    def cell_open(self, kind: Type, one: Open) -> Cell:
        """A kept number by indices of the run."""
        for path in one.each():
            self.write(path)
            self.cell(kind, path)
        indices = iter(one.indices())
        name, at = self.naming.cell(tuple(step if isinstance(step, str | int) else -1 for step in one.path))
        return Cell(kind, name, [next(indices) if k == -1 else Lit(INT, int(k)) for k in at])


def array_of(path: Path) -> Path:
    """The array in which a number lies."""
    while path and isinstance(path[-1], int):
        path = path[:-1]
    return path


def comment_of(function: tree.Function) -> str:
    """The first paragraph of what the kernel says of a function."""
    return inspect.cleandoc(function.kernel.__doc__ or "").split("\n\n")[0]


def is_static(value: Value) -> bool:
    """True for what is known here."""
    if isinstance(value, Row):
        return all(is_static(one) for one in value.items)
    if isinstance(value, code.One) and value.op == "-":
        return is_static(value.value)
    return isinstance(value, Lit | Ref) or (isinstance(value, Num) and not value.indices)


def said(value: Value) -> Any:
    """A known value, to be compared."""
    if isinstance(value, Ref | Open):
        return ("at", tuple(one if isinstance(one, str | int) else repr(one) for one in value.path))
    if isinstance(value, Row):
        return tuple(said(one) for one in value.items)
    return repr(value)


class _Body:
    """One function that is folded."""

    def __init__(self, fold: Fold, function: tree.Function, made: Function, bound: dict[str, Value]):
        self.fold, self.function, self.made = fold, function, made
        self.known: dict[str, Value] = {name: Var(kind, name) for name, kind in made.arguments}
        self.known |= bound
        self.out: list[code.Statement] = []
        self.carried: list[list[str] | None] = []
        """For each loop round a statement: the names that it hands on from round to round; None: it is written out."""

    def run(self) -> None:
        self.block(self.function.body)
        self.made.body = self.out

    # statements

    def block(self, statements: Sequence[tree.Statement]) -> str:
        """Folds statements; "return", "continue" or "break" where none behind them is reached."""
        for place, one in enumerate(statements):
            if isinstance(one, tree.If):
                ends = self.do_If(one, statements[place + 1 :])
                if ends is not None:
                    return ends
                continue
            ends = getattr(self, f"do_{type(one).__name__}")(one)
            if ends:
                return str(ends)
        return ""

    def do_Assign(self, one: tree.Assign) -> None:
        self.take(one.name, self.value(one.value))

    def take(self, name: str, value: Value) -> None:
        """A name takes a value: known ones stand in no statement."""
        if is_static(value) or isinstance(value, Open):
            self.known[name] = value
            return
        assert not isinstance(value, Ref)
        self.made.names[name] = value.type
        self.out.append(code.Set(name, value))
        self.known[name] = Var(value.type, name)

    def flush(self, names: Sequence[str]) -> None:
        """Writes the values of names down, so that the run has them."""
        for name in names:
            value = self.known.get(name)
            if value is None or isinstance(value, Ref | Open) or (isinstance(value, Var) and value.name == name):
                continue
            self.made.names[name] = value.type
            self.out.append(code.Set(name, value))
            self.known[name] = Var(value.type, name)

    def do_Store(self, one: tree.Store) -> None:
        self.store(one.place, self.expr(one.value))

    def store(self, place: tree.Field | tree.Element, value: Expr) -> None:
        spot = self.spot(place)
        if isinstance(spot, Open):
            self.out.append(code.Put(self.fold.cell_open(place.type, spot), value))
            return
        before = None if self.fold.is_written(spot.path) else self.fold.read(place.type, spot.value, spot.path)
        if before is not None and same(before, value):
            return
        self.fold.write(spot.path)
        self.out.append(code.Put(self.fold.cell(place.type, spot.path), value))

    def do_Copy(self, one: tree.Copy) -> None:
        raise refuse(self.function.kernel.where(one.line), "a record is copied as a whole", "its numbers one by one")

    def do_Do(self, one: tree.Do) -> None:
        value = self.value(one.value)
        if isinstance(value, Call):
            self.out.append(code.Do(value))

    def do_Return(self, one: tree.Return) -> str:
        self.out.append(code.Ret(None if one.value is None else self.expr(one.value)))
        return "return"

    def do_Jump(self, one: tree.Jump) -> str:
        carried = self.carried[-1]
        if carried is not None:
            self.flush(carried)
            self.out.append(code.Jump(one.word))
        return one.word

    def do_If(self, one: tree.If, rest: Sequence[tree.Statement]) -> str | None:
        test = self.expr(one.test)
        if isinstance(test, Lit):
            return self.block(one.yes if test.value else one.no) or None
        written_out = bool(self.carried) and self.carried[-1] is None
        if written_out and (jumps(one.yes) or jumps(one.no)):
            # what follows in a round that is written out belongs to the side that does not leave it
            if any(word == "break" for side in (one.yes, one.no) for word in words_of(side)):
                raise Roll
            sides = [list(side[:-1]) if ends_round(side) else [*side, *rest] for side in (one.yes, one.no)]
            self.both(test, sides[0], sides[1])
            return "continue"
        ends = self.both(test, one.yes, one.no)
        return ends or None

    def both(self, test: Expr, yes: Sequence[tree.Statement], no: Sequence[tree.Statement]) -> str:
        """Both sides of a choice that the run makes; names that differ behind them are written down on each side."""
        before, outer = dict(self.known), self.out
        sides: list[tuple[list[code.Statement], dict[str, Value], str]] = []
        for side in (yes, no):
            self.known, self.out = dict(before), []
            ends = self.block(side)
            sides.append((self.out, self.known, ends))
        (one, knows, ended), (other, knows_too, ended_too) = sides
        if ended and ended_too:
            self.known = before
        elif ended or ended_too:
            self.known = knows_too if ended else knows
        else:
            self.known = {}
            for name in knows.keys() & knows_too.keys():
                a, b = knows[name], knows_too[name]
                if said(a) == said(b) if is_static(a) and is_static(b) else same(a, b):
                    self.known[name] = a
                elif not isinstance(a, Ref | Open) and not isinstance(b, Ref | Open):
                    for out, value in ((one, a), (other, b)):
                        if not (isinstance(value, Var) and value.name == name):
                            out.append(code.Set(name, value))
                    self.made.names[name] = a.type
                    self.known[name] = Var(a.type, name)
        self.out = outer
        if one or other:
            self.out.append(code.If(test, one, other))
        return "return" if ended and ended_too else ""

    def do_While(self, one: tree.While) -> None:
        assert isinstance(one.test, object)
        carried = sorted(assigned(one.body) & self.known.keys())
        self.flush(carried)
        if any(isinstance(self.known[name], Ref | Open) for name in carried):
            raise refuse(self.function.kernel.where(one.line), "a loop that goes over records", "one over numbers")
        before, outer = dict(self.known), self.out
        test, self.out = self.expr(one.test), []
        if isinstance(test, Lit) and not test.value:
            self.out = outer
            return
        self.carried.append(carried)
        if not self.block(one.body):
            self.flush(carried)
        self.carried.pop()
        body, self.out, self.known = self.out, outer, before
        self.out.append(code.While(test, body))

    def do_For(self, one: tree.For) -> str:
        first, last = self.expr(one.first), self.expr(one.last)
        if isinstance(first, Lit) and isinstance(last, Lit):
            rounds = range(int(first.value), int(last.value), one.step)
            if not rounds:
                return ""
            alike = len(rounds) > 1 and self.is_alike(one)
            if not alike and (len(rounds) < ROLLED_FROM or self.goes_over_records(one)):
                state = (dict(self.known), list(self.out), len(self.carried))
                try:
                    return self.written_out(one, rounds)
                except Roll:
                    self.known, self.out = state[0], state[1]
                    del self.carried[state[2] :]
            if alike:
                state = (dict(self.known), list(self.out), len(self.carried))
                self.fold.trying += 1
                try:
                    return self.rolled(one, first, last)
                except Unlike:
                    self.known, self.out = state[0], state[1]
                    del self.carried[state[2] :]
                finally:
                    self.fold.trying -= 1
                return self.written_out(one, rounds)
        return self.rolled(one, first, last)

    def rolled(self, one: tree.For, first: Expr, last: Expr) -> str:
        """A loop that stays one."""
        carried = sorted((assigned(one.body) & self.known.keys()) - {one.name})
        self.flush(carried)
        before, outer = dict(self.known), self.out
        self.out = []
        self.known[one.name] = Var(INT, one.name)
        self.carried.append(carried)
        if not self.block(one.body):
            self.flush(carried)
        self.carried.pop()
        body, self.out, self.known = self.out, outer, before
        if body:
            self.out.append(code.For(one.name, first, last, one.step, body))
        return ""

    def written_out(self, one: tree.For, rounds: range) -> str:
        """A loop round by round."""
        self.carried.append(None)
        for number in rounds:
            self.known[one.name] = Lit(INT, number)
            ends = self.block(one.body)
            if ends == "break":
                break
            if ends == "return":
                self.carried.pop()
                return ends
        self.carried.pop()
        return ""

    def is_alike(self, one: tree.For) -> bool:
        """True for a loop over records whose rounds may well be alike: points on which a craft stands."""
        over = [
            found for found in nodes_of(one.body)
            if isinstance(found, tree.Element) and isinstance(found.type, Record) and reads(found, one.name)
        ]  # fmt: skip
        try:
            return bool(over) and all(self.fold.naming.alike(self.spot(found.owner).path) for found in over)
        except Refused:
            return False

    def goes_over_records(self, one: tree.For) -> bool:
        """True for a loop whose rounds are about different parts, channels or supports: it is written out."""
        return any(
            isinstance(found, tree.Call | tree.CallAt | tree.Element)
            and (
                (isinstance(found, tree.Element) and isinstance(found.type, Record) and reads(found, one.name))
                or (not isinstance(found, tree.Element) and any(reads(value, one.name) for value in found.values))
            )
            for found in nodes_of(one.body)
        )

    # places

    def spot(self, place: tree.Expr) -> Ref | Open:
        """The place of a field or an element, with its value at the start."""
        if isinstance(place, tree.Name):
            found = self.known.get(place.name)
            if isinstance(found, Ref | Open):
                return found
            raise refuse(self.function.kernel.where(), f"{place.name} is no place that is known", "one of the craft")
        if isinstance(place, tree.Member):
            owner = self.spot(place.owner)
            assert isinstance(owner, Ref)
            return Ref(getattr(owner.value, place.name), (*owner.path, place.name))
        if isinstance(place, tree.Field):
            owner = self.spot(place.owner)
            if isinstance(owner, Open):
                return owner.deeper(owner.value[place.name], place.name)
            own = place.name == "own" and self.fold.naming.is_part(owner.path)
            return Ref(self.fold.naming.own(owner.value) if own else owner.value[place.name], (*owner.path, place.name))
        if isinstance(place, tree.Element):
            return self.element(place)
        if isinstance(place, tree.Choose):
            test = self.expr(place.test)
            if isinstance(test, Lit):
                return self.spot(place.yes if test.value else place.no)
        raise refuse(self.function.kernel.where(), f"{type(place).__name__} as a place", "a field or an element")

    def element(self, place: tree.Element) -> Ref | Open:
        owner = self.spot(place.owner)
        indices = [self.expr(one) for one in place.indices]
        known = [int(one.value) if isinstance(one, Lit) else None for one in indices]
        if isinstance(owner, Ref) and None not in known:
            at = tuple(k if k >= 0 else k + owner.value.shape[axis] for axis, k in enumerate(known) if k is not None)
            return Ref(owner.value[at if len(at) > 1 else at[0]], (*owner.path, *at))
        before = len(owner.indices()) if isinstance(owner, Open) else 0
        kept: list[Any] = [slice(None)] * before
        kept += [slice(None) if k is None else k for k in known]
        steps = [index if k is None else k for index, k in zip(indices, known, strict=True)]
        return Open(owner.value[tuple(kept)], (*owner.path, *steps))

    # expressions

    def expr(self, of: tree.Expr) -> Expr:
        """A value that is a number, a truth or a tuple of them."""
        value = self.value(of)
        if isinstance(value, Ref | Open):
            raise refuse(self.function.kernel.where(), "a record or an array as a value", "a number of it")
        return value

    def value(self, of: tree.Expr) -> Value:
        """The value of an expression, as far as it is known."""
        found: Value = getattr(self, f"on_{type(of).__name__}")(of)
        return found

    def on_Const(self, of: tree.Const) -> Value:
        return Lit(of.type, of.value)

    def on_Name(self, of: tree.Name) -> Value:
        return self.known.get(of.name, Var(of.type, of.name))

    def on_TupleOf(self, of: tree.TupleOf) -> Value:
        items: list[Any] = [self.value(one) for one in of.items]
        first = items[0] if items else None
        if isinstance(first, Item) and first.owner.type == of.type and isinstance(first.owner, Var):
            whole = all(same(item, Item(item.type, first.owner, k)) for k, item in enumerate(items))
            return first.owner if whole else Row(of.type, items)
        return Row(of.type, items)

    def on_Item(self, of: tree.Item) -> Value:
        owner = self.value(of.owner)
        if isinstance(owner, Row):
            return owner.items[of.place]
        assert not isinstance(owner, Ref | Open)
        return Item(of.type, owner, of.place)

    def on_Pick(self, of: tree.Pick) -> Value:
        owner, index = self.expr(of.owner), self.expr(of.index)
        assert isinstance(of.owner.type, Tuple)
        count = len(of.owner.type.items)
        parts = owner.items if isinstance(owner, Row) else [Item(of.type, owner, k) for k in range(count)]
        if isinstance(index, Lit):
            return parts[int(index.value)]
        made = parts[-1]
        for k in reversed(range(count - 1)):
            made = code.Choose(of.type, code.Two(BOOL, "==", index, Lit(INT, k)), parts[k], made)
        return made

    def on_Member(self, of: tree.Member) -> Value:
        return self.spot(of)

    def on_Field(self, of: tree.Field) -> Value:
        return self.leaf(of)

    def on_Element(self, of: tree.Element) -> Value:
        return self.leaf(of)

    def leaf(self, of: tree.Field | tree.Element) -> Value:
        spot = self.spot(of)
        if isinstance(of.type, Record | Array):
            return spot
        if isinstance(spot, Open):
            return self.fold.read_open(of.type, spot)
        return self.fold.read(of.type, spot.value, spot.path)

    def on_Size(self, of: tree.Size) -> Value:
        owner = self.spot(of.owner)
        assert isinstance(owner, Ref)
        return Lit(INT, int(owner.value.shape[of.axis]))

    def on_Negate(self, of: tree.Negate) -> Value:
        value = self.expr(of.value)
        return Lit(of.type, -value.value) if isinstance(value, Lit) else code.One(of.type, "-", value)

    def on_Not(self, of: tree.Not) -> Value:
        value = self.expr(of.value)
        return Lit(BOOL, not value.value) if isinstance(value, Lit) else code.One(BOOL, "not", value)

    def on_Binary(self, of: tree.Binary) -> Value:
        return arithmetic(of.type, of.op, self.expr(of.left), self.expr(of.right))

    def on_Compare(self, of: tree.Compare) -> Value:
        left, right = self.expr(of.left), self.expr(of.right)
        now = (self.present(left), self.present(right))
        if now[0] is not None and now[1] is not None:
            for side in (left, right):
                self.fold.assumed.update(one.name for one in leaves(side) if isinstance(one, Num))
            return Lit(BOOL, compared(of.op, now[0], now[1]))
        return code.Two(BOOL, of.op, left, right)

    def present(self, of: Expr) -> float | int | bool | None:
        """The present value of an expression of numbers alone; None for any other."""
        if isinstance(of, Lit):
            return of.value
        if isinstance(of, Num) and not of.indices:
            return self.fold.numbers[of.name].values[0]
        if isinstance(of, code.Two) and of.op in CALCULATED:
            left, right = self.present(of.left), self.present(of.right)
            if left is not None and right is not None:
                return calculated(of.op, left, right)
        if isinstance(of, code.One) and of.op == "-":
            value = self.present(of.value)
            return None if value is None else -value
        return None

    def on_Logic(self, of: tree.Logic) -> Value:
        made: Expr | None = None
        for item in of.items:
            value = self.expr(item)
            if isinstance(value, Lit):
                if bool(value.value) is (of.op == "or"):
                    return value if made is None else code.Two(BOOL, of.op, made, value)
                continue
            made = value if made is None else code.Two(BOOL, of.op, made, value)
        return Lit(BOOL, of.op == "and") if made is None else made

    def on_Choose(self, of: tree.Choose) -> Value:
        test = self.expr(of.test)
        if isinstance(test, Lit):
            return self.value(of.yes if test.value else of.no)
        yes, no = self.expr(of.yes), self.expr(of.no)
        return yes if same(yes, no) else code.Choose(of.type, test, yes, no)

    def on_Cast(self, of: tree.Cast) -> Value:
        value = self.expr(of.value)
        if isinstance(value, Lit):
            return Lit(of.type, float(value.value) if of.type == FLOAT else int(value.value))
        if value.type == of.type:
            return value
        return code.One(of.type, "float" if of.type == FLOAT else "int", value)

    def on_Extreme(self, of: tree.Extreme) -> Value:
        left, right = self.expr(of.left), self.expr(of.right)
        if isinstance(left, Lit) and isinstance(right, Lit):
            first = right.value < left.value if of.which == "min" else right.value > left.value
            return right if first else left
        return code.Two(of.type, of.which, left, right)

    def on_Maths(self, of: tree.Maths) -> Value:
        values = [self.expr(one) for one in of.values]
        if all(isinstance(one, Lit) for one in values):
            numbers = [one.value for one in values if isinstance(one, Lit)]
            try:
                found = abs(numbers[0]) if of.name in ("fabs", "abs") else getattr(math, of.name)(*numbers)
                return Lit(of.type, found)
            except (AttributeError, ValueError, OverflowError):
                pass
        return code.Maths(of.type, of.name, values)

    def on_Call(self, of: tree.Call) -> Value:
        return self.called(of.function, of.type, [self.value(one) for one in of.values])

    def on_CallAt(self, of: tree.CallAt) -> Value:
        address = self.expr(of.address)
        if not isinstance(address, Lit):
            raise refuse(self.function.kernel.where(), "a call that only the run knows", "one that is known")
        return self.called(self.fold.at(int(address.value)), of.type, [self.value(one) for one in of.values])

    def called(self, function: tree.Function, kind: Type, values: list[Value]) -> Value:
        made, handed = self.fold.folded(function, values)
        if not made.body and made.returns == NOTHING:
            return Lit(NOTHING, 0)
        if len(made.body) == 1 and isinstance(made.body[0], code.Ret):
            given = made.body[0].value
            if given is None:
                return Lit(NOTHING, 0)
            uses = [one.name for one in leaves(given) if isinstance(one, Var)]
            simple = all(isinstance(one, Lit | Var | Num) for one in handed)
            if count(given) <= SMALL and (simple or len(uses) == len(set(uses))):
                return replaced(given, dict(zip((name for name, _ in made.arguments), handed, strict=True)))
        return Call(kind, made, handed)


CALCULATED = {"+": lambda a, b: a + b, "-": lambda a, b: a - b, "*": lambda a, b: a * b}


def calculated(op: str, a: Any, b: Any) -> Any:
    """a op b."""
    return CALCULATED[op](a, b)


def compared(op: str, a: Any, b: Any) -> bool:
    """The truth of a comparison."""
    found = {"<": a < b, "<=": a <= b, ">": a > b, ">=": a >= b, "==": a == b, "!=": a != b}[op]
    return bool(found)


INTS: dict[str, Callable[[int, int], int]] = {
    "+": lambda a, b: a + b, "-": lambda a, b: a - b, "*": lambda a, b: a * b,
    "//": lambda a, b: a // b if b else 0, "%": lambda a, b: a % b if b else 0, "&": lambda a, b: a & b,
    "|": lambda a, b: a | b, "^": lambda a, b: a ^ b, "<<": lambda a, b: a << b, ">>": lambda a, b: a >> b,
}  # fmt: skip


def arithmetic(kind: Type, op: str, left: Expr, right: Expr) -> Expr:
    """left op right; what 0 and 1 leave as it is, or make 0, is left out (a zero loses its sign by that)."""
    if isinstance(left, Lit) and isinstance(right, Lit):
        a, b = left.value, right.value
        if kind == INT and op in INTS:
            return Lit(INT, INTS[op](int(a), int(b)))
        if kind == FLOAT and (op in CALCULATED or (op == "/" and b != 0.0)):
            return Lit(FLOAT, a / b if op == "/" else calculated(op, a, b))
    zero = [isinstance(one, Lit) and one.value == 0 for one in (left, right)]
    unit = [isinstance(one, Lit) and one.value == 1 for one in (left, right)]
    if op == "+" and any(zero):
        return right if zero[0] else left
    if op == "-" and zero[1]:
        return left
    if op == "-" and zero[0]:
        return code.One(kind, "-", right)
    if op == "*" and any(zero):
        return Lit(kind, 0.0 if kind == FLOAT else 0)
    if op == "*" and any(unit):
        return right if unit[0] else left
    if op == "/" and (unit[1] or zero[0]):
        return left
    return code.Two(kind, op, left, right)


def same(a: Value, b: Value) -> bool:
    """True for two expressions that are written alike."""
    if isinstance(a, Ref | Open) or isinstance(b, Ref | Open):
        return type(a) is type(b) and said(a) == said(b)
    if isinstance(a, Lit) and isinstance(b, Lit):
        return a.type == b.type and a.value == b.value
    return repr(a) == repr(b)


def leaves(of: Any) -> Iterator[Any]:
    """A node of the tree or of a program and all below it, but for functions that are called."""
    waiting = [of]
    while waiting:
        one = waiting.pop()
        yield one
        found = []
        for name in below(one.__class__):
            inner = getattr(one, name)
            if isinstance(inner, list):
                found += [item for item in inner if hasattr(item, "__slots__")]
            elif inner is not None:
                found.append(inner)
        waiting += reversed(found)


@functools.cache
def below(kind: Any) -> tuple[str, ...]:
    """The fields of a node in which nodes lie, one or a list."""
    told = {field.name: str(field.type) for field in dataclasses.fields(kind)}
    words = ("Expr", "Statement", "Field | Element", "Cell")
    return tuple(
        name
        for name, said in told.items()
        if name not in ("type", "array", "record", "names") and any(word in said for word in words)
    )


def count(of: Expr) -> int:
    """Nodes of an expression."""
    return sum(1 for _ in leaves(of))


def replaced(of: Any, values: dict[str, Expr]) -> Any:
    """An expression with values in the place of names."""
    if isinstance(of, Var):
        return values.get(of.name, of)
    made = {}
    for name in of.__slots__:
        one = getattr(of, name)
        if isinstance(one, list):
            made[name] = [replaced(item, values) for item in one]
        elif hasattr(one, "__slots__") and not isinstance(one, Function) and name != "type":
            made[name] = replaced(one, values)
        else:
            made[name] = one
    return type(of)(**made)


def nodes_of(statements: Sequence[tree.Statement]) -> Iterator[Any]:
    """All nodes of statements of the tree."""
    for one in statements:
        yield from leaves(one)


def reads(of: tree.Expr, name: str) -> bool:
    """True if an expression reads a name."""
    return any(isinstance(one, tree.Name) and one.name == name for one in leaves(of))


def assigned(statements: Sequence[tree.Statement]) -> set[str]:
    """Names that statements give values to."""
    return {one.name for one in nodes_of(statements) if isinstance(one, tree.Assign)}


def words_of(statements: Sequence[tree.Statement]) -> list[str]:
    """The jumps of statements out of the loop round them."""
    found = []
    for one in statements:
        if isinstance(one, tree.Jump):
            found.append(one.word)
        elif isinstance(one, tree.If):
            found += words_of(one.yes) + words_of(one.no)
    return found


def jumps(statements: Sequence[tree.Statement]) -> bool:
    """True if any of them leaves a round."""
    return bool(words_of(statements))


def ends_round(statements: Sequence[tree.Statement]) -> bool:
    """True if they end with the next round, and leave it nowhere else."""
    if not statements or not isinstance(statements[-1], tree.Jump):
        return False
    if jumps(statements[:-1]):
        raise Roll
    return True


def tree_of(kernel: Kernel, given: tuple[Type, ...]) -> tree.Function:
    """The typed tree of a function of the kernel."""
    return PROGRAM.read(kernel, given)


__all__ = ["Fold", "Naming", "Ref", "np", "tree_of"]
