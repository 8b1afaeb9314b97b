"""What a dragged dial makes the window do: each thing once, and all of it right."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QObject, QPointF
from PyQt6.QtGui import QColor, QFont, QFontMetrics, QFontMetricsF, QImage, QPainter

from oak_sled.core.project import demos
from oak_sled.core.results import traces
from oak_sled.desk.app import program
from oak_sled.desk.widgets import theme
from oak_sled.desk.widgets.textlines import Words

THRUST = "crafts.fan_sled.parts.fan.thrust"


class Paints(QObject):
    """Counts how often a widget is painted."""

    def __init__(self, widget):
        super().__init__()
        self.count = 0
        widget.installEventFilter(self)

    def eventFilter(self, watched, event):
        if event.type() == QEvent.Type.Paint:
            self.count += 1
        return False


def settled(window, qapp, idle):
    idle()
    program.settle(qapp, 0.5)


def test_a_run_paints_the_traces_once(window, qapp, idle):
    settled(window, qapp, idle)
    seen = [Paints(window.traces.canvas.viewport()), Paints(window.traces.cover), Paints(window.view)]
    for k in range(6):
        before = [one.count for one in seen]
        window.session.preview(THRUST, 500.0 + 60.0 * k)  # far enough apart for other ranges
        idle()
        for _ in range(5):
            qapp.processEvents()
        assert [one.count - old for one, old in zip(seen, before, strict=True)] == [1, 1, 1]
    window.session.cancel()
    idle()


def test_strips_are_in_step_while_a_dial_is_dragged(window, qapp, idle):
    desk, session = window.desk, window.session
    settled(window, qapp, idle)
    for thrust in (400.0, 900.0):
        session.preview(THRUST, thrust)
        idle()
        strip = desk.strip("fan")
        assert strip.dials["thrust"].value == thrust
        assert strip.words.text() == "\n".join(strip.part.outlook(session.setting()))
        shown = window.traces.plots[window.traces.names.index("speed")].lines[0].points
        assert shown[:, 1].max() == traces.values(session.shown.run, "speed").max()
    session.cancel()
    idle()


def test_the_traces_are_told_once_nothing_moves(window, qapp, idle, qtbot):
    session = window.session
    session.shown.set_time(1.0)
    speed = traces.values(session.shown.run, "speed")[session.shown.row]
    qtbot.waitUntil(lambda: f"speed {speed:.4g} m/s" in window.traces.cover.accessibleDescription(), timeout=5000)
    idle()


def test_words_ask_for_room_only_when_they_need_another_line(qtbot):
    words = Words(16)
    qtbot.addWidget(words)
    words.resize(120, 40)
    asked = []
    words.updateGeometry = lambda: asked.append(words.text())
    words.say("tops out at 31.0 m/s", "good_light")
    words.say("tops out at 32.5 m/s", "good_light")
    assert asked == []
    long = "tops out at 32.5 m/s, 90 % of that in 27.4 s, and much later where the wind blows"
    words.say(long, "warning_light")
    assert asked == [long]
    lines = words.heightForWidth(120) / QFontMetrics(theme.font(10)).lineSpacing()
    assert lines > 3
    assert words.heightForWidth(400) < words.heightForWidth(120)
    assert words.accessibleDescription() == long


def test_a_long_outlook_grows_the_desk_and_is_shown_whole(window, qapp, idle):
    settled(window, qapp, idle)
    strip = window.desk.strip("fan")
    window.session.edit(THRUST, 777.0)
    idle()
    strip.words.say("word " * 60, "good_light")
    window.desk._make_room()
    program.settle(qapp, 0.2)
    assert strip.words.height() >= strip.words.heightForWidth(strip.words.width())


@pytest.mark.parametrize("bold", [False, True])
def test_texts_are_measured_as_the_face_has_them(qapp, bold):
    program.application()
    run_of = demos.load("ice-truck").craft()
    texts = [trace.title for trace in traces.catalogue(run_of)] + ["12.5 kN", "-0.043 m/s²", "Δ 3°", "é — …", ""]
    for size in (10, 11, 14):
        chosen = theme.font(size, bold)
        for text in texts:
            wide = QFontMetricsF(chosen).horizontalAdvance(text)
            assert theme.width(text, chosen) == pytest.approx(wide, abs=1.0), (text, size)
            for room in (20.0, 60.0, 400.0):
                cut = theme.elide(text, room, chosen)
                assert cut == text or cut.endswith("…")
                assert (cut == text) == (QFontMetricsF(chosen).horizontalAdvance(text) <= room) or abs(
                    QFontMetricsF(chosen).horizontalAdvance(text) - room
                ) < 1.0


def test_texts_look_as_with_all_the_care_of_the_shaper(qapp):
    """The face has nothing that joins letters, so that leaving that out changes no pixel of what is written here."""
    program.application()
    plain = theme.font(theme.SMALL)
    shaped = QFont(plain)
    shaped.setStyleStrategy(QFont.StyleStrategy.PreferDefault)
    pictures = []
    for chosen in (plain, shaped):
        picture = QImage(500, 200, QImage.Format.Format_RGB32)
        picture.fill(QColor("white"))
        painter = QPainter(picture)
        painter.setFont(chosen)
        for row, text in enumerate(("front left 2.10 kN", "side slip -0.659°", "57.3 °/s² from rest", "Δt +0.250 s")):
            painter.drawText(QPointF(4.0, 20.0 + 30.0 * row), text)
        painter.end()
        pictures.append(picture)
    assert pictures[0] == pictures[1]


def test_pens_are_shared_and_follow_the_theme(qapp):
    day = theme.pen("rule", 1.2)
    assert theme.pen("rule", 1.2) is day
    assert (day.widthF(), day.isCosmetic()) == (1.2, True)
    theme.use(True)
    assert theme.pen("rule", 1.2).color() != day.color()
    ink = theme.family("grip")
    assert theme.pen_in(ink, 2.0).color() == ink


def test_a_plot_says_where_it_stands(window, qapp, idle):
    settled(window, qapp, idle)
    for plot in window.traces.plots:
        assert plot.box().getRect() == pytest.approx(plot.sceneBoundingRect().getRect(), abs=0.6)
    assert np.all(np.diff([plot.box().top() for plot in window.traces.plots]) > 20.0)


def test_a_dial_and_a_switch_that_were_moved_and_refused_go_back(window, qapp, idle, monkeypatch):
    settled(window, qapp, idle)
    session, strip = window.session, window.desk.strip("fan")
    dial, was = strip.dials["thrust"], strip.part.thrust
    dial.value = 1.5 * was  # as a drag has it, before the model answers
    strip.buttons["mute"].setChecked(True)
    session.shown.run_changed.emit()
    assert dial.value == was
    assert not strip.buttons["mute"].isChecked()
    session.locks ^= {"crafts.fan_sled.parts.fan.thrust"}
    window.desk.refresh()
    assert dial.locked
    session.locks.clear()
    window.desk.refresh()
    assert not dial.locked


def test_five_strips_fit_a_small_window(window, qapp, idle):
    window.session.open(demos.load("ice-truck"), (), None)
    window.resize(1100, 700)
    settled(window, qapp, idle)
    plots = window.traces.plots
    assert len(plots) == 5
    assert plots[-1].box().bottom() <= window.traces.bar.y()
    assert min(plot.box().height() for plot in plots) >= 24.0
