"""Begin and go on: what the cards of the page where one begins open, and the guided start that goes on."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Protocol

from oak_sled.core.project import families
from oak_sled.core.project.conditions import Seen
from oak_sled.core.project.guides import Guide
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.app.beginpage import BeginPage
from oak_sled.desk.help.guidebar import GuideBar
from oak_sled.desk.panes.measurespane import MeasuresPane
from oak_sled.desk.widgets.overlays import Notice
from oak_sled.desk.work.livelink import LiveLink
from oak_sled.desk.work.saving import Keeper
from oak_sled.desk.work.session import Session
from oak_sled.desk.work.yardfiles import Filing


class Host(Protocol):
    """The window, as what one begins with needs it."""

    session: Session
    keeper: Keeper
    filing: Filing
    question: Notice
    link: LiveLink

    def show_page(self, name: str) -> None:
        """Shows a page."""

    @property
    def measures(self) -> MeasuresPane:
        """The pane of measures, where twins are compared."""

    def place_shown(self) -> tuple[str, str]:
        """The page shown, and on the bench the pane."""


class Beginning:
    """page : the cards. bar : the present step of a guided start, while one goes on."""

    def __init__(self, host: Host):
        self.host = host
        self._driven_before = 0
        self._compared_before: object = None
        self._told: tuple[Yard, str, Mapping[str, float | None]] | None = None
        self.page = BeginPage(host.keeper.recent)
        self.bar = GuideBar(self.present)
        self.page.guide_wanted.connect(self.start)
        self.page.family_wanted.connect(self.new_of_family)
        self.page.demo_wanted.connect(lambda name: self._go(lambda: host.filing.show_demo(name)))
        self.page.file_wanted.connect(lambda path: self._go(lambda: host.keeper.open(path)))
        self.bar.left.connect(self.leave)
        session = host.session
        compared = host.measures.checked
        changes = (session.yard_changed, session.shown.run_changed, session.shelf.changed, compared, host.link.changed)
        for told in changes:
            told.connect(lambda *_: self.bar.judge())

    def _go(self, go: Callable[[], object]) -> None:
        """Asks for what is unsaved, opens something, and goes to the bench."""

        def gone() -> None:
            self.bar.end()
            self.host.show_page("Bench")
            go()

        self.host.filing.leave(gone)

    def new_of_family(self, name: str) -> None:
        """A new yard with a craft of a family."""
        family = next(one for one in families.FAMILIES if one.name == name)
        self._go(lambda: self.host.filing.take_yard(family.make()))

    def start(self, guide: Guide) -> None:
        """Begins a guided start on a yard of its own."""

        def begin() -> None:
            self.host.filing.take_yard(guide.make())
            self._driven_before = self._drives()
            self._compared_before = self.host.measures.twins.made
            self.bar.begin(guide)

        self._go(begin)

    def leave(self) -> None:
        """Leaves the guided start; the yard stays open, and can be kept as a file."""
        self.bar.end()
        keep = self.host.filing.ask_save
        answers = (("Keep it as a file...", lambda: keep()), ("Go on without a file", lambda: None))
        self.host.question.tell("The yard of the guided start is in memory only.", False, answers)

    def present(self) -> Seen:
        """The present, as the steps of a guide judge it."""
        session, shown = self.host.session, self.host.session.shown
        now = (session.yard, session.drill.id)
        if shown.run is not None and not shown.live_on and shown.run.job == session.job():
            self._told = (*now, shown.found)
        known = self._told[2] if self._told is not None and self._told[:2] == now else {}  # a drive hides no run
        pinned = sum(card.pinned for card in session.shelf.cards)
        driven, twins = self._drives() > self._driven_before, self.host.measures.twins
        compared = twins.compared if twins.made is not self._compared_before else None
        link = self.host.link
        games = sum(len(take) > 1 for take in link.takes.values()) if link.is_on else -1
        return Seen(*now, known, self.host.place_shown(), driven, pinned, compared, games)

    def _drives(self) -> int:
        return sum(card.live for card in self.host.session.shelf.cards)
