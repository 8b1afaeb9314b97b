"""The states of motion of a craft as they leave: a file beside its equations, from which animation and sound follow.

It takes the traces that its conditions watch as the bench has them, and gives the state of the tick: the same
hysteresis and the same least times as on the time axis.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.portable.code import Program
from oak_sled.core.portable.words import LICENCE, record_name
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.motionstate import CHANNEL, WATCHED, Condition, MotionState

SAYS = {
    "speed": "of the centre of mass",
    "forward_speed": "along the heading",
    "side_speed": "to the left of the heading",
    "rise_speed": "upward",
    "slip_angle": "from the heading to the motion, to the left",
    "yaw_rate": "to the left",
    "forward_g": "gained along the heading",
    "side_g": "gained to the left",
    "height": "of the centre of mass",
    "aloft": "since something carried it",
}
"""The traces that are watched, in words for the file."""


class Watch(NamedTuple):
    """A number that the game gives in each tick: its name in the file, its unit, and what it is."""

    name: str
    unit: str
    says: str


def watches(craft: Craft) -> dict[str, Watch]:
    """The traces that the states of a craft watch, by name, in the order in which the game gives them."""
    found: dict[str, Watch] = {}
    for state in craft.states:
        for one in state.conditions:
            name = one.trace.removeprefix(CHANNEL)
            if one.trace in WATCHED:
                found[one.trace] = Watch(name, WATCHED[one.trace], SAYS[one.trace])
            else:
                found[one.trace] = Watch(f"channel_{name}", "", "of the channel")
    return found


def files(job: Job, program: Program, language: str) -> dict[str, str]:
    """The file, by its name; none for a craft without states."""
    if not job.craft.states:
        return {}
    name, text = _WRITERS[language](_Told(job, program))
    return {name: text}


class _Told:
    """The words and expressions of the states of a craft, alike in every language."""

    def __init__(self, job: Job, program: Program):
        self.states, self.watched = job.craft.states, watches(job.craft)
        self.name, self.record = program.name, record_name(program)
        self.least = [round(one.least * job.ticks) for one in self.states]
        given = "; ".join(
            f"{one.name}{f' ({one.unit})' if one.unit else ''}: {one.says}" for one in self.watched.values()
        )
        self.says = (
            f"States of motion of {program.title}, at {job.ticks} ticks/s. Given in each tick: {given or 'nothing'}. "
            "Of the states that hold, the first counts; -1: none does.",
            LICENCE,
        )

    def comment(self, opens: str, each: str, closes: str) -> str:
        """The words at the top."""
        lines = [line for says in self.says for line in _wrapped(says)]
        return "\n".join([f"{opens}{lines[0]}", *(f"{each}{line}" for line in lines[1:])]) + closes

    def holds(self, size: str, active: Callable[[int], str]) -> list[str]:
        """For each state an expression: whether it holds now, where `active` is whether it did."""
        found = []
        for number, state in enumerate(self.states):
            if not state.conditions:
                found.append("true")
                continue
            stays, begins = (self._all(state, size, ends) for ends in (True, False))
            found.append(begins if stays == begins else f"{active(number)} ? {stays} : {begins}")
        return found

    def _all(self, state: MotionState, size: str, ends: bool) -> str:
        return " && ".join(self._passes(one, size, one.ends if ends else one.value) for one in state.conditions)

    def _passes(self, one: Condition, size: str, bound: float) -> str:
        name = self.watched[one.trace].name
        value = f"{size}({name})" if one.of == "size" else name
        return f"({value} {'>' if one.side == 'above' else '<'} {bound!r})"


def _wrapped(text: str, wide: int = 110) -> list[str]:
    lines = [""]
    for word in text.split():
        if len(lines[-1]) + len(word) + 1 > wide:
            lines.append("")
        lines[-1] = f"{lines[-1]} {word}".strip()
    return lines


def _ticks(told: _Told, own: str, names: tuple[str, str, str]) -> list[str]:
    """The lines that keep a state as long as it must last: alike in every language. names : of "now", "since" and the
    least ticks."""
    now, since, least = (f"{own}{one}" for one in names)
    first = "-1"
    for number in reversed(range(len(told.states))):
        first = f"{own}active[{number}] ? {number} : {first}"
    return [
        f"if ({now} < 0 || {since} >= {least}[{now}]) {{",
        f"    const_int wanted = {first};",
        f"    if (wanted != {now}) {{",
        f"        {now} = wanted;",
        f"        {since} = 0;",
        "    }",
        "}",
        f"{since} += 1;",
    ]


def _of_c(told: _Told, cpp: bool) -> tuple[str, str]:
    upper, name = told.name.upper(), told.name
    kind, count = f"{told.record}States", len(told.states)
    given = ", ".join(f"double {one.name}" for one in told.watched.values())
    holds = told.holds("fabs", lambda number: f"s->active[{number}]")
    least = f"{name}_states_least"
    body = [one.replace("const_int", "const int").replace(f"s->{least}", least)
            for one in _ticks(told, "s->", ("now", "since", least))]  # fmt: skip
    lines = [
        told.comment("/* ", "   ", " */"),
        f"#ifndef {upper}_STATES", f"#define {upper}_STATES", "", "#include <math.h>", "",
        "enum {", *(f"    {upper}_STATE_{one.id.upper()} = {k}," for k, one in enumerate(told.states)),
        f"    {upper}_STATE_NONE = -1", "};", "",
        f"static const char *const {name}_state_names[{count}] = {{"
        + ", ".join(f'"{one.id}"' for one in told.states) + "};",
        f"static const int {least}[{count}] = {{{', '.join(map(str, told.least))}}}; /* ticks */", "",
        f"typedef struct {{ int now; int since; int active[{count}]; }} {kind};", "",
        "/* Before the first tick. */", f"static inline void {name}_states_begin({kind} *s)", "{",
        "    s->now = -1;", "    s->since = 0;",
        f"    for (int k = 0; k < {count}; k++) {{", "        s->active[k] = 0;", "    }", "}", "",
        "/* Once a tick; gives the state. */",
        f"static inline int {name}_states_tick({kind} *s{', ' if given else ''}{given})", "{",
        *(f"    s->active[{k}] = {one.replace('true', '1')};" for k, one in enumerate(holds)),
        *(f"    {one}" for one in body), "    return s->now;", "}", "", "#endif", "",
    ]  # fmt: skip
    return ("states.hpp" if cpp else "states.h"), "\n".join(lines)


def _of_csharp(told: _Told) -> tuple[str, str]:
    count = len(told.states)
    given = ", ".join(f"double {one.name}" for one in told.watched.values())
    holds = told.holds("System.Math.Abs", lambda number: f"active[{number}]")
    body = [one.replace("const_int", "int") for one in _ticks(told, "", ("Now", "since", "Least"))]
    lines = [
        told.comment("// ", "// ", ""),
        f"public sealed class {told.record}States", "{",
        "    public static readonly string[] Names = { " + ", ".join(f'"{one.id}"' for one in told.states) + " };",
        f"    private static readonly int[] Least = {{ {', '.join(map(str, told.least))} }}; // ticks",
        f"    private readonly bool[] active = new bool[{count}];", "    private int since;", "",
        "    /// <summary>The state: its place in Names; -1: none.</summary>",
        "    public int Now { get; private set; } = -1;", "",
        "    /// <summary>Once a tick; gives the state.</summary>",
        f"    public int Tick({given})", "    {",
        *(f"        active[{k}] = {one};" for k, one in enumerate(holds)),
        *(f"        {one}" for one in body), "        return Now;", "    }", "}", "",
    ]  # fmt: skip
    return "States.cs", "\n".join(lines)


def _of_js(told: _Told) -> tuple[str, str]:
    given = ", ".join(one.name for one in told.watched.values())
    holds = told.holds("Math.abs", lambda number: f"s.active[{number}]")
    body = [one.replace("const_int", "const").replace(" != ", " !== ").replace("s.LEAST", "LEAST")
            for one in _ticks(told, "s.", ("now", "since", "LEAST"))]  # fmt: skip
    lines = [
        told.comment("// ", "// ", ""),
        '"use strict";', "",
        "const NAMES = [" + ", ".join(f'"{one.id}"' for one in told.states) + "];",
        f"const LEAST = [{', '.join(map(str, told.least))}]; // ticks", "",
        "// Before the first tick.",
        "function begin() {", "    return { now: -1, since: 0, active: NAMES.map(() => false) };", "}", "",
        "// Once a tick; gives the state: its place in NAMES, -1: none.",
        f"function tick(s{', ' if given else ''}{given}) {{",
        *(f"    s.active[{k}] = {one};" for k, one in enumerate(holds)),
        *(f"    {one}" for one in body), "    return s.now;", "}", "",
        "if (typeof module !== \"undefined\") {", "    module.exports = { NAMES, begin, tick };", "}", "",
    ]  # fmt: skip
    return "states.js", "\n".join(lines)


_WRITERS: dict[str, Callable[[_Told], tuple[str, str]]] = {
    "c": lambda told: _of_c(told, False),
    "cpp": lambda told: _of_c(told, True),
    "csharp": _of_csharp,
    "js": _of_js,
}
CALLS = {
    "c": "`CRAFT_states_tick` of `states.h`",
    "cpp": "`CRAFT_states_tick` of `states.hpp`",
    "csharp": "`RECORDStates.Tick` of `States.cs`",
    "js": "`tick` of `states.js`",
}
"""The function that a game calls for the state of a tick, by language."""
