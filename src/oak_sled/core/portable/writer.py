"""Writes a folded program in a language: what all of them share. A language says how its words are, in a few methods.

`docs/adding-a-language.md` walks through an addition.
"""

from __future__ import annotations

import textwrap
from collections.abc import Iterable, Sequence
from typing import ClassVar

from oak_sled.core.base.faults import refuse
from oak_sled.core.compiler.c99 import bare
from oak_sled.core.compiler.types import BOOL, FLOAT, INT, NOTHING, Tuple, Type
from oak_sled.core.portable import code
from oak_sled.core.portable.code import Cell, Expr, Function, Program
from oak_sled.core.portable.gamedoor import Declare, GameDoor, Own
from oak_sled.core.portable.words import record_name

BINDS = {"or": 1, "and": 2, "==": 3, "!=": 3, "<": 4, "<=": 4, ">": 4, ">=": 4, "+": 5, "-": 5, "*": 6, "/": 6}
"""Operators by how tightly they bind; those of one number from left to right."""
WIDE = 112
"""Columns of a line."""
DATA, WIDEST = 1500, 200
"""Letters from which on a line is a table, and the columns of one."""
AXES = "xyzw"


class Writer:
    """Writes one program. The class fields are the words of a language."""

    EXTENSION = ""
    INDENT = "    "
    AND, OR, NOT = " && ", " || ", "!"
    TRUE, FALSE = "true", "false"
    END = ";"
    OF_FLOATS: ClassVar[dict[str, str]] = {}
    """Functions of floats that the language calls otherwise than C."""

    KINDS: ClassVar[dict[Type, str]] = {FLOAT: "double", INT: "int", BOOL: "bool", NOTHING: "void"}

    def __init__(self, program: Program, door: GameDoor | None = None):
        self.program, self.door = program, door
        self.record = record_name(program)
        self.called = {one.name for one in program.functions}
        self.lines: list[str] = []
        self.depth = 0
        self.tuples: dict[Type, str] = {}

    def text(self) -> str:
        """The whole file."""
        raise NotImplementedError

    # words of a language

    def kind(self, of: Type) -> str:
        """The name of a type."""
        return tuple_name(of) if isinstance(of, Tuple) else self.KINDS[of]

    def cell(self, of: Cell) -> str:
        """A kept number."""
        raise NotImplementedError

    def number(self, name: str) -> str:
        """A number of the craft."""
        raise NotImplementedError

    def call(self, function: Function, values: list[str]) -> str:
        """A call of a function of the program."""
        raise NotImplementedError

    def row(self, of: Type, items: list[str]) -> str:
        """A tuple of values."""
        raise NotImplementedError

    def maths(self, name: str, values: list[str]) -> str:
        """A function of floats."""
        return f"{self.OF_FLOATS.get(name, name)}({', '.join(values)})"

    def extreme(self, which: str, kind: Type, left: str, right: str) -> str:
        """The lesser or greater of two."""
        return f"{'least' if which == 'min' else 'greatest'}({left}, {right})"

    def item(self, owner: str, of: Type, place: int) -> str:
        """One of a tuple."""
        return f"{owner}.{fields(of)[place]}"

    def cast(self, to: str, value: str) -> str:
        """A float as an int, or an int as a float."""
        return f"({'double' if to == 'float' else 'int'}){value}"

    def index(self, name: str, axis: int, of: Expr) -> str:
        """An index of a kept array: by the name of its row where it has one."""
        rows = self.program.kept[name].rows if name in self.program.kept else ()
        if axis == 0 and isinstance(of, code.Lit) and int(of.value) < len(rows):
            return rows[int(of.value)]
        return bare(self.value(of))

    def lines_of(self, pairs: Iterable[tuple[str, str]]) -> None:
        """Assignments, one level deeper."""
        self.depth += 1
        for to, value in pairs:
            self.put(f"{to} = {value}{self.END}")
        self.depth -= 1

    def momentum(self, door: GameDoor, own: Own, declare: Declare) -> None:
        """The momentum of the spin that came in, one level deeper."""
        self.depth += 1
        for line in door.momentum(own, declare, self.number):
            self.put(f"{line}{self.END}")
        self.depth -= 1

    # statements

    def put(self, line: str) -> None:
        """A line at the present depth; what is too long goes on in the next, further in."""
        room = (WIDE if len(line) < DATA else WIDEST) - len(self.INDENT) * self.depth
        more = ""
        while len(more + line) > room and "/*" not in line and "//" not in line:
            cut = max(line.rfind(word, 0, room - len(more)) + len(word) - 1 for word in (", ", " + ", " - ", " && "))
            if cut < 20:
                break
            self.lines.append(f"{self.INDENT * self.depth}{more}{line[:cut].rstrip()}")
            line, more = line[cut:].lstrip(), self.INDENT
        self.lines.append(f"{self.INDENT * self.depth}{more}{line}" if line else "")

    def comment(self, words: str) -> None:
        """A comment of one or several lines."""
        room = WIDE - 6 - len(self.INDENT) * self.depth
        found = [part for line in words.splitlines() for part in (textwrap.wrap(line, room) or [""])]
        if len(found) == 1:
            self.put(f"/* {found[0]} */")
            return
        for k, line in enumerate(found):
            head, tail = "/* " if k == 0 else "   ", " */" if k == len(found) - 1 else ""
            self.put(f"{head}{line}{tail}")

    def block(self, body: Sequence[code.Statement]) -> None:
        """Statements, one level deeper."""
        self.depth += 1
        for one in body:
            getattr(self, f"do_{type(one).__name__}")(one)
        self.depth -= 1

    def do_Set(self, one: code.Set) -> None:
        self.put(f"{self.name(one.name)} = {bare(self.value(one.value))}{self.END}")

    def do_Put(self, one: code.Put) -> None:
        place, value = self.cell(one.cell), one.value
        if isinstance(value, code.Two) and value.op in "+-*/" and self.value(value.left) == place:
            self.put(f"{place} {value.op}= {bare(self.value(value.right))}{self.END}")
            return
        self.put(f"{place} = {bare(self.value(value))}{self.END}")

    def do_Do(self, one: code.Do) -> None:
        self.put(f"{self.value(one.value)}{self.END}")

    def do_Ret(self, one: code.Ret) -> None:
        self.put(f"return{'' if one.value is None else ' ' + bare(self.value(one.value))}{self.END}")

    def do_Jump(self, one: code.Jump) -> None:
        self.put(f"{one.word}{self.END}")

    def do_If(self, one: code.If) -> None:
        self.put(f"if ({bare(self.value(one.test))}) {{")
        self.block(one.yes)
        no = one.no
        while len(no) == 1 and isinstance(no[0], code.If):
            self.put(f"}} else if ({bare(self.value(no[0].test))}) {{")
            self.block(no[0].yes)
            no = no[0].no
        if no:
            self.put("} else {")
            self.block(no)
        self.put("}")

    def do_While(self, one: code.While) -> None:
        self.put(f"while ({bare(self.value(one.test))}) {{")
        self.block(one.body)
        self.put("}")

    def do_For(self, one: code.For) -> None:
        name, onward = self.name(one.name), f"+= {one.step}" if one.step > 0 else f"-= {-one.step}"
        onward = {"+= 1": "++", "-= 1": "--"}.get(onward, f" {onward}")
        less = "<" if one.step > 0 else ">"
        first, last = bare(self.value(one.first)), bare(self.value(one.last))
        self.put(f"for ({self.counter(name)} = {first}; {name} {less} {last}; {name}{onward}) {{")
        self.block(one.body)
        self.put("}")

    def counter(self, name: str) -> str:
        """The counter of a loop where it begins."""
        return f"{self.kind(INT)} {name}"

    def name(self, name: str) -> str:
        """A name of a function."""
        return name

    # expressions

    def value(self, of: Expr) -> str:
        """An expression, in brackets where it has an operator."""
        found: str = getattr(self, f"on_{type(of).__name__}")(of)
        return found

    def on_Lit(self, of: code.Lit) -> str:
        if of.type == BOOL:
            return self.TRUE if of.value else self.FALSE
        if of.type == FLOAT:
            return self.real(float(of.value))
        return str(of.value)

    def real(self, value: float) -> str:
        """A float, so that it is read back to the bit."""
        text = repr(value)
        if text in ("inf", "-inf", "nan"):
            return self.unusual(text)
        text = text if "." in text or "e" in text else f"{text}.0"
        return f"({text})" if text.startswith("-") else text

    def unusual(self, text: str) -> str:
        """Infinity, or what is no number."""
        raise refuse("export", f"the number {text}", "a finite one")

    def on_Var(self, of: code.Var) -> str:
        return self.name(of.name)

    def on_Num(self, of: code.Num) -> str:
        return self.table(of.name, [bare(self.value(one)) for one in of.indices])

    def table(self, name: str, indices: list[str]) -> str:
        """A number of the craft, or one of a table."""
        return f"{self.number(name)}{''.join(f'[{one}]' for one in indices)}"

    def on_Cell(self, of: Cell) -> str:
        return self.cell(of)

    def on_Row(self, of: code.Row) -> str:
        return self.row(of.type, [bare(self.value(one)) for one in of.items])

    def on_Item(self, of: code.Item) -> str:
        return self.item(self.value(of.owner), of.owner.type, of.place)

    def on_One(self, of: code.One) -> str:
        value = self.value(of.value)
        if of.op == "not":
            return f"{self.NOT}{value}"
        return f"(-{value})" if of.op == "-" else self.cast(of.op, value)

    def on_Two(self, of: code.Two) -> str:
        left, right = self.value(of.left), self.value(of.right)
        if of.op in ("min", "max"):
            return self.extreme(of.op, of.type, bare(left), bare(right))
        if of.op == "**":
            return self.maths("pow", [bare(left), bare(right)])
        left, right = self.side(of.left, of.op, False), self.side(of.right, of.op, True)
        if of.op in ("and", "or"):
            return f"({left}{self.AND if of.op == 'and' else self.OR}{right})"
        if of.op in BINDS:
            return f"({left} {self.operator(of.op)} {right})"
        raise refuse("export", f"the operator {of.op} on numbers of the run", "a craft without what needs it")

    def side(self, of: Expr, op: str, right: bool) -> str:
        """An operand, in brackets only where the operator would bind otherwise than it is meant."""
        text = self.value(of)
        if not isinstance(of, code.Two) or of.op not in BINDS or op not in BINDS:
            return text
        inner, outer = BINDS[of.op], BINDS[op]
        if of.op == "and" and op == "or":  # compilers warn of it without brackets
            return text
        if inner > outer or (inner == outer and not right and inner in (5, 6)):
            return bare(text)
        return text

    def operator(self, op: str) -> str:
        """An operator."""
        return op

    def on_Choose(self, of: code.Choose) -> str:
        return f"({self.value(of.test)} ? {self.value(of.yes)} : {self.value(of.no)})"

    def on_Maths(self, of: code.Maths) -> str:
        return self.maths(of.name, [bare(self.value(one)) for one in of.values])

    def on_Call(self, of: code.Call) -> str:
        return self.call(of.function, [bare(self.value(one)) for one in of.values])

    # types

    def row_names(self) -> list[tuple[str, ...]]:
        """Names of the rows of what is kept, each list once."""
        found: list[tuple[str, ...]] = []
        for one in self.program.kept.values():
            if one.rows and not any(one.rows == rows[: len(one.rows)] for rows in found):
                found = [rows for rows in found if rows != one.rows[: len(rows)]] + [one.rows]
        return found

    def tuples_of(self) -> list[tuple[Type, str]]:
        """The tuples of the program, each behind those in it, with names."""
        found: dict[Type, str] = {}

        def add(of: Type) -> None:
            if not isinstance(of, Tuple) or of in found:
                return
            for inner in of.items:
                add(inner)
            found[of] = tuple_name(of)

        for function in self.program.functions:
            for _, kind in [*function.arguments, *function.names.items()]:
                add(kind)
            add(function.returns)
            for one in all_of(function):
                add(one.type)
        return list(found.items())


def all_of(function: Function) -> list[Expr]:
    """The expressions of a function that are tuples."""
    from oak_sled.core.portable.trim import all_leaves

    return [one for one in all_leaves(function.body) if isinstance(getattr(one, "type", None), Tuple)]


def tuple_name(of: Type) -> str:
    """The name of a tuple: Vec3 for three floats, else by what is in it."""
    assert isinstance(of, Tuple)
    if all(one == FLOAT for one in of.items):
        return f"Vec{len(of.items)}"
    letters = {FLOAT: "F", INT: "I", BOOL: "B", NOTHING: "N"}
    return "".join(tuple_name(one) if isinstance(one, Tuple) else letters[one] for one in of.items)  # type: ignore[index]


def fields(of: Type) -> tuple[str, ...]:
    """The names of the items of a tuple."""
    assert isinstance(of, Tuple)
    count = len(of.items)
    return tuple(AXES[:count]) if count <= len(AXES) else tuple(f"v{k}" for k in range(count))
