"""C99: one file, with the numbers of a craft and what it keeps in two records."""

from __future__ import annotations

from typing import ClassVar

from oak_sled.core.compiler.c99 import TAKEN, bare
from oak_sled.core.compiler.types import FLOAT, INT, Tuple, Type
from oak_sled.core.portable import code
from oak_sled.core.portable.code import Cell, Function, Program
from oak_sled.core.portable.gamedoor import GameDoor
from oak_sled.core.portable.trim import all_leaves
from oak_sled.core.portable.words import KEPT_SAYS, heading, interface, shape_words
from oak_sled.core.portable.writer import Writer, fields

HELPERS = """static double least(double a, double b) { return b < a ? b : a; }
static double greatest(double a, double b) { return b > a ? b : a; }
static int int_least(int a, int b) { return b < a ? b : a; }
static int int_greatest(int a, int b) { return b > a ? b : a; }"""


class C(Writer):
    """Writes C99."""

    EXTENSION, NONE = "c", "void"
    SELF, ARROW, HANDED, DOOR, OWN = "c", "->", "*", "", "static "
    INCLUDES: ClassVar[tuple[str, ...]] = ("#include <math.h>", "#include <stdbool.h>", "#include <string.h>")

    def __init__(self, program: Program, door: GameDoor | None = None):
        super().__init__(program, door)
        self.prefix = program.name

    def name(self, name: str) -> str:
        taken = name in TAKEN or name in self.called or name in (self.SELF, "least", "greatest")
        return f"{name}_" if taken else name

    def cell(self, of: Cell) -> str:
        indices = "".join(f"[{self.index(of.name, axis, one)}]" for axis, one in enumerate(of.indices))
        return f"{self.SELF}{self.ARROW}{of.name}{indices}"

    def number(self, name: str) -> str:
        return f"{self.SELF}{self.ARROW}n.{name}"

    def call(self, function: Function, values: list[str]) -> str:
        handed = [self.SELF, *values] if function.touches else values
        return f"{function.name}({', '.join(handed)})"

    def row(self, of: Type, items: list[str]) -> str:
        return f"({self.kind(of)}){{{', '.join(items)}}}"

    # the file

    def text(self) -> str:
        """The whole file."""
        self.comment(heading(self.program))
        for one in self.INCLUDES:
            self.put(one)
        self.put("")
        self.open()
        self.declare_numbers()
        self.declare_rows()
        self.declare_kept()
        for of, name in self.tuples_of():
            self.declare_tuple(of, name)
        body = self.written()
        for line in HELPERS.replace("static ", self.OWN).splitlines():
            if any(f"{line.split('(')[0].split()[-1]}(" in one for one in body):
                self.put(line)
        self.put("")
        self.lines += body
        self.doors()
        self.close()
        return "\n".join(self.lines) + "\n"

    def open(self) -> None:
        """Opens what encloses everything."""

    def close(self) -> None:
        """Closes it."""

    def written(self) -> list[str]:
        """The lines of all functions."""
        before, self.lines = self.lines, []
        for function in self.program.functions:
            self.function(function)
        made, self.lines = self.lines, before
        return made

    def extreme(self, which: str, kind: Type, left: str, right: str) -> str:
        word = "int_" if kind == INT else ""
        return f"{word}{super().extreme(which, kind, left, right)}"

    def declare_numbers(self) -> None:
        """The list of the numbers with their values, the record of them, and tables."""
        single = {name: one for name, one in self.program.numbers.items() if not one.shape}
        self.comment("The numbers of the craft, SI and radians. Turn them while it runs: they are read in every tick.")
        self.put(f"#define {self.prefix.upper()}_NUMBERS(X) \\")
        self.depth += 1
        for place, (name, number) in enumerate(single.items()):
            says = f" /* {number.words()} */" if number.words() else ""
            more = " \\" if place < len(single) - 1 else ""
            self.put(f"X({name}, {self.real(number.values[0]).strip('()')}){says}{more}")
        self.depth -= 1
        self.put("")
        self.put("typedef struct {")
        self.put("#define X(name, value) double name;")
        self.put(f"{self.INDENT}{self.prefix.upper()}_NUMBERS(X)")
        self.put("#undef X")
        self.put(f"}} {self.record}Numbers;")
        self.put("")
        for name, number in self.program.numbers.items():
            if number.shape:
                sizes = "".join(f"[{n}]" for n in number.shape)
                kind = "int" if isinstance(number.values[0], int) else "double"
                self.put(f"static const {kind} {name}{sizes} = {self.values(number.shape, number.values)};")
        self.put("")

    def table(self, name: str, indices: list[str]) -> str:
        return f"{name}{''.join(f'[{one}]' for one in indices)}" if indices else self.number(name)

    def values(self, shape: tuple[int, ...], values: list[float] | list[float | int]) -> str:
        """Numbers as they are written down at once."""
        if not shape:
            return self.real(values[0]) if isinstance(values[0], float) else str(values[0])
        texts = [self.real(one).strip("()") if isinstance(one, float) else str(one) for one in values]
        if len(shape) == 1:
            return f"{{{', '.join(texts)}}}"
        each = len(values) // shape[0]
        return f"{{{', '.join(self.values(shape[1:], values[k : k + each]) for k in range(0, len(values), each))}}}"

    def declare_rows(self) -> None:
        """Names of the rows of what is kept."""
        for rows in self.row_names():
            self.put(f"enum {{ {', '.join(rows)} }};")
        self.put("")

    def declare_kept(self) -> None:
        """The record of what the craft keeps."""
        self.comment("The craft: its numbers, its motion, and what it keeps from tick to tick.")
        self.put("typedef struct {")
        self.depth += 1
        self.put(f"{self.record}Numbers n;")
        for name, one in self.program.kept.items():
            says = KEPT_SAYS.get(name, "")
            ends = f"  /* {says} */" if says else ""
            self.put(f"{self.kind(one.type)} {name}{''.join(f'[{n}]' for n in one.shape)};{ends}")
        self.depth -= 1
        self.put(f"}} {self.record};")
        self.put("")

    def declare_tuple(self, of: Type, name: str) -> None:
        """The record of a tuple."""
        assert isinstance(of, Tuple)
        if all(one == of.items[0] for one in of.items):
            self.put(f"typedef struct {{ {self.kind(of.items[0])} {', '.join(fields(of))}; }} {name};")
            return
        inner = " ".join(f"{self.kind(one)} {name};" for name, one in zip(fields(of), of.items, strict=True))
        self.put(f"typedef struct {{ {inner} }} {name};")

    def head(self, function: Function) -> str:
        """The line in which a function begins."""
        handed = [f"{self.record} {self.HANDED}{self.SELF}"] if function.touches else []
        handed += [f"{self.kind(kind)} {self.name(name)}" for name, kind in function.arguments]
        return f"{self.OWN}{self.kind(function.returns)} {function.name}({', '.join(handed) or self.NONE})"

    def function(self, function: Function) -> None:
        """One function with its comment."""
        if function.says:
            self.comment(function.says)
        self.put(self.head(function))
        self.put("{")
        self.locals(function)
        self.block(function.body)
        self.put("}")
        self.put("")

    def locals(self, function: Function) -> None:
        """Names of a function, declared by their types."""
        by_kind: dict[str, list[str]] = {}
        given = {name for name, _ in function.arguments}
        counters = counters_of(function)
        self.once = named_once(function)
        self.kinds = dict(function.names)
        for name, kind in function.names.items():
            if name not in given and name not in counters and name not in self.once:
                by_kind.setdefault(self.kind(kind), []).append(self.name(name))
        for kind_name, names in by_kind.items():
            self.put(f"{self.INDENT}{kind_name} {', '.join(names)};")

    def do_Set(self, one: code.Set) -> None:
        if one.name in self.once:
            self.put(f"{self.kind(self.kinds[one.name])} {self.name(one.name)} = {bare(self.value(one.value))};")
            return
        super().do_Set(one)

    def doors(self) -> None:
        """The functions that a game calls."""
        words, p, r, c = interface(self.program), self.prefix, self.record, f"{self.SELF}{self.ARROW}"
        self.comment(words["begin"])
        self.put(f"{self.DOOR}void {p}_begin({r} {self.HANDED}c)")
        self.put("{")
        self.depth += 1
        self.put(self.cleared())
        self.put(f"#define X(name, value) {c}n.name = value;")
        self.put(f"{p.upper()}_NUMBERS(X)")
        self.put("#undef X")
        for name, one in self.program.kept.items():
            for indices, value in shape_words(one):
                if value != 0:
                    text = self.real(float(value)) if one.type == FLOAT else str(value)
                    self.put(f"{c}{name}{''.join(f'[{k}]' for k in indices)} = {text};")
        self.depth -= 1
        self.put("}")
        self.put("")
        self.comment(words["tick"])
        self.put(f"{self.DOOR}void {p}_tick({r} {self.HANDED}c, const double *inputs)")
        self.put("{")
        self.depth += 1
        if self.program.inputs:
            self.put(f"memcpy({c}inputs, inputs, sizeof {c}inputs);")
        else:
            self.put("(void)inputs;")
        self.put("run_tick(c);")
        self.depth -= 1
        self.put("}")
        self.put("")
        self.comment(words["push"])
        given = f"const {r} {self.HANDED}c, const double *inputs, double force[3], double torque[3]"
        self.put(f"{self.DOOR}void {p}_push({given})")
        self.put("{")
        self.depth += 1
        self.put(f"{r} next = {self.copied()};")
        self.put(f"{p}_tick({self.address('next')}, inputs);")
        self.put("for (int i = 0; i < 3; i++) {")
        self.put(f"    force[i] = {c}n.mass * (next.velocity[i] - {c}velocity[i]) / {c}n.dt;")
        self.put(f"    torque[i] = (next.momentum[i] - {c}momentum[i]) / {c}n.dt;")
        self.put("}")
        self.depth -= 1
        self.put("}")
        self.put("")
        self.comment(words["set"])
        self.put(f"{self.DOOR}bool {p}_set({r} {self.HANDED}c, const char *name, double value)")
        self.put("{")
        self.depth += 1
        self.put(f"#define X(known, start) if (strcmp(name, #known) == 0) {{ {c}n.known = value; return true; }}")
        self.put(f"{p.upper()}_NUMBERS(X)")
        self.put("#undef X")
        self.put("return false;")
        self.depth -= 1
        self.put("}")
        if self.door is not None:
            self.game_door(self.door)

    def game_door(self, door: GameDoor) -> None:
        """The functions in the units and axes of the game."""
        words, p, c = door.says(), self.prefix, f"{self.SELF}{self.ARROW}"
        mine, seen = f"{self.record} {self.HANDED}c", f"const {self.record} {self.HANDED}c"

        def own(name: str, k: int) -> str:
            return f"{c}{name}[{k}]"

        def declare(name: str, value: str) -> str:
            return f"const double {name} = {value}"

        def opened(words: str, name: str, given: str) -> None:
            self.put("")
            self.comment(words)
            self.put(f"{self.DOOR}void {p}_{name}({given})")
            self.put("{")

        opened(words["out"], "to_game", f"{seen}, {_motion('')}")
        self.lines_of(door.motion_out(own))
        self.put("}")
        opened(words["in"], "from_game", f"{mine}, {_motion('const ')}")
        self.lines_of(door.motion_in(own))
        self.momentum(door, own, declare)
        self.put("}")
        opened(words["push"], "push_to_game", f"{seen}, const double *inputs, double force[3], double torque[3]")
        self.put("    double f[3], t[3];")
        self.put(f"    {p}_push(c, inputs, f, t);")
        self.lines_of(door.push_out(lambda k: f"f[{k}]", lambda k: f"t[{k}]"))
        self.put("}")
        if len(door.rays):
            given = "const double normal[3], const double velocity[3], const double point[3]"
            opened(words["hit"], "hit_from_game", f"{mine}, int k, double distance, {given}")
            self.put(f"    double *hit = {c}foot_hit[{door.rays.start} + k];")
            self.lines_of(door.hit_in(lambda k: f"hit[{k}]"))
            self.put("}")

    def cleared(self) -> str:
        """Everything of a craft at 0."""
        return "memset(c, 0, sizeof *c);"

    def copied(self) -> str:
        """The craft as a value."""
        return "*c"

    def address(self, name: str) -> str:
        """A craft, to be handed to a function."""
        return f"&{name}"


def _motion(word: str) -> str:
    """The arguments of a motion. word : before each."""
    return ", ".join(f"{word}double {name}" for name in ("position[3]", "attitude[4]", "velocity[3]", "spin[3]"))


def counters_of(function: Function) -> set[str]:
    """Names that only count the rounds of loops."""
    found = list(all_leaves(function.body))
    counts = {one.name for one in found if isinstance(one, code.For)}
    return counts - {one.name for one in found if isinstance(one, code.Set)}


def named_once(function: Function) -> set[str]:
    """Names that get their value in one place: they are declared there."""
    given = [one.name for one in all_leaves(function.body) if isinstance(one, code.Set | code.For)]
    arguments = {name for name, _ in function.arguments}
    return {name for name in given if given.count(name) == 1 and name not in arguments}
