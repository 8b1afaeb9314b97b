"""A craft's equations as one C99 file: the tick, the loop over ticks, and the equation of every kind it has.

What stands beside nothing to meet is handed over; contacts stay here.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oak_sled.core import loop, state, world
from oak_sled.core.compiler import types
from oak_sled.core.compiler.c99 import File
from oak_sled.core.compiler.kernel import PROGRAM, Kernel
from oak_sled.core.compiler.tree import Function
from oak_sled.core.compiler.types import Record, Type
from oak_sled.core.parts import register
from oak_sled.core.world import Job

_NAMES: dict[Type, str] = {
    Record(state.NOW): "Now",
    Record(state.BODY): "Body",
    Record(state.GROUND): "Ground",
    Record(state.DRILL): "Drill",
    Record(state.CHANNEL): "Channel",
    Record(state.WALL): "Wall",
    Record(state.GATE): "Gate",
    Record(state.EVENT): "Event",
    Record(state.BUMPER): "Bumper",
    Record(register.PART): "Part",
    **{Record(kind.record): f"{kind.document.__name__}Record" for kind in register.KINDS},
}


class Equations(NamedTuple):
    """A C file. acts : for the number of each kind that the craft has, what a part's row holds (`act`, `limit`,
    `fade`) and the name of the function in C whose address belongs there."""

    text: str
    acts: dict[int, dict[str, str]]


def equations(job: Job) -> Equations:
    """The C99 of a job: `advance` and `first_row` as in `loop`, and the equations of its parts; raises `Refused`."""
    file = File(dict(_NAMES))
    arrays = world.build(job)
    now = world.begin(arrays, job)
    row = np.zeros((1, 8))
    told = np.zeros((1, len(job.craft.channels)))
    for kernel, given in (
        (loop.advance, (arrays, now, told, row, 1)),
        (loop.first_row, (now, row[0])),
    ):
        file.add(_read(kernel, tuple(types.of_value(one) for one in given)), kernel.__name__)
    acts: dict[int, dict[str, str]] = {}
    for part in job.craft.parts:
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
    return Equations(file.text(), acts)


def _read(kernel: Kernel, given: tuple[Type, ...]) -> Function:
    return PROGRAM.read(kernel, given)
