"""A craft as a portable program: what of its world leaves with it, the names of things, what stays here."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from oak_sled.core.assembly import tracks
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.compiler import types
from oak_sled.core.compiler.kernel import PROGRAM
from oak_sled.core.compiler.types import FLOAT, INT
from oak_sled.core.kernel import state
from oak_sled.core.parts import register
from oak_sled.core.portable import code, trim
from oak_sled.core.portable.code import Kept, Program
from oak_sled.core.portable.fold import Fold, Path, Ref
from oak_sled.core.tick import loop, step
from oak_sled.core.yard.craft import Craft

OF_PARTS = ("lines", "last", "added", "memory", "points", "activity", "asked", "lost", "trigger", "reaction")
OF_CHANNELS = ("channels", "before", "shaped", "raw", "smooth", "pressed", "inputs")
WANTED = {"position", "velocity", "attitude", "spin", "momentum", "time"}
"""What a game looks at: it is kept up to date even where no equation reads it."""
FLAGS = ("free", "free_spin", "start", "normal", "up", "level")
"""Floats that are yes or no, or directions: they stand in the equations as they are."""


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
            rest = ("foot", *rest[1:])
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
            rest = ["foot", *rest[1:]]
        else:
            rest = rest[2:]
        at = [one for one in rest if isinstance(one, int)]
        words = [str(one) for one in rest if isinstance(one, str)]
        if len(at) == 1 and at[0] < 3:
            return "_".join([*words, "xyz"[at[0]]])
        if len(at) == 2 and max(at) < 3:
            return "_".join([*words, "xyz"[at[0]] + "xyz"[at[1]]])
        return "_".join([*words, *(str(one) for one in at)])

    def function(self, kernel: str, module: str, at: Sequence[Path]) -> str:
        """Of a function: the part that it is of."""
        part = next((path for path in at if path[:2] == ("world", "parts") and len(path) > 2), None)
        if part is None:
            return kernel
        name = self.craft.parts[int(part[2])].id
        return name if kernel in ("act", "command") else f"{name}_{kernel}"

    def is_flag(self, path: Path) -> bool:
        """True for yes or no, and for directions."""
        return any(one in FLAGS for one in path)

    def alike(self, path: Path) -> bool:
        """True for the points on which a craft stands."""
        return path == ("world", "supports")

    def own(self, part: Any) -> Any:
        """The record of a part's kind."""
        return part[register.KINDS[int(part["kind"])].document.model_fields["kind"].default]

    def rows(self, name: str, count: int) -> tuple[str, ...]:
        """Names of the rows of what is kept."""
        if name in OF_PARTS:
            own = [f"{part.id.upper()}" for part in self.craft.parts]
            fixed = [line.replace(" ", "_").upper() for line in state.FIXED_LINES]
            return tuple([*own, *fixed][:count])
        if name in OF_CHANNELS:
            return tuple(f"IN_{channel.id.upper()}" for channel in self.craft.channels)[:count]
        return ()


@dataclass
class Alone:
    """A craft without its surroundings: its job, the machine that runs it, and the inputs of its drill, shape (ticks,
    channels)."""

    job: Job
    machine: Machine
    inputs: Floats

    @classmethod
    def of(cls, job: Job) -> Alone:
        """Of a job; raises `Refused` for a craft that cannot leave."""
        stays = list(what_stays(job.craft))
        if stays:
            raise refuse(job.craft.id, f"cannot leave: {'; '.join(stays)}", "a craft without these")
        ground = job.ground.replace(
            walls=(), gates=(), blocks=(), volumes=(), rails=(), joints=(), ties=(), patches=(), edges="open"
        )
        driven = tuple(track for track in job.drill.tracks if track.shape not in ("aim", "pace"))
        drill = job.drill.replace(cast=(), twins=(), events=(), ties=(), craft="", tracks=driven)
        alone = Job(job.craft, ground, drill, job.ticks, job.integrator)
        machine = Machine.of(alone)
        machine.world.calls[LEFT_OUT] = 0
        machine.nows[0]["next_event"] = NEVER
        loop.begin(machine.world, machine.scene, machine.nows)
        return cls(alone, machine, tracks.inputs(alone, round(drill.duration * job.ticks)))

    def tick(self, inputs: Floats) -> None:
        """Runs one tick of what leaves. inputs : shape (channels,)."""
        step.tick(*self.given(inputs))

    def given(self, inputs: Floats) -> tuple[Any, ...]:
        """The arguments of a tick."""
        return self.machine.world, self.machine.scene, self.machine.shot_memory, self.machine.nows, inputs


LEFT_OUT = [state.OTHERS, state.FLY, state.COLLIDE, state.LAND, state.CAST, state.PUSH_BACK]
"""Stages of a tick that stay here."""
NEVER = 1 << 40
"""Number of the next event of a craft that has none."""


def what_stays(craft: Craft) -> Iterator[str]:
    """What of a craft cannot leave, a sentence each."""
    if len(craft.singles) > 1:
        yield f"it has {len(craft.singles)} bodies (export one of them as a craft of its own)"
    for part in craft.parts:
        if craft.gain_of(part) <= 0.0:
            continue
        if part.rays():
            yield f"{part.id} finds the ground by rays, which is not exported yet"
        if any(getattr(part, place.field) for place in part.PLACES):
            yield f"{part.id} follows a formula (draw it as a curve)"
        if part.LAUNCHES or part.BURSTS:
            yield f"{part.id} acts on other bodies (mute it, and let the game do that)"


def program_of(alone: Alone) -> Program:
    """The equations of a craft, folded; raises `Refused`."""
    job, machine = alone.job, alone.machine
    names, inputs = Names(job.craft), np.zeros(len(job.channels))
    fold = Fold(names)
    for place in range(len(inputs)):
        fold.write(("raw", place))
    given = alone.given(inputs)
    function = PROGRAM.read(step.tick, tuple(types.of_value(one) for one in given))
    roots = [
        Ref(one, (name,))
        for one, name in zip(given, ("world", "scene", "shot_memory", "nows", "raw"), strict=True)
    ]
    made = fold.settle(function, roots)
    made.says = "A tick, in the order in which it happens."
    functions = trim.trimmed([made], WANTED)
    kept = kept_of(fold, functions, names, {"raw": inputs, "world": machine.world, "scene": machine.scene,
                                            "nows": machine.nows})  # fmt: skip
    used = {leaf.name for one in functions for leaf in trim.all_leaves(one.body) if isinstance(leaf, code.Num)}
    numbers = {name: number for name, number in fold.numbers.items() if name in used | {"mass", "dt"}}
    mark_touching(functions)
    decided = sorted(name for name in fold.assumed if name in numbers)
    return Program(
        name=job.craft.id,
        title=job.craft.heading,
        about=f"Without contacts: no walls, blocks or other crafts. Tuned at {job.ticks} ticks/s.",
        assumed=(
            "What is 0 in the craft is left out. Choices were made for the present values of these numbers: export "
            f"anew when one of them becomes 0 or passes another: {', '.join(decided) or 'none'}."
        ),
        inputs=tuple(channel.id for channel in job.channels),
        numbers=dict(sorted(numbers.items())),
        kept=kept,
        functions=functions,
    )


def kept_of(fold: Fold, functions: list[code.Function], names: Names, memory: dict[str, Any]) -> dict[str, Kept]:
    """What a craft keeps, as much of each array as is used, with its values at the start."""
    used: dict[str, int] = {}
    for one in functions:
        for leaf in trim.all_leaves(one.body):
            if isinstance(leaf, code.Cell):
                used[leaf.name] = len(leaf.indices)
    for name in WANTED | {"inputs"}:
        if name in fold.kept:
            used.setdefault(name, len(next(iter(fold.kept[name][1]))))
    found = {}
    for name in sorted(used):
        kind, places = fold.kept[name]
        shape = tuple(max(at[axis] for at in places) + 1 for axis in range(used[name]))
        start: list[float | int] = []
        for at in np.ndindex(*shape):
            value = value_at(memory, places[at]) if at in places else 0
            start.append(float(value) if kind == FLOAT else int(value))
        found[name] = Kept(kind, shape, start, names.rows(name, shape[0]) if shape else ())
    return found


def value_at(memory: dict[str, Any], path: Path) -> Any:
    """The number at a place in memory."""
    found: Any = memory[str(path[0])]
    for one in path[1:]:
        found = getattr(found, one) if isinstance(one, str) and hasattr(found, "_fields") else found[one]
    return found


def mark_touching(functions: list[code.Function]) -> None:
    """Says of each function whether it needs the craft: its numbers, or what it keeps."""
    for one in functions:
        found = list(trim.all_leaves(one.body))
        one.touches = any(isinstance(leaf, code.Cell | code.Num | code.Put) for leaf in found) or any(
            called.touches for called in trim.calls_of(one.body)
        )


__all__ = ["INT", "Alone", "program_of", "what_stays"]
