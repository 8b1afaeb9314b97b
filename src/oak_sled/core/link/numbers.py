"""The numbers of a craft by the names that its exported code has, fast enough to follow a dial while it is dragged."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.faults import refuse
from oak_sled.core.portable import standinpage
from oak_sled.core.portable.alone import Alone
from oak_sled.core.portable.code import Program
from oak_sled.core.portable.crafts import program_of, value_at


@dataclass(frozen=True)
class Dialled:
    """A craft as it was exported, whose numbers are read anew as its documents change. job : as it was; program : its
    code; values : its numbers by name, SI and radians."""

    job: Job
    program: Program
    values: dict[str, float]

    @classmethod
    def of(cls, job: Job) -> Dialled:
        """Of a craft that can leave; raises `Refused` for another. Takes as long as an export."""
        alone = Alone.of(job)
        program, _ = program_of(alone)
        return cls(job, program, values_in(alone, program))

    def page(self) -> str:
        """A game in a browser with the code of the craft, see `standinpage`. Takes as long as an export."""
        return standinpage.page(self.program, Alone.of(self.job))

    def now(self, job: Job) -> dict[str, float]:
        """The numbers of the craft as it is now; raises `Refused` where its code is another by now: with other parts or
        channels, another tick rate, or numbers apart that it has as one."""
        was, now = self.job.craft, job.craft
        if [(one.id, one.kind) for one in was.parts] != [(one.id, one.kind) for one in now.parts]:
            raise refuse(now.id, "the craft has other parts", "export it anew")
        if [one.id for one in was.channels] != [one.id for one in now.channels]:
            raise refuse(now.id, "the craft has other channels", "export it anew")
        if job.ticks != self.job.ticks:
            raise refuse(now.id, f"it is tuned at {job.ticks} ticks/s now", "export it anew")
        return values_in(Alone.of(job), self.program)


def values_in(alone: Alone, program: Program) -> dict[str, float]:
    """The numbers of a program as the machine of a craft has them; raises `Refused` where one is several by now."""
    machine = alone.machine
    memory: dict[str, Any] = {"world": machine.world, "scene": machine.scene, "nows": machine.nows}
    found = {}
    for name, number in program.numbers.items():
        if number.shape:
            continue
        values = {float(value_at(memory, place)) for place in number.places}
        if len(values) > 1:
            raise refuse(name, "is not the same everywhere any more", "export it anew")
        found[name] = values.pop() if values else float(number.values[0])
    return found
