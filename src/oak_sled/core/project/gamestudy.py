"""A recorded game looked at: the force that the craft lacks beside it, and its own laws."""

from __future__ import annotations

from dataclasses import dataclass

from oak_sled.core.assembly import jobs
from oak_sled.core.base.faults import Refused, refuse
from oak_sled.core.project import ownloop, retold
from oak_sled.core.results import missing, run
from oak_sled.core.results.missing import Missing
from oak_sled.core.results.run import Run
from oak_sled.core.study import ownlaws
from oak_sled.core.study.ownlaws import OwnLaws
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.yard import Yard


@dataclass(frozen=True, eq=False)
class GameStudy:
    """A drill with a recording, looked at. run : of the craft in it. lacks : the force that is missing; None where the
    recording is too short. laws : of the game; None where none can be read, and why not."""

    drill: Drill
    run: Run
    lacks: Missing | None
    laws: OwnLaws | None
    why: str

    def lacking(self) -> list[str]:
        """The force that is missing, in sentences."""
        return [] if self.lacks is None else missing.words(self.lacks)

    def read(self) -> list[str]:
        """The laws of the game, in sentences."""
        if self.laws is None:
            return [f"no laws are read: {self.why}"]
        both = (self.laws.drive, self.laws.turn)
        told = [
            line
            for one in both
            if one is not None
            for line in ownlaws.words(one, self.laws.ticks, float(self.run.job.ticks))
        ]
        return [*told, *self.laws.why]


def of(yard: Yard, drill: Drill) -> GameStudy:
    """Looks at a drill with a recording. Raises `Refused` where it has none."""
    if drill.recording is None:
        raise refuse(f"drills.{drill.id}", "has no recording", "a drill made of what a game did")
    made = run.execute(jobs.job_of(yard, drill, yard.craft_for(drill)))
    laws, why = None, ""
    try:
        laws = ownlaws.read(drill.recording)
    except Refused as refused:
        why = str(refused.faults[0])
    return GameStudy(drill, made, missing.beside(made), laws, why)


def with_craft(yard: Yard, study: GameStudy, name: str) -> tuple[Yard, Drill, tuple[str, ...]]:
    """The yard with a craft that moves by the laws of the game and a drill of its recording for it, both on the bench;
    and a sentence for each law that no part is. Raises `Refused` where nothing was read, or the name is taken."""
    if study.laws is None:
        raise refuse("laws", study.why, "a table with a row for each frame of the game")
    if name in [one.id for one in yard.crafts]:
        raise refuse("craft", f"the name {name!r} is taken", "a name that no craft has")
    assert study.drill.recording is not None
    ground = yard.ground_of(study.drill)
    made, lacking = ownloop.craft_of(study.laws, name, ground.air_density)
    whole = yard.replace(crafts=(*yard.crafts, made))
    job = jobs.job_of(whole, study.drill.replace(craft=name, cast=(), twins=(), ties=(), tracks=()), name)
    told = retold.drill_of(study.drill.recording, job, free_name("own_laws", yard.drills))
    bench = yard.bench.replace(craft=name, ground=ground.id, drill=told.id)
    return whole.replace(drills=(*yard.drills, told), bench=bench), told, lacking
