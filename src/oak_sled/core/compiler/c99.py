"""Writes typed trees as one C99 file, with the names and the comments of the source: a craft's equations for a game.

It computes what LLVM computes, to the bit, when the compiler keeps a * b + c apart (`-ffp-contract=off`, and no fast
maths). Expressions keep their shape, so C must not choose an order where the language has one: a call that writes
stands alone in its expression, and whatever else is refused with the line.

One file, since it has a method for every node of the tree, and each calls the others.
"""

from __future__ import annotations

import inspect
import re
from dataclasses import dataclass, field

import numpy as np

from oak_sled.core.base.faults import refuse
from oak_sled.core.compiler import tree, types
from oak_sled.core.compiler.types import BOOL, FLOAT, INT, NOTHING, WORD, Array, Bundle, Record, Scalar, Tuple, Type

_SCALARS = {FLOAT: "double", INT: "int64_t", WORD: "uint64_t", BOOL: "bool", NOTHING: "void"}
TAKEN = frozenset(
    [
        "auto",
        "break",
        "case",
        "char",
        "const",
        "continue",
        "default",
        "do",
        "double",
        "else",
        "enum",
        "extern",
        "float",
        "for",
        "goto",
        "if",
        "inline",
        "int",
        "long",
        "register",
        "restrict",
        "return",
        "short",
        "signed",
        "sizeof",
        "static",
        "struct",
        "switch",
        "typedef",
        "union",
        "unsigned",
        "void",
        "volatile",
        "while",
        "bool",
        "true",
        "false",
        "near",
        "far",
        "small",
        "j0",
        "j1",
        "y0",
        "y1",
        "gamma",
        "div",
        "abs",
        "index",
        "round",
        "exp",
        "log",
        "sin",
        "cos",
        "tan",
        "pow",
        "sqrt",
        "floor",
        "ceil",
    ]
)
"""Words of C, and names of its library, that a name of the source does not take; nor does it those of HEAD."""
HEAD = """#include <math.h>
#include <stdbool.h>
#include <stdint.h>
#include <string.h>

/* What C leaves open is closed here: ints wrap, dividing by 0 gives 0, floats that no int holds give the nearest. */
static inline int64_t wrap_add(int64_t a, int64_t b) { return (int64_t)((uint64_t)a + (uint64_t)b); }
static inline int64_t wrap_sub(int64_t a, int64_t b) { return (int64_t)((uint64_t)a - (uint64_t)b); }
static inline int64_t wrap_mul(int64_t a, int64_t b) { return (int64_t)((uint64_t)a * (uint64_t)b); }
static inline int64_t shift_left(int64_t a, int64_t b) { return (int64_t)((uint64_t)a << b); }
static inline int64_t floor_div(int64_t a, int64_t b)
{
    if (b == 0) return 0;
    if (b == -1) return wrap_sub(0, a);
    return a / b - (a % b != 0 && (a % b < 0) != (b < 0));
}
static inline int64_t floor_mod(int64_t a, int64_t b)
{
    if (b == 0 || b == -1) return 0;
    int64_t rest = a % b;
    return rest != 0 && (rest < 0) != (b < 0) ? rest + b : rest;
}
static inline uint64_t word_div(uint64_t a, uint64_t b) { return b == 0 ? 0 : a / b; }
static inline uint64_t word_mod(uint64_t a, uint64_t b) { return b == 0 ? 0 : a % b; }
static inline int64_t to_int(double x)
{
    if (x != x) return 0;
    if (x >= 9223372036854775808.0) return INT64_MAX;
    if (x < -9223372036854775808.0) return INT64_MIN;
    return (int64_t)x;
}
static inline int64_t int_abs(int64_t x) { return x < 0 ? wrap_sub(0, x) : x; }
static inline double least(double a, double b) { return b < a ? b : a; }
static inline double greatest(double a, double b) { return b > a ? b : a; }
static inline int64_t int_least(int64_t a, int64_t b) { return b < a ? b : a; }
static inline int64_t int_greatest(int64_t a, int64_t b) { return b > a ? b : a; }
"""
_CALLS = {
    (INT, "+"): "wrap_add", (INT, "-"): "wrap_sub", (INT, "*"): "wrap_mul", (INT, "<<"): "shift_left",
    (INT, "//"): "floor_div", (INT, "%"): "floor_mod", (WORD, "//"): "word_div", (WORD, "%"): "word_mod",
    (FLOAT, "**"): "pow",
}  # fmt: skip


@dataclass
class File:
    """A C file that grows. names : what the source calls its records and bundles, by their types."""

    names: dict[Type, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.types: dict[Type, str] = {}
        self.declared: list[str] = []
        self.functions: dict[str, str] = {}
        self.used: dict[str, str] = {}

    def add(self, function: tree.Function, name: str = "") -> str:
        """Writes a function and all that it calls; `name`: it is seen outside, by that name. Gives its name in C."""
        if function.symbol in self.used:
            return self.used[function.symbol]
        for called in function.calls:
            self.add(called)
        self.used[function.symbol] = name or self._free(function.kernel.__name__, function.symbol)
        self.functions[function.symbol] = _Writer(self, function, bool(name)).text()
        return self.used[function.symbol]

    def _free(self, name: str, symbol: str) -> str:
        """The name of a function in C: with its module, so that no name of a value is the same."""
        made = f"{symbol.split('.')[-3]}_{name}"
        taken, count = set(self.used.values()), 2
        while made in taken or (count == 2 and made in TAKEN):
            made, count = f"{symbol.split('.')[-3]}_{name}_{count}", count + 1
        return made

    def text(self) -> str:
        """The whole file."""
        return "\n".join([HEAD, *self.declared, *self.functions.values()])

    def of(self, one: Type) -> str:
        """The C type of a value; an array is the address of its elements."""
        if isinstance(one, Scalar):
            return _SCALARS[one]
        if isinstance(one, Array):
            return f"{self.of(one.element).removesuffix(' *')} *"
        if one not in self.types:
            self._declare(one)
        return f"{self.types[one]} *" if isinstance(one, Record | Bundle) else self.types[one]

    def _declare(self, one: Type) -> None:
        if isinstance(one, Tuple):
            inner = [f"    {self.of(item)} v{k};" for k, item in enumerate(one.items)]
            for k, item in enumerate(one.items):
                inner += [f"    int64_t v{k}_{axis};" for axis in _told_axes(item)]
            self.types[one] = f"Tuple{len(self.types)}"
        elif isinstance(one, Bundle):
            inner = []
            for name, member in one.members:
                inner.append(f"    {self.of(member)} {_named(name)};")
                inner += [f"    int64_t {_named(name)}_{axis};" for axis in _told_axes(member)]
            self.types[one] = one.name
        else:
            assert isinstance(one, Record)
            inner = self._fields(one.dtype)
            self.types[one] = self.names.get(one) or f"Record{len(self.types)}"
        self.declared.append("\n".join(["typedef struct {", *inner, f"}} {self.types[one]};", ""]))

    def _fields(self, dtype: np.dtype[np.void]) -> list[str]:
        """The fields in their places; where several lie in one place, a union of them."""
        lines, end = [], 0
        fields = [(name, *types.of_field(dtype, name)) for name in dtype.names or ()]
        fields.sort(key=lambda item: item[2])
        while fields:
            offset = fields[0][2]
            together = [one for one in fields if one[2] == offset]
            fields = [one for one in fields if one[2] != offset]
            if offset > end:
                lines.append(f"    char gap_{offset}[{offset - end}];")
            words = [self._field(name, inner) for name, inner, _ in together]
            size = max(_bytes(inner) for _, inner, _ in together)
            lines += [f"    {word};" for word in words] if len(words) == 1 else (
                ["    union {", *(f"        {word};" for word in words), "    };"]
            )  # fmt: skip
            end = offset + size
        if end < dtype.itemsize:
            lines.append(f"    char gap_{end}[{dtype.itemsize - end}];")
        return lines

    def _field(self, name: str, inner: Type) -> str:
        if isinstance(inner, Array):
            return f"{self.of(inner.element).removesuffix(' *')} {_named(name)}{''.join(f'[{n}]' for n in inner.shape)}"
        return f"{self.of(inner).removesuffix(' *')} {_named(name)}"


def _bytes(one: Type) -> int:
    if isinstance(one, Array):
        size = types.bytes_of(one.element)
        for n in one.shape:
            size *= n or 0
        return size
    return types.bytes_of(one)


def _told_axes(one: Type) -> list[int]:
    """The axes of an array whose sizes only the run knows."""
    return [axis for axis, size in enumerate(one.shape) if size is None] if isinstance(one, Array) else []


_HELPERS = frozenset(re.findall(r"^static inline \w+ (\w+)\(", HEAD, re.MULTILINE))


def _named(name: str) -> str:
    return f"{name}_" if name in TAKEN or name in _HELPERS else name


class _Writer:
    """Writes one function."""

    def __init__(self, file: File, function: tree.Function, outside: bool):
        self.file, self.function, self.outside = file, function, outside
        self.lines: list[str] = []
        self.depth = 1

    def text(self) -> str:
        function = self.function
        handed = []
        for name, one in function.arguments:
            handed.append(f"{self.file.of(one)} {_named(name)}".replace("* ", "*"))
            handed += [f"int64_t {_named(name)}_{axis}" for axis in _told_axes(one)]
        own = [(name, one) for name, one in function.names.items() if (name, one) not in function.arguments]
        for name, one in own:
            self.put(f"{self.file.of(one)} {_named(name)};".replace("* ", "*"))
            for axis in _told_axes(one):
                self.put(f"int64_t {_named(name)}_{axis};")
        self.body(function.body)
        head = f"{'' if self.outside else 'static '}{self.file.of(function.returns)}"
        head = f"{head} {self.file.used[function.symbol]}({', '.join(handed) or 'void'})".replace("* ", "*")
        says = inspect.cleandoc(function.kernel.__doc__ or "").replace("*/", "* /")
        comment = f"/* {says} */\n" if says else ""
        return "\n".join([f"{comment}{head}", "{", *self.lines, "}", ""])

    def put(self, line: str) -> None:
        self.lines.append("    " * self.depth + line)

    def body(self, statements: list[tree.Statement]) -> None:
        for one in statements:
            getattr(self, f"do_{type(one).__name__}")(one)

    def inside(self, statements: list[tree.Statement]) -> None:
        self.depth += 1
        self.body(statements)
        self.depth -= 1

    # statements

    def checked(self, value: tree.Expr, line: int) -> tree.Expr:
        """An expression whose order C cannot change: one call that writes at most, and nothing beside it."""
        writing = _writing(value)
        if writing > 1 or (writing == 1 and not isinstance(value, tree.Call | tree.CallAt | tree.Not)):
            raise refuse(
                self.function.kernel.where(line),
                "a call that writes beside other values: C may take them in another order",
                "a name for its result first",
            )
        return value

    def do_Assign(self, one: tree.Assign) -> None:
        value = self.checked(one.value, one.line)
        self.put(f"{_named(one.name)} = {self.value(value)};")
        for axis in _told_axes(value.type):
            self.put(f"{_named(one.name)}_{axis} = {self.size(value, axis)};")

    def do_Store(self, one: tree.Store) -> None:
        self.put(f"{self.value(one.place)} = {self.value(self.checked(one.value, one.line))};")

    def do_Copy(self, one: tree.Copy) -> None:
        self.put(f"memmove({self.value(one.place)}, {self.value(one.value)}, {one.record.dtype.itemsize});")

    def do_Do(self, one: tree.Do) -> None:
        self.put(f"{self.value(one.value)};")

    def do_Return(self, one: tree.Return) -> None:
        self.put("return;" if one.value is None else f"return {self.value(self.checked(one.value, one.line))};")

    def do_If(self, one: tree.If) -> None:
        self.put(f"if ({bare(self.value(self.checked(one.test, one.line)))}) {{")
        self.inside(one.yes)
        no = one.no
        while len(no) == 1 and isinstance(no[0], tree.If):
            self.put(f"}} else if ({bare(self.value(self.checked(no[0].test, no[0].line)))}) {{")
            self.inside(no[0].yes)
            no = no[0].no
        if no:
            self.put("} else {")
            self.inside(no)
        self.put("}")

    def do_While(self, one: tree.While) -> None:
        self.put(f"while ({bare(self.value(self.checked(one.test, one.line)))}) {{")
        self.inside(one.body)
        self.put("}")

    def do_For(self, one: tree.For) -> None:
        # the bounds are taken once, and the name may be given other values inside
        name, low, high = _named(one.name), self.value(one.first), self.value(one.last)
        k = f"{name}_at"
        end = f"{name}_end"
        onward = f"{k} += {one.step}" if one.step > 0 else f"{k} -= {-one.step}"
        self.put(f"for (int64_t {k} = {low}, {end} = {high}; {k} {'<' if one.step > 0 else '>'} {end}; {onward}) {{")
        self.depth += 1
        self.put(f"{name} = {k};")
        self.body(one.body)
        self.depth -= 1
        self.put("}")

    def do_Jump(self, one: tree.Jump) -> None:
        self.put(f"{one.word};")

    # expressions

    def value(self, of: tree.Expr) -> str:
        found: str = getattr(self, f"on_{type(of).__name__}")(of)
        return found

    def on_Const(self, of: tree.Const) -> str:
        if of.type == BOOL:
            return "true" if of.value else "false"
        if of.type == FLOAT:
            return _float(of.value)
        if of.type == WORD:
            return f"UINT64_C({of.value})"
        if of.value == -(2**63):
            return "INT64_MIN"
        return str(of.value) if abs(of.value) < 2**31 else f"INT64_C({of.value})"

    def on_Name(self, of: tree.Name) -> str:
        return _named(of.name)

    def on_TupleOf(self, of: tree.TupleOf) -> str:
        inner = [self.value(item) for item in of.items]
        inner += [self.size(item, axis) for item in of.items for axis in _told_axes(item.type)]
        return f"({self.file.of(of.type)}){{{', '.join(inner)}}}"

    def on_Item(self, of: tree.Item) -> str:
        return f"{self.value(of.owner)}.v{of.place}"

    def on_Pick(self, of: tree.Pick) -> str:
        assert isinstance(of.owner.type, Tuple)
        count, owner, index = len(of.owner.type.items), self.value(of.owner), self.value(of.index)
        if isinstance(of.owner, tree.TupleOf):
            parts = [self.value(item) for item in of.owner.items]
        else:
            parts = [f"{owner}.v{k}" for k in range(count)]
        return f"({' : '.join(f'{index} == {k} ? {parts[k]}' for k in range(count - 1))} : {parts[-1]})"

    def on_Member(self, of: tree.Member) -> str:
        return f"{self.value(of.owner)}->{_named(of.name)}"

    def on_Field(self, of: tree.Field) -> str:
        place = self.field(of)
        if isinstance(of.type, Array) and len(of.type.shape) > 1:
            return f"(({self.file.of(of.type)}){place})".replace(" *)", " *)")
        return f"(&{place})" if isinstance(of.type, Record) else place

    def field(self, of: tree.Field) -> str:
        owner = self.value(of.owner)
        if owner.startswith("(&") and owner.endswith(")"):
            return f"{owner[2:-1]}.{_named(of.name)}"
        return f"{owner}->{_named(of.name)}"

    def on_Element(self, of: tree.Element) -> str:
        owner, shape = self.value(of.owner), of.array.shape
        if isinstance(of.owner, tree.Field) and len(shape) > 1 and len(of.indices) == len(shape):
            indices = (self.index(of, k) for k in range(len(shape)))
            place = f"{self.field(of.owner)}{''.join(f'[{index}]' for index in indices)}"
        else:
            at = ""
            for k in range(len(shape)):
                index = self.index(of, k) if k < len(of.indices) else ""
                at = f"{at if at.isidentifier() else f'({at})'} * {self.size(of.owner, k)}" if k and at else at
                at = f"{at} + {index}" if at and index else at or index
            place = f"{owner}[{at}]"
        if isinstance(of.type, Record | Array):
            return f"(&{place})"
        return place

    def index(self, of: tree.Element, axis: int) -> str:
        index = of.indices[axis]
        if isinstance(index, tree.Const) and index.value < 0:
            return f"{self.size(of.owner, axis)} - {-index.value}"
        return bare(self.value(index))

    def size(self, of: tree.Expr, axis: int) -> str:
        """A size of an array."""
        assert isinstance(of.type, Array)
        known = of.type.shape[axis]
        if known is not None:
            return str(known)
        if isinstance(of, tree.Element):
            return self.size(of.owner, axis + len(of.indices))
        if isinstance(of, tree.Choose):
            return f"({self.value(of.test)} ? {self.size(of.yes, axis)} : {self.size(of.no, axis)})"
        return f"{self.value(of)}_{axis}"

    def on_Size(self, of: tree.Size) -> str:
        return self.size(of.owner, of.axis)

    def on_Negate(self, of: tree.Negate) -> str:
        return f"wrap_sub(0, {self.value(of.value)})" if of.type == INT else f"(-{self.value(of.value)})"

    def on_Not(self, of: tree.Not) -> str:
        return f"!{self.value(of.value)}"

    def on_Binary(self, of: tree.Binary) -> str:
        a, b = self.value(of.left), self.value(of.right)
        called = _CALLS.get((of.type, of.op))  # type: ignore[arg-type]
        return f"{called}({a}, {b})" if called else f"({a} {of.op} {b})"

    def on_Compare(self, of: tree.Compare) -> str:
        return f"({self.value(of.left)} {of.op} {self.value(of.right)})"

    def on_Logic(self, of: tree.Logic) -> str:
        return f"({(' && ' if of.op == 'and' else ' || ').join(self.value(item) for item in of.items)})"

    def on_Choose(self, of: tree.Choose) -> str:
        return f"({self.value(of.test)} ? {self.value(of.yes)} : {self.value(of.no)})"

    def on_Cast(self, of: tree.Cast) -> str:
        if of.type == INT and of.value.type == FLOAT:
            return f"to_int({self.value(of.value)})"
        return f"({_SCALARS[of.type]}){self.value(of.value)}"  # type: ignore[index]

    def on_Extreme(self, of: tree.Extreme) -> str:
        word = "least" if of.which == "min" else "greatest"
        return f"{'' if of.type == FLOAT else 'int_'}{word}({self.value(of.left)}, {self.value(of.right)})"

    def on_Maths(self, of: tree.Maths) -> str:
        name = "int_abs" if of.name == "abs" else of.name
        return f"{name}({', '.join(self.value(value) for value in of.values)})"

    def on_Call(self, of: tree.Call) -> str:
        return f"{self.file.add(of.function)}({self.handed(of.values)})"

    def on_CallAt(self, of: tree.CallAt) -> str:
        takes = []
        for value in of.values:
            takes.append(self.file.of(value.type) if isinstance(value.type, Scalar) else "void *")
            takes += ["int64_t" for _ in _told_axes(value.type)]
        head = f"({self.file.of(of.type)} (*)({', '.join(takes)}))"
        return f"({head}(intptr_t){self.value(of.address)})({self.handed(of.values)})"

    def handed(self, values: list[tree.Expr]) -> str:
        made = []
        for value in values:
            made.append(bare(self.value(value)) if isinstance(value.type, Scalar) else self.value(value))
            made += [self.size(value, axis) for axis in _told_axes(value.type)]
        return ", ".join(made)


def _float(value: float) -> str:
    if value != value:
        return "NAN"
    if value in (float("inf"), float("-inf")):
        return "INFINITY" if value > 0.0 else "(-INFINITY)"
    text = repr(value)
    text = text if "." in text or "e" in text else f"{text}.0"
    return f"({text})" if text.startswith("-") else text


def bare(text: str) -> str:
    """Without the brackets round the whole of it."""
    if not (text.startswith("(") and text.endswith(")")):
        return text
    depth = 0
    for k, letter in enumerate(text):
        depth += (letter == "(") - (letter == ")")
        if depth == 0 and k < len(text) - 1:
            return text
    inner = text[1:-1]
    return text if inner.startswith("&") else inner


def _writing(value: tree.Expr) -> int:
    """Number of calls in an expression that write to memory."""
    own = isinstance(value, tree.CallAt) or (isinstance(value, tree.Call) and value.function.writes)
    total = int(own)
    for name in value.__slots__:
        one = getattr(value, name)
        for inner in one if isinstance(one, list) else [one]:
            if hasattr(inner, "__slots__") and hasattr(inner, "type"):
                total += _writing(inner)
    return total
