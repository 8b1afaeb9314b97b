"""The header: what is tested, how, and go."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QPainter, QPaintEvent, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QAbstractButton, QHBoxLayout, QMenu, QPushButton, QSizePolicy, QWidget

from oak_sled.desk.app.places import PAGES
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.session import Session

NARROW = 1180
"""px below which the names of what is on the bench need the room of a button."""


class Chooser(QAbstractButton):
    """A small word above what is chosen; a press opens the list. fill(menu) fills it each time."""

    def __init__(self, word: str, fill: Callable[[QMenu], None], least: int, parent: QWidget | None = None):
        super().__init__(parent)
        self.word, self.fill = word, fill
        self.least = least
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(theme.HEADER - 6)
        self.setMinimumWidth(min(least, 46))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.clicked.connect(self.open)

    def show_text(self, text: str) -> None:
        """Shows the present choice."""
        if text == self.text():
            return
        self.setText(text)
        self.setAccessibleName(f"{self.word}: {text}")
        self.setToolTip(theme.in_tip(f"{self.word}: {text}"))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        wide = QFontMetrics(theme.font(theme.TEXT, bold=True)).horizontalAdvance(self.text()) + 26
        return QSize(max(self.least, wide), theme.HEADER - 6)

    def open(self) -> None:
        """Opens the list below."""
        menu = QMenu(self)
        self.fill(menu)
        menu.exec(self.mapToGlobal(self.rect().bottomLeft()))
        menu.deleteLater()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("soft"))
        painter.drawText(6, 13, self.word)
        bold = theme.font(theme.TEXT, bold=True)
        painter.setFont(bold)
        painter.setPen(theme.colour("oak_deep" if self.underMouse() else "ink"))
        text = theme.elide(self.text(), self.width() - 22, bold)
        painter.drawText(6, 31, text)
        x = min(12.0 + painter.fontMetrics().horizontalAdvance(text), self.width() - 10.0)
        painter.setBrush(theme.colour("soft"))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(QPolygonF([QPointF(x, 24), QPointF(x + 7, 24), QPointF(x + 3.5, 29)]))
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.pen("oak"))
            painter.drawRect(QRectF(1.5, 0.5, self.width() - 3, self.height() - 2))


class Header(QWidget):
    """Signals: drive_wanted(on), run_wanted(), hold_wanted(on), step_wanted(), check_wanted(), cautions_wanted()."""

    drive_wanted = pyqtSignal(bool)
    run_wanted = pyqtSignal()
    hold_wanted = pyqtSignal(bool)
    step_wanted = pyqtSignal()
    check_wanted = pyqtSignal()
    page_wanted = pyqtSignal(str)
    cautions_wanted = pyqtSignal()

    def __init__(
        self,
        session: Session,
        fills: Mapping[str, Callable[[QMenu], None]],
        menu_fill: Callable[[QMenu], None],
        parent: QWidget | None = None,
    ):
        super().__init__(parent)
        self.session = session
        self.setFixedHeight(theme.HEADER)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 2, 8, 2)
        row.setSpacing(4)
        self.choosers: dict[str, Chooser] = {}
        for word, least in (("yard", 80), ("craft", 70), ("ground", 70), ("drill", 100), ("ticks/s", 56)):
            chooser = Chooser(word, fills[word], least)
            self.choosers[word] = chooser
            row.addWidget(chooser, 0)
            if word == "ground":
                row.addSpacing(8)
        row.addSpacing(4)
        self.pages: dict[str, QPushButton] = {}
        for page in PAGES:
            button = QPushButton(page.name)
            button.setToolTip(f"{page.says} ({page.key})")
            button.setObjectName("quiet")
            button.setCheckable(True)
            button.setMinimumHeight(28)
            button.clicked.connect(lambda _, name=page.name: self.page_wanted.emit(name))
            self.pages[page.name] = button
            row.addWidget(button)
        self.show_page(PAGES[0].name)
        row.addStretch(1)
        self.drive = self._button(
            "Drive", "go", "drive it with the keyboard; press again to stop and keep the run (F9)"
        )
        self.drive.setCheckable(True)
        self.drive.clicked.connect(self.drive_wanted)
        self.run = self._button("Run", "plain", "run the drill and keep it on the shelf (Ctrl+Return)")
        self.run.clicked.connect(self.run_wanted)
        self.hold = self._button("Hold", "plain", "pause the drive or the playback (Space)")
        self.hold.setCheckable(True)
        self.hold.clicked.connect(self.hold_wanted)
        self.step = self._button("Step", "plain", "step one tick forward ( . )")
        self.step.clicked.connect(self.step_wanted)
        self.check = self._button("Tick check", "plain", "the drill at four tick rates beside a reference (Ctrl+T)")
        self.check.clicked.connect(self.check_wanted)
        for button in (self.drive, self.run, self.hold, self.step, self.check):
            row.addWidget(button)
        row.addSpacing(4)
        self.cautions = QPushButton()
        self.cautions.setObjectName("quiet")
        self.cautions.setMinimumHeight(28)
        self.cautions.clicked.connect(self.cautions_wanted)
        row.addWidget(self.cautions)
        self.more = QPushButton("menu")
        self.more.setObjectName("plain")
        self.more.setMinimumHeight(28)
        self.more.setAccessibleName("menu")
        menu = QMenu(self.more)
        menu.aboutToShow.connect(lambda: menu_fill(menu))
        self.more.setMenu(menu)
        row.addWidget(self.more)
        session.yard_changed.connect(lambda previewing: None if previewing else self.refresh())
        session.shown.run_changed.connect(self.refresh)
        session.saved_changed.connect(self.refresh)
        session.shown.live_changed.connect(self._show_live)
        self.refresh()

    def _button(self, words: str, kind: str, tip: str) -> QPushButton:
        button = QPushButton(words)
        button.setObjectName(kind)
        button.setToolTip(tip)
        button.setMinimumHeight(28)
        return button

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.check.setVisible(self.width() >= NARROW)  # the menu has it too
        self.step.setVisible(self.width() >= NARROW)  # and the bar under the view this one

    def show_page(self, name: str) -> None:
        """Marks the page that is shown."""
        for other, button in self.pages.items():
            button.setChecked(other == name)

    def _show_live(self, live: bool) -> None:
        self.drive.setChecked(live)
        self.drive.setText("Stop" if live else "Drive")
        for button in (self.run, self.check):
            button.setEnabled(not live)

    def refresh(self) -> None:
        """Brings the words in step with the session."""
        session = self.session
        mark = " *" if session.is_dirty else ""
        self.choosers["yard"].show_text(session.yard.title + mark)
        limb = next((f", {one.heading.lower()}" for one in session.craft.bodies if one.id == session.body), "")
        self.choosers["craft"].show_text(session.craft.heading + limb)
        self.choosers["ground"].show_text(session.ground.heading)
        self.choosers["drill"].show_text(session.drill.heading)
        self.choosers["ticks/s"].show_text(str(session.yard.ticks))
        count = len(session.shown.warned)
        tip = "\n".join(str(caution) for caution in session.shown.warned) or "nothing found"
        self.cautions.setToolTip(theme.in_tip(tip))
        words = f"{count} caution{'s' if count != 1 else ''}" if count else "no cautions"
        if words == self.cautions.text():
            return
        self.cautions.setText(words)
        colour = theme.colour("warning" if count else "good").name()
        self.cautions.setStyleSheet(f"color: {colour}; font-weight: {'bold' if count else 'normal'};")
        self.cautions.setMinimumWidth(self.cautions.sizeHint().width())  # names of documents may be cut, never this

    def restyle(self) -> None:
        """Takes the colours of the theme."""
        self.cautions.setText("")
        self.refresh()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("shade"))
        painter.fillRect(QRectF(0, self.height() - 1, self.width(), 1), theme.colour("rule"))
