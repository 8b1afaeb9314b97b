"""A craft's equations as one C99 file: the tick, the loop over ticks, and the equation of every kind it has.

Contacts are handed over where a job can have any; shots and knockbacks stay here.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np

from oak_sled.core.build.jobs import Job
from oak_sled.core.compiler import types
from oak_sled.core.compiler.c99 import File
from oak_sled.core.compiler.kernel import PROGRAM, Kernel
from oak_sled.core.compiler.tree import Function
from oak_sled.core.compiler.types import Record, Type
from oak_sled.core.contact import records, stage
from oak_sled.core.kernel import loop, rowlayout, state, surface
from oak_sled.core.parts import register
from oak_sled.core.results.run import Machine

_NAMES: dict[Type, str] = {
    Record(state.NOW): "Now",
    Record(records.SOLID): "Body",
    Record(state.CRAFT): "Craft",
    Record(state.SUPPORT): "Support",
    Record(records.PIECE): "Piece",
    Record(records.FACE): "Face",
    Record(records.TRIANGLE): "Triangle",
    Record(records.GRID): "Grid",
    Record(records.CONTACT): "Contact",
    Record(surface.PATCH): "Patch",
    Record(state.GROUND): "Ground",
    Record(state.DRILL): "Drill",
    Record(state.CHANNEL): "Channel",
    Record(state.GATE): "Gate",
    Record(state.EVENT): "Event",
    Record(register.PART): "Part",
    **{Record(kind.record): f"{kind.document.__name__}Record" for kind in register.KINDS},
}


class Equations(NamedTuple):
    """A C file. acts : for the number of each kind that the crafts have, what a part's row holds (`act`, `limit`,
    `fade`) and the name of the function in C whose address belongs there. collide : the name of the contact stage,
    whose address belongs into `calls`; "" where nothing can collide."""

    text: str
    acts: dict[int, dict[str, str]]
    collide: str


def equations(job: Job) -> Equations:
    """The C99 of a job: `advance` and `first_row` as in `loop`, the contact stage where something can be met, and the
    equations of its parts; raises `Refused`."""
    file = File(dict(_NAMES))
    machine = Machine.of(job)
    row = np.zeros((1, 8))
    inputs = np.zeros((1, sum(len(one.craft.channels) for one in job.actors)))
    world, scene, nows = machine.world, machine.scene, machine.nows
    given = (world, scene, machine.sudden, nows, inputs, row, 1)
    file.add(_read(loop.advance, tuple(types.of_value(one) for one in given)), "advance")
    begun = (world, scene, nows, row[0])
    file.add(_read(rowlayout.first_row, tuple(types.of_value(one) for one in begun)), "first_row")
    collide = ""
    if world.calls[state.COLLIDE] != 0:
        collide = "collide_all"
        taken = (world.crafts, scene, world.supports, world.ground[0], nows)
        file.add(_read(stage.collide, tuple(types.of_value(one) for one in taken)), collide)
    acts: dict[int, dict[str, str]] = {}
    for part in {type(part): part for one in job.actors for part in one.craft.parts}.values():
        kind = register.kind_of(part)
        number = register.KINDS.index(kind)
        known = (
            ("act", kind.act, register.ACT),
            ("limit", kind.limit, register.LIMIT),
            ("fade", kind.fade, register.FADE),
        )
        for word, equation, declared in known:
            if equation is not None:
                own = Record(kind.record)
                name = f"{word}_{part.kind}"
                file.add(_read(equation, tuple(own if one is None else one for one in declared.takes)), name)
                acts.setdefault(number, {})[word] = name
    return Equations(file.text(), acts, collide)


def function_text(kernel: Kernel, name: str, given: Sequence[Any]) -> str:
    """The C99 of one function of the kernel for arguments such as `given`, and all that it calls; raises `Refused`."""
    file = File(dict(_NAMES))
    file.add(_read(kernel, tuple(types.of_value(one) for one in given)), name)
    return file.text()


def _read(kernel: Kernel, given: tuple[Type, ...]) -> Function:
    return PROGRAM.read(kernel, given)
