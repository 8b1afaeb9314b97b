"""Formulas compiled: each a unit of the kernel of its own, made of the same steps as the interpreter takes.

A unit depends on the operations alone: constants and the numbers of the craft are read from the record, so that a dial
moves them without compiling anything. What compiles is a tree that is built from the steps; no text of a user reaches
it.
"""

from __future__ import annotations

import ast
import hashlib
import threading
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.compiler import source
from oak_sled.core.compiler.kernel import Kernel
from oak_sled.core.compiler.types import Record
from oak_sled.core.formulas import code, machine
from oak_sled.core.formulas.code import Code

_TAKEN = (Record(machine.FORMULA),)
_compiled: dict[tuple[tuple[int, int], ...], int] = {}
_lock = threading.Lock()


class Unit(Kernel):
    """The unit of a formula."""

    quiet = True  # it takes some hundredths of a second, while the interpreter does its work

    def __init__(self, made: Code):
        super().__init__(machine.interpret.py_func, is_unit=True)
        self.__name__ = "law"
        self.file = "formulas/made.py"
        if self.file not in source._files:
            source._files.append(self.file)
        self.seal = hashlib.sha256(repr(made.shape).encode()).hexdigest()[:20]
        self.__dict__["node"] = _function(made)


def address_of(made: Code) -> int:
    """The address that computes a formula: its own unit if that is compiled, else the interpreter."""
    return _compiled.get(made.shape) or interpreter()


def interpreter() -> int:
    """The address of what interprets any formula."""
    return machine.interpret.address(_TAKEN)


def is_compiled(made: Code) -> bool:
    """True if it has a unit of its own."""
    return made.shape in _compiled


def compile_unit(made: Code) -> None:
    """Compiles the unit of a formula, or takes it from the cache; the next run that is built uses it."""
    with _lock:
        if made.shape not in _compiled:
            _compiled[made.shape] = Unit(made).address(_TAKEN)


def record_of(made: Code, numbers: Mapping[str, float]) -> np.void:
    """The record of a formula for the kernel. numbers : values of those of the craft, by name, SI units."""
    row = np.zeros(1, machine.FORMULA)[0]
    row["at"], row["count"] = address_of(made), len(made.steps)
    values = code.values_of(made, numbers)
    row["numbers"][: len(values)] = values
    for place, step in enumerate(made.steps):
        row["op"][place], row["value"][place] = step.op, step.value
    return row


# the tree of a unit


def _function(made: Code) -> ast.FunctionDef:
    body: list[ast.stmt] = []
    stack: list[ast.expr] = []
    for place, step in enumerate(made.steps):
        if step.op == code.DATA:
            continue
        count = code.TAKES[step.op]
        taken, stack = stack[len(stack) - count :], stack[: len(stack) - count]
        name = f"v{place}"
        body.append(ast.Assign([ast.Name(name, ast.Store())], _value(place, step, taken)))
        stack.append(ast.Name(name, ast.Load()))
    body.append(ast.Return(stack[0]))
    arguments = ast.arguments([], [ast.arg("formula")], None, [], [], None, [])
    made_of = ast.FunctionDef("law", arguments, body, [], None)
    return ast.fix_missing_locations(made_of)


def _value(place: int, step: code.Step, taken: list[ast.expr]) -> ast.expr:
    if step.op == code.PUSH:
        return _element("value", place)
    if step.op in (code.GIVEN, code.NUMBER):
        return _element("given" if step.op == code.GIVEN else "numbers", int(step.value))
    if step.op == code.WHOLE_POWER:
        return _call("whole_power", taken[0], ast.Constant(int(step.value)))
    if step.op == code.TABLE:
        first, knots = ast.Constant(place + 1), ast.Constant(int(step.value))
        return _call("table_at", ast.Name("formula", ast.Load()), first, knots, taken[0])
    name = ("of_one", "of_two", "of_three")[len(taken) - 1]
    return _call(name, ast.Constant(step.op), *taken)


def _element(field: str, place: int) -> ast.expr:
    owner = ast.Attribute(ast.Name("formula", ast.Load()), field, ast.Load())
    return ast.Subscript(owner, ast.Constant(place), ast.Load())


def _call(name: str, *values: ast.expr) -> ast.expr:
    return ast.Call(ast.Name(name, ast.Load()), list(values), [])


def first_wrong(made: Code, given: Sequence[float], numbers: Mapping[str, float]) -> code.Step:
    """The first step whose value is no finite number at these quantities; the last one where all are finite."""
    row = record_of(made, numbers)
    row["given"][: len(given)] = given
    for place, step in enumerate(made.steps):
        row["count"] = place + 1
        if step.op == code.TABLE:
            row["count"] += 2 * int(step.value)
        if step.op != code.DATA and not np.isfinite(machine.interpret(row)):
            return step
    return made.steps[-1]


def evaluated_over(made: Code, xs: Floats, numbers: Mapping[str, float]) -> Floats:
    """The values of a formula of one quantity, shape of `xs`."""
    row = record_of(made, numbers)
    found = np.empty(len(xs))
    for place, x in enumerate(xs):
        row["given"][0] = x
        found[place] = machine.interpret(row)
    return found


def evaluated(made: Code, given: Any, numbers: Mapping[str, float]) -> float:
    """The value of a formula at quantities in the order of its place."""
    row = record_of(made, numbers)
    row["given"][: len(given)] = given
    return float(machine.interpret(row))
