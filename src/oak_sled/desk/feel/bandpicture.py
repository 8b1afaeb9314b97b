"""The bands of a word of feel as scales: what the craft shows on each, how far that speaks for the word, and ends that
are dragged."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from oak_sled.core.base import units
from oak_sled.core.base.faults import Refused
from oak_sled.core.feel import quantities, telling
from oak_sled.core.feel.character import Character, Fitting, fitting
from oak_sled.core.yard.wish import Band, Wish
from oak_sled.desk.feel.wordlist import Beside, paint_letter, paint_today
from oak_sled.desk.widgets import accessibility, keys, theme

HEAD, LINE = 64, 52
NAME = 142
NUMBER = 62
SHARE = 44
NEAR = 7.0
"""px from an end within which it is grabbed."""


def ends_of(band: Band, values: Sequence[float | None]) -> tuple[float, float]:
    """Ends of the scale of a band: those of its quantity, and wider where a value or an end lies beyond."""
    known = quantities.BY_NAME.get(band.quantity) if not band.drill else None
    told = [value for value in (band.low, band.high, *values) if value is not None]
    if known is not None:
        return min(known.least, *told), max(known.most, *told)
    return min(0.0, *told), max(told) * 1.25 or 1.0


class BandPicture(QWidget):
    """A row a band. Signals: moved(place of the band, the band as it was left), menu_wanted(place of the band,
    point)."""

    PROMISED = keys.Keys.of(*keys.ARROWS, *keys.RETURN)

    moved = pyqtSignal(int, object)
    menu_wanted = pyqtSignal(int, QPoint)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.wish: Wish | None = None
        self.character: Character | None = None
        self.others: tuple[Beside, ...] = ()
        self.then: Mapping[str, float | None] = {}
        """Values that the craft would show with the moves that are looked at, by the names of bands."""
        self.place = 0
        self._drag: tuple[int, str] | None = None
        self._dragged: Band | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumWidth(360)
        self.setToolTip("drag an end of a band; a double click types its ends; a right click has its weight")

    def show_then(self, then: Mapping[str, float | None]) -> None:
        """Shows as well what moves would give, by the names of bands."""
        self.then = then
        self.update()

    def show_wish(self, wish: Wish | None, character: Character | None, others: Sequence[Beside]) -> None:
        """Shows the bands of a word for a character, None while it is found."""
        self.wish, self.character, self.others = wish, character, tuple(others)
        self.place = min(self.place, max(len(wish.bands) - 1, 0)) if wish is not None else 0
        self.setMinimumHeight(HEAD + LINE * len(wish.bands) + 8 if wish is not None else 120)
        accessibility.describe(
            self, "bands of the word", self.words(), "up and down choose one, left and right move an end, Return types"
        )
        self.update()

    def words(self) -> str:
        """Every band, and what the craft shows of it."""
        if self.wish is None:
            return ""
        values = self.character.values if self.character is not None else {}
        told = []
        for band in self.wish.bands:
            value = values.get(band.name)
            shown = "not shown" if value is None else telling.value_of(band, value)
            told.append(f"{telling.title_of(band)} {shown}, wanted {telling.wanted(band)}")
        return "; ".join(told)

    def sizeHint(self) -> QSize:
        return QSize(560, self.minimumHeight())

    # places

    def row_box(self, place: int) -> QRectF:
        """Place of the row of a band."""
        return QRectF(0, HEAD + place * LINE, self.width(), LINE)

    def scale_box(self, place: int) -> QRectF:
        """Place of the scale of a band."""
        row = self.row_box(place)
        left = NAME + NUMBER + 18
        return QRectF(left, row.top() + 10, self.width() - left - SHARE - 16, 12)

    def x_of(self, place: int, value: float) -> float:
        """px of a value on the scale of a band."""
        low, high = self._ends(place)
        box = self.scale_box(place)
        return box.left() + (value - low) / max(high - low, 1e-12) * box.width()

    def _value_at(self, place: int, x: float) -> float:
        low, high = self._ends(place)
        box = self.scale_box(place)
        return low + (x - box.left()) / max(box.width(), 1.0) * (high - low)

    def band(self, place: int) -> Band:
        """A band as it is, or as it is dragged."""
        assert self.wish is not None
        if self._drag is not None and self._drag[0] == place and self._dragged is not None:
            return self._dragged
        return self.wish.bands[place]

    def _values(self, band: Band) -> list[float | None]:
        every = [self.character, *(other.character for other in self.others)]
        return [self.then.get(band.name), *(None if one is None else one.values.get(band.name) for one in every)]

    def _ends(self, place: int) -> tuple[float, float]:
        assert self.wish is not None
        band = self.wish.bands[place]  # the scale stands still while an end is dragged
        return ends_of(band, self._values(band))

    def _place_at(self, at: QPointF) -> int:
        place = int((at.y() - HEAD) // LINE)
        known = self.wish is not None and at.y() >= HEAD and place < len(self.wish.bands)
        return place if known else -1

    def end_at(self, at: QPointF) -> tuple[int, str] | None:
        """The end of a band at a place: the number of the band, and "low" or "high"; None for none."""
        place = self._place_at(at)
        if place < 0:
            return None
        band, found = self.band(place), []
        for end in ("low", "high"):
            value = getattr(band, end)
            if value is not None:
                away = abs(self.x_of(place, value) - at.x())
                if away <= NEAR:
                    found.append((away, end))
        return (place, min(found)[1]) if found else None

    # hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        place = self._place_at(event.position())
        if place >= 0:
            self.place = place
        self._drag = self.end_at(event.position())
        self._dragged = None
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._drag is None:
            on = self.end_at(event.position()) is not None
            self.setCursor(Qt.CursorShape.SizeHorCursor if on else Qt.CursorShape.ArrowCursor)
            return
        place, end = self._drag
        self._dragged = with_end(self.band(place), end, self._value_at(place, event.position().x()))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        drag, made = self._drag, self._dragged
        self._drag = self._dragged = None
        if drag is not None and made is not None:
            self.moved.emit(drag[0], made)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (place := self._place_at(event.position())) >= 0:
            self.ask_ends(place)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None and (place := self._place_at(QPointF(event.pos()))) >= 0:
            self.place = place
            self.update()
            self.menu_wanted.emit(place, event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.wish is None:
            return
        key, count = event.key(), len(self.wish.bands)
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.place = (self.place + (1 if key == Qt.Key.Key_Down else -1)) % count
            self.update()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            band = self.wish.bands[self.place]
            both = band.low is not None and band.high is not None
            lower = band.high is None or (both and bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
            end = "low" if lower else "high"
            low, high = self._ends(self.place)
            step = (0.02 if key == Qt.Key.Key_Right else -0.02) * (high - low)
            self.moved.emit(self.place, with_end(band, end, getattr(band, end) + step))
        elif key in keys.RETURN:
            self.ask_ends(self.place)
        else:
            super().keyPressEvent(event)

    def ask_ends(self, place: int) -> None:
        """Asks for the ends of a band in place: "0.2 to 0.6", "at least 0.2" or "at most 0.6"."""
        edit = QLineEdit(self)
        edit.setText(telling.wanted(self.band(place)))
        edit.setGeometry(self.scale_box(place).adjusted(0, -8, 0, 8).toRect())
        accessibility.describe(edit, "ends of the band", keys="such as 0.2 to 0.6, at least 0.2, at most 0.6")

        def take() -> None:
            made = read_ends(edit.text(), self.band(place))
            if made is None:
                edit.setProperty("wrong", True)
                edit.setStyleSheet(edit.styleSheet())
                edit.setToolTip("such as 0.2 to 0.6, at least 0.2, at most 0.6")
                return
            edit.hide()
            edit.deleteLater()
            self.setFocus()
            self.moved.emit(place, made)

        edit.returnPressed.connect(take)
        edit.editingFinished.connect(lambda: edit.deleteLater() if not edit.hasFocus() else None)
        edit.show()
        edit.setFocus()
        edit.selectAll()

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.wish is None:
            return
        told = self._told(self.wish)
        bold = theme.font(theme.READING, bold=True)
        painter.setFont(bold)
        painter.setPen(theme.colour("ink"))
        score = "" if self.character is None else "cannot tell" if told.score is None else f"{100 * told.score:.0f} %"
        painter.drawText(QPointF(12, 22), self.wish.heading)
        painter.drawText(QRectF(0, 8, self.width() - 12, 18), Qt.AlignmentFlag.AlignRight, score)
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour("soft"))
        painter.drawText(QPointF(12, 41), theme.elide(self.wish.says, self.width() - 20, theme.font(theme.SMALL)))
        painter.drawText(QRectF(0, 46, self.width() - 12, 14), Qt.AlignmentFlag.AlignRight, "speaks for it")
        for place in range(len(self.wish.bands)):
            self._paint_band(painter, place)

    def _told(self, wish: Wish) -> Fitting:
        bands = tuple(self.band(place) for place in range(len(wish.bands)))
        return fitting(wish.replace(bands=bands), self.character.values if self.character is not None else {})

    def _paint_band(self, painter: QPainter, place: int) -> None:
        band, row, box = self.band(place), self.row_box(place), self.scale_box(place)
        if place == self.place:
            painter.fillRect(row.adjusted(4, 1, -4, -2), theme.colour("shade"))
        small = theme.font(theme.SMALL)
        known = self.character is not None
        value = self.character.values.get(band.name) if self.character is not None else None
        painter.setFont(theme.font(theme.TEXT))
        painter.setPen(theme.colour("ink"))
        title = theme.elide(telling.title_of(band), NAME - 6, theme.font(theme.TEXT))
        painter.drawText(QPointF(12, row.top() + 20), title)
        if value is not None:
            number, unit = units.reading(value, telling.unit_of(band))
            right = 12 + NAME + NUMBER - 6
            theme.number(painter, right, row.top() + 20, number, unit, 12, theme.colour("ink"), theme.colour("soft"))
        elif known:
            painter.setFont(small)
            painter.setPen(theme.colour("soft"))
            painter.drawText(QRectF(NAME, row.top() + 8, NUMBER + 6, 16), Qt.AlignmentFlag.AlignRight, "not shown")
        self._paint_scale(painter, place, band, box, value)
        painter.setFont(small)
        painter.setPen(theme.colour("soft"))
        weight = "" if band.weight == 1.0 else f"counts {band.weight:g} times · "
        why = f"{telling.wanted(band)} · {weight}{band.why}" if band.why else f"{telling.wanted(band)} · {weight}"
        painter.drawText(QPointF(12, row.top() + 40), theme.elide(why.rstrip(" ·"), self.width() - 24, small))
        if value is not None:
            share = band.speaks(value)
            painter.setFont(theme.font(theme.TEXT, bold=True))
            painter.setPen(theme.readable(theme.colour("good" if share > 0.5 else "warning")))
            number_box = QRectF(self.width() - SHARE - 12, row.top() + 7, SHARE, 18)
            painter.drawText(number_box, Qt.AlignmentFlag.AlignRight, f"{100.0 * share:.0f} %")

    def _paint_scale(self, painter: QPainter, place: int, band: Band, box: QRectF, value: float | None) -> None:
        painter.save()
        painter.setClipRect(box.adjusted(-8, -8, 8, 8))
        painter.fillRect(box, theme.colour("card"))
        low = box.left() if band.low is None else self.x_of(place, band.low)
        high = box.right() if band.high is None else self.x_of(place, band.high)
        good = theme.colour("good", 120)
        for end, sign in ((band.low, -1.0), (band.high, 1.0)):
            if end is None:
                continue
            for part in range(8):  # the fade beyond an end, in steps
                ends = sorted(self.x_of(place, end + sign * band.fade * share / 8.0) for share in (part, part + 1))
                shade = theme.colour("good", int(100 * (1.0 - (part + 0.5) / 8.0)))
                painter.fillRect(QRectF(ends[0], box.top(), ends[1] - ends[0], box.height()).intersected(box), shade)
        painter.fillRect(QRectF(low, box.top(), high - low, box.height()).intersected(box), good)
        painter.setPen(theme.pen("rule"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.setPen(theme.pen("good", 2.0))
        for end in (band.low, band.high):
            if end is not None:
                x = self.x_of(place, end)
                painter.drawLine(QPointF(x, box.top() - 4), QPointF(x, box.bottom() + 4))
        for other in self.others:
            beside = other.character.values.get(band.name) if other.character is not None else None
            if beside is not None:
                paint_letter(painter, QPointF(self.x_of(place, beside), box.center().y()), other.letter)
        if value is not None:
            paint_today(painter, QPointF(self.x_of(place, value), box.center().y()))
        then = self.then.get(band.name)
        if then is not None and then != value:
            paint_today(painter, QPointF(self.x_of(place, then), box.center().y()), hollow=True)
        painter.restore()


def with_end(band: Band, end: str, value: float) -> Band:
    """A band with one end elsewhere, in three figures, never past the other one."""
    value = float(f"{value:.3g}")
    if abs(value) < 1e-3:
        value = 0.0
    if end == "low" and band.high is not None:
        value = min(value, band.high)
    if end == "high" and band.low is not None:
        value = max(value, band.low)
    return band.replace(**{end: value})


def read_ends(text: str, band: Band) -> Band | None:
    """A band with the ends that a text tells, "0.2 to 0.6", "at least 0.2" or "at most 0.6", units or none; None where
    it tells none."""
    unit = telling.unit_of(band)
    words = text.strip().lower().replace("…", " to ").replace("..", " to ")
    try:
        if words.startswith("at least "):
            low, high = units.read(words.removeprefix("at least "), unit), None
        elif words.startswith("at most "):
            low, high = None, units.read(words.removeprefix("at most "), unit)
        else:
            first, _, last = words.partition(" to ")
            low, high = units.read(first, unit), units.read(last, unit)
    except Refused:
        return None
    if any(end is not None and not math.isfinite(end) for end in (low, high)):
        return None
    if low is not None and high is not None and low > high:
        return None
    return band.replace(low=low, high=high)
