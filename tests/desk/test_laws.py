"""The pane Laws driven as a user drives it: laws compared, taken over, written, and undone."""

import dataclasses

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from oak_sled.core.project import demos
from oak_sled.desk.work.jobs import Worker


@pytest.fixture
def window(reopened):
    """One window for all tests here: each opens the ferry anew."""
    return reopened("ferry")


@pytest.fixture
def pane(window, idle):
    idle()
    window.show_pane("Laws")
    window.laws.hidden.clear()
    window.laws.choose("pads", "pad_push")
    return window.laws


def place_of(pane, name):
    return next(k for k, one in enumerate(pane.candidates) if one.name == name)


def pads(window):
    return next(part for part in window.session.craft.parts if part.id == "pads")


def type_into(edit, text, and_return=True):
    edit.setFocus()
    edit.selectAll()
    QTest.keyClicks(edit, text)
    if and_return:
        QTest.keyClick(edit, Qt.Key.Key_Return)


def test_no_words_of_it_widen_the_pane(pane, window, idle):
    window.show_pane("Traces")
    before = window.split.sizes()
    window.show_pane("Laws")
    pane.add_formula()
    type_into(pane.editor.text, "if(gap < 0.5 [m], 29 [kN/m], 40 [kN/m]) * (reach - gap) + 3600 [N s/m] * closing")
    pane.take_over(place_of(pane, "own law"))
    idle()
    assert window.split.sizes() == before


def test_a_law_is_taken_over_by_one_click_and_undone(pane, window, idle):
    assert [one.kind for one in pane.candidates].count("in force") == 1
    assert pane.candidates[0].name == "spring"
    before = window.session.shown.run
    row = pane.rows[place_of(pane, "cushion")]
    QTest.mouseClick(row.buttons["use"], Qt.MouseButton.LeftButton)
    idle()
    assert pads(window).law == "cushion"
    assert pane.candidates[0].name == "cushion"
    assert window.session.shown.run is not before
    assert window.session.history.undo_label == "Pads: cushion"
    window.session.undo()
    idle()
    assert pads(window).law == "spring"
    assert pane.candidates[0].name == "spring"


def test_the_chart_follows_the_cursor_and_says_what_stands_there(pane, window):
    for time in (1.0, 4.0):
        window.session.shown.set_time(time)
        run, row = window.session.shown.run, window.session.shown.row
        gaps = [run.column(f"pads.{k}.gap")[row] for k in range(1, 5)]
        assert sorted(pane.chart.chart.points[:, 0]) == pytest.approx(sorted(g for g in gaps if g < pads(window).reach))
    low, high = pane.chart.chart.used
    assert f"{low:.3f}"[:4] in pane.words.toolTip()
    assert high <= pads(window).reach
    pane.draw_against("closing")
    assert "closing" in pane.against.text()
    assert pane.chart.chart.slope == pytest.approx(pads(window).damping, rel=1e-3)


def test_a_click_on_a_formulas_curve_opens_it_and_a_row_hides_it(pane, window):
    pane.add_formula()
    type_into(pane.editor.text, "10 [kN]")
    pane.edited = ""
    chart = pane.chart
    place = place_of(pane, "own law")
    curve = chart.chart.curves[chart.places.index(place)]
    at = chart.at(float(chart.chart.x[200]), float(curve.values[200]))
    QTest.mouseClick(chart, Qt.MouseButton.LeftButton, pos=QPointF(at).toPoint())
    assert pane.edited == "own_law"
    QTest.mouseClick(pane.rows[place].buttons["hide"], Qt.MouseButton.LeftButton)
    assert place not in pane.chart.places
    QTest.mouseClick(pane.rows[place].buttons["show"], Qt.MouseButton.LeftButton)
    assert place in pane.chart.places


def test_a_formula_is_written_and_the_drill_follows_every_key(pane, window, idle):
    said = []
    window.session.said.connect(lambda text, fault: said.append(text))
    QTest.mouseClick(pane.new, Qt.MouseButton.LeftButton)
    law = window.session.craft.laws[-1]
    assert law.text == "29000 [N/m] * (reach - gap) + 3600 [N s/m] * closing", "it begins as what is in force"
    assert pane.editor.text.text() == law.text
    QTest.mouseClick(pane.rows[place_of(pane, "own law")].buttons["use"], Qt.MouseButton.LeftButton)
    idle()
    same = window.session.shown.run
    assert pads(window).formula == "own_law"
    assert window.desk.strip("pads").dials["stiffness"].idle
    steps = window.session.history.undo_label
    type_into(pane.editor.text, "20 [kN/m] * (reach - gap) + 3600 [N s/m] * closing", and_return=False)
    idle()
    assert window.session.shown.run is not same, "it runs while it is typed"
    assert window.session.history.undo_label == steps, "and is no step yet"
    QTest.keyClick(pane.editor.text, Qt.Key.Key_Return)
    idle()
    assert not said, "nothing is said, not even of compiling it"
    assert window.session.history.undo_label == "formula own law"
    ride = window.session.shown.found["ride_gap"]
    window.session.undo()
    idle()
    assert window.session.craft.laws[-1].text == law.text
    assert pane.editor.name.text() == "own_law"
    assert window.session.shown.found["ride_gap"] > ride, "softer springs sag more"


def test_a_wrong_formula_is_said_at_its_column_and_the_last_good_one_stays(pane, window, idle):
    pane.add_formula()
    good = window.session.craft.laws[-1].text
    for text, says in (
        ("29000 [N/m] * (reach - gapp)", "column 24: 'gapp' is not known here (did you mean gap?)"),
        ("29000 [N/m] * reach + closing", "column 23: N + m/s: the second term lacks a factor in N s/m"),
    ):
        type_into(pane.editor.text, text)
        assert says in pane.editor.says.toolTip()
        assert pane.editor.text.property("wrong") == "true"
    idle()
    assert window.session.craft.laws[-1].text.startswith("29000 [N/m] *"), "the last text that could be read"
    type_into(pane.editor.text, good)
    assert pane.editor.text.property("wrong") == "false"
    idle()


def test_a_text_that_breaks_off_is_one_step_and_is_kept_to_be_mended(pane, window, idle):
    pane.add_formula()
    first = window.session.craft.laws[-1].text
    type_into(pane.editor.text, "20 [kN/m] * (reach - gap)", and_return=False)
    QTest.keyClicks(pane.editor.text, " + ")
    window.view.setFocus()
    assert not window.session.is_previewing, "what could be read is a step"
    assert window.session.history.undo_label == "formula own law"
    assert window.session.craft.laws[-1].text.strip() == "20 [kN/m] * (reach - gap)"
    window.session.edit("crafts.ferry.parts.fan.thrust", 6500.0)
    idle()
    assert pane.editor.text.text() == "20 [kN/m] * (reach - gap) + ", "what cannot be read is not lost"
    pane.editor.text.setFocus()
    window.session.undo()
    window.session.undo()
    idle()
    assert window.session.craft.laws[-1].text == first
    assert pane.editor.text.text() == first, "and follows Undo, with the focus in it too"


def test_numbers_are_written_dragged_changed_and_named_in_formulas(pane, window, idle, drag):
    pane.add_formula()
    editor = pane.editor
    editor.write_number(None)
    type_into(editor.entry, "stiff = 29 kN/m, 0 to 60")
    assert not editor.entry.isVisible()
    type_into(editor.text, "stiff * (reach - gap) + 3600 [N s/m] * closing")
    pane.take_over(place_of(pane, "own law"))
    idle()
    before = window.session.shown.found["ride_gap"]
    dial = editor.dials["stiff"]
    assert dial.dial.unit == "kN/m"
    assert dial.dial.slider == (0.0, 60.0)
    drag(dial, QPointF(60, 24), QPointF(130, 24))
    idle()
    number = window.session.craft.numbers[-1]
    assert number.value > 30.0
    assert window.session.shown.found["ride_gap"] > before
    editor.write_number(number)
    type_into(editor.entry, f"spring = {number.value} kN/m")
    assert window.session.craft.laws[-1].text.startswith("spring * (reach")
    said = []
    window.session.said.connect(lambda text, fault: said.append(text))
    editor.remove_number(window.session.craft.numbers[-1])
    assert "'spring' is not known" in said[-1]
    editor.write_number(None)
    type_into(editor.entry, "gap = 1 m")
    assert "means something else" in said[-1]
    type_into(editor.entry, "nonsense")
    assert "cannot be read" in said[-1]
    assert len(window.session.craft.numbers) == 2


def test_a_formula_is_renamed_and_removed_and_what_follows_it_stays_right(pane, window, idle):
    pane.add_formula()
    pane.take_over(place_of(pane, "own law"))
    idle()
    run = window.session.shown.run
    type_into(pane.editor.name, "Soft Ride")
    assert pads(window).formula == "soft_ride"
    assert pane.editor.law.id == "soft_ride"
    idle()
    assert np.array_equal(window.session.shown.run.column("position.z"), run.column("position.z"))
    QTest.mouseClick(pane.editor.buttons["remove"], Qt.MouseButton.LeftButton)
    idle()
    assert pads(window).formula == ""
    assert "soft_ride" not in [law.id for law in window.session.craft.laws]
    assert not pane.editor.isVisible()
    window.session.undo()
    assert pads(window).formula == "soft_ride"


def test_the_law_of_a_kept_run_is_drawn_and_taken_with_its_formula_and_numbers(pane, window, idle):
    pane.add_formula()
    pane.editor.write_number(None)
    type_into(pane.editor.entry, "stiff = 20 kN/m")
    type_into(pane.editor.text, "stiff * (reach - gap)")
    pane.take_over(place_of(pane, "own law"))
    idle()
    card = window.session.shelf.cards[0]
    window.session.shelf.change_card(card.id, "star", starred=True)
    kept = window.session.shown.run
    built_in = demos.load("ferry").craft()
    bare = window.session.yard.edit_all(
        [(f"crafts.ferry.{name}", getattr(built_in, name)) for name in ("parts", "laws", "numbers")]
    )
    window.session.open(bare, window.session.shelf.cards, None)
    idle()
    pane.choose("pads", "pad_push")
    place = next(k for k, one in enumerate(pane.candidates) if one.kind == "kept")
    pane.take_over(place)
    idle()
    assert pads(window).formula == "own_law"
    assert window.session.craft.numbers[-1].id == "stiff"
    assert window.session.shown.run.digest == kept.digest


def test_the_words_under_a_formula_end_within_the_editor_at_any_width(pane):
    pane.add_formula()
    says, shown = pane.editor.says, set()
    for width in (620, 300, 900):
        pane.editor.resize(width, pane.editor.height())
        assert 0 < says.fontMetrics().horizontalAdvance(says.text()) <= width - 20
        shown.add(says.text())
    assert len(shown) == 3, "what fits differs"


def test_a_craft_without_laws_says_what_to_do(window, idle):
    window.session.open(demos.load("puck"), (), None)
    idle()
    craft = window.session.craft
    window.session.edit(f"{window.session.craft_path}.parts", tuple(p for p in craft.parts if not p.PLACES))
    idle()
    window.show_pane("Laws")
    assert window.laws.subject() is None
    assert window.laws.chart.chart is None
    assert not window.laws.new.isVisible()


def test_an_answer_that_comes_after_the_window_closed_harms_nothing(qtbot, window):
    worker = Worker()
    with qtbot.waitSignal(worker.finished, timeout=60_000):
        worker.ask(window.session.job())
        worker._pool.submit(int).result()  # behind it in the thread: the run is done, and its answer on its way
        worker.close()


def test_a_run_that_a_closing_window_ends_is_said_to_nobody(qtbot, window):
    worker, told = Worker(), []
    for signal in (worker.finished, worker.failed, worker.cancelled):
        signal.connect(lambda *said: told.append(said))
    job = window.session.job()
    worker.ask(dataclasses.replace(job, drill=job.drill.replace(duration=3600.0, end="time")))
    worker.close()
    qtbot.waitUntil(lambda: not worker.is_busy, timeout=60_000)
    assert told == []


def test_while_driving_the_chart_shows_no_working_point_of_an_old_run(pane, window):
    assert len(pane.chart.chart.points)
    window.set_driving(True)
    assert not len(pane.chart.chart.points)
    window.set_driving(False)


def test_the_ledger_says_where_the_energy_of_a_bounce_goes(reopened, idle):
    window = reopened("crate-drop")
    idle()
    window.show_pane("Ledger")
    pane = window.ledger
    QTest.mouseClick(pane.kind, Qt.MouseButton.LeftButton)
    window.session.shown.set_time(0.5)
    table = pane.energies()
    whole = {share.kind: share.joules for share, _ in table.lines}
    assert whole["lost"] < 0.0 < whole["work"]
    assert "springs" in pane.accessibleDescription()
    held = [next(now for share, now in table.lines if share.kind == "held")]
    window.session.shown.set_time(table.bounce.lowest * window.session.shown.run.job.dt)
    held.append(next(now for share, now in pane.energies().lines if share.kind == "held"))
    assert held[1] < held[0], "most is held at the lowest point"
    QTest.mouseClick(pane.kind, Qt.MouseButton.LeftButton)
    assert pane.axes.isVisible()
    assert not pane.shows_energy


def test_the_ledger_paints_nothing_under_its_buttons(reopened, idle):
    """Its text without the buttons, at the height of the buttons: both views, at the least size too."""
    window = reopened("crate-drop")
    idle()
    window.show_pane("Ledger")
    window.session.shown.set_time(0.5)
    pane = window.ledger
    for width in (1280, 1000):
        window.resize(width, 700)
        idle()
        for energy in (False, True):
            pane.show_energy(energy)
            picture = QImage(pane.size(), QImage.Format.Format_RGB32)
            picture.fill(0xFFFFFF)
            pane.render(picture, flags=QWidget.RenderFlag(0))
            ink = [y for y in range(picture.height()) if len({picture.pixel(x, y) for x in range(picture.width())}) > 1]
            assert min(ink) > pane.kind.geometry().bottom(), (width, energy)
            assert max(ink) < pane.height()
