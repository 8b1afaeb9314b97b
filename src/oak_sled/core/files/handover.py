"""A craft's equations as one C99 file: the tick, the loop over ticks, and the equation of every kind it has.

Contacts and rays are handed over where a job has any, and the interpreter of formulas; shots and knockbacks stay here.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.compiler import types
from oak_sled.core.compiler.c99 import File
from oak_sled.core.compiler.kernel import PROGRAM, Kernel
from oak_sled.core.compiler.tree import Function
from oak_sled.core.compiler.types import Record, Type
from oak_sled.core.contact import rays, records, stage
from oak_sled.core.formulas import machine as machine_of_formulas
from oak_sled.core.kernel import state, surface
from oak_sled.core.parts import register
from oak_sled.core.tick import loop, rowlayout, stopping

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
    Record(machine_of_formulas.FORMULA): "Formula",
    **{Record(kind.record): f"{kind.document.__name__}Record" for kind in register.KINDS},
}


class Equations(NamedTuple):
    """A C file. acts : for the number of each kind that the crafts have, what a part's row holds (`act`, `limit`,
    `fade`) and the name of the function in C whose address belongs there. stages : for the place in `calls` of each
    stage that the job has, the name of that in C. law : the name of what gives the value of a formula; "" where no part
    follows one."""

    text: str
    acts: dict[int, dict[str, str]]
    stages: dict[int, str]
    law: str


def equations(job: Job) -> Equations:
    """The C99 of a job: `advance` and `first_row` as in `loop`, the contact stage where something can be met, and the
    equations of its parts; raises `Refused`."""
    file = File(dict(_NAMES))
    machine = Machine.of(job)
    row = np.zeros((1, 8))
    inputs = np.zeros((1, sum(len(one.channels) for one in job.actors)))
    world, scene, nows = machine.world, machine.scene, machine.nows
    given = (world, scene, machine.shot_memory, nows, inputs, row, row, np.zeros(1, np.int64), 1, stopping.word())
    file.add(_read(loop.advance, tuple(types.of_value(one) for one in given)), "advance")
    begun = (world, scene, nows, row[0], row[0])
    file.add(_read(rowlayout.first_row, tuple(types.of_value(one) for one in begun)), "first_row")
    stages: dict[int, str] = {}
    below = (world.crafts, scene, world.supports, nows)
    for place, name, kernel, taken in (
        (state.COLLIDE, "collide_all", stage.collide, (*below[:3], world.ground[0], nows)),
        (state.CAST, "cast_rays", rays.cast_all, below),
        (state.PUSH_BACK, "push_back_rays", rays.push_back, below),
    ):
        if world.calls[place] != 0:
            stages[place] = name
            file.add(_read(kernel, tuple(types.of_value(one) for one in taken)), name)
    law = "law_of_formula" if any(one.craft.laws for one in job.actors) else ""
    if law:
        file.add(_read(machine_of_formulas.interpret, (Record(machine_of_formulas.FORMULA),)), law)
    acts: dict[int, dict[str, str]] = {}
    for part in {type(part): part for one in job.actors for part in one.craft.parts}.values():
        kind = register.kind_of(part)
        number = register.KINDS.index(kind)
        for word, equation, declared in register.equations(kind):
            if equation is not None:
                own = Record(kind.record)
                name = f"{word}_{part.kind}"
                file.add(_read(equation, tuple(own if one is None else one for one in declared.takes)), name)
                acts.setdefault(number, {})[word] = name
    return Equations(file.text(), acts, stages, law)


def function_text(kernel: Kernel, name: str, given: Sequence[Any]) -> str:
    """The C99 of one function of the kernel for arguments such as `given`, and all that it calls; raises `Refused`."""
    file = File(dict(_NAMES))
    file.add(_read(kernel, tuple(types.of_value(one) for one in given)), name)
    return file.text()


def _read(kernel: Kernel, given: tuple[Type, ...]) -> Function:
    return PROGRAM.read(kernel, given)
