"""Every text that a page draws can be read, and every line of a plan be seen, by the pixels of the window."""

from __future__ import annotations

from collections import Counter

import pytest
from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPen
from PyQt6.QtWidgets import QLabel, QWidget

from oak_sled.desk.app.places import PAGE_NAMES
from oak_sled.desk.widgets import screenshot, theme


class Drawn:
    """What painters draw on widgets of a window, noted while they paint anew on the screen."""

    def __init__(self, window: QWidget, monkeypatch: pytest.MonkeyPatch):
        self.window, self.texts, self.lines = window, [], []
        text, line, ellipse, rect = QPainter.drawText, QPainter.drawLine, QPainter.drawEllipse, QPainter.drawRect

        def note_text(painter, *given):
            self._text(painter, given)
            return text(painter, *given)

        def note_line(painter, *given):
            ends = given if len(given) == 2 else (given[0].p1(), given[0].p2()) if len(given) == 1 else ()
            if ends and isinstance(ends[0], (QPoint, QPointF)):
                along = QPointF(ends[1]) - QPointF(ends[0])
                if along.manhattanLength() > 24.0:  # shorter ones are crosses within a ring
                    self._line(painter, QPointF(ends[0]) + 0.3 * along, along)
            return line(painter, *given)

        def note_ellipse(painter, *given):
            if len(given) == 3:
                edge = QPointF(0.7071 * given[1], -0.7071 * given[2])
                self._line(painter, QPointF(given[0]) + edge, QPointF(1, 1))
            return ellipse(painter, *given)

        def note_rect(painter, *given):
            if len(given) == 1:
                box = QRectF(given[0])
                self._line(painter, QPointF(box.right(), box.center().y()), QPointF(0, 1))
            return rect(painter, *given)

        for name, note in (
            ("drawText", note_text),
            ("drawLine", note_line),
            ("drawEllipse", note_ellipse),
            ("drawRect", note_rect),
        ):
            monkeypatch.setattr(QPainter, name, note)
        screenshot.ask_repaint(window)  # the server shows it: what a widget forgot to paint is not there to be read
        self.image: QImage = screenshot.settled(window)

    def _text(self, painter, given):
        device = painter.device()
        words = next((one for one in given if isinstance(one, str)), "")
        if not isinstance(device, QWidget) or not words.strip() or device.window() is not self.window:
            return
        if isinstance(given[0], (QRect, QRectF)):
            flags = int(next(one.value if isinstance(one, Qt.AlignmentFlag | Qt.TextFlag) else one for one in given[1:]
                             if not isinstance(one, str)))  # fmt: skip
            box = painter.boundingRect(QRectF(given[0]), flags, words)
        else:
            spot = QPointF(given[0]) if isinstance(given[0], (QPoint, QPointF)) else QPointF(given[0], given[1])
            box = QFontMetricsF(painter.font()).boundingRect(words).translated(spot)
        self.texts.append((device, painter.worldTransform().mapRect(box), QColor(painter.pen().color()), words))

    def _line(self, painter, middle, along):
        device, pen = painter.device(), painter.pen()
        long = max((along.x() ** 2 + along.y() ** 2) ** 0.5, 1e-9)
        if isinstance(device, QWidget) and device.window() is self.window and pen.style() != Qt.PenStyle.NoPen:
            across = QPointF(-along.y() / long, along.x() / long)
            self.lines.append((device, painter.worldTransform().map(middle), across, QPen(pen)))

    def at(self, widget: QWidget, spot: QPointF) -> QPoint:
        """A point of a widget in the picture."""
        return widget.mapTo(self.window, spot.toPoint())

    def ground(self, box: QRect) -> QColor:
        """The colour that most of a box of the picture has."""
        box = box.intersected(self.image.rect())
        seen = Counter(
            self.image.pixel(x, y)
            for x in range(box.left(), box.right() + 1)
            for y in range(box.top(), box.bottom() + 1)
        )
        return QColor(seen.most_common(1)[0][0]) if seen else QColor("white")

    def has(self, box: QRect, ink: QColor) -> bool:
        """Whether a colour is seen in a box: what another covers is not read."""
        box = box.intersected(self.image.rect())
        for x in range(box.left(), box.right() + 1):
            for y in range(box.top(), box.bottom() + 1):
                found = QColor(self.image.pixel(x, y))
                near = max(abs(a - b) for a, b in zip(found.getRgb()[:3], ink.getRgb()[:3], strict=True))
                if near < 40:
                    return True
        return False


def over(ink: QColor, back: QColor) -> QColor:
    """A colour on another, by its alpha."""
    share = ink.alphaF()
    return QColor(
        *(round(share * a + (1.0 - share) * b) for a, b in zip(ink.getRgb()[:3], back.getRgb()[:3], strict=True))
    )


@pytest.fixture(params=["by day", "at night"])
def shown(reopened, request):
    window = reopened("ice-truck")
    if request.param == "at night":
        window.toggle_night()
    yield window
    theme.use(False)
    window.restyle()


def held_to_be_readable(window, monkeypatch):
    """Every text that is drawn in what a window shows, and is not covered, stands out from what is round it."""
    drawn = Drawn(window, monkeypatch)
    assert len(drawn.texts) > 5
    poor, read = [], 0
    for widget, box, ink, words in drawn.texts:
        if not widget.isVisible() or not widget.visibleRegion().boundingRect().contains(box.center().toPoint()):
            continue
        area = QRect(drawn.at(widget, box.topLeft()), drawn.at(widget, box.bottomRight())).adjusted(-1, 1, 1, -1)
        back = drawn.ground(area)
        told = over(ink, back)
        if not drawn.has(area, told):
            continue
        read += 1
        if theme.contrast(told, back) < theme.READABLE:
            poor.append(
                f"{type(widget).__name__}: {words!r} {told.name()} on {back.name()}: {theme.contrast(told, back):.2f}"
            )
    assert read > 5
    assert not poor, "\n".join(sorted(set(poor)))


@pytest.mark.parametrize("page", PAGE_NAMES)
def test_every_text_can_be_read(shown, qtbot, monkeypatch, page):
    shown.show_page(page)
    qtbot.wait(50)
    held_to_be_readable(shown, monkeypatch)


@pytest.mark.parametrize("night", [False, True])
def test_every_text_of_a_spread_with_results_can_be_read(reopened, qtbot, monkeypatch, night):
    window = reopened("ferry")
    if night:
        window.toggle_night()
    window.show_page("Spread")
    qtbot.wait(100)
    held_to_be_readable(window, monkeypatch)
    theme.use(False)
    window.restyle()


@pytest.mark.parametrize("page", PAGE_NAMES)
def test_every_label_can_be_read(shown, qtbot, monkeypatch, page):
    shown.show_page(page)
    qtbot.wait(50)
    drawn = Drawn(shown, monkeypatch)
    poor = []
    for label in shown.findChildren(QLabel):
        if not label.isVisible() or not label.isEnabled() or not label.text().strip():
            continue
        area = QRect(drawn.at(label, QPointF(0, 0)), label.size())
        back = drawn.ground(area)
        ink = label.palette().color(label.foregroundRole())
        if drawn.has(area, ink) and theme.contrast(ink, back) < theme.READABLE:
            poor.append(f"{label.text()!r} {ink.name()} on {back.name()}: {theme.contrast(ink, back):.2f}")
    assert not poor, "\n".join(sorted(set(poor)))


def test_every_line_of_the_plans_of_a_craft_can_be_seen(shown, qtbot, monkeypatch):
    """Against the better of what lies beside it: the outline of a body stands against the paper."""
    shown.show_page("Build")
    qtbot.wait(50)
    drawn = Drawn(shown, monkeypatch)
    plan, poor, seen = shown.build_page.plan, [], 0
    faint = [theme.colour(name).getRgb()[:3] for name in ("rule", "shade")]  # the paper has its own lines
    for widget, middle, across, pen in drawn.lines:
        if widget is not plan or pen.color().getRgb()[:3] in faint:
            continue
        steps = (-12.0, -8.0, -4.0, 4.0, 8.0, 12.0)
        sides = [QColor(drawn.image.pixel(drawn.at(widget, middle + step * across))) for step in steps]
        spot, ink = drawn.at(widget, middle), over(pen.color(), sides[0])
        if not drawn.has(QRect(spot.x() - 2, spot.y() - 2, 5, 5), ink):
            continue
        seen += 1
        best = max(theme.contrast(ink, side) for side in sides)
        if best < theme.VISIBLE:
            poor.append(f"{ink.name()} at {middle.x():.0f}, {middle.y():.0f} on {sides[0].name()}: {best:.2f}")
    assert seen > 8
    assert not poor, "\n".join(sorted(set(poor)))
