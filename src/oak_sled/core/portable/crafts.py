"""A craft as a portable program: what of its world leaves with it, the names of things, what stays here."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from oak_sled.core.base.dial import dials
from oak_sled.core.compiler import types
from oak_sled.core.compiler.kernel import PROGRAM
from oak_sled.core.compiler.types import FLOAT
from oak_sled.core.kernel import state
from oak_sled.core.parts import register
from oak_sled.core.portable import code, tidy, trim
from oak_sled.core.portable.alone import Alone
from oak_sled.core.portable.code import Kept, Program
from oak_sled.core.portable.fold import Fold, Path, Ref, leaves
from oak_sled.core.portable.words import allowed, row_names
from oak_sled.core.tick import step
from oak_sled.core.yard.craft import Craft

OF_PARTS = ("lines", "last", "added", "memory", "points", "activity", "asked", "lost", "trigger", "reaction")
OF_CHANNELS = ("channels", "before", "shaped", "raw", "smooth", "pressed", "inputs")
WANTED = {"position", "velocity", "attitude", "spin", "momentum", "time"}
"""Names that a game looks at: kept up to date even where no equation reads them."""
FLAGS = ("free", "free_spin", "start", "normal", "up", "level")
"""Floats that are yes or no, or directions: they stand in the equations as they are."""


OTHERWISE = {"tick": "run_tick", "begin": "begin_tick", "push": "push_it", "set": "set_it"}
"""Functions of the kernel whose names are those of what a game calls."""


@dataclass
class Names:
    """Words for what lies in the memory of a craft."""

    craft: Craft

    def cell(self, path: Path) -> tuple[str, Path]:
        """Of what is kept: what a body, its moment and its supports hold, by the names of their fields."""
        root, rest = path[0], path[1:]
        if root in ("nows", "scene", "world"):
            skipped = {"nows": 1, "scene": 2, "world": 0}[str(root)]
            rest = rest[skipped:]
        if root == "world" and rest[0] == "supports":
            wheel = "axle" in rest
            rest = ("wheel" if wheel else "foot", *(one for one in rest[1:] if one != "axle"))
        elif root == "world" and rest[0] == "parts":
            rest = (self.craft.parts[int(rest[1])].id, *rest[3:])
        elif root == "world":
            rest = rest[2:]
        elif root == "raw":
            rest = ("inputs", *rest)
        words = [one for one in rest if isinstance(one, str)]
        return "_".join(words), tuple(one for one in rest if isinstance(one, int))

    def number(self, path: Path) -> str:
        """Of a number: the part or the channel that it belongs to, and what it is there."""
        rest: list[Any] = list(path[1:])
        if path[0] == "nows":
            rest = rest[1:]
        elif path[0] == "scene":
            rest = rest[2:]
        elif rest[0] == "parts":
            rest = [self.craft.parts[rest[1]].id, *(one for one in rest[2:] if one != "own")]
        elif rest[0] == "channels":
            rest = [self.craft.channels[rest[1]].id, *rest[2:]]
        elif rest[0] == "supports":
            rest = ["foot", *(rest[2:] if isinstance(rest[1], int) else rest[1:])]
        else:
            rest = rest[2:]
        at = [one for one in rest if isinstance(one, int)]
        words = [str(one) for one in rest if isinstance(one, str)]
        if len(at) == 1 and at[0] < 3:
            return "_".join([*words, "xyz"[at[0]]])
        if len(at) == 2 and max(at) < 3:
            return "_".join([*words, "xyz"[at[0]] + "xyz"[at[1]]])
        return "_".join([*words, *(str(one) for one in at)])

    def told(self, path: Path) -> tuple[str, str]:
        """The unit of a number and what it is, from the dial whose value it is; else by what is the same in all."""
        words = [one for one in path if isinstance(one, str)]
        field = words[-1]
        if path[:2] == ("world", "parts"):
            found = dial_of(self.craft.parts[int(path[2])], field)
        elif path[:2] == ("world", "channels"):
            found = dial_of(self.craft.channels[int(path[2])], field)
        else:
            found = dial_of(self.craft.body, field)
        return found or SAME.get(field, ("", ""))

    def function(self, kernel: str, module: str, at: Sequence[Path]) -> str:
        """Of a function: the part that it is of."""
        part = next((path for path in at if path[:2] == ("world", "parts") and len(path) > 2), None)
        if part is None:
            return OTHERWISE.get(kernel, kernel)
        name = self.craft.parts[int(part[2])].id
        return allowed(name, "part") if kernel in ("act", "command") else f"{name}_{kernel}"

    def is_flag(self, path: Path) -> bool:
        """True for yes or no, and for directions."""
        return any(one in FLAGS for one in path)

    def alike(self, path: Path) -> bool:
        """True for the points on which a craft stands."""
        return path == ("world", "supports")

    def is_part(self, path: Path) -> bool:
        """True for the row of a part."""
        return len(path) == 3 and path[:2] == ("world", "parts")

    def own(self, part: Any) -> Any:
        """The record of a part's kind."""
        return part[own_field(part)]

    def rows(self, name: str, count: int) -> tuple[str, ...]:
        """Names of the rows of what is kept."""
        if name in OF_PARTS:
            return row_names([*(part.id for part in self.craft.parts), *state.FIXED_LINES])[:count]
        if name in OF_CHANNELS:
            return tuple(f"IN_{channel.id.upper()}" for channel in self.craft.channels)[:count]
        return ()


def own_field(part: Any) -> str:
    """The field of a part's row that holds the record of its kind."""
    return str(register.KINDS[int(part["kind"])].document.model_fields["kind"].default)


def dial_of(document: Any, field: str) -> tuple[str, str] | None:
    """The unit and the description of the dial that a number of a record is; angles are in radians there."""
    for one in dials(document):
        if one.name == field:
            return one.unit, one.says
        if one.name == f"{field}_deg":
            return one.unit.replace("°", "rad"), one.says
    return None


SAME = {
    "gain": ("", "trim of the part"),
    "point": ("m", "place from the centre of mass, craft axes"),
    "at": ("m", "place from the centre of mass, craft axes"),
    "mass": ("kg", ""),
    "inertia": ("kg m2", "about the centre of mass, craft axes"),
    "dt": ("s", "of a tick"),
    "nominal_dt": ("s", "of the tick that it was tuned for"),
    "gravity": ("m/s2", "of the ground"),
    "air_density": ("kg/m3", "of the ground"),
    "wind": ("m/s", "of the ground, world axes"),
    "mu": ("m3/s2", "of what attracts"),
    "reach": ("m", "of a ray"),
}
"""Numbers that are none of a dial, by the name of their field: unit, and what each is."""


Places = dict[str, dict[Path, Path]]
"""Of what is kept, by name: where each index of it lies in the memory of the machine."""


def program_of(alone: Alone) -> tuple[Program, Places]:
    """The equations of a craft, folded, and where in memory lies what it keeps; raises `Refused`."""
    job, machine = alone.job, alone.machine
    names, inputs = Names(job.craft), np.zeros(len(job.channels))
    fold = Fold(names)
    for place in range(len(inputs)):
        fold.write(("raw", place))
    for ray in alone.rays():
        for number in range(10):
            fold.write(("world", "supports", ray, "hit", number))
    given = alone.given(inputs)
    function = PROGRAM.read(step.tick, tuple(types.of_value(one) for one in given))
    roots = [
        Ref(one, (name,)) for one, name in zip(given, ("world", "scene", "shot_memory", "nows", "raw"), strict=True)
    ]
    made = fold.settle(function, roots)
    made.says = "A tick, in the order in which it happens."
    functions = trim.trimmed([made], WANTED)
    mark_touching(functions)
    writing = trim.writers(functions)
    for one in functions:
        tidy.tidied(one, writing)
    functions = tidy.gathered([made], trim.trimmed([made], WANTED))
    for one in functions:
        tidy.tidied(one, writing)
    functions = trim.trimmed([made], WANTED)
    memory = {
        "raw": inputs, "world": machine.world, "scene": machine.scene, "nows": machine.nows, "rays": alone.rays(),
    }  # fmt: skip
    kept = kept_of(fold, functions, names, memory)
    used = {leaf.name for one in functions for leaf in trim.all_leaves(one.body) if isinstance(leaf, code.Num)}
    numbers = {name: number for name, number in fold.numbers.items() if name in used | {"mass", "dt"}}
    mark_touching(functions)
    for one in functions:  # in some languages what is called and what is kept share their names
        one.name = f"do_{one.name}" if one.name in kept else one.name
    decided = sorted(name for name in fold.assumed if name in numbers)
    made_of = Program(
        name=allowed(job.craft.id, "craft"),
        title=job.craft.heading,
        about=f"Without contacts: no walls, blocks or other crafts. Tuned at {job.ticks} ticks/s.",
        assumed=(
            "What is 0 in the craft is left out. Choices were made for the present values of these numbers: export "
            f"anew when one of them becomes 0 or passes what it is compared with: {', '.join(decided) or 'none'}."
        ),
        inputs=tuple(channel.id for channel in job.channels),
        numbers=dict(sorted(numbers.items())),
        kept=kept,
        functions=functions,
    )
    return made_of, {name: fold.kept[name][1] for name in kept}


def kept_of(fold: Fold, functions: list[code.Function], names: Names, memory: dict[str, Any]) -> dict[str, Kept]:
    """All that a craft keeps, as much of each array as is used, with its values at the start."""
    extent: dict[str, tuple[int, ...]] = {}
    for one in functions:
        for cell, at in cells_of(one.body, {}):
            sizes = [
                max(int(k[axis]) for k in fold.kept[cell.name][1]) if n is None else n for axis, n in enumerate(at)
            ]
            known = extent.get(cell.name, (0,) * len(sizes))
            extent[cell.name] = tuple(max(a, b) for a, b in zip(known, sizes, strict=True))
    if "foot_hit" in extent:  # a game writes all of it
        for ray in memory["rays"]:
            for number in range(10):
                fold.cell(FLOAT, ("world", "supports", ray, "hit", number))
    for name in WANTED | {"inputs"} | ({"foot_hit"} & extent.keys()):
        if name in fold.kept:
            every = fold.kept[name][1]
            extent[name] = tuple(max(int(at[axis]) for at in every) for axis in range(len(next(iter(every)))))
    found = {}
    for name in sorted(extent):
        kind, places = fold.kept[name]
        shape = tuple(n + 1 for n in extent[name])
        start: list[float | int] = []
        for at in itertools.product(*(range(n) for n in shape)):
            value = value_at(memory, places[at]) if at in places else 0
            start.append(float(value) if kind == FLOAT else int(value))
        found[name] = Kept(kind, shape, start, names.rows(name, shape[0]) if shape else ())
    return found


def cells_of(
    body: Sequence[code.Statement], counts: dict[str, int]
) -> Iterator[tuple[code.Cell, tuple[int | None, ...]]]:
    """Kept numbers of statements, with the greatest of each index; None: not known. counts : the last round of the
    loops round them."""
    for one in body:
        inner: dict[str, int] = counts
        if isinstance(one, code.For) and isinstance(one.first, code.Lit) and isinstance(one.last, code.Lit):
            inner = {**counts, one.name: max(int(one.last.value) - 1, int(one.first.value))}
        for part in ("yes", "no", "body"):
            if hasattr(one, part):
                yield from cells_of(getattr(one, part), inner)
        for leaf in own_leaves(one):
            if isinstance(leaf, code.Cell):
                yield leaf, tuple(last_of(index, inner) for index in leaf.indices)


def own_leaves(one: code.Statement) -> Iterator[Any]:
    """The nodes of a statement, without those of statements in it."""
    for part in ("value", "test", "first", "last", "cell"):
        if getattr(one, part, None) is not None:
            yield from leaves(getattr(one, part))


def last_of(index: code.Expr, counts: dict[str, int]) -> int | None:
    """The greatest value of an index."""
    if isinstance(index, code.Lit):
        return int(index.value)
    return counts.get(index.name) if isinstance(index, code.Var) else None


def value_at(memory: dict[str, Any], path: Path) -> Any:
    """The number at a place in memory."""
    found: Any = memory[str(path[0])]
    for one in path[1:]:
        if one == "own":  # of a part: the record of its kind
            found = found[own_field(found)]
            continue
        found = getattr(found, one) if isinstance(one, str) and hasattr(found, "_fields") else found[one]
    return found


def mark_touching(functions: list[code.Function]) -> None:
    """Says of each function whether it needs the craft: its numbers, or what it keeps."""
    for one in functions:
        found = list(trim.all_leaves(one.body))
        one.touches = any(isinstance(leaf, code.Cell | code.Num | code.Put) for leaf in found) or any(
            called.touches for called in trim.calls_of(one.body)
        )
