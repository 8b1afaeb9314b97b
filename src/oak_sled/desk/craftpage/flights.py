"""The flight sheet of the craft on the bench, found beside the window."""

from __future__ import annotations

from collections.abc import Callable

from oak_sled.core.advice import flightsheet
from oak_sled.core.advice.flightsheet import Sheet
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.work.background import Task
from oak_sled.desk.work.session import Session

FINDING: list[tuple[str, str]] = [("being found...", "trim and modes take a moment")]


class Flights:
    """Finds one sheet at a time; what was asked for last is found when the one before is done."""

    def __init__(self, session: Session, then: Callable[[], object]):
        self.session, self._then = session, then
        self._found: tuple[Craft, Ground, int] | None = None
        self._finding = False
        self.sheet: Sheet | None = None
        """That of the craft found last."""

    def rows(self) -> list[tuple[str, str]]:
        """The lines of the sheet of the craft on the bench; none for one that does not fly."""
        craft = self.session.craft
        if not flightsheet.flies(craft):
            return []
        wanted = (craft, self.session.ground, self.session.yard.ticks)
        if self._found is None or not all(a is b or a == b for a, b in zip(self._found, wanted, strict=True)):
            self._find(wanted)
            return FINDING
        return list(self.sheet.rows) if self.sheet is not None else [("no air", "nothing flies on this ground")]

    def _find(self, wanted: tuple[Craft, Ground, int]) -> None:
        if self._finding or self.session.is_previewing:
            return
        self._finding = True

        def done(sheet: Sheet | None) -> None:
            self._finding, self._found, self.sheet = False, wanted, sheet
            self._then()

        def refused(_: object) -> None:
            done(None)

        work = lambda _: flightsheet.of(*wanted)  # noqa: E731
        self.session.background.add(Task("how it flies", work, done, refused, quiet=True))
