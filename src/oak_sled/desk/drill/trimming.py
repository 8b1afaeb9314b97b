"""A drill that begins in a steady flight: the trim is found beside the window, and is one step of history."""

from __future__ import annotations

from oak_sled.core.assembly.trim import Trim
from oak_sled.core.base import units
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import trimmed
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.work.background import Task
from oak_sled.desk.work.session import Session


def begin_trimmed(session: Session) -> None:
    """Finds the trim of the drill on the bench, and lets it begin so."""
    yard, drill = session.yard, session.drill

    def done(found: tuple[Yard, Trim]) -> None:
        if session.yard is not yard:
            session.say("the yard was changed meanwhile: begin trimmed once more", True)
            return
        session.change(found[0], "begin trimmed")
        session.say(f"begins at {units.show(found[1].speed, 'm/s')}: {found[1].words()}")

    def refused(fault: Refused) -> None:
        session.say(str(fault.faults[0]), True)

    session.background.add(Task("finding the trim", lambda _: trimmed.trimmed(yard, drill), done, refused))
