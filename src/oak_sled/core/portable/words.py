"""Words of exported files, the same in every language: what stands at the top, and what a game calls."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator

from oak_sled.core.portable.code import Kept, Program

LICENCE = (
    "Licence: whoever exported this file may use it, and the equations written into it, under any terms "
    "(a permission under section 7 of the GNU General Public License, version 3; see LICENSE of Oak Sled)."
)
FRAMES = (
    "SI units and radians. World axes: x and y level, z up. Craft axes: x forward, y left, z up. The attitude is a "
    "unit quaternion (w, x, y, z) from craft axes to world axes; position, velocity (m/s), spin (rad/s) and momentum "
    "(N m s) are those of the centre of mass, in world axes."
)
KEPT_SAYS = {
    "position": "m, of the centre of mass, world axes",
    "velocity": "m/s, world axes",
    "attitude": "quaternion w, x, y, z, craft to world",
    "spin": "rad/s, world axes",
    "momentum": "N m s, angular, world axes",
    "inputs": "-1 to 1, as they were given",
    "channels": "what the parts read: the inputs when they are shaped",
    "shaped": "inputs that are shaped",
    "raw": "inputs within their bounds",
    "before": "channels of the tick before",
    "smooth": "inputs that are smoothed",
    "lines": "N and N m of each part in this tick, world axes",
    "time": "s",
    "axes": "craft to world",
    "inertia": "kg m2, world axes",
    "inverse_inertia": "its inverse",
    "memory": "what parts keep",
    "heading_x": "where the nose points, level",
    "forward": "m/s along the heading",
    "side": "m/s to its left",
    "speed": "m/s",
    "load": "N on the ground",
    "on_ground": "1 while it stands",
    "aloft": "s since it stood",
    "start_velocity": "m/s at the start of the tick",
    "start_spin": "rad/s at the start of the tick",
    "next_velocity": "m/s as pushed so far",
    "next_spin": "rad/s as pushed so far",
}


def record_name(program: Program) -> str:
    """The name of a craft as that of a type."""
    made = "".join(word.capitalize() for word in program.name.split("_"))
    return f"{made}Craft" if made in RESERVED else made


FORBIDDEN = frozenset([
    "abs", "abstract", "acos", "alignas", "alignof", "and", "asin", "asm", "atan", "atan2", "auto", "await", "base",
    "begin", "bitand", "bitor", "bool", "break", "byte", "case", "catch", "cbrt", "ceil", "char", "checked",
    "class", "clear", "compl", "const", "continue", "copy", "copysign", "cos", "cosh", "debugger", "decimal",
    "default", "delegate", "delete", "div", "do", "double", "else", "enum", "erf", "eval", "event", "exp", "exp2",
    "explicit", "expm1", "export", "extends", "extern", "fabs", "false", "fdim", "final", "finally", "fixed",
    "float", "floor", "fma", "fmax", "fmin", "fmod", "for", "foreach", "frexp", "friend", "function", "gamma",
    "goto", "greatest", "hypot", "if", "implicit", "import", "in", "index", "inline", "instanceof", "int",
    "int_greatest", "int_least", "interface", "internal", "is", "j0", "j1", "jn", "ldexp", "least", "let", "lgamma",
    "lock", "log", "log10", "log1p", "log2", "logb", "long", "lrint", "lround", "main", "memcpy", "memset", "modf",
    "mutable", "n", "namespace", "nan", "nearbyint", "new", "not", "null", "object", "operator", "or", "out",
    "override", "params", "pow", "private", "protected", "public", "push", "readonly", "ref", "register",
    "remainder", "restrict", "return", "rint", "round", "run_tick", "sbyte", "sealed", "set", "short", "signbit",
    "signed", "sin", "sinh", "sizeof", "sqrt", "stackalloc", "static", "std", "strcmp", "string", "struct", "super",
    "switch", "tan", "tanh", "template", "tgamma", "this", "throw", "tick", "time", "true", "trunc", "try",
    "typedef", "typeid", "typename", "typeof", "uint", "ulong", "unchecked", "union", "unsafe", "unsigned",
    "ushort", "using", "var", "virtual", "void", "volatile", "while", "with", "xor", "y0", "y1", "yield", "yn",
])  # fmt: skip
"""Words that mean something else in one of the languages, or in an exported file."""
MACROS = frozenset(("NULL", "NAN", "INFINITY", "EOF", "X", "TRUE", "FALSE", "HUGE_VAL", "DOMAIN", "OVERFLOW"))
"""Names in capitals that a C header may have taken."""


def allowed(name: str, more: str) -> str:
    """A name that a user gave, for a function or a file; with `more` behind it where it means something else."""
    return f"{name}_{more}" if name in FORBIDDEN else name


def row_names(names: Iterable[str]) -> tuple[str, ...]:
    """Names of rows in capitals, each another: one that is taken has a line behind it."""
    found: list[str] = []
    for name in names:
        made = name.replace(" ", "_").upper()
        while made in found or made in MACROS or made.startswith("IN_"):
            made = f"ROW_{made}" if made.startswith("IN_") else f"{made}_"
        found.append(made)
    return tuple(found)


RESERVED = {
    "Begin",
    "Tick",
    "Push",
    "Set",
    "Copy",
    "Numbers",
    "Math",
    "Object",
    "Array",
    "Vec2",
    "Vec3",
    "Vec4",
    "Test",
}
"""Names that mean something else in one of the languages."""


def heading(program: Program) -> str:
    """The words at the top of a file."""
    return f"{program.title}, as tuned on Oak Sled.\n{program.about}\n{FRAMES}\n{program.assumed}\n{LICENCE}"


def interface(program: Program) -> dict[str, str]:
    """The functions that a game calls, each in words."""
    inputs = ", ".join(program.inputs) or "none"
    return {
        "begin": "Puts the craft at its start, with the numbers that it was exported with.",
        "tick": f"Moves the craft by one tick of n.dt seconds. inputs: {inputs}; each as its channel takes it.",
        "push": (
            "For a game that moves bodies itself: write its position, attitude, velocity, spin and momentum into the "
            "craft; this gives the force (N) and the torque (N m, about the centre of mass) of the coming tick, in "
            "world axes. Then call tick as well, for what the parts keep, or copy the motion of the game over it."
        ),
        "set": "Sets a number by its name while it runs; false where there is none of that name.",
    }


def shape_words(one: Kept) -> Iterator[tuple[tuple[int, ...], float | int]]:
    """Indices and start of every number of what is kept."""
    yield from zip(itertools.product(*(range(n) for n in one.shape)), one.start, strict=True)
