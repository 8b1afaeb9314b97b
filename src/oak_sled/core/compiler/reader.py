"""Reads a kernel function: its source and the types of its arguments, to a typed tree.

What is not the language is refused with file, line, what was found and what would be right. A name has one type, and
a value on every way to where it is read; nothing is converted in silence but an int beside a float.

One file, since it has a method for every construct of the language, and each calls the others.
"""

from __future__ import annotations

import ast
import math
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np

from oak_sled.core.base.faults import Refused, close_match, refuse
from oak_sled.core.compiler import tree, types
from oak_sled.core.compiler.source import Declared, Source
from oak_sled.core.compiler.types import BOOL, FLOAT, INT, NOTHING, WORD, Array, Bundle, Fixed, Record, Tuple, Type

OPERATORS = {
    ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.FloorDiv: "//", ast.Mod: "%", ast.Pow: "**",
    ast.BitAnd: "&", ast.BitOr: "|", ast.BitXor: "^", ast.LShift: "<<", ast.RShift: ">>",
}  # fmt: skip
OF_INTS = {"//", "%", "&", "|", "^", "<<", ">>"}
COMPARED = {ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Eq: "==", ast.NotEq: "!="}
MATHS: dict[Any, tuple[str, int]] = {
    getattr(math, name): (name, count)
    for name, count in (
        ("sqrt", 1), ("sin", 1), ("cos", 1), ("tan", 1), ("asin", 1), ("acos", 1), ("atan", 1), ("exp", 1),
        ("log", 1), ("atan2", 2), ("hypot", 2), ("floor", 1), ("ceil", 1),
    )
}  # fmt: skip
"""The functions of floats that the language has, with their C name and how many numbers they take."""
BUILTINS = {"range": range, "min": min, "max": max, "abs": abs, "int": int, "float": float, "len": len}
LONGEST_POWER = 64


class Reader:
    """Reads functions once for each set of types."""

    def __init__(self) -> None:
        self._functions: dict[tuple[int, tuple[Type, ...]], tree.Function | None] = {}

    def function(self, kernel: Source, given: tuple[Type, ...]) -> tree.Function:
        """The function for arguments of these types; raises `Refused`."""
        key = (id(kernel), given)
        if key in self._functions:
            found = self._functions[key]
            if found is None:
                raise refuse(kernel.where(), f"{kernel.__name__} calls itself", "a loop")
            return found
        self._functions[key] = None
        try:
            made = _Reading(self, kernel, given).read()
        except BaseException:
            del self._functions[key]
            raise
        self._functions[key] = made
        return made


class _Reading:
    """The reading of one function."""

    def __init__(self, reader: Reader, kernel: Source, given: tuple[Type, ...]):
        self.reader, self.kernel = reader, kernel
        self.globals = kernel.py_func.__globals__
        self.node = kernel.node
        self.line = 0
        self.names: dict[str, Type] = {}
        self.fixed: dict[str, Fixed] = {}
        self.known: set[str] = set()
        self.returns: Type | None = None
        self.loops = 0
        self.spare = 0
        self.function = tree.Function(kernel, self._arguments(given), NOTHING, kernel.symbol(given), kernel.is_unit)

    def _arguments(self, given: tuple[Type, ...]) -> list[tuple[str, Type]]:
        written = self.node.args
        self.line = self.node.lineno
        if written.defaults or written.kwonlyargs or written.vararg or written.kwarg:
            raise self.wrong("arguments with defaults, or of any number", "plain names")
        names = [one.arg for one in written.args]
        if len(names) != len(given):
            raise self.wrong(f"{self.kernel.__name__} takes {len(names)} arguments, not {len(given)}", ", ".join(names))
        for name, one in zip(names, given, strict=True):
            if isinstance(one, Fixed):
                self.fixed[name] = one
            else:
                self.names[name] = one
                self.known.add(name)
        return [(name, one) for name, one in zip(names, given, strict=True) if not isinstance(one, Fixed)]

    def wrong(self, what: str, right: str) -> Refused:
        """A refusal at the line that is read."""
        return refuse(self.kernel.where(self.line), what, right)

    def read(self) -> tree.Function:
        body, goes_on = self.block(self.node.body)
        if goes_on and self.returns is not None and self.returns != NOTHING:
            raise self.wrong(f"{self.kernel.__name__} may end without a value", "a return on every way")
        made = self.function
        made.body, made.names = body, self.names
        made.returns = self.returns or NOTHING
        return made

    # statements

    def block(self, nodes: list[ast.stmt]) -> tuple[list[tree.Statement], bool]:
        """The statements, and whether what follows them is reached."""
        made: list[tree.Statement] = []
        for node in nodes:
            self.line = node.lineno
            do = getattr(self, f"do_{type(node).__name__}", None)
            if do is None:
                raise self.wrong(f"{_words(node)} is not part of the language", "assignment, if, while, for, return")
            before = len(made)
            goes_on = do(node, made)
            for one in made[before:]:
                one.line = one.line or node.lineno
            if goes_on is False:
                return made, False
        return made, True

    def do_Expr(self, node: ast.Expr, made: list[tree.Statement]) -> None:
        if isinstance(node.value, ast.Constant) and isinstance(node.value.value, str):
            return  # a docstring
        value = self.expr(node.value)
        if not isinstance(value, tree.Call | tree.CallAt):
            raise self.wrong("a value that goes nowhere", "a name for it, or a call")
        made.append(tree.Do(value))

    def do_Pass(self, node: ast.Pass, made: list[tree.Statement]) -> None:
        pass

    def do_Return(self, node: ast.Return, made: list[tree.Statement]) -> bool:
        value = None if node.value is None else self.expr(node.value)
        of = NOTHING if value is None else value.type
        if self.returns is not None and self.returns != of:
            raise self.wrong(
                f"returns {types.short(of)}, and {types.short(self.returns)} before", "one type of result (0.0, not 0)"
            )
        self.returns = of
        made.append(tree.Return(value))
        return False

    def do_Assign(self, node: ast.Assign, made: list[tree.Statement]) -> None:
        if len(node.targets) > 1:
            value = self.keep(self.expr(node.value), made)
            for target in node.targets:
                self.assign(target, value, made)
        else:
            self.assign(node.targets[0], self.expr(node.value), made)

    def do_AnnAssign(self, node: ast.AnnAssign, made: list[tree.Statement]) -> None:
        if node.value is None:
            raise self.wrong("a name without a value", "a value for it")
        self.assign(node.target, self.expr(node.value), made)

    def do_AugAssign(self, node: ast.AugAssign, made: list[tree.Statement]) -> None:
        op = OPERATORS.get(type(node.op))
        if op is None:
            raise self.wrong(f"the operator {_words(node.op)}", " ".join(OPERATORS.values()))
        if any(isinstance(inner, ast.Call) for inner in ast.walk(node.target)):
            raise self.wrong("a call in the target of an operator, which would be made twice", "a name for it first")
        old = self.expr(node.target)
        value = self.binary(op, old, self.expr(node.value), node.value)
        self.assign(node.target, value, made)

    def keep(self, value: tree.Expr, made: list[tree.Statement]) -> tree.Expr:
        """The value under a name of its own, so that it is made once."""
        if isinstance(value, tree.Const):
            return value
        self.spare += 1
        name = f"kept_{self.spare}"
        self.names[name] = value.type
        made.append(tree.Assign(name, value))
        return tree.Name(value.type, name)

    def assign(self, target: ast.expr, value: tree.Expr, made: list[tree.Statement]) -> None:
        if isinstance(target, ast.Name):
            self.assign_name(target.id, value, made)
        elif isinstance(target, ast.Tuple | ast.List):
            self.assign_all(target.elts, value, made)
        else:
            self.store(target, value, made)

    def assign_name(self, name: str, value: tree.Expr, made: list[tree.Statement]) -> None:
        if isinstance(value.type, Fixed):
            self.fixed[name] = value.type
            return
        if value.type == NOTHING:
            raise self.wrong(f"{name} is given nothing", "a value")
        before = self.names.get(name)
        if before is not None and before != value.type:
            found, was = types.short(value.type), types.short(before)
            raise self.wrong(f"{name} is {found} here, and {was} before", "one type for a name (0.0, not 0)")
        self.names[name] = value.type
        self.known.add(name)
        made.append(tree.Assign(name, value))

    def assign_all(self, targets: list[ast.expr], value: tree.Expr, made: list[tree.Statement]) -> None:
        if not isinstance(value, tree.TupleOf):
            value = self.keep(value, made)  # made once, whatever is taken from it
        items = self.items_of(value, len(targets))
        names = {target.id for target in targets if isinstance(target, ast.Name)}
        if len(names) == len(targets) and not any(names & _names(item) for item in items):
            for target, item in zip(targets, items, strict=True):
                self.assign(target, item, made)
            return
        # all are made before the first is assigned: a, b = b, a
        kept = [self.keep(item, made) for item in items]
        for target, item in zip(targets, kept, strict=True):
            self.assign(target, item, made)

    def items_of(self, value: tree.Expr, count: int) -> list[tree.Expr]:
        """The items of a tuple, or the elements of a small array."""
        of = value.type
        if isinstance(of, Tuple) and len(of.items) == count:
            if isinstance(value, tree.TupleOf):
                return value.items
            return [tree.Item(inner, value, k) for k, inner in enumerate(of.items)]
        if isinstance(of, Array) and of.shape[0] == count:
            return [self.element(value, [tree.Const(INT, k)]) for k in range(count)]
        raise self.wrong(f"{count} names for {types.short(of)}", "as many names as it has items")

    def store(self, target: ast.expr, value: tree.Expr, made: list[tree.Statement]) -> None:
        place = self.expr(target)
        self.function.writes = True
        if isinstance(place.type, Record):
            if value.type != place.type:
                raise self.wrong("another kind of record is written over this one", "a record of the same fields")
            made.append(tree.Copy(place, value, place.type))
        elif isinstance(place, tree.Field | tree.Element) and place.type in (FLOAT, INT):
            made.append(tree.Store(place, self.as_number(value, place.type)))
        else:
            raise self.wrong(f"{types.short(place.type)} cannot be written at once", "one number at a time")

    def as_number(self, value: tree.Expr, wanted: Type) -> tree.Expr:
        """A number to be written where `wanted` stands: an int becomes a float, never the other way."""
        if value.type == wanted:
            return value
        if wanted == FLOAT and value.type == INT:
            return self.to_float(value)
        raise self.wrong(f"{types.short(value.type)} where {types.short(wanted)} stands", f"{types.words(wanted)}(...)")

    def do_If(self, node: ast.If, made: list[tree.Statement]) -> bool:
        test = self.truth(node.test)
        before = set(self.known)
        yes, after_yes = self.block(node.body)
        known_yes, self.known = self.known, set(before)
        no, after_no = self.block(node.orelse)
        if after_yes and after_no:
            self.known &= known_yes
        elif after_yes:
            self.known = known_yes
        made.append(tree.If(test, yes, no, node.lineno))
        return after_yes or after_no

    @contextmanager
    def inside_loop(self) -> Iterator[None]:
        before = set(self.known)
        self.loops += 1
        yield
        self.loops -= 1
        self.known = before

    def do_While(self, node: ast.While, made: list[tree.Statement]) -> None:
        if node.orelse:
            raise self.wrong("else of a loop", "a name that says how it ended")
        test = self.truth(node.test)
        with self.inside_loop():
            body, _ = self.block(node.body)
        made.append(tree.While(test, body, node.lineno))

    def do_For(self, node: ast.For, made: list[tree.Statement]) -> None:
        call, right = node.iter, "for NAME in range(...)"
        if node.orelse or not isinstance(node.target, ast.Name) or not isinstance(call, ast.Call):
            raise self.wrong("this loop", right)
        function = self.expr(call.func)
        if function.type != Fixed(range) or call.keywords or not 1 <= len(call.args) <= 3:
            raise self.wrong("a loop over something else than a range", right)
        bounds = [self.expr(one) for one in call.args]
        for bound in bounds:
            if bound.type != INT:
                raise self.wrong(f"a range over {types.short(bound.type)}", "ints")
        first, last = (tree.Const(INT, 0), bounds[0]) if len(bounds) == 1 else (bounds[0], bounds[1])
        step = bounds[2] if len(bounds) == 3 else tree.Const(INT, 1)
        if not isinstance(step, tree.Const) or step.value == 0:
            raise self.wrong("a step that is no constant", "a number other than 0")
        name = node.target.id
        if self.names.setdefault(name, INT) != INT:
            raise self.wrong(f"{name} counts here, and is {types.short(self.names[name])} before", "another name")
        with self.inside_loop():
            self.known.add(name)
            body, _ = self.block(node.body)
        made.append(tree.For(name, first, last, int(step.value), body, node.lineno))

    def do_Break(self, node: ast.Break, made: list[tree.Statement]) -> bool:
        made.append(tree.Jump("break"))
        return False

    def do_Continue(self, node: ast.Continue, made: list[tree.Statement]) -> bool:
        made.append(tree.Jump("continue"))
        return False

    # expressions

    def expr(self, node: ast.expr) -> tree.Expr:
        on = getattr(self, f"on_{type(node).__name__}", None)
        if on is None:
            raise self.wrong(f"{_words(node)} is not part of the language", "numbers, tuples, fields, elements, calls")
        found: tree.Expr = on(node)
        return found

    def truth(self, node: ast.expr) -> tree.Expr:
        value = self.expr(node)
        if value.type != BOOL:
            raise self.wrong(f"{types.short(value.type)} as a truth", "a comparison, such as != 0")
        return value

    def constant(self, value: Any) -> tree.Expr:
        """A Python object that is known now."""
        if isinstance(value, bool):
            return tree.Const(BOOL, value)
        if isinstance(value, int):
            if not -(2**63) <= value < 2**63:
                return tree.Const(Fixed(value), value)  # of use to np.uint64 only
            return tree.Const(INT, value)
        if isinstance(value, float):
            return tree.Const(FLOAT, value)
        if isinstance(value, tuple):
            items = [self.constant(item) for item in value]
            return tree.TupleOf(Tuple(tuple(item.type for item in items)), items)
        return tree.Const(Fixed(value), value)

    def on_Constant(self, node: ast.Constant) -> tree.Expr:
        if isinstance(node.value, bool | int | float):
            return self.constant(node.value)
        raise self.wrong(f"{node.value!r}", "numbers, True and False")

    def on_Name(self, node: ast.Name) -> tree.Expr:
        name = node.id
        if name in self.fixed and name not in self.names:
            return tree.Const(self.fixed[name], self.fixed[name].value)
        if name in self.names:
            if name not in self.known:
                raise self.wrong(f"{name} may have no value here", "a value for it on every way")
            return tree.Name(self.names[name], name)
        if name in self.globals:
            return self.constant(self.globals[name])
        if name in BUILTINS:
            return tree.Const(Fixed(BUILTINS[name]), BUILTINS[name])
        known = [*self.names, *(one for one in self.globals if not one.startswith("_"))]
        raise self.wrong(f"{name} has no value here", close_match(name, known) if len(known) < 8 else "a name above it")

    def on_Tuple(self, node: ast.Tuple) -> tree.Expr:
        items = [self.expr(one) for one in node.elts]
        return tree.TupleOf(Tuple(tuple(item.type for item in items)), items)

    def on_Attribute(self, node: ast.Attribute) -> tree.Expr:
        owner = self.expr(node.value)
        of, name = owner.type, node.attr
        if isinstance(of, Fixed):
            if not hasattr(of.value, name):
                raise self.wrong(f"{types.words(of)} has no {name}", close_match(name, dir(of.value)[:12]))
            return self.constant(getattr(of.value, name))
        if isinstance(of, Array) and name == "shape":
            sizes = [self.size(owner, axis) for axis in range(len(of.shape))]
            return tree.TupleOf(Tuple((INT,) * len(sizes)), sizes)
        if isinstance(of, Bundle):
            cell = 0
            for known, inner in of.members:
                if known == name:
                    return tree.Member(inner, owner, name, cell)
                cell += len(types.cells(inner))
            raise self.wrong(f"{of.name} has no {name}", close_match(name, [known for known, _ in of.members]))
        if not isinstance(of, Record):
            raise self.wrong(f".{name} of {types.short(of)}", "a field of a record")
        try:
            inner, offset = types.of_field(of.dtype, name)
        except KeyError:
            known_names = list(of.dtype.names or ())
            raise self.wrong(f"the record has no field {name}", close_match(name, known_names)) from None
        return tree.Field(inner, owner, name, offset)

    def size(self, owner: tree.Expr, axis: int) -> tree.Expr:
        assert isinstance(owner.type, Array)
        size = owner.type.shape[axis]
        return tree.Size(INT, owner, axis) if size is None else tree.Const(INT, size)

    def on_Subscript(self, node: ast.Subscript) -> tree.Expr:
        owner = self.expr(node.value)
        written = node.slice.elts if isinstance(node.slice, ast.Tuple) else [node.slice]
        if any(isinstance(one, ast.Slice) for one in written):
            raise self.wrong("a slice", "a loop over the elements")
        indices = [self.expr(one) for one in written]
        for index in indices:
            if index.type != INT:
                raise self.wrong(f"{types.short(index.type)} as an index", "an int")
        if isinstance(owner.type, Tuple) and len(indices) == 1:
            return self.item(owner, indices[0])
        return self.element(owner, indices)

    def item(self, owner: tree.Expr, index: tree.Expr) -> tree.Expr:
        assert isinstance(owner.type, Tuple)
        inner = owner.type.items
        if isinstance(index, tree.Const):
            if not -len(inner) <= index.value < len(inner):
                raise self.wrong(f"item {index.value} of {len(inner)}", f"0 to {len(inner) - 1}")
            place = index.value % len(inner)
            return owner.items[place] if isinstance(owner, tree.TupleOf) else tree.Item(inner[place], owner, place)
        if any(one != inner[0] for one in inner) or not isinstance(inner[0], types.Scalar):
            raise self.wrong("an index that only the run knows, of a tuple of several types", "numbers of one type")
        return tree.Pick(inner[0], owner, index)

    def element(self, owner: tree.Expr, indices: list[tree.Expr]) -> tree.Expr:
        of = owner.type
        if not isinstance(of, Array) or len(indices) > len(of.shape):
            raise self.wrong(f"{len(indices)} indices of {types.short(of)}", "an array of as many dimensions")
        for index, size in zip(indices, of.shape, strict=False):
            if isinstance(index, tree.Const) and size is not None and not -size <= index.value < size:
                raise self.wrong(f"element {index.value} of {size}", f"0 to {size - 1}")
        rest = of.shape[len(indices) :]
        inner = Array(of.element, rest) if rest else of.element
        return tree.Element(inner, owner, of, indices, self.line)

    def on_UnaryOp(self, node: ast.UnaryOp) -> tree.Expr:
        if isinstance(node.op, ast.Not):
            return tree.Not(BOOL, self.truth(node.operand))
        value = self.expr(node.operand)
        if value.type not in (FLOAT, INT):
            raise self.wrong(f"{_words(node.op)} of {types.short(value.type)}", "a float or an int")
        if isinstance(node.op, ast.UAdd):
            return value
        if not isinstance(node.op, ast.USub):
            raise self.wrong("~", "^ with a mask")
        return tree.Const(value.type, -value.value) if isinstance(value, tree.Const) else tree.Negate(value.type, value)

    def on_BinOp(self, node: ast.BinOp) -> tree.Expr:
        op = OPERATORS.get(type(node.op))
        if op is None:
            raise self.wrong(f"the operator {_words(node.op)}", " ".join(OPERATORS.values()))
        return self.binary(op, self.expr(node.left), self.expr(node.right), node.right)

    def binary(self, op: str, left: tree.Expr, right: tree.Expr, written: ast.expr) -> tree.Expr:
        for one in (left, right):
            if one.type not in (FLOAT, INT, WORD):
                raise self.wrong(f"{op} of {types.short(one.type)}", "floats or ints; float(...) of a truth")
        if op == "**":
            return self.power(left, right)
        if op == "/":
            return tree.Binary(FLOAT, op, self.to_float(left), self.to_float(right))
        if WORD in (left.type, right.type) and left.type != right.type:
            raise self.wrong(f"{op} of an unsigned and another number", "np.uint64(...) of both")
        if FLOAT in (left.type, right.type):
            if op in OF_INTS:
                raise self.wrong(f"{op} of floats", "ints, or math.floor")
            return tree.Binary(FLOAT, op, self.to_float(left), self.to_float(right))
        if op in ("<<", ">>") and not (isinstance(right, tree.Const) and 0 <= right.value < 64):
            raise self.wrong("a shift that is no constant from 0 to 63", "such a number")
        if (
            isinstance(left, tree.Const)
            and isinstance(right, tree.Const)
            and op in ("+", "-", "*")
            and left.type == INT
        ):
            folded = {"+": left.value + right.value, "-": left.value - right.value, "*": left.value * right.value}[op]
            return self.constant(folded)
        return tree.Binary(left.type, op, left, right)

    def power(self, base: tree.Expr, exponent: tree.Expr) -> tree.Expr:
        """x ** n for a constant n from 1 to 64 as products, in the order of the bits of n; else pow of floats."""
        if isinstance(exponent, tree.Const) and exponent.type == INT:
            left, made = exponent.value, None
            if not 1 <= left <= LONGEST_POWER:
                raise self.wrong(f"the power {left}", f"1 to {LONGEST_POWER}, or a float")
            if isinstance(base, tree.Const) and base.type == INT:
                return self.constant(base.value**left)
            if isinstance(base, tree.Call | tree.CallAt):
                raise self.wrong("a power of a call", "a name for its result first")
            while left:
                if left & 1:
                    made = base if made is None else tree.Binary(base.type, "*", made, base)
                left >>= 1
                if left:
                    base = tree.Binary(base.type, "*", base, base)
            assert made is not None
            return made
        return tree.Binary(FLOAT, "**", self.to_float(base), self.to_float(exponent))

    def to_float(self, value: tree.Expr) -> tree.Expr:
        if value.type == FLOAT:
            return value
        return tree.Const(FLOAT, float(value.value)) if isinstance(value, tree.Const) else tree.Cast(FLOAT, value)

    def on_Compare(self, node: ast.Compare) -> tree.Expr:
        made, left = [], self.expr(node.left)
        for op, other in zip(node.ops, node.comparators, strict=True):
            word = COMPARED.get(type(op))
            if word is None:
                raise self.wrong(f"{_words(op)}", " ".join(COMPARED.values()))
            right = self.expr(other)
            if len(node.ops) > 1 and _calls(right):
                raise self.wrong("a call between two comparisons", "a name for its result first")
            made.append(self.compare(word, left, right))
            left = right
        return made[0] if len(made) == 1 else tree.Logic(BOOL, "and", made)

    def compare(self, op: str, left: tree.Expr, right: tree.Expr) -> tree.Expr:
        if FLOAT in (left.type, right.type) and {left.type, right.type} <= {FLOAT, INT}:
            return tree.Compare(BOOL, op, self.to_float(left), self.to_float(right))
        if left.type != right.type or left.type not in (INT, WORD, BOOL):
            raise self.wrong(f"{op} of {types.short(left.type)} and {types.short(right.type)}", "two numbers")
        if left.type == BOOL and op not in ("==", "!="):
            raise self.wrong(f"{op} of truths", "== or !=")
        return tree.Compare(BOOL, op, left, right)

    def on_BoolOp(self, node: ast.BoolOp) -> tree.Expr:
        return tree.Logic(
            BOOL, "and" if isinstance(node.op, ast.And) else "or", [self.truth(one) for one in node.values]
        )

    def on_IfExp(self, node: ast.IfExp) -> tree.Expr:
        test, yes, no = self.truth(node.test), self.expr(node.body), self.expr(node.orelse)
        if {yes.type, no.type} == {FLOAT, INT}:
            yes, no = self.to_float(yes), self.to_float(no)
        if yes.type != no.type:
            both = f"{types.short(yes.type)} or {types.short(no.type)}"
            raise self.wrong(f"this is {both}", "one type on both sides")
        return tree.Choose(yes.type, test, yes, no)

    def on_Call(self, node: ast.Call) -> tree.Expr:
        callee = self.expr(node.func)
        if not isinstance(callee.type, Fixed):
            raise self.wrong("this cannot be called", "a kernel function")
        if node.keywords:
            raise self.wrong("an argument by its name", "arguments in their order")
        function, values = callee.type.value, [self.expr(one) for one in node.args]
        if isinstance(function, Source):
            return self.call(function, values)
        if isinstance(function, Declared):
            return self.call_at(function, values)
        if function in (min, max):
            return self.extreme(function.__name__, values)
        return self.maths(function, values)

    def call(self, kernel: Source, values: list[tree.Expr]) -> tree.Expr:
        line = self.line
        try:
            called = self.reader.function(kernel, tuple(value.type for value in values))
        finally:
            self.line = line
        self.function.writes = self.function.writes or called.writes
        if called not in self.function.calls:
            self.function.calls.append(called)
        return tree.Call(called.returns, called, [value for value in values if not isinstance(value.type, Fixed)])

    def call_at(self, address: Declared, values: list[tree.Expr]) -> tree.Expr:
        if len(values) != 1 + len(address.takes) or values[0].type != INT:
            raise self.wrong(f"{len(values)} arguments", f"an address and {len(address.takes)} arguments")
        for value, wanted in zip(values[1:], address.takes, strict=True):
            same = isinstance(value.type, Record | Array | Bundle) if wanted is None else value.type == wanted
            if not same:
                raise self.wrong(f"{types.short(value.type)} is handed to a unit", "the types it was declared with")
        self.function.writes = True
        return tree.CallAt(address.gives, values[0], values[1:])

    def extreme(self, which: str, values: list[tree.Expr]) -> tree.Expr:
        if len(values) < 2 or any(value.type not in (FLOAT, INT) for value in values):
            raise self.wrong(f"{which} of this", "two or more floats or ints")
        if len({value.type for value in values}) > 1:
            values = [self.to_float(value) for value in values]
        made = values[0]
        for value in values[1:]:
            made = tree.Extreme(made.type, which, made, value)
        return made

    def maths(self, function: Any, values: list[tree.Expr]) -> tree.Expr:
        if function in MATHS:
            name, count = MATHS[function]
            if len(values) != count or any(value.type not in (FLOAT, INT) for value in values):
                raise self.wrong(f"math.{name} of this", f"{count} float{'s' if count > 1 else ''}")
            made = tree.Maths(FLOAT, name, [self.to_float(value) for value in values])
            return tree.Cast(INT, made) if name in ("floor", "ceil") else made
        if len(values) != 1:
            raise self.wrong(f"{getattr(function, '__name__', function)} is not part of the language", _KNOWN)
        (value,) = values
        if function is len and isinstance(value.type, Array):
            return self.size(value, 0)
        if function is abs and value.type in (FLOAT, INT):
            return tree.Maths(value.type, "fabs" if value.type == FLOAT else "abs", [value])
        if function is np.uint64 and isinstance(value, tree.Const) and isinstance(value.value, int):
            if not 0 <= value.value < 2**64:
                raise self.wrong(f"np.uint64({value.value})", "0 to 2^64 - 1")
            return tree.Const(WORD, value.value)
        wanted = {int: INT, float: FLOAT, np.uint64: WORD}.get(function)
        if wanted is None or value.type not in (FLOAT, INT, WORD, BOOL):
            raise self.wrong(f"{getattr(function, '__name__', function)} is not part of the language", _KNOWN)
        if wanted == WORD and value.type not in (INT, WORD):
            raise self.wrong(f"np.uint64 of {types.short(value.type)}", "an int")
        return value if value.type == wanted else tree.Cast(wanted, value)


_KNOWN = "a kernel function, math, min, max, abs, int, float, len"


def _words(node: ast.AST) -> str:
    return type(node).__name__


def _names(value: tree.Expr) -> set[str]:
    """The names that an expression reads."""
    found = {value.name} if isinstance(value, tree.Name) else set()
    for one in _inner(value):
        found |= _names(one)
    return found


def _inner(value: tree.Expr) -> list[tree.Expr]:
    found: list[tree.Expr] = []
    for name in value.__slots__:
        one = getattr(value, name)
        found += one if isinstance(one, list) else [one] if hasattr(one, "__slots__") and hasattr(one, "type") else []
    return found


def _calls(value: tree.Expr) -> bool:
    """True if an expression calls a function of the kernel."""
    if isinstance(value, tree.Call | tree.CallAt):
        return True
    return any(_calls(one) for one in _inner(value))
