"""JavaScript: an ES module with a class."""

from __future__ import annotations

from oak_sled.core.compiler.c99 import bare
from oak_sled.core.compiler.types import Type
from oak_sled.core.portable import code
from oak_sled.core.portable.c import counters_of, named_once
from oak_sled.core.portable.code import Cell, Function, Program
from oak_sled.core.portable.gamedoor import GameDoor
from oak_sled.core.portable.words import heading, interface
from oak_sled.core.portable.writer import Writer

TAKEN = frozenset(
    [
        "await",
        "break",
        "case",
        "catch",
        "class",
        "const",
        "continue",
        "debugger",
        "default",
        "delete",
        "do",
        "else",
        "enum",
        "export",
        "extends",
        "false",
        "finally",
        "for",
        "function",
        "if",
        "import",
        "in",
        "instanceof",
        "let",
        "new",
        "null",
        "return",
        "static",
        "super",
        "switch",
        "this",
        "throw",
        "true",
        "try",
        "typeof",
        "var",
        "void",
        "while",
        "with",
        "yield",
        "arguments",
        "eval",
        "n",
        "least",
        "greatest",
        "Math",
    ]
)
HELPERS = """const least = (a, b) => (b < a ? b : a);
const greatest = (a, b) => (b > a ? b : a);"""


class JavaScript(Writer):
    """Writes JavaScript."""

    EXTENSION = "mjs"
    INDENT = "  "

    def __init__(self, program: Program, door: GameDoor | None = None):
        super().__init__(program, door)
        self.once: set[str] = set()

    def kind(self, of: Type) -> str:
        return "let"

    def name(self, name: str) -> str:
        return f"{name}_" if name in TAKEN or name in self.called else name

    def cell(self, of: Cell) -> str:
        return f"this.{of.name}{''.join(f'[{self.index(of.name, axis, one)}]' for axis, one in enumerate(of.indices))}"

    def number(self, name: str) -> str:
        return f"this.n.{name}"

    def table(self, name: str, indices: list[str]) -> str:
        return f"{name.upper()}{''.join(f'[{one}]' for one in indices)}" if indices else self.number(name)

    def call(self, function: Function, values: list[str]) -> str:
        return f"{'this.' if function.touches else ''}{function.name}({', '.join(values)})"

    def row(self, of: Type, items: list[str]) -> str:
        return f"[{', '.join(items)}]"

    def item(self, owner: str, of: Type, place: int) -> str:
        return f"{owner}[{place}]"

    def maths(self, name: str, values: list[str]) -> str:
        return f"Math.{'abs' if name == 'fabs' else name}({', '.join(values)})"

    def cast(self, to: str, value: str) -> str:
        return value if to == "float" else f"Math.trunc({value})"

    def operator(self, op: str) -> str:
        return {"==": "===", "!=": "!=="}.get(op, op)

    def counter(self, name: str) -> str:
        return f"let {name}"

    def do_Set(self, one: code.Set) -> None:
        word = "const " if one.name in self.once else ""
        self.put(f"{word}{self.name(one.name)} = {bare(self.value(one.value))};")

    # the file

    def text(self) -> str:
        """The whole file."""
        self.comment(heading(self.program))
        self.comment("The numbers of the craft, SI and radians. Turn them while it runs: they are read in every tick.")
        self.put("export const NUMBERS = {")
        self.depth += 1
        for name, number in self.program.numbers.items():
            if not number.shape:
                says = f" // {number.words()}" if number.words() else ""
                self.put(f"{name}: {self.real(number.values[0]).strip('()')},{says}")
        self.depth -= 1
        self.put("};")
        for name, number in self.program.numbers.items():
            if number.shape:
                self.put(f"const {name.upper()} = {self.values(number.shape, number.values)};")
        for rows in self.row_names():
            self.put(f"const {', '.join(f'{row} = {k}' for k, row in enumerate(rows))};")
        for line in HELPERS.splitlines():
            self.put(line)
        self.put("")
        for function in self.program.functions:
            if not function.touches:
                self.function(function, "function ")
        words = interface(self.program)
        self.comment("The craft: its numbers (n), its motion, and what it keeps from tick to tick.")
        self.put(f"export class {self.record} {{")
        self.depth += 1
        self.put("constructor(numbers = NUMBERS) {")
        self.put("  this.begin(numbers);")
        self.put("}")
        self.put("")
        self.comment(words["begin"])
        self.put("begin(numbers = NUMBERS) {")
        self.depth += 1
        self.put("this.n = { ...numbers };")
        for name, one in self.program.kept.items():
            self.put(f"this.{name} = {self.values(one.shape, one.start)};")
        self.depth -= 1
        self.put("}")
        self.put("")
        self.comment(words["tick"])
        self.put("tick(inputs) {")
        self.depth += 1
        self.put(f"for (let k = 0; k < {len(self.program.inputs)}; k++) this.inputs[k] = inputs[k];")
        self.put("this.run_tick();")
        self.depth -= 1
        self.put("}")
        self.put("")
        self.comment(words["push"])
        self.put("push(inputs) {")
        self.depth += 1
        self.put(f"const next = Object.assign(new {self.record}(this.n), structuredClone({{ ...this }}));")
        self.put("next.tick(inputs);")
        self.put("const change = (to, from, by) => to.map((value, i) => (by * (value - from[i])) / this.n.dt);")
        self.put("return {")
        self.put("  force: change(next.velocity, this.velocity, this.n.mass),")
        self.put("  torque: change(next.momentum, this.momentum, 1.0),")
        self.put("};")
        self.depth -= 1
        self.put("}")
        self.put("")
        self.comment(words["set"])
        self.put("set(name, value) {")
        self.put("  if (!(name in this.n)) return false;")
        self.put("  this.n[name] = value;")
        self.put("  return true;")
        self.put("}")
        self.put("")
        if self.door is not None:
            self.game_door(self.door)
        for function in self.program.functions:
            if function.touches:
                self.function(function, "")
        self.depth -= 1
        self.put("}")
        return "\n".join(self.lines) + "\n"

    def game_door(self, door: GameDoor) -> None:
        """The methods in the units and axes of the game."""
        words, motion = door.says(), "{ position, attitude, velocity, spin }"

        def own(name: str, k: int) -> str:
            return f"this.{name}[{k}]"

        def opened(words: str, name: str, given: str) -> None:
            self.comment(words)
            self.put(f"{name}({given}) {{")

        def closed() -> None:
            self.put("}")
            self.put("")

        opened(words["out"], "toGame", "")
        self.put("  const position = [], attitude = [], velocity = [], spin = [];")
        self.lines_of(door.motion_out(own))
        self.put(f"  return {motion};")
        closed()
        opened(words["in"], "fromGame", motion)
        self.lines_of(door.motion_in(own))
        self.momentum(door, own, lambda name, value: f"const {name} = {value}")
        closed()
        opened(words["push"], "pushToGame", "inputs")
        self.put("  const { force: f, torque: t } = this.push(inputs), force = [], torque = [];")
        self.lines_of(door.push_out(lambda k: f"f[{k}]", lambda k: f"t[{k}]"))
        self.put("  return { force, torque };")
        closed()
        if len(door.rays):
            opened(words["hit"], "hitFromGame", "k, distance, normal, velocity, point")
            self.put(f"  const hit = this.foot_hit[{door.rays.start} + k];")
            self.lines_of(door.hit_in(lambda k: f"hit[{k}]"))
            closed()

    def function(self, function: Function, word: str) -> None:
        """One function with its comment."""
        if function.says:
            self.comment(function.says)
        self.put(f"{word}{function.name}({', '.join(self.name(one) for one, _ in function.arguments)}) {{")
        self.once = named_once(function)
        given = {one for one, _ in function.arguments} | counters_of(function) | self.once
        names = [self.name(one) for one in function.names if one not in given]
        if names:
            self.put(f"{self.INDENT}let {', '.join(names)};")
        self.block(function.body)
        self.put("}")
        self.put("")

    def values(self, shape: tuple[int, ...], values: list[float] | list[float | int]) -> str:
        """Numbers as they are written down at once."""
        if not shape:
            return self.real(values[0]).strip("()") if isinstance(values[0], float) else str(values[0])
        each = len(values) // shape[0]
        return f"[{', '.join(self.values(shape[1:], values[k : k + each]) for k in range(0, len(values), each))}]"
