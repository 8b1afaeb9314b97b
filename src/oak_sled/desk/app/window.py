"""The window: the bench page with its header, views, force desk and shelf, wired to one session.

One file, since it wires what stands elsewhere: short methods, each for one thing that a user asks of the window.
"""

from __future__ import annotations

from typing import TypeVar, cast

from PyQt6.QtCore import QEvent, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QMainWindow,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from oak_sled.core.advice import modes
from oak_sled.core.project.shelf import Card
from oak_sled.core.results import copies, measures, traces
from oak_sled.core.results.run import Run
from oak_sled.core.results.tracegroups import members
from oak_sled.desk.app import firstsize
from oak_sled.desk.app.beginning import Beginning
from oak_sled.desk.app.benchpage import BenchPage
from oak_sled.desk.app.commands import COMMANDS, actions_of
from oak_sled.desk.app.filming import Filming
from oak_sled.desk.app.goals import every
from oak_sled.desk.app.header import Header
from oak_sled.desk.app.menus import Menus
from oak_sled.desk.app.places import PAGES, PANES
from oak_sled.desk.craftpage.buildpage import BuildPage
from oak_sled.desk.drill.drillpage import DrillPage
from oak_sled.desk.driving.along import Along
from oak_sled.desk.driving.drive import Driver
from oak_sled.desk.driving.inputpanel import InputPanel
from oak_sled.desk.driving.steering import PointerSteering
from oak_sled.desk.feel.blind import BlindBar
from oak_sled.desk.ground.groundpage import GroundPage
from oak_sled.desk.help.finder import Finder
from oak_sled.desk.help.focus import topic_of
from oak_sled.desk.help.panel import WIDE, HelpPanel
from oak_sled.desk.help.places import topics_of
from oak_sled.desk.laws.pane import LawsPane
from oak_sled.desk.panes.comparison import Comparison
from oak_sled.desk.panes.ledgerpane import LedgerPane
from oak_sled.desk.panes.measurespane import MeasuresPane
from oak_sled.desk.panes.planpane import PlanPane
from oak_sled.desk.panes.tracepane import TracePane
from oak_sled.desk.panes.whypane import WhyPane
from oak_sled.desk.spread import links
from oak_sled.desk.spread.page import SpreadPage
from oak_sled.desk.widgets import keys, theme
from oak_sled.desk.widgets.accessibility import FocusRing
from oak_sled.desk.widgets.dialwidget import DialWidget
from oak_sled.desk.widgets.overlays import KeySheet, Notice, Progress, stack
from oak_sled.desk.work.livelink import LiveLink
from oak_sled.desk.work.saving import Keeper
from oak_sled.desk.work.session import Session
from oak_sled.desk.work.yardfiles import Filing
from oak_sled.desk.yardview.camera import box_of
from oak_sled.desk.yardview.renderer import Renderer

TRACES_EVERY = 3
"""Frames of a live drive for each redraw of the traces: the eye needs the craft more often than the curves."""


W = TypeVar("W", bound=QWidget)

LONG = 20_000
"""Ticks from which on what is derived from a run takes long enough to be felt."""


class Window(QMainWindow):
    """Builds the bench and wires it; what it shows is the session's. Signals: closing()."""

    closing = pyqtSignal()

    def __init__(self, session: Session, renderer: Renderer | None, no_gl: str = ""):
        super().__init__()
        self.session = session
        self.renderer = renderer
        self.keeper = Keeper(session, self)
        self.driver = Driver(session, self)
        self.link = LiveLink(session)
        self.setWindowTitle("Oak Sled")
        self.setStyleSheet(theme.sheet())
        self.setMinimumSize(1000, 640)
        firstsize.fit(self)
        self.filing = Filing(self, self, session, self.keeper)
        self.filming = Filming(self, self)
        self.notice, self.question = Notice(self), Notice(self)
        self.bench = BenchPage(session, renderer)
        self.view, self.playbar, self.split = self.bench.view, self.bench.playbar, self.bench.split
        self.desk, self.shelf, self.right = self.bench.desk, self.bench.shelf, self.bench.right
        self.tabs, self.stack, self.clock = self.right.tabs, self.right.stack, self.right.clock
        self.traces, self.ledger, self.plan = self._pane(TracePane), self._pane(LedgerPane), self._pane(PlanPane)
        self.measures, self.laws, self.why = self._pane(MeasuresPane), self._pane(LawsPane), self._pane(WhyPane)
        self.pages = {page.name: page.make(self) for page in PAGES}
        self.ground_page, self.drill_page = self._page(GroundPage), self._page(DrillPage)
        self.build_page, self.spread_page = self._page(BuildPage), self._page(SpreadPage)
        self.acts = actions_of(self, self)
        self.menus = Menus(self, session, self.filing, self.acts)
        fills = {
            "yard": self.menus.fill_yard,
            "craft": self.menus.fill_craft,
            "ground": self.menus.fill_ground,
            "drill": self.menus.fill_drill,
            "ticks/s": self.menus.fill_ticks,
        }
        self.header = Header(session, fills, self.menus.fill_menu)
        self._to_restyle: set[str] = set()
        self._lay_out()
        self.working = Progress(self, self.keeper.background)
        self.running = Progress(self, session.worker)
        self._overlays = (self.notice, self.working, self.running)
        self.focus_ring = FocusRing(self)
        self._over: QWidget = self.view
        for overlay in self._overlays:
            overlay.changed.connect(self._place_overlays)
        self.inputs = InputPanel(session, self.driver, self.view)
        self.driver.steering = PointerSteering(self.driver.pointer, self.view, self)
        self.inputs.hide()
        self.sheet: KeySheet | None = None
        self.comparison: Comparison | None = None
        self._frames = 0
        self._live_slow = QTimer(self)
        self._live_slow.setInterval(200)
        self._live_slow.timeout.connect(self._show_live_slowly)
        self._wire()
        if no_gl:
            session.say(f"{no_gl}; the plan and the side view take the place of the 3D view", True)

    # building

    def _lay_out(self) -> None:
        page = QWidget()
        page.setObjectName("page")
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(self.question)  # it stays until it is answered: in a row of its own it covers nothing
        self.page_stack = QStackedWidget()
        for one in self.pages.values():
            self.page_stack.addWidget(one)
        self.beginning = Beginning(self)
        self.page_stack.addWidget(self.beginning.page)
        column.addWidget(self.beginning.bar)
        self.help = HelpPanel(lambda: topics_of(PAGES, PANES, COMMANDS))
        self.help.closed.connect(self.help.hide)
        self.help.sheet_wanted.connect(self.toggle_sheet)
        self.help.hide()
        self.blind = BlindBar(self.session, self.driver)
        column.addWidget(self.blind)
        self.beside = QSplitter(Qt.Orientation.Horizontal)  # help stands beside the work, never over it
        self.beside.setChildrenCollapsible(False)
        self.beside.addWidget(self.page_stack)
        self.beside.addWidget(self.help)
        self.beside.setStretchFactor(0, 1)
        column.addWidget(self.beside, 1)
        self.setCentralWidget(page)
        self.finder = Finder(lambda: every(self), self)

    def _pane(self, kind: type[W]) -> W:
        return next(one for one in self.right.panes.values() if isinstance(one, kind))

    def _page(self, kind: type[W]) -> W:
        return next(one for one in self.pages.values() if isinstance(one, kind))

    def show_page(self, name: str) -> None:
        """Shows the bench or one of the pages beside it."""
        self.page_stack.setCurrentWidget(self.pages[name])
        self._restyle_shown()
        self.header.show_page(name)
        self._over = self.view if self.pages[name] is self.bench else self.page_stack
        self._place_overlays()

    def show_pane(self, name: str) -> None:
        """Shows one of the panes on the right."""
        self.right.show_pane(name)

    def _prepare_shown(self, run: Run, readings: measures.Readings) -> None:
        """Derives what will be shown of a run and takes long; in the thread that made it."""
        modes.of_run(run)
        copies.as_run(run)
        if run.ticks <= LONG:
            return
        readings.settle()
        box_of(run)
        traces.heading(run)
        known = traces.book(run).keys()
        for group in list(self.traces.names):
            for name in members(run, group):
                if name in known:
                    traces.values(run, name)

    def _wire(self) -> None:
        session = self.session
        session.worker.prepare = self._prepare_shown
        session.said.connect(self.notice.tell)
        session.units.changed.connect(self.retell)
        links.connect(self)
        session.shown.run_changed.connect(self.right.show_clock)
        session.shown.cursor_moved.connect(self.right.show_clock)
        session.shown.live_changed.connect(self._show_live)
        session.worker.failed.connect(lambda text: session.say(text, True))
        session.saved_changed.connect(self._show_title)
        self.header.page_wanted.connect(self.show_page)
        self.header.drive_wanted.connect(self.set_driving)
        self.header.run_wanted.connect(lambda: session.keep_run())
        self.header.hold_wanted.connect(lambda _: self.toggle_hold())
        self.header.step_wanted.connect(self.step)
        self.header.check_wanted.connect(self.tick_check)
        self.header.cautions_wanted.connect(self.show_cautions)
        self.driver.frame.connect(self._show_frame)
        session.shown.game_changed.connect(self._show_game)
        self.view.hand.happened.connect(self.driver.happen)
        self.playbar.speed_wanted.connect(self._set_speed)
        self.playbar.restart_wanted.connect(self.driver.restart)
        self.playbar.start_wanted.connect(self.driver.to_start)
        self.shelf.compared.connect(self.show_comparison)
        self.shelf.blind_wanted.connect(self.blind.begin)
        self.blind.begun.connect(self._show_blind)
        self.shelf.keep_drill_wanted.connect(self.keep_drill)
        self.shelf.export_wanted.connect(self.filing.ask_csv)
        self.keeper.drives = self.driver.cards
        self.page_stack.currentChanged.connect(lambda _: self.beginning.bar.judge())
        self.stack.currentChanged.connect(lambda _: self.beginning.bar.judge())
        self.keeper.changed_on_disk.connect(self.filing.ask_which)

    # driving

    def fit_next(self) -> None:
        """The next picture shows the whole path."""
        self.view.rig.fitted = None

    def set_driving(self, on: bool, along: Along | None = None) -> None:
        """Begins or ends a live drive; one along with a running game gets its inputs from there."""
        if on and not self.driver.is_on:
            self.playbar.set_playing(False)
            self.view.setFocus()
            self.view.rig.fitted = None
            self.driver.start(along)
        elif not on and self.driver.is_on:
            self.driver.stop()
        self.header.drive.setChecked(self.driver.is_on)

    def _show_blind(self, on: bool) -> None:
        """Takes what would tell two variants apart that are compared blind out of sight, and back with the answer."""
        if on:
            self.show_page("Bench")
        for part in (self.right, self.desk, self.shelf):
            part.setVisible(not on)
        self.view.is_blind = on
        self.view.refresh()

    def toggle_hold(self) -> None:
        """Holds the drive or the playback, or lets it go on."""
        if self.driver.is_on:
            self.driver.pause(not self.driver.paused)
            self._show_frame()
            self.header.hold.setChecked(self.driver.paused)
        else:
            self.playbar.toggle()
            self.header.hold.setChecked(False)

    def step(self) -> None:
        """One tick on: of the drive, which is held for it, or of the playback."""
        if self.driver.is_on:
            self.driver.pause(True)
            self.header.hold.setChecked(True)
            self.driver.step()
        else:
            self.playbar.step(1)

    def _set_speed(self, speed: float) -> None:
        self.driver.speed = speed

    def _show_live(self, live: bool) -> None:
        self.inputs.setVisible(live)
        if not self.notice.fault:
            self.notice.hide()
        self.header.hold.setChecked(False)
        if live:
            self._place_overlays()
            self._live_slow.start()
        else:
            self._live_slow.stop()
        self.desk.refresh()
        self.header.refresh()
        self.measures.refresh()
        self.view.refresh()
        self.right.show_clock()

    def drive_along(self, along: Along) -> None:
        """Begins a live drive along with a running game."""
        self.set_driving(False)
        self.show_page("Bench")
        self.set_driving(True, along)

    def _show_game(self) -> None:
        """Draws what a running game tells; a drive that goes on draws it with its own frames."""
        if self.session.shown.live_on or not self.view.isVisible():
            return
        self.view.refresh()
        pane = self.stack.currentWidget()
        if pane is self.traces:
            self.traces.show_run()
        elif pane is self.plan:
            self.plan.update()

    def _show_frame(self) -> None:
        self.view.refresh_ahead()
        self._frames += 1
        if self.driver.paused:  # no frame follows that would bring the rest up to date
            self._show_live_slowly()
        if self.stack.currentWidget() is self.traces and (self.driver.paused or self._frames % TRACES_EVERY == 0):
            self.traces.show_live()
        self.right.show_clock()

    def _show_live_slowly(self) -> None:
        self.desk.show_now()
        for pane in (self.ledger, self.plan):
            pane.update()

    def keep_drill(self, card_name: str) -> None:
        """Keeps the inputs of a drive as a drill."""
        card = self.session.shelf.card(card_name)
        if card is not None and card.live:
            name = self.driver.keep_as_drill(card.job.drill)
            self.session.say(f"kept as drill: {self.session.yard.drill(name).heading}")

    # the rest

    def show_cautions(self) -> None:
        """Shows the place where cautions are read."""
        self.show_pane("Measures")
        self.measures.show_cautions()

    def tick_check(self) -> None:
        """Runs the tick check and shows it."""
        self.show_pane("Measures")
        self.measures.run_study(self.measures.check)

    def compare_twins(self) -> None:
        """Puts the twins of the drill in one table and shows it."""
        self.show_pane("Measures")
        self.measures.run_study(self.measures.twins)

    def show_comparison(self, old: Card, new: Card) -> None:
        """Shows the difference of two cards over the view."""
        self.hide_comparison()
        self.comparison = Comparison(old, new, self, self.session.shelf.cards)
        self.comparison.closed.connect(self.hide_comparison)
        self.comparison.move(10, theme.HEADER + 10)
        self.comparison.raise_()
        self.comparison.show()

    def hide_comparison(self) -> None:
        """Closes the comparison."""
        if self.comparison is not None:
            self.comparison.hide()
            self.comparison.deleteLater()
            self.comparison = None

    def toggle_inputs(self) -> None:
        """Shows or hides the keys of the craft."""
        self.inputs.setVisible(not self.inputs.isVisible())
        self._place_overlays()

    # where one begins, and help

    def show_begin(self) -> None:
        """The page where one begins."""
        self.set_driving(False)
        self.page_stack.setCurrentWidget(self.beginning.page)
        self.header.show_page("")
        self._over = self.page_stack
        self._place_overlays()

    def place_shown(self) -> tuple[str, str]:
        """The page shown, and on the bench the pane; "" for none."""
        page = next((name for name, one in self.pages.items() if one is self.page_stack.currentWidget()), "")
        pane = next(name for name, one in self.right.panes.items() if one is self.stack.currentWidget())
        return page, pane if self.pages.get(page) is self.bench else ""

    def find_anything(self) -> None:
        """Opens the finder."""
        self.finder.move((self.width() - self.finder.width()) // 2, theme.HEADER + 14)
        self.finder.begin()

    def show_help(self, name: str) -> None:
        """Opens the help on a topic."""
        if not self.help.isVisible():
            self.help.show()
            whole = self.beside.width()
            self.beside.setSizes([whole - WIDE, WIDE])
        self.help.show_topic(name)

    def toggle_help(self) -> None:
        """Help on what has the focus; a second time on the same, no help any more."""
        focus = QApplication.focusWidget()
        if focus is not None and self.help.isAncestorOf(focus):
            self.help.hide()
            return
        name = topic_of(focus, self.session) or self._topic_of_place()
        if self.help.isVisible() and self.help.shown == name:
            self.help.hide()
        else:
            self.show_help(name)

    def _topic_of_place(self) -> str:
        """That of the page shown, or on the bench of the pane."""
        page, pane = self.place_shown()
        return f"pane:{pane}" if pane else f"window:{page}"

    def toggle_sheet(self) -> None:
        """Shows or hides the sheet of all keys."""
        if self.sheet is not None and self.sheet.isVisible():
            self.sheet.hide()
            return
        if self.sheet is None:
            self.sheet = KeySheet(list(self.acts.values()), self)
        self.sheet.move((self.width() - self.sheet.width()) // 2, 60)
        self.sheet.show()
        self.sheet.raise_()

    def toggle_night(self) -> None:
        """Day colours to night colours and back."""
        theme.use(not theme.is_night())
        self.restyle()

    def beside_view(self) -> QWidget:
        """The pane beside the view."""
        return self.right

    def ask_film(self) -> None:
        """Asks where a film of the run goes, and makes it."""
        self.show_page("Bench")
        self.filming.ask()

    def toggle_units(self) -> None:
        """Shows and takes numbers as the game has them, or in SI again."""
        used = not self.session.yard.game.used
        words = "as the game has them" if used else "in SI"
        if self.session.edit("game.used", used, f"numbers {words}"):
            self.session.say(f"numbers are shown {words}: {self.session.yard.game.words()}" if used else "SI again")

    def retell(self) -> None:
        """Writes every number anew: the units in which they are shown have changed."""
        self.restyle()
        for dial in self.findChildren(DialWidget):
            dial.retell()
        if self.session.shown.run is not None:
            self.session.shown.run_changed.emit()
        self.session.runs.rerun()  # cautions and the like are worded where a run is made

    def restyle(self) -> None:
        """Takes the colours of the theme everywhere."""
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.setPalette(theme.palette())
        self.setStyleSheet(theme.sheet())  # of the window: one of the application takes four times as long to change
        if self.renderer is not None:
            self.renderer.forget_meshes()
        for pane in self.right.panes.values():
            _restyle(pane)
        self._to_restyle = set(self.pages)  # pages out of sight when they are shown: all at once is felt
        self._restyle_shown()
        self.header.restyle()
        self.help.restyle()
        self.desk.refresh()
        self.view.refresh()
        self.right.show_clock()
        for widget in self.findChildren(QWidget):
            widget.update()

    def _restyle_shown(self) -> None:
        shown = self.page_stack.currentWidget()
        for name in [name for name in self._to_restyle if self.pages[name] is shown]:
            self._to_restyle.discard(name)
            _restyle(self.pages[name])

    def _show_title(self) -> None:
        mark = "*" if self.session.is_dirty else ""
        self.setWindowTitle(f"{self.session.yard.title}{mark} · Oak Sled")

    def _place_overlays(self) -> None:
        """Lines at the foot, one above the other; the panel of keys above them."""
        taken = stack(self._overlays, self._over, self)
        foot = taken if self._over is self.view else 0
        if self.inputs.stand_in(self.view, self.right.stack) is self.view:
            self.inputs.move(self.inputs.x(), max(0, self.inputs.y() - max(foot - 8, 0)))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._place_overlays()
        self.focus_ring.follow()

    def event(self, event: QEvent | None) -> bool:
        """A key that the focused widget promises to act on is no shortcut: see `keys`."""
        overrides = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride
        if overrides and keys.is_promised(QApplication.focusWidget(), cast(QKeyEvent, event)):
            cast(QKeyEvent, event).accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape that no widget took closes what is open, the uppermost first, or leaves a mode."""
        if event is not None and event.key() == Qt.Key.Key_Escape and self.close_something():
            event.accept()
            return
        super().keyPressEvent(event)

    def close_something(self) -> bool:
        """Closes what lies over the bench, or leaves a mode; False where there was nothing."""
        if self.finder.isVisible():
            self.finder.hide()
        elif self.sheet is not None and self.sheet.isVisible():
            self.sheet.hide()
        elif self.comparison is not None:
            self.hide_comparison()
        elif self.notice.isVisible():
            self.notice.hide()
        elif self.question.isVisible():
            self.question.answer_last()
        elif self.playbar.poke.isChecked():
            self.playbar.poke.setChecked(False)
        elif self.inputs.isVisible() and not self.driver.is_on:
            self.inputs.hide()
        elif self.help.isVisible():
            self.help.hide()
        elif self.drill_page.recording.isVisible():
            self.drill_page.recording.leave()
        elif self.drill_page.fits.panel.isVisible():
            self.drill_page.fits.panel.leave()
        elif self.blind.isVisible():
            self.blind.leave()
        elif self.page_stack.currentWidget() is self.beginning.page:
            self.show_page("Bench")
        elif self.beginning.bar.isVisible():
            self.beginning.leave()
        else:
            return False
        return True

    def focusNextPrevChild(self, next: bool) -> bool:
        focus = QApplication.focusWidget()
        if focus is None or focus.isVisible():  # else it is hidden, and Qt moves the focus without a key
            self.focus_ring.moved_by_keys()
        return super().focusNextPrevChild(next)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.driver.stop()
        self.driver.pads.close()
        self.closing.emit()
        self.playbar.set_playing(False)
        self.link.close()
        self.keeper.close()
        self.keeper.drop_autosave() if not self.filing.has_work() else self.keeper.autosave()
        self.measures.close_thread()
        self.session.worker.close()
        self.session.loader.close()
        if event is not None:
            event.accept()


def _restyle(place: QWidget) -> None:
    """Tells a page or a pane that the colours changed, if it keeps some."""
    restyle = getattr(place, "restyle", None)
    if restyle is not None:
        restyle()
