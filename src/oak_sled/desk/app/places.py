"""The pages of the window and the panes of the bench: each declared once, with its name, its key and what makes it.

The header, the menu, the sheet of keys and docs/commands.md come from here, and a test holds every key to one use. To
add a page or a pane is to write its widget and one line here.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from PyQt6.QtWidgets import QWidget

from oak_sled.desk.craftpage.buildpage import BuildPage
from oak_sled.desk.craftpage.handoverpage import HandoverPage
from oak_sled.desk.drill.drillpage import DrillPage
from oak_sled.desk.driving.along import Along
from oak_sled.desk.feel.page import CharacterPage
from oak_sled.desk.ground.groundpage import GroundPage
from oak_sled.desk.laws.pane import LawsPane
from oak_sled.desk.panes.ledgerpane import LedgerPane
from oak_sled.desk.panes.measurespane import MeasuresPane
from oak_sled.desk.panes.planpane import PlanPane
from oak_sled.desk.panes.tracepane import TracePane
from oak_sled.desk.panes.whypane import WhyPane
from oak_sled.desk.spread.page import SpreadPage
from oak_sled.desk.strips.forcedesk import ForceDesk
from oak_sled.desk.widgets.overlays import Notice
from oak_sled.desk.work.livelink import LiveLink
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview.renderer import Renderer


class Host(Protocol):
    """The window as those need it who make its pages."""

    session: Session
    renderer: Renderer | None
    question: Notice
    link: LiveLink

    @property
    def bench(self) -> QWidget:
        """The bench itself: view, panes, force desk and shelf."""

    @property
    def desk(self) -> ForceDesk:
        """Its force desk."""

    def drive_along(self, along: Along) -> None:
        """Begins a live drive along with a running game."""


@dataclass(frozen=True)
class Page:
    """A page of the window. says : what it is for, in a line. make : its widget; one with a `restyle` method is told
    when the colours change."""

    name: str
    key: str
    says: str
    make: Callable[[Host], QWidget]


@dataclass(frozen=True)
class Pane:
    """A pane beside the yard view, of the run shown. make : as with a page."""

    name: str
    key: str
    says: str
    make: Callable[[Session], QWidget]


PAGES = (
    Page("Bench", "F2", "the yard view, what explains the run, the force desk and the shelf", lambda host: host.bench),
    Page("Ground", "F3", "what lies on the ground, placed on a plan", lambda host: GroundPage(host.session)),
    Page("Drill", "F4", "inputs over time, the start, events and targets", lambda host: DrillPage(host.session)),
    Page("Build", "F5", "the craft to scale, and where its parts are", lambda host: BuildPage(host.session, host.desk)),
    Page(
        "Spread",
        "F6",
        "a drill over the values of one or two dials",
        lambda host: SpreadPage(host.session, host.session.background, host.question.tell, host.renderer),
    ),
    Page(
        "Character",
        "F10",
        "which words of feel fit the craft, and why",
        lambda host: CharacterPage(host.session),
    ),
    Page(
        "Hand-over",
        "F12",
        "the craft as source code for a game",
        lambda host: HandoverPage(host.session, host.link, host.drive_along),
    ),
)
PANES = (
    Pane("Traces", "Alt+1", "quantities over time", lambda session: TracePane(session.shown, session.shelf)),
    Pane("Ledger", "Alt+2", "every force and torque at the cursor", lambda session: LedgerPane(session.shown)),
    Pane("Plan", "Alt+3", "paths from above and from aside", lambda session: PlanPane(session.shown, session.shelf)),
    Pane("Measures", "Alt+4", "numbers of the run, targets, cautions, tick check, twins", MeasuresPane),
    Pane("Laws", "Alt+5", "what a part gives over what it reads, and formulas", LawsPane),
    Pane("Why", "Alt+6", "what turns, rolls and slows it at the cursor", lambda session: WhyPane(session.shown)),
)
PAGE_NAMES = tuple(page.name for page in PAGES)
PANE_NAMES = tuple(pane.name for pane in PANES)
