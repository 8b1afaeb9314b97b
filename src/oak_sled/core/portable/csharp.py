"""C#: one file with a class."""

from __future__ import annotations

from oak_sled.core.compiler.types import INT, Tuple, Type
from oak_sled.core.portable.c import counters_of
from oak_sled.core.portable.code import Cell, Function
from oak_sled.core.portable.gamedoor import GameDoor
from oak_sled.core.portable.words import KEPT_SAYS, heading, interface
from oak_sled.core.portable.writer import Writer, fields

TAKEN = frozenset(
    [
        *("abstract", "as", "base", "bool", "break", "byte", "case", "catch", "char", "checked", "class", "const"),
        *("continue", "decimal", "default", "delegate", "do", "double", "else", "enum", "event", "explicit", "extern"),
        *("false", "finally", "fixed", "float", "for", "foreach", "goto", "if", "implicit", "in", "int", "interface"),
        *("internal", "is", "lock", "long", "namespace", "new", "null", "object", "operator", "out", "override"),
        *(
            "params",
            "private",
            "protected",
            "public",
            "readonly",
            "ref",
            "return",
            "sbyte",
            "sealed",
            "short",
            "sizeof",
        ),
        *("stackalloc", "static", "string", "struct", "switch", "this", "throw", "true", "try", "typeof", "uint"),
        *("ulong", "unchecked", "unsafe", "ushort", "using", "virtual", "void", "volatile", "while", "least"),
        *("greatest", "Math", "n"),
    ]
)
HELPERS = """static double least(double a, double b) { return b < a ? b : a; }
static double greatest(double a, double b) { return b > a ? b : a; }
static int least(int a, int b) { return b < a ? b : a; }
static int greatest(int a, int b) { return b > a ? b : a; }
static double hypot(double a, double b) { return Math.Sqrt(a * a + b * b); }"""


class CSharp(Writer):
    """Writes C#."""

    EXTENSION = "cs"

    def name(self, name: str) -> str:
        return f"{name}_" if name in TAKEN or name in self.called or name in self.program.kept else name

    def cell(self, of: Cell) -> str:
        return f"{of.name}{''.join(f'[{self.index(of.name, axis, one)}]' for axis, one in enumerate(of.indices))}"

    def number(self, name: str) -> str:
        return f"n.{name}"

    def table(self, name: str, indices: list[str]) -> str:
        return f"{name.upper()}_TABLE{''.join(f'[{one}]' for one in indices)}" if indices else self.number(name)

    def call(self, function: Function, values: list[str]) -> str:
        return f"{function.name}({', '.join(values)})"

    def row(self, of: Type, items: list[str]) -> str:
        return f"new {self.kind(of)}({', '.join(items)})"

    def maths(self, name: str, values: list[str]) -> str:
        if name == "hypot":
            return f"hypot({', '.join(values)})"
        words = {"fabs": "Abs", "ceil": "Ceiling"}
        return f"Math.{words.get(name, name.capitalize())}({', '.join(values)})"

    def counter(self, name: str) -> str:
        return name

    # the file

    def text(self) -> str:
        """The whole file."""
        words = interface(self.program)
        self.comment(heading(self.program))
        self.put("using System;")
        self.put("")
        self.put(f"public sealed class {self.record}")
        self.put("{")
        self.depth += 1
        self.comment("The numbers of the craft, SI and radians. Turn them while it runs: they are read in every tick.")
        self.put("public sealed class Numbers")
        self.put("{")
        self.depth += 1
        for name, number in self.program.numbers.items():
            if not number.shape:
                says = f" // {number.words()}" if number.words() else ""
                self.put(f"public double {name} = {self.real(number.values[0]).strip('()')};{says}")
        self.depth -= 1
        self.put("}")
        self.put("")
        for name, number in self.program.numbers.items():
            if number.shape:
                kind = self.array("int" if isinstance(number.values[0], int) else "double", len(number.shape))
                values = self.values(kind, number.shape, number.values)
                self.put(f"static readonly {kind} {name.upper()}_TABLE = {values};")
        for rows in self.row_names():
            self.put(f"const int {', '.join(f'{row} = {k}' for k, row in enumerate(rows))};")
        self.put("")
        for of, name in self.tuples_of():
            self.declare_tuple(of, name)
        self.put("public Numbers n = new Numbers();")
        for name, one in self.program.kept.items():
            kind = self.array(self.kind(one.type), len(one.shape))
            says = f" // {KEPT_SAYS[name]}" if name in KEPT_SAYS else ""
            self.put(f"public {kind} {name};{says}")
        for line in HELPERS.splitlines():
            self.put(line)
        self.put("")
        self.doors(words)
        for function in self.program.functions:
            self.function(function)
        self.depth -= 1
        self.put("}")
        return "\n".join(self.lines) + "\n"

    def doors(self, words: dict[str, str]) -> None:
        """The methods that a game calls."""
        self.put(f"public {self.record}() {{ Begin(); }}")
        self.put("")
        self.comment(words["begin"])
        self.put("public void Begin()")
        self.put("{")
        self.depth += 1
        self.put("n = new Numbers();")
        for name, one in self.program.kept.items():
            kind = self.array(self.kind(one.type), len(one.shape))
            self.put(f"{name} = {self.values(kind, one.shape, one.start)};")
        self.depth -= 1
        self.put("}")
        self.put("")
        self.comment(words["tick"])
        self.put("public void Tick(double[] given)")
        self.put("{")
        if self.program.inputs:
            self.put(f"    Array.Copy(given, inputs, {len(self.program.inputs)});")
        self.put("    run_tick();")
        self.put("}")
        self.put("")
        self.comment(words["push"])
        self.put("public void Push(double[] given, double[] force, double[] torque)")
        self.put("{")
        self.depth += 1
        self.put(f"{self.record} next = Copy();")
        self.put("next.Tick(given);")
        self.put("for (int i = 0; i < 3; i++) {")
        self.put("    force[i] = n.mass * (next.velocity[i] - velocity[i]) / n.dt;")
        self.put("    torque[i] = (next.momentum[i] - momentum[i]) / n.dt;")
        self.put("}")
        self.depth -= 1
        self.put("}")
        self.put("")
        self.comment("Another craft in the same state, with the same numbers.")
        self.put(f"public {self.record} Copy()")
        self.put("{")
        self.depth += 1
        self.put(f"{self.record} made = ({self.record})MemberwiseClone();")
        for name, one in self.program.kept.items():
            if len(one.shape) == 1:
                self.put(f"made.{name} = ({self.array(self.kind(one.type), 1)}){name}.Clone();")
            elif len(one.shape) == 2:
                row = self.array(self.kind(one.type), 1)
                self.put(f"made.{name} = Array.ConvertAll({name}, row => ({row})row.Clone());")
        self.put("return made;")
        self.depth -= 1
        self.put("}")
        self.put("")
        self.comment(words["set"])
        self.put("public bool Set(string name, double value)")
        self.put("{")
        self.put("    var known = typeof(Numbers).GetField(name);")
        self.put("    if (known == null) return false;")
        self.put("    known.SetValue(n, value);")
        self.put("    return true;")
        self.put("}")
        self.put("")
        if self.door is not None:
            self.game_door(self.door)

    def game_door(self, door: GameDoor) -> None:
        """The methods in the units and axes of the game."""
        words = door.says()
        motion = "double[] position, double[] attitude, double[] velocity, double[] spin"

        def own(name: str, k: int) -> str:
            return f"this.{name}[{k}]"

        def opened(words: str, name: str, given: str) -> None:
            self.comment(words)
            self.put(f"public void {name}({given})")
            self.put("{")

        def closed() -> None:
            self.put("}")
            self.put("")

        opened(words["out"], "ToGame", motion)
        self.lines_of(door.motion_out(own))
        closed()
        opened(words["in"], "FromGame", motion)
        self.lines_of(door.motion_in(own))
        self.momentum(door, own, lambda name, value: f"double {name} = {value}")
        closed()
        opened(words["push"], "PushToGame", "double[] given, double[] force, double[] torque")
        self.put("    double[] f = new double[3], t = new double[3];")
        self.put("    Push(given, f, t);")
        self.lines_of(door.push_out(lambda k: f"f[{k}]", lambda k: f"t[{k}]"))
        closed()
        if len(door.rays):
            given = "int k, double distance, double[] normal, double[] velocity, double[] point"
            opened(words["hit"], "HitFromGame", given)
            self.put(f"    double[] hit = foot_hit[{door.rays.start} + k];")
            self.lines_of(door.hit_in(lambda k: f"hit[{k}]"))
            closed()

    def array(self, kind: str, dimensions: int) -> str:
        """The type of an array of arrays."""
        return kind + "[]" * dimensions

    def values(self, kind: str, shape: tuple[int, ...], values: list[float | int]) -> str:
        """Numbers as they are written down at once."""
        if not shape:
            return self.real(values[0]).strip("()") if isinstance(values[0], float) else str(values[0])
        each = len(values) // shape[0]
        inner = [self.values(kind[:-2], shape[1:], values[k : k + each]) for k in range(0, len(values), each)]
        return f"new {kind} {{{', '.join(inner)}}}"

    def declare_tuple(self, of: Type, name: str) -> None:
        """The record of a tuple."""
        assert isinstance(of, Tuple)
        pairs = list(zip(fields(of), of.items, strict=True))
        self.put(f"struct {name}")
        self.put("{")
        self.depth += 1
        for field, kind in pairs:
            self.put(f"public {self.kind(kind)} {field};")
        given = ", ".join(f"{self.kind(kind)} {field}" for field, kind in pairs)
        self.put(f"public {name}({given}) {{ {' '.join(f'this.{field} = {field};' for field, _ in pairs)} }}")
        self.depth -= 1
        self.put("}")
        self.put("")

    def function(self, function: Function) -> None:
        """One function with its comment."""
        if function.says:
            self.comment(function.says)
        handed = ", ".join(f"{self.kind(kind)} {self.name(name)}" for name, kind in function.arguments)
        word = "" if function.touches else "static "
        self.put(f"{word}{self.kind(function.returns)} {function.name}({handed})")
        self.put("{")
        # all of them here: a name of an inner block may not be that of an outer one
        given = {name for name, _ in function.arguments}
        for name, kind in {**dict.fromkeys(sorted(counters_of(function)), INT), **function.names}.items():
            if name not in given:
                self.put(f"{self.INDENT}{self.kind(kind)} {self.name(name)} = default({self.kind(kind)});")
        self.block(function.body)
        self.put("}")
        self.put("")
