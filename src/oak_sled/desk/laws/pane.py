"""The pane Laws: any force law of the craft over a quantity, compared with others, written anew, and taken over."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from oak_sled.core.advice import laws
from oak_sled.core.advice.laws import Candidate
from oak_sled.core.formulas.place import Place
from oak_sled.core.parts.common import Part
from oak_sled.core.results.run import Run
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.law import Law
from oak_sled.core.yard.naming import free_name
from oak_sled.desk.laws.chart import LawChart
from oak_sled.desk.laws.editor import FormulaEditor
from oak_sled.desk.laws.rows import LawRow
from oak_sled.desk.widgets import buttons, theme
from oak_sled.desk.work.session import Session

LIST = 188
"""px across of the list of laws."""
MOST_KEPT = 4
"""Kept runs whose laws are offered."""


class LawsPane(QWidget):
    """Follows the session: its craft, its run, its cursor, and the cards that are pinned or starred."""

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.chosen = ("", "")
        """The part and the place that are drawn."""
        self.quantity = ""
        self.edited = ""
        """The formula that is written below."""
        self.hidden: set[tuple[str, str]] = set()
        """Laws that are not drawn, by kind and name."""
        self.candidates: list[Candidate] = []
        self._look: object = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 0)
        column.setSpacing(0)
        bar = QHBoxLayout()
        bar.setContentsMargins(10, 0, 10, 0)
        self.of = buttons.with_menu("the law that is drawn", self._fill_places, "quiet", 26)
        self.against = buttons.with_menu("the quantity it is drawn against", self._fill_quantities, "quiet", 26)
        says = "write a law of your own for this place, beginning with the one in force"
        self.new = buttons.quiet("new formula", says, self.add_formula, 26)
        bar.addWidget(self.of)
        bar.addWidget(self.against)
        bar.addStretch(1)
        bar.addWidget(self.new)
        column.addLayout(bar)
        self.chart = LawChart()
        middle = QHBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(0)
        middle.addWidget(self.chart, 1)
        column.addLayout(middle, 1)
        self.words = QLabel()
        self.words.setFont(theme.font(theme.SMALL))
        self.words.setContentsMargins(10, 0, 10, 2)
        self.words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)  # it never widens the pane
        column.addWidget(self.words)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setFixedWidth(LIST)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list = QWidget()
        self.list.setObjectName("page")
        self.lane = QVBoxLayout(self.list)
        self.lane.setContentsMargins(2, 0, 2, 0)
        self.lane.setSpacing(0)
        self.area.setWidget(self.list)
        middle.addWidget(self.area)
        self.editor = FormulaEditor(session)
        self.editor.hide()
        column.addWidget(self.editor)
        self.rows: list[LawRow] = []
        self.chart.picked.connect(self.pick)
        session.shown.run_changed.connect(self.refresh)
        session.yard_changed.connect(lambda previewing: self.refresh())
        session.shown.cursor_moved.connect(self.show_now)
        session.shelf.changed.connect(self.refresh)
        session.shown.live_changed.connect(lambda live: self.refresh())

    def showEvent(self, event: QShowEvent | None) -> None:
        self.refresh()

    def restyle(self) -> None:
        """Takes the colours of the theme."""
        self.editor.restyle()

    # what is drawn

    @property
    def craft(self) -> Craft:
        """The craft on the bench."""
        return self.session.craft

    def subject(self) -> tuple[Part, Place] | None:
        """The part and the place that are drawn; the first there is, where the chosen one is gone."""
        known = laws.places_of(self.craft)
        for part, place in known:
            if (part.id, place.name) == self.chosen:
                return part, place
        return known[0] if known else None

    def run(self) -> Run | None:
        """The run of the craft on the bench, if that is what is shown."""
        run = self.session.shown.run
        return run if run is not None and run.job.craft.id == self.craft.id and not self.session.shown.live_on else None

    def kept(self) -> list[tuple[str, Craft]]:
        """The crafts of the cards that are pinned or starred, or shown: what each card is called, and its craft."""
        cards = [card for card in self.session.shelf.cards if card.pinned or card.starred]
        found = []
        for card in cards:
            every = {one.id: one for one in (card.job.craft, *card.job.others)}
            if self.craft.id in every:
                found.append((card.heading, every[self.craft.id]))
        return found[:MOST_KEPT]

    def refresh(self) -> None:
        """Brings all of it in step with the session; only while it is looked at."""
        if not self.isVisible():
            return
        subject = self.subject()
        for widget in (self.of, self.against, self.new):
            widget.setVisible(subject is not None)
        if subject is None:
            self.candidates = []
            self._show_rows()
            self.chart.show_chart(None, [])
            self.words.setText("")
            self.editor.show_law(None, None)
            return
        part, place = subject
        self.chosen = (part.id, place.name)
        if self.quantity not in place.names:
            self.quantity = place.names[0]
        self.of.setText(theme.in_menu(f"{part.heading} · {place.title}"))
        self.against.setText(f"against {self.quantity}")
        self.candidates = laws.candidates(self.craft, part, place, self.kept())
        law = next((one for one in self.craft.laws if one.id == self.edited and one.place == place.name), None)
        if law is None:
            law = next((one for one in self.craft.laws if one.id == getattr(part, place.field)), None)
        self.edited = law.id if law is not None else ""
        self._show_rows()
        self.editor.show_law(law, place if law is not None else None)
        self.show_now()

    def show_now(self) -> None:
        """Draws the chart at the cursor."""
        subject = self.subject() if self.isVisible() else None
        if subject is None or not self.candidates:
            return
        part, place = subject
        places = [k for k, one in enumerate(self.candidates) if k == 0 or (one.kind, one.name) not in self.hidden]
        shown = [self.candidates[k] for k in places]
        chart = laws.chart(
            self.craft, part, place, self.quantity, shown, self.session.setting(), self.run(), self.session.shown.row
        )
        self.chart.show_chart(chart, places)
        said = self.chart.words()
        self.words.setText(theme.elide(said, self.width() - 24, self.words.font()))
        self.words.setToolTip(said)

    def _show_rows(self) -> None:
        """A row for each law; built anew only where they are others."""
        look = (
            self.edited,
            theme.is_night(),
            [(one.kind, one.name, (one.kind, one.name) in self.hidden, one.fields) for one in self.candidates],
        )
        if look == self._look:
            for row, one in zip(self.rows, self.candidates, strict=True):
                row.candidate = one
            return
        self._look = look
        while (old := self.lane.takeAt(0)) is not None:
            widget = old.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.rows = []
        for place, one in enumerate(self.candidates):
            is_drawn = place == 0 or (one.kind, one.name) not in self.hidden
            is_formula = bool(law_of(one))
            row = LawRow(place, one, is_drawn, is_formula)
            row.is_chosen = is_formula and law_of(one) == self.edited
            row.drawn.connect(self.draw)
            row.wanted.connect(self.take_over)
            row.edited.connect(self.edit)
            self.lane.addWidget(row)
            self.rows.append(row)
        self.lane.addStretch(1)

    # what the user does

    def _fill_places(self, menu: QMenu) -> None:
        """The menu of laws of the craft."""
        for part, place in laws.places_of(self.craft):
            words = theme.in_menu(f"{part.heading} · {place.title}")
            menu.addAction(words, lambda part=part, place=place: self.choose(part.id, place.name))

    def choose(self, part: str, place: str) -> None:
        """Draws the law at a place of a part."""
        self.chosen, self.quantity, self.edited = (part, place), "", ""
        self.refresh()

    def _fill_quantities(self, menu: QMenu) -> None:
        """The menu of quantities."""
        subject = self.subject()
        if subject is None:
            return
        part, place = subject
        for one in place.quantities:
            if one.name in part.held_at(place, None):
                continue  # a setting of the part, the same all the while
            menu.addAction(f"{one.name}: {one.says}", lambda name=one.name: self.draw_against(name))

    def draw_against(self, quantity: str) -> None:
        """Draws the law against a quantity of its place."""
        self.quantity = quantity
        self.refresh()

    def draw(self, place: int, whether: bool) -> None:
        """Draws a law or hides it."""
        one = self.candidates[place]
        self.hidden ^= {(one.kind, one.name)} if ((one.kind, one.name) in self.hidden) == whether else set()
        self.refresh()

    def pick(self, place: int) -> None:
        """A curve was clicked: its formula is written below, if it is one."""
        if law_of(self.candidates[place]):
            self.edit(place)

    def edit(self, place: int) -> None:
        """Shows a formula below."""
        self.edited = law_of(self.candidates[place])
        self.refresh()

    def take_over(self, place: int) -> None:
        """The part follows a law from now on."""
        subject = self.subject()
        if subject is None:
            return
        part, one = subject[0], self.candidates[place]
        changed = laws.taken(self.craft, part, one)
        crafts = tuple(changed if craft.id == changed.id else craft for craft in self.session.yard.crafts)
        self.session.attempt(lambda: self.session.yard.replace(crafts=crafts), f"{part.heading}: {one.name}")

    def add_formula(self) -> None:
        """A new formula for this place, which begins as the built-in law that is set."""
        subject = self.subject()
        if subject is None:
            return
        part, place = subject
        now = next((one for one in self.craft.laws if one.id == getattr(part, place.field)), None)
        text = part.written_as(place) if now is None else now.text
        law = Law(id=free_name("own_law", self.craft.laws), place=place.name, text=text)
        self.edited = law.id
        path = f"{self.session.craft_path}.laws"
        if self.session.edit(path, (*self.craft.laws, law), "new formula", card=False):
            self.editor.text.setFocus()
            self.editor.text.selectAll()


def law_of(candidate: Candidate) -> str:
    """The formula of the craft on the bench that a candidate follows, by name; "" for any other."""
    known = [law.id for law in candidate.craft.laws] if candidate.kind in ("in force", "formula") else []
    return next((str(value) for value in candidate.fields.values() if value in known), "")
