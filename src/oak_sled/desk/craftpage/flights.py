"""The flight sheet of the craft on the bench, and how it tows, found beside the window."""

from __future__ import annotations

from collections.abc import Callable

from oak_sled.core.advice import flightsheet
from oak_sled.core.advice.flightsheet import Sheet
from oak_sled.core.base import units
from oak_sled.core.study import sway
from oak_sled.core.study.sway import Sway
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.craftpage.finding import Finding
from oak_sled.desk.work.session import Session

FINDING: list[tuple[str, str]] = [("being found...", "trim and modes take a moment")]
SWAYING: list[tuple[str, str]] = [("being found...", "its swings over speed take a moment")]
SPEEDS = (4.0, 8.0, 12.0, 18.0, 25.0, 35.0)
"""m/s at which its swings are looked at."""
MOST_TOWED = 12
"""Bodies of a row, at most, whose swings are found without being asked for: more of them take too long."""


class Flights:
    """The sheet of a craft that flies."""

    def __init__(self, session: Session, then: Callable[[], object]):
        self.session = session
        self._finding = Finding(session, "how it flies", lambda wanted, _: flightsheet.of(*wanted))
        self._finding.then = then

    @property
    def sheet(self) -> Sheet | None:
        """That of the craft found last."""
        found: Sheet | None = self._finding.answer
        return found

    def rows(self) -> list[tuple[str, str]]:
        """The lines of the sheet of the craft on the bench; none for one that does not fly."""
        craft = self.session.craft
        if not flightsheet.flies(craft):
            return []
        if not self._finding.ask((craft, self.session.ground, self.session.yard.ticks)):
            return FINDING
        return list(self.sheet.rows) if self.sheet is not None else [("no air", "nothing flies on this ground")]


class Towing:
    """The swings of a craft that tows, alone or in its drill."""

    def __init__(self, session: Session, then: Callable[[], object]):
        self.session = session
        self._finding = Finding(session, "how it tows", lambda wanted, tell: sway.table(wanted[0], SPEEDS, tell))
        self._finding.then = then
        self._yard: Yard | None = None
        self._rows: list[tuple[str, str]] = []

    def rows(self) -> list[tuple[str, str]]:
        """The lines of it; those of before while something is dragged."""
        yard = self.session.yard
        if (yard is not self._yard or self._rows == SWAYING) and not self.session.is_previewing:
            self._yard, self._rows = yard, self._lines()
        return self._rows

    def _lines(self) -> list[tuple[str, str]]:
        """The lines of it; none for a craft that tows nothing, or too much to be looked at by the way."""
        job = self.session.job()
        if job.body or not 2 <= len(sway.towed(job)) <= MOST_TOWED or "x" in job.craft.body.held:
            return []
        job = job.seen_from(job.actors[0].craft.id)
        if not self._finding.ask((job,)):
            return SWAYING
        found: Sway | None = self._finding.answer
        if found is None:
            return []
        rows = [(found.words(), "the least damped swing of what it tows, disturbed a little on this ground:")]
        return rows + [(units.show(one.speed, "m/s"), one.words()) for one in found.swings]
