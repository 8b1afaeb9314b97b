"""Writes typed trees as LLVM text: no fast maths, no contraction of a * b + c, the order of the source.

One file, since it has a method for every node of the tree, and each calls the others.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import dataclass

from oak_sled.core.compiler import tree, types
from oak_sled.core.compiler.machine import OUT_OF_RANGE
from oak_sled.core.compiler.types import BOOL, FLOAT, INT, NOTHING, WORD, Array, Bundle, Record, Tuple, Type, cells

_FLOATS = {"+": "fadd", "-": "fsub", "*": "fmul", "/": "fdiv"}
_INTS = {"+": "add", "-": "sub", "*": "mul", "&": "and", "|": "or", "^": "xor", "<<": "shl"}
_ORDERED = {"<": "olt", "<=": "ole", ">": "ogt", ">=": "oge", "==": "oeq", "!=": "une"}
_SIGNED = {"<": "slt", "<=": "sle", ">": "sgt", ">=": "sge", "==": "eq", "!=": "ne"}
_UNSIGNED = {"<": "ult", "<=": "ule", ">": "ugt", ">=": "uge", "==": "eq", "!=": "ne"}
_OWN = {"sqrt", "sin", "cos", "exp", "log", "floor", "ceil", "fabs"}
"""Functions that LLVM knows by its own name; the others are those of the C library."""
PLAIN = 'nounwind "no-builtins"'
"""Of every function that is written: nothing is thrown, and a loop that clears or copies a few numbers stays one. LLVM
would make calls of the C library of them: a tenth of a tick."""
_FIRST_TAG = 8
"""Numbers of metadata before it: nothing, the root and a kind for each cell."""


@dataclass
class Module:
    """A unit and all that it reaches, up to other units. checked : hold every index to its array."""

    checked: bool = False

    def __post_init__(self) -> None:
        self.declared: dict[str, str] = {}
        self.written: list[str] = []
        self.known: set[str] = set()
        self.tags: dict[tuple[str, str], int] = {}

    def add(self, function: tree.Function, outside: bool = False) -> None:
        """Writes a function and those it calls; `outside`: it is called from other modules."""
        if function.symbol in self.known:
            return
        self.known.add(function.symbol)
        for called in function.calls:
            if called.is_unit:
                self.declare(called.symbol, f"declare {_head(called)} nounwind")
            else:
                self.add(called)
        self.written.append(_Writer(self, function, outside or function.is_unit).text())

    def declare(self, name: str, text: str) -> None:
        """A function that is found by its name when the code is loaded."""
        self.declared[name] = text

    def text(self) -> str:
        """The whole module."""
        return "\n".join([*sorted(self.declared.values()), "!0 = !{}", *self.written, *self._tag_lines()])

    def tag(self, cell: str, field: str) -> str:
        """The tags of a load or store, so that LLVM need not read a field anew after every write to another.

        A field of one name is never the memory of a field of another name, but an array that was handed over may be
        any of them: its numbers are of the kind above all fields. Numbers and addresses never lie in one place.
        """
        number = self.tags.setdefault((cell, field), len(self.tags))
        return f", !tbaa !{_FIRST_TAG + 2 * number}"

    def _tag_lines(self) -> list[str]:
        cells = sorted({cell for cell, _ in self.tags})
        kinds = {cell: 2 + k for k, cell in enumerate(cells)}
        lines = ['!1 = !{!"oak sled"}', *(f'!{kinds[cell]} = !{{!"{cell}", !1, i64 0}}' for cell in cells)]
        for (cell, field), number in self.tags.items():
            tag = _FIRST_TAG + 2 * number
            of = tag + 1 if field else kinds[cell]
            if field:
                lines.append(f'!{of} = !{{!"{cell} {field}", !{kinds[cell]}, i64 0}}')
            lines.append(f"!{tag} = !{{!{of}, !{of}, i64 0}}")
        return lines


def _result(of: Type) -> str:
    inner = cells(of)
    return "void" if not inner else inner[0] if len(inner) == 1 else "{" + ", ".join(inner) + "}"


def _head(function: tree.Function) -> str:
    handed = ", ".join(cell for _, one in function.arguments for cell in cells(one))
    return f"{_result(function.returns)} @{function.symbol}({handed})"


def door(function: tree.Function) -> str:
    """A module by which Python enters a unit: arguments cell by cell, results into memory of 8 bytes each."""
    handed = [cell for _, one in function.arguments for cell in cells(one)]
    given = cells(function.returns)
    lines = [f"declare {_head(function)} nounwind"]
    parts = ", ".join(f"{cell} %p{k}" for k, cell in enumerate(handed))
    lines.append(f"define void @door.{function.symbol}({parts}{', ' if parts else ''}ptr %out) {PLAIN} {{")
    lines.append(f"  {'%r = ' if given else ''}call {_result(function.returns)} @{function.symbol}({parts})")
    for k, cell in enumerate(given):
        one = "%r"
        if len(given) > 1:
            one = f"%e{k}"
            lines.append(f"  {one} = extractvalue {_result(function.returns)} %r, {k}")
        if cell == "i1":
            lines.append(f"  %z{k} = zext i1 {one} to i64")
            one, cell = f"%z{k}", "i64"
        lines.append(f"  %g{k} = getelementptr i64, ptr %out, i64 {k}")
        lines.append(f"  store {cell} {one}, ptr %g{k}")
    return "\n".join([*lines, "  ret void", "}", *_batch(function.symbol, handed, len(given))])


def _batch(symbol: str, handed: Sequence[str], results: int) -> list[str]:
    """The lines of a door for many calls in one: arguments block by block, 8 bytes a cell; results one behind
    another."""
    lines = [
        f"define void @batch.{symbol}(i64 %count, ptr %blocks, ptr %outs) {PLAIN} {{",
        "start:",
        "  br label %next",
        "next:",
        "  %k = phi i64 [0, %start], [%after, %call]",
        "  %more = icmp slt i64 %k, %count",
        "  br i1 %more, label %call, label %end",
        "call:",
        f"  %first = mul i64 %k, {len(handed)}",
        "  %block = getelementptr i64, ptr %blocks, i64 %first",
    ]
    for place, cell in enumerate(handed):
        lines.append(f"  %c{place} = getelementptr i64, ptr %block, i64 {place}")
        if cell == "i1":
            lines += [f"  %w{place} = load i64, ptr %c{place}", f"  %v{place} = trunc i64 %w{place} to i1"]
        else:
            lines.append(f"  %v{place} = load {cell}, ptr %c{place}")
    parts = "".join(f"{cell} %v{place}, " for place, cell in enumerate(handed))
    return [
        *lines,
        f"  %skip = mul i64 %k, {max(1, results)}",
        "  %out = getelementptr i64, ptr %outs, i64 %skip",
        f"  call void @door.{symbol}({parts}ptr %out)",
        "  %after = add i64 %k, 1",
        "  br label %next",
        "end:",
        "  ret void",
        "}",
    ]


def _float(value: float) -> str:
    return f"0x{struct.unpack('<Q', struct.pack('<d', value))[0]:016X}"


Operands = list[str]


def _stands_alone(of: Type, arguments: Sequence[tuple[str, Type]]) -> bool:
    """True if no other argument of a unit can lie in the same memory: it is a record, and no other is of its kind,
    holds one of its kind, or is held by it.

    Told to LLVM, so that a body, a ledger and a part are not read anew after every write to one of them.
    """
    if not isinstance(of, Record) or any(isinstance(one, Bundle) for _, one in arguments):
        return False
    others = [one.element if isinstance(one, Array) else one for _, one in arguments]
    others.remove(of)
    return not any(_holds(one, of) or _holds(of, one) for one in others if isinstance(one, Record))


def _holds(outer: Record, inner: Type) -> bool:
    """True if a record is of a kind, or has one of that kind in a field, however deep."""
    if outer == inner:
        return True
    fields = [types.of_field(outer.dtype, name)[0] for name in outer.dtype.names or ()]
    found = [one.element if isinstance(one, Array) else one for one in fields]
    return any(_holds(one, inner) for one in found if isinstance(one, Record))


def _field_of(place: tree.Expr) -> str:
    """The name of the field that a place lies in; empty where it is an element of an array that was handed over."""
    while isinstance(place, tree.Element):
        place = place.owner
    return place.name if isinstance(place, tree.Field) else ""


class _Writer:
    """Writes one function. A value is the list of the operands of its cells."""

    def __init__(self, module: Module, function: tree.Function, outside: bool):
        self.module, self.function, self.outside = module, function, outside
        self.lines: list[str] = []
        self.slots: dict[str, list[str]] = {}
        self.first: list[str] = []
        self.count = 0
        self.block = "entry"
        self.ended = False
        self.loops: list[tuple[str, str]] = []

    def text(self) -> str:
        handed = []
        for name, of in self.function.names.items():
            self.slots[name] = [f"%s.{name}.{k}" for k in range(len(cells(of)))]
            self.first += [f"  {slot} = alloca {cell}" for slot, cell in zip(self.slots[name], cells(of), strict=True)]
        for name, of in self.function.arguments:
            parts = [f"%a.{name}.{k}" for k in range(len(cells(of)))]
            alone = " noalias" if self.outside and _stands_alone(of, self.function.arguments) else ""
            kinds = [f"{cell}{alone}" if cell == "ptr" else cell for cell in cells(of)]
            handed += [f"{kind} {part}" for kind, part in zip(kinds, parts, strict=True)]
            self.assign(name, parts, of)
        self.body(self.function.body)
        if not self.ended:
            self.put("ret void" if self.function.returns == NOTHING else "unreachable")
        linkage = "" if self.outside else "internal "
        always = " alwaysinline" if self.function.kernel.always and not self.outside else ""
        head = f"define {linkage}{_result(self.function.returns)} @{self.function.symbol}({', '.join(handed)})"
        return "\n".join([f"{head}{always} {PLAIN} {{", "entry:", *self.first, *self.lines, "}", ""])

    # text

    def put(self, line: str) -> None:
        self.lines.append(f"  {line}")

    def set(self, text: str) -> str:
        self.count += 1
        self.put(f"%v{self.count} = {text}")
        return f"%v{self.count}"

    def label(self) -> str:
        self.count += 1
        return f"L{self.count}"

    def go(self, label: str) -> None:
        if not self.ended:
            self.put(f"br label %{label}")
        self.ended = True

    def fork(self, test: str, yes: str, no: str) -> None:
        self.put(f"br i1 {test}, label %{yes}, label %{no}")
        self.ended = True

    def begin(self, label: str) -> None:
        self.lines.append(f"{label}:")
        self.block, self.ended = label, False

    def assign(self, name: str, parts: Operands, of: Type) -> None:
        for slot, part, cell in zip(self.slots[name], parts, cells(of), strict=True):
            self.put(f"store {cell} {part}, ptr {slot}")

    # statements

    def body(self, statements: list[tree.Statement]) -> None:
        for one in statements:
            if self.ended:
                return
            getattr(self, f"do_{type(one).__name__}")(one)

    def do_Assign(self, one: tree.Assign) -> None:
        self.assign(one.name, self.value(one.value), one.value.type)

    def do_Do(self, one: tree.Do) -> None:
        self.value(one.value)

    def do_Store(self, one: tree.Store) -> None:
        (part,) = self.value(one.value)
        place = self.place(one.place)
        cell = cells(one.place.type)[0]
        self.put(f"store {cell} {part}, ptr {place}{self.module.tag(cell, _field_of(one.place))}")

    def do_Copy(self, one: tree.Copy) -> None:
        (source,), (target,) = self.value(one.value), self.value(one.place)
        name = "llvm.memmove.p0.p0.i64"
        self.module.declare(name, f"declare void @{name}(ptr, ptr, i64, i1)")
        self.put(f"call void @{name}(ptr {target}, ptr {source}, i64 {one.record.dtype.itemsize}, i1 false)")

    def do_Return(self, one: tree.Return) -> None:
        of = self.function.returns
        if one.value is None:
            self.put("ret void")
        else:
            parts = self.value(one.value)
            made = parts[0] if len(parts) == 1 else "undef"
            if len(parts) > 1:
                for k, (part, cell) in enumerate(zip(parts, cells(of), strict=True)):
                    made = self.set(f"insertvalue {_result(of)} {made}, {cell} {part}, {k}")
            self.put(f"ret {_result(of)} {made}")
        self.ended = True

    def do_If(self, one: tree.If) -> None:
        (test,) = self.value(one.test)
        yes, no, end = self.label(), self.label(), self.label()
        self.fork(test, yes, no if one.no else end)
        self.begin(yes)
        self.body(one.yes)
        reached = not one.no or not self.ended
        self.go(end)
        if one.no:
            self.begin(no)
            self.body(one.no)
            reached = reached or not self.ended
            self.go(end)
        if reached:
            self.begin(end)

    def do_While(self, one: tree.While) -> None:
        head, inside, end = self.label(), self.label(), self.label()
        self.go(head)
        self.begin(head)
        self.fork(self.value(one.test)[0], inside, end)
        self.begin(inside)
        self.loops.append((head, end))
        self.body(one.body)
        self.loops.pop()
        self.go(head)
        self.begin(end)

    def do_For(self, one: tree.For) -> None:
        (first,), (last,) = self.value(one.first), self.value(one.last)
        self.count += 1
        counter = f"%c{self.count}"
        self.first.append(f"  {counter} = alloca i64")
        head, inside, onward, end = self.label(), self.label(), self.label(), self.label()
        self.put(f"store i64 {first}, ptr {counter}")
        self.go(head)
        self.begin(head)
        at = self.set(f"load i64, ptr {counter}")
        self.fork(self.set(f"icmp {'slt' if one.step > 0 else 'sgt'} i64 {at}, {last}"), inside, end)
        self.begin(inside)
        self.assign(one.name, [at], INT)
        self.loops.append((onward, end))
        self.body(one.body)
        self.loops.pop()
        self.go(onward)
        self.begin(onward)
        self.put(f"store i64 {self.set(f'add nsw i64 {at}, {one.step}')}, ptr {counter}")
        self.go(head)
        self.begin(end)

    def do_Jump(self, one: tree.Jump) -> None:
        self.go(self.loops[-1][one.word == "break"])

    # expressions

    def value(self, of: tree.Expr) -> Operands:
        made: Operands = getattr(self, f"on_{type(of).__name__}")(of)
        return made

    def on_Const(self, of: tree.Const) -> Operands:
        if of.type == FLOAT:
            return [_float(of.value)]
        return [("true" if of.value else "false") if of.type == BOOL else str(of.value)]

    def on_Name(self, of: tree.Name) -> Operands:
        slots = zip(self.slots[of.name], cells(of.type), strict=True)
        return [self.set(f"load {cell}, ptr {slot}") for slot, cell in slots]

    def on_TupleOf(self, of: tree.TupleOf) -> Operands:
        return [part for item in of.items for part in self.value(item)]

    def on_Item(self, of: tree.Item) -> Operands:
        return self.item(self.value(of.owner), of.owner.type, of.place)

    @staticmethod
    def item(parts: Operands, of: Type, place: int) -> Operands:
        assert isinstance(of, Tuple)
        before = sum(len(cells(one)) for one in of.items[:place])
        return parts[before : before + len(cells(of.items[place]))]

    def on_Pick(self, of: tree.Pick) -> Operands:
        parts, (index,) = self.value(of.owner), self.value(of.index)
        made, cell = parts[-1], cells(of.type)[0]
        for k in range(len(parts) - 2, -1, -1):
            same = self.set(f"icmp eq i64 {index}, {k}")
            made = self.set(f"select i1 {same}, {cell} {parts[k]}, {cell} {made}")
        return [made]

    def on_Member(self, of: tree.Member) -> Operands:
        (block,) = self.value(of.owner)
        made = []
        for k, cell in enumerate(cells(of.type)):
            place = self.set(f"getelementptr i8, ptr {block}, i64 {8 * (of.cell + k)}")
            made.append(self.set(f"load {cell}, ptr {place}, !invariant.load !0"))
        return made

    def load(self, place: str, of: tree.Field | tree.Element) -> Operands:
        """Loads from a place: a number, or the address itself of a record or an array of known sizes."""
        if isinstance(of.type, Record | Array):
            return [place]
        cell = cells(of.type)[0]
        return [self.set(f"load {cell}, ptr {place}{self.module.tag(cell, _field_of(of))}")]

    def on_Field(self, of: tree.Field) -> Operands:
        return self.load(self.place(of), of)

    def on_Element(self, of: tree.Element) -> Operands:
        owner = self.value(of.owner)
        place = self.element(of, owner)
        if isinstance(of.type, Array):
            sizes = self.sizes(owner, of.array)[len(of.indices) :]
            return [place, *(size for size, known in zip(sizes, of.type.shape, strict=True) if known is None)]
        return self.load(place, of)

    def place(self, of: tree.Field | tree.Element) -> str:
        """The address of a field or an element."""
        if isinstance(of, tree.Element):
            return self.element(of, self.value(of.owner))
        (owner,) = self.value(of.owner)
        return self.set(f"getelementptr i8, ptr {owner}, i64 {of.offset}") if of.offset else owner

    @staticmethod
    def sizes(parts: Operands, of: Array) -> Operands:
        """The sizes of an array whose cells are these."""
        sizes = iter(parts[1:])
        return [next(sizes) if size is None else str(size) for size in of.shape]

    def element(self, of: tree.Element, owner: Operands) -> str:
        sizes = self.sizes(owner, of.array)
        at = "0"
        for k, index in enumerate(of.indices):
            (i,) = self.value(index)
            if isinstance(index, tree.Const) and index.value < 0:
                i = self.set(f"add i64 {sizes[k]}, {i}")
            elif self.module.checked:
                self.check(i, sizes[k], of.line)
            at = i if k == 0 else self.set(f"add nsw i64 {self.times(at, sizes[k])}, {i}")
        for size in sizes[len(of.indices) :]:
            at = self.times(at, size)
        return self.set(f"getelementptr [{types.bytes_of(of.array.element)} x i8], ptr {owner[0]}, i64 {at}")

    def times(self, a: str, b: str) -> str:
        return self.set(f"mul nsw i64 {a}, {b}")

    def check(self, index: str, size: str, line: int) -> None:
        well, ill = self.label(), self.label()
        self.module.declare(OUT_OF_RANGE, f"declare void @{OUT_OF_RANGE}(i64, i64, i64) noreturn nounwind")
        self.fork(self.set(f"icmp ult i64 {index}, {size}"), well, ill)
        self.begin(ill)
        self.put(f"call void @{OUT_OF_RANGE}(i64 {self.function.kernel.line_of(line)}, i64 {index}, i64 {size})")
        self.put("unreachable")
        self.begin(well)

    def on_Size(self, of: tree.Size) -> Operands:
        assert isinstance(of.owner.type, Array)
        return [self.sizes(self.value(of.owner), of.owner.type)[of.axis]]

    def on_Negate(self, of: tree.Negate) -> Operands:
        (part,) = self.value(of.value)
        return [self.set(f"fneg double {part}" if of.type == FLOAT else f"sub i64 0, {part}")]

    def on_Not(self, of: tree.Not) -> Operands:
        return [self.set(f"xor i1 {self.value(of.value)[0]}, true")]

    def on_Binary(self, of: tree.Binary) -> Operands:
        (a,), (b,) = self.value(of.left), self.value(of.right)
        if of.op == "**":
            return [self.outside_call("llvm.pow.f64", [a, b])]
        if of.type == FLOAT:
            return [self.set(f"{_FLOATS[of.op]} double {a}, {b}")]
        if of.op in _INTS:
            return [self.set(f"{_INTS[of.op]} i64 {a}, {b}")]
        if of.op == ">>":
            return [self.set(f"{'lshr' if of.type == WORD else 'ashr'} i64 {a}, {b}")]
        return [self.divide(of, a, b)]

    def divide(self, of: tree.Binary, a: str, b: str) -> str:
        """// and % as Python has them: toward the lower, with the sign of the divisor; by 0 they give 0."""
        none = self.set(f"icmp eq i64 {b}, 0")
        safe = self.set(f"select i1 {none}, i64 1, i64 {b}")
        if of.type == WORD:
            made = self.set(f"{'udiv' if of.op == '//' else 'urem'} i64 {a}, {safe}")
            return self.set(f"select i1 {none}, i64 0, i64 {made}")
        # the least int by -1 has no quotient: it wraps to itself, and leaves nothing
        minus = self.set(f"icmp eq i64 {safe}, -1")
        tame = self.set(f"select i1 {minus}, i64 1, i64 {safe}")
        rest, quotient = self.set(f"srem i64 {a}, {tame}"), self.set(f"sdiv i64 {a}, {tame}")
        uneven = self.set(f"icmp ne i64 {rest}, 0")
        apart = self.set(f"icmp slt i64 {self.set(f'xor i64 {rest}, {tame}')}, 0")
        off = self.set(f"and i1 {uneven}, {apart}")
        if of.op == "%":
            made = self.set(f"select i1 {off}, i64 {self.set(f'add i64 {rest}, {tame}')}, i64 {rest}")
            made = self.set(f"select i1 {minus}, i64 0, i64 {made}")
        else:
            made = self.set(f"select i1 {off}, i64 {self.set(f'sub i64 {quotient}, 1')}, i64 {quotient}")
            made = self.set(f"select i1 {minus}, i64 {self.set(f'sub i64 0, {a}')}, i64 {made}")
        return self.set(f"select i1 {none}, i64 0, i64 {made}")

    def on_Compare(self, of: tree.Compare) -> Operands:
        (a,), (b,) = self.value(of.left), self.value(of.right)
        if of.left.type == FLOAT:
            return [self.set(f"fcmp {_ORDERED[of.op]} double {a}, {b}")]
        words = _UNSIGNED if of.left.type == WORD else _SIGNED
        return [self.set(f"icmp {words[of.op]} {cells(of.left.type)[0]} {a}, {b}")]

    def on_Logic(self, of: tree.Logic) -> Operands:
        stop, end, ways = "false" if of.op == "and" else "true", self.label(), []
        for item in of.items[:-1]:
            (test,), onward = self.value(item), self.label()
            ways.append((stop, self.block))
            self.fork(test, *((onward, end) if stop == "false" else (end, onward)))
            self.begin(onward)
        ways.append((self.value(of.items[-1])[0], self.block))
        self.go(end)
        self.begin(end)
        return [self.set("phi i1 " + ", ".join(f"[{value}, %{block}]" for value, block in ways))]

    def on_Choose(self, of: tree.Choose) -> Operands:
        (test,) = self.value(of.test)
        yes, no, end = self.label(), self.label(), self.label()
        self.fork(test, yes, no)
        self.begin(yes)
        a, from_a = self.value(of.yes), self.block
        self.go(end)
        self.begin(no)
        b, from_b = self.value(of.no), self.block
        self.go(end)
        self.begin(end)
        both = zip(cells(of.type), a, b, strict=True)
        return [self.set(f"phi {cell} [{x}, %{from_a}], [{y}, %{from_b}]") for cell, x, y in both]

    def on_Cast(self, of: tree.Cast) -> Operands:
        (part,), was = self.value(of.value), of.value.type
        if of.type == FLOAT:
            word = {INT: "sitofp i64", WORD: "uitofp i64", BOOL: "uitofp i1"}[was]  # type: ignore[index]
            return [self.set(f"{word} {part} to double")]
        if was == BOOL:
            return [self.set(f"zext i1 {part} to i64")]
        if was == FLOAT:  # held to what an int holds; NaN is 0
            name = "llvm.fptosi.sat.i64.f64"
            self.module.declare(name, f"declare i64 @{name}(double)")
            return [self.set(f"call i64 @{name}(double {part})")]
        return [part]

    def on_Extreme(self, of: tree.Extreme) -> Operands:
        (a,), (b,), cell = self.value(of.left), self.value(of.right), cells(of.type)[0]
        op = "<" if of.which == "min" else ">"
        word = f"fcmp {_ORDERED[op]} double" if of.type == FLOAT else f"icmp {_SIGNED[op]} i64"
        return [self.set(f"select i1 {self.set(f'{word} {b}, {a}')}, {cell} {b}, {cell} {a}")]

    def on_Maths(self, of: tree.Maths) -> Operands:
        parts = [self.value(value)[0] for value in of.values]
        if of.name == "abs":
            below, other = self.set(f"icmp slt i64 {parts[0]}, 0"), self.set(f"sub i64 0, {parts[0]}")
            return [self.set(f"select i1 {below}, i64 {other}, i64 {parts[0]}")]
        return [self.outside_call(f"llvm.{of.name}.f64" if of.name in _OWN else of.name, parts)]

    def outside_call(self, name: str, parts: Operands) -> str:
        known = "" if name.startswith("llvm.") else " nounwind willreturn memory(none)"
        self.module.declare(name, f"declare double @{name}({', '.join(['double'] * len(parts))}){known}")
        return self.set(f"call double @{name}({', '.join(f'double {part}' for part in parts)})")

    def on_Call(self, of: tree.Call) -> Operands:
        return self.called(f"@{of.function.symbol}", of.type, of.values)

    def on_CallAt(self, of: tree.CallAt) -> Operands:
        (address,) = self.value(of.address)
        return self.called(self.set(f"inttoptr i64 {address} to ptr"), of.type, of.values)

    def called(self, what: str, gives: Type, values: list[tree.Expr]) -> Operands:
        parts = [(cell, part) for one in values for cell, part in zip(cells(one.type), self.value(one), strict=True)]
        handed = ", ".join(f"{cell} {part}" for cell, part in parts)
        inner = cells(gives)
        if not inner:
            self.put(f"call void {what}({handed})")
            return []
        made = self.set(f"call {_result(gives)} {what}({handed})")
        if len(inner) == 1:
            return [made]
        return [self.set(f"extractvalue {_result(gives)} {made}, {k}") for k in range(len(inner))]
