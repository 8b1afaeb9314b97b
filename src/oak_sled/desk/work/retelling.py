"""A recording of a game becomes a drill of the yard, wherever it comes from: one step of history, and what does not fit
is said."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from oak_sled.core.assembly import jobs
from oak_sled.core.project import retold
from oak_sled.core.results import recorded
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.recording import Recording
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.work.session import Session


def keep(session: Session, tell: Callable[[], Recording], notes: Sequence[str] = ()) -> None:
    """Puts a drill of the craft on the bench into the yard, and on the bench. tell : the recording; it may refuse.
    notes : what was left out of it."""
    yard = session.yard
    job, name = jobs.job_of(yard, None, yard.bench.craft), free_name("game", yard.drills)

    def grown() -> Yard:
        drill = retold.drill_of(tell(), job, name)
        return yard.replace(drills=(*yard.drills, drill), bench=yard.bench.replace(drill=name))

    if not session.attempt(grown, "keep what a game did"):
        return
    kept = session.yard.drill(name)
    made = kept.recording
    assert made is not None
    said = [*notes[:2], *retold.strange(made.name, made.inputs, made.ticks, job.actors[0].whole, job.ticks)]
    said += retold.lifted_words(recorded.as_run(made, job), job)
    session.say("; ".join([f"kept as the drill {kept.heading}", *said]), bool(said))
