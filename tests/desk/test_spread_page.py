"""The page Spread in the real window: begun from a dial, computed, crossed, taken from, cancelled, kept and undone."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from oak_sled.core.assembly import ground_shape
from oak_sled.core.files import yard_json
from oak_sled.core.results import measures
from oak_sled.core.study import sensitivity, spread, variants
from oak_sled.desk.spread import exports, menus, sensing
from oak_sled.desk.widgets import theme
from oak_sled.desk.widgets.dialwidget import DialWidget
from oak_sled.desk.yardview.scene import LEVEL, Scene

THRUST = "crafts.fan_sled.parts.fan.thrust"
GRIP = "crafts.fan_sled.parts.runners.side_grip"


@pytest.fixture
def window(reopened):
    """One window for all tests here: each opens the sled anew."""
    window = reopened("fan-sled")
    window.spread_page.faces.setCurrentWidget(window.spread_page.map)
    window.spread_page.computing.sensed = None
    return window


@pytest.fixture
def page(window, idle, qtbot):
    window.show_page("Spread")
    idle()
    yield window.spread_page
    qtbot.waitUntil(lambda: not window.keeper.background.is_busy, timeout=20_000)
    window.show_page("Bench")


@pytest.fixture
def computed(page, idle, qtbot):
    """The page with what is asked for computed."""

    def wait():
        qtbot.waitUntil(lambda: page.computing.plan is None and not page.background.is_busy, timeout=30_000)
        idle()
        return page

    return wait


def begun(page, computed, count=5):
    """A spread of thrust and grip, small."""
    page.begin(THRUST)
    computed()
    page._edit_axis(0, {"count": count})
    page.vary_beside(GRIP)
    return computed()


def test_without_a_spread_the_page_says_how_to_begin(page):
    assert page.plan is None
    assert page.empty.isVisible()
    assert "Right-click" in page.empty.words.text()


def test_a_right_click_on_a_dial_begins_a_spread(window, page, computed, monkeypatch):
    window.show_page("Bench")
    dial = window.desk.findChild(DialWidget, "dial_fan_thrust")
    chosen = []

    def pick(menu, *_):
        action = next(one for one in menu.actions() if one.text() == "Vary this in a spread")
        chosen.append(action.text())
        action.trigger()

    monkeypatch.setattr(QMenu, "exec", pick)
    dial.contextMenuEvent(_menu_event(dial))
    assert chosen
    computed()
    assert window.page_stack.currentWidget() is page
    assert [axis.path for axis in page.plan.axes] == [THRUST]
    assert spread.is_current(window.session.yard, page.plan)
    assert np.isfinite(page.values()[:, 0, page.plan.measures.index("top_speed")]).all()
    assert page.map.now is not None


def _menu_event(widget):
    from PyQt6.QtGui import QContextMenuEvent

    at = QPoint(10, 10)
    return QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at))


def test_every_colour_is_what_a_run_of_that_variant_shows(page, window, computed):
    begun(page, computed)
    plan = page.plan
    assert plan.shape[0] == 5
    name = plan.measures.index("top_speed")
    page.draw(name)
    number = 2 * plan.shape[1] + 1
    at = page.map.place_of(number)
    QTest.mouseMove(page.map, at.toPoint())
    assert page.map.chosen == number
    value = page.values()[number, 0, name]
    assert f"{value:.3g}" in page.map.said(number)
    assert variants.words_of(window.session.yard, plan, number) in page.map.accessibleDescription()


def test_a_click_takes_a_variant_as_one_edit_with_a_card_and_undo_gives_it_back(page, window, computed, idle):
    begun(page, computed)
    session, plan = window.session, page.plan
    before, cards = session.yard, len(session.shelf.cards)
    number = plan.variants - 1
    QTest.mouseClick(page.map, Qt.MouseButton.LeftButton, pos=page.map.place_of(number).toPoint())
    idle()
    thrust, grip = plan.values_of(number)
    parts = {part.id: part for part in session.craft.parts}
    assert (parts["fan"].thrust, parts["runners"].side_grip) == (thrust, grip)
    assert len(session.shelf.cards) == cards + 1
    name = plan.measures.index("top_speed")
    assert measures.measure("top_speed").read(session.shown.run) == pytest.approx(
        page.values()[number, 0, name], rel=1e-12
    )
    assert page.map.now == pytest.approx((plan.shape[0] - 1.0, plan.shape[1] - 1.0))
    assert page.map.fresh, "what the varied dials are decides no result"
    window.acts["undo"].trigger()
    idle()
    assert session.yard == before


def test_keys_choose_and_take(page, window, computed, idle):
    begun(page, computed)
    page.map.setFocus()
    page.map.look(0)
    for key in (Qt.Key.Key_Up, Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Left):
        QTest.keyClick(page.map, key)
    assert page.map.chosen == page.plan.shape[1] + 1
    QTest.keyClick(page.map, Qt.Key.Key_Return)
    idle()
    assert window.session.craft.parts[0].thrust == page.plan.values_of(page.map.chosen)[0]


def test_a_line_across_reads_the_measure_along_it_and_does_not_take(page, window, computed):
    begun(page, computed)
    yard = window.session.yard
    start, end = page.map.px(0.0, 0.0).toPoint(), page.map.px(4.0, 3.0).toPoint()
    QTest.mousePress(page.map, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(page.map, start + QPoint(30, -20))
    QTest.mouseMove(page.map, end)
    QTest.mouseRelease(page.map, Qt.MouseButton.LeftButton, pos=end)
    assert page.map.line is not None
    assert page.map.line[0] == pytest.approx((0.0, 0.0), abs=0.05)
    assert window.session.yard == yard
    QTest.keyClick(page.map, Qt.Key.Key_Escape)
    assert page.map.line is None


def test_axes_are_typed_in_place_and_a_stretch_upside_down_is_said(page, window, computed):
    page.begin(THRUST)
    computed()
    said = []
    window.session.said.connect(lambda text, fault: said.append((text, fault)))
    low = page.axes.fields[0, "low"]
    low.setText("0.5 kN")
    low.editingFinished.emit()
    assert page.plan.axes[0].low == 500.0
    assert page.plan.results is None
    high = page.axes.fields[0, "high"]
    high.setText("100")
    high.editingFinished.emit()
    assert said[-1][1]
    assert "less than" in said[-1][0]
    assert page.plan.axes[0].low == 500.0
    count = page.axes.fields[0, "count"]
    count.setText("many")
    count.editingFinished.emit()
    assert "whole number" in said[-1][0]
    page.axes.scales[0].click()
    assert page.plan.axes[0].scale == "linear"


@pytest.mark.parametrize(
    ("words", "values"),
    [("new: ticks per second", 6), ("new: craft against craft", 2), ("law: share, linear, curve", 3)],
)
def test_laws_crafts_and_tick_rates_are_compared(page, window, computed, words, values):
    old = window.session.yard.crafts[0]
    assert window.session.edit("crafts", (old, old.replace(id="heavy", body=old.body.replace(mass=400.0))))
    menu = QMenu()
    menus.fill_which(page, menu)
    inner = [one for action in menu.actions() if action.menu() for one in action.menu().actions()]
    next(action for action in (*menu.actions(), *inner) if action.text() == words).trigger()
    computed()
    assert len(page.plan.axes[0].values) >= values
    found = page.values()[:, 0, page.plan.measures.index("top_speed")]
    assert np.isfinite(found).any()
    page.map.repaint()
    menu.deleteLater()


def test_disturbances_make_a_band(page, computed):
    page.begin(THRUST)
    computed()
    page._edit_axis(0, {"count": 4})
    page.disturb(page.plan.scatter.replace(repeats=4))
    page.compute()
    computed()
    values = page.values()
    assert values.shape[:2] == (4, 5)
    place = page.plan.measures.index("top_speed")
    assert np.ptp(values[:, :, place], axis=1).min() > 0.0


def test_what_is_edited_while_it_is_computed_drops_the_results(page, window, computed):
    page.begin(THRUST)
    computed()
    said = []
    window.session.said.connect(lambda text, fault: said.append(text))
    page.compute()
    page._edit_axis(0, {"count": 3})
    computed()
    assert any("changed while it was computed" in text for text in said)
    assert page.plan.results is None


def test_an_edit_of_the_yard_says_that_the_map_is_of_before(page, window, computed, idle):
    page.begin(THRUST)
    computed()
    assert page.map.fresh
    window.session.edit("crafts.fan_sled.body.mass", 320.0)
    idle()
    assert not page.map.fresh
    window.acts["undo"].trigger()
    idle()
    assert page.map.fresh


def test_a_spread_whose_part_is_removed_says_so_and_undo_brings_it_back(page, window, computed, idle):
    begun(page, computed)
    plan = page.plan
    window.desk.remove("fan")
    idle()
    assert page.empty.isVisible()
    assert not page.split.isVisible()
    assert "parts.fan" in page.empty.words.text()
    assert not page.compute_button.isVisible()
    page.map.repaint()
    page.beside.repaint()
    window.acts["undo"].trigger()
    idle()
    assert page.split.isVisible()
    assert page.plan == plan
    assert page.map.fresh


def test_what_matters_is_of_the_bench_as_it_is_or_not_shown(page, window, computed, idle):
    page.begin(THRUST)
    computed()
    page.sense()
    computed()
    assert page.sensing.rows
    assert page.sensing.drill == window.session.drill.heading
    window.session.edit("crafts.fan_sled.body.mass", 320.0)
    idle()
    assert not page.sensing.rows
    window.acts["undo"].trigger()
    idle()
    assert page.sensing.rows


@pytest.mark.parametrize("value", [9.99, -9.99, -0.10, 0.05, 9999.0, -9999.0])
def test_a_figure_of_what_matters_fits_beside_its_bar_inside_its_cell(value, window):
    cell = QRectF(100.0, 40.0, sensing.CELL, sensing.LINE)
    text = f"{value:+.2f}" if abs(value) < 10.0 else f"{value:+.0f}"
    for most in (abs(value), 10.0 * abs(value)):
        bar, box = sensing.places(cell.x(), cell.y(), value, most)
        assert cell.contains(bar)
        assert cell.contains(box)
        assert not bar.intersects(box)
        assert QFontMetricsF(theme.font(10)).horizontalAdvance(text) <= box.width()


def test_a_second_press_of_compute_begins_nothing_more(page, window, computed, monkeypatch):
    begins = []
    page.begin(THRUST)
    computed()
    page._edit_axis(0, {"count": 150})
    real = spread.compute
    monkeypatch.setattr(spread, "compute", lambda *given: begins.append(1) or real(*given))
    page.compute()
    page.computing._start(window.session.yard, page.plan)
    computed()
    assert len(begins) == 1
    assert page.plan.results is not None


def test_a_spread_is_cancelled_and_the_window_goes_on(page, window, computed):
    page.begin(THRUST)
    computed()
    page._edit_axis(0, {"count": 190})
    page.compute()
    page.background.cancel()
    computed()
    assert page.plan.results is None
    assert page.compute_button.isEnabled()


def test_a_long_spread_asks_first(page, window, computed, qtbot, monkeypatch):
    asked = []
    monkeypatch.setattr(page.computing, "_ask", lambda text, fault, answers: asked.append((text, answers)))
    monkeypatch.setattr(spread, "seconds_for", lambda yard, plan: 300.0)
    page.begin(THRUST)
    computed()
    page._edit_axis(0, {"count": 5000})
    page.compute()
    qtbot.waitUntil(lambda: bool(asked), timeout=10_000)
    assert "5000 runs, about 5 min" in asked[0][0]
    assert page.computing.plan is None, "nothing was begun"


def test_what_matters_is_of_the_drill_of_the_spread_in_sight(page, window, computed, idle):
    page.begin(THRUST)
    computed()
    drill = page.plan.drill
    window.session.choose("drill", "straight_pull")
    idle()
    assert page.plan.drill == drill != "straight_pull"
    page.sense()
    computed()
    found = page.computing.sensed_now(page.plan)
    assert found is not None
    assert page.computing.sensed[0].drill.id == drill
    assert window.session.yard.drill(drill).heading == page.sensing.drill
    assert np.array_equal(
        found.answers, sensitivity.compute(window.session.yard, drill, "fan_sled").answers, equal_nan=True
    )


def test_what_matters_is_shown_and_a_click_goes_to_the_dial(page, window, computed):
    page.begin(THRUST)
    computed()
    page.sense()
    computed()
    assert page.sensing.rows
    path = page.sensing.path_at(QPointF(20.0, 66.0))
    assert path.startswith("crafts.fan_sled.")
    QTest.mouseClick(page.sensing, Qt.MouseButton.LeftButton, pos=QPoint(20, 66))
    pieces = path.split(".")
    assert window.desk.open_name == (pieces[3] if pieces[2] == "parts" else "body")
    window.desk.open_strip(window.desk.open_name)


def test_the_trade_off_joins_what_none_beats_and_takes_by_a_click(page, window, computed, idle):
    begun(page, computed)
    page.add_measure("peak_slip")
    computed()
    page.draw(page.plan.measures.index("top_speed"))
    page.turn_better()
    trade = page.trade
    assert not trade.less[0]
    assert trade.front
    number = trade.front[-1]
    QTest.mouseClick(trade, Qt.MouseButton.LeftButton, pos=trade.place_of(number).toPoint())
    idle()
    assert window.session.craft.parts[0].thrust == page.plan.values_of(number)[0]


def test_variants_stand_side_by_side_at_the_cursor(page, window, computed, qtbot):
    begun(page, computed)
    page.turn_over()
    qtbot.waitUntil(lambda: len(page.beside.made) > 0, timeout=20_000)
    numbers = [number for number, _ in page.beside.made]
    assert 0 in numbers
    assert page.plan.variants - 1 in numbers
    window.session.shown.set_time(1.0)
    first = page.beside.spots()
    window.session.shown.set_time(3.0)
    assert np.linalg.norm(page.beside.spots() - first, axis=1).min() > 0.5, "all move"
    assert len({tuple(np.round(spot, 3)) for spot in first}) == len(numbers)
    page.beside.repaint()
    spot = dict(page.beside._spots)[numbers[0]]
    QTest.mouseClick(page.beside, Qt.MouseButton.LeftButton, pos=spot.toPoint())
    assert page.beside.followed == numbers[0]
    page.turn_over()
    assert page.faces.currentWidget() is page.map


def test_a_spread_is_saved_reopened_exported_and_removed(page, window, computed, tmp_path, idle):
    begun(page, computed, 4)
    file = tmp_path / "kept.json"
    yard_json.save(window.session.yard, file)
    again = yard_json.load(file)
    assert again.spreads == window.session.yard.spreads
    assert spread.is_current(again, again.spreads[0])
    exports.write_csv(page, tmp_path / "grid.csv")
    assert len((tmp_path / "grid.csv").read_text().splitlines()) == 1 + page.plan.variants
    exports.write_picture(page, tmp_path / "map.png")
    assert (tmp_path / "map.png").read_bytes().startswith(b"\x89PNG")
    said = []
    window.session.said.connect(lambda text, fault: said.append((text, fault)))
    exports.write_csv(page, tmp_path / "no" / "where.csv")
    assert said[-1][1]
    kept = window.session.yard.spreads
    for write in (exports.write_csv, exports.write_picture):
        write(page, Path("/dev/full"))
        assert said[-1] == ("/dev/full: cannot be written: no space left on device (a writable folder with free "
                            "space)", True)  # fmt: skip
    assert window.session.yard.spreads == kept
    page.remove()
    assert page.plan is None
    window.acts["undo"].trigger()
    idle()
    assert page.plan is not None


def pick(menu, text):
    """Chooses an entry of a filled menu."""
    action = next(one for one in menu.actions() if one.text().startswith(text))
    action.trigger()
    return action.text()


def test_cards_of_the_shelf_are_spread_beside_one_another(page, window, computed, qtbot):
    session = window.session
    for thrust in (450.0, 640.0, 800.0):
        session.edit(THRUST, thrust, f"thrust {thrust:g}")
        qtbot.waitUntil(lambda: not session.worker.is_busy and session.runs.to_card is None, timeout=20_000)
    menu = QMenu()
    menus.fill_which(page, menu)
    assert pick(menu, "new: cards of the shelf") == f"new: cards of the shelf ({len(session.shelf.cards)})"
    computed()
    titles = [card.title for card in page.plan.cards]
    assert titles[-3:] == [card.heading for card in session.shelf.cards[2::-1]], "the oldest first"
    speeds = page.values()[-3:, 0, page.plan.measures.index("top_speed")]
    assert speeds[0] < speeds[1] < speeds[2]
    assert page.map.now == (float(page.plan.variants - 1),), "the last one is on the bench"
    page.take(page.plan.variants - 3)
    assert session.craft.parts[0].thrust == 450.0
    assert page.map.now == (float(page.plan.variants - 3),)
    session.undo()
    assert session.craft.parts[0].thrust == 800.0


def test_a_variant_that_is_followed_is_starred_and_taken(page, window, computed, qtbot):
    begun(page, computed)
    page.beside_button.click()
    qtbot.waitUntil(lambda: len(page.beside.made) > 0, timeout=20_000)
    page.beside.repaint()
    assert not page.beside.hands.isVisible()
    numbers = [number for number, _ in page.beside.made]
    spot = dict(page.beside._spots)[numbers[1]]
    QTest.mouseClick(page.beside, Qt.MouseButton.LeftButton, pos=spot.toPoint())
    assert page.beside.hands.isVisible()
    before, yard = len(window.session.shelf.cards), window.session.yard
    QTest.mouseClick(page.beside.star_button, Qt.MouseButton.LeftButton)
    card = window.session.shelf.cards[0]
    assert len(window.session.shelf.cards) == before + 1
    assert card.starred
    assert card.heading == variants.words_of(yard, page.plan, numbers[1])
    assert card.job.craft.parts[0].thrust == page.plan.values_of(numbers[1])[0]
    assert window.session.yard == yard, "the bench stays as it is"
    assert page.beside.star_button.text() == "take the star off"
    QTest.mouseClick(page.beside.star_button, Qt.MouseButton.LeftButton)
    assert not window.session.shelf.cards[0].starred
    window.session.undo()
    window.session.undo()
    assert len(window.session.shelf.cards) == before
    assert page.beside.star_button.text() == "star it"
    QTest.mouseClick(page.beside.take_button, Qt.MouseButton.LeftButton)
    computed()
    assert window.session.craft.parts[0].thrust == page.plan.values_of(numbers[1])[0]
    page.beside_button.click()


@pytest.mark.parametrize(
    ("where", "dial", "path"),
    [
        ("Ground", "ground_gravity", "grounds.mill_bay.gravity"),
        ("Drill", "drill_start.speed", "drills.slalom.start.speed"),
        ("Build", "build_mass", "crafts.fan_sled.body.mass"),
    ],
)
def test_a_dial_beside_a_drawing_is_varied_and_locked_too(window, page, computed, monkeypatch, where, dial, path):
    window.show_page(where)
    found = window.page_stack.currentWidget().findChildren(DialWidget)
    widget = next(one for one in found if one.path == path)
    monkeypatch.setattr(QMenu, "exec", lambda menu, *_: pick(menu, "Vary this in a spread"))
    widget.contextMenuEvent(_menu_event(widget))
    computed()
    assert window.page_stack.currentWidget() is page
    assert [axis.path for axis in page.plan.axes] == [path]
    assert spread.is_current(window.session.yard, page.plan)
    window.show_page(where)
    widget = next(one for one in window.page_stack.currentWidget().findChildren(DialWidget) if one.path == path)
    monkeypatch.setattr(QMenu, "exec", lambda menu, *_: pick(menu, "Lock"))
    widget.contextMenuEvent(_menu_event(widget))
    before = widget.value
    QTest.keyClick(widget, Qt.Key.Key_Up)
    assert widget.locked
    assert widget.value == before
    monkeypatch.setattr(QMenu, "exec", lambda menu, *_: pick(menu, "Unlock"))
    widget.contextMenuEvent(_menu_event(widget))
    assert not widget.locked


def test_each_of_many_crafts_is_drawn_where_it_stands_and_turned_as_it_is(page, window, computed, qtbot):
    """Crafts that look alike are drawn in one call: each is what it is when it is drawn alone."""
    begun(page, computed)
    page.beside_button.click()
    qtbot.waitUntil(lambda: len(page.beside.made) > 0, timeout=20_000)
    window.session.shown.set_time(2.0)
    view = page.beside
    camera = view.camera(view.spots())
    figures = view.figures()
    assert len(figures) > 12
    draw = view.renderer.draw
    size = (view.width(), view.height())

    def pixels(*shown):
        image = draw(Scene(LEVEL, list(shown), crowd=True), camera, *size, False)
        seen = np.frombuffer(image.constBits().asarray(image.sizeInBytes()), np.uint8)
        return seen.reshape(size[1], size[0], 4).astype(int)  # a copy: the image goes

    empty, together = pixels(), pixels(*figures)
    differs = np.abs(together - empty).sum(axis=2) > 0
    for one in figures:
        alone = pixels(one)
        own = np.abs(alone - empty).sum(axis=2) > 0
        assert own.sum() > 30
        assert differs[own].all(), "nothing of it is missing"
        assert (np.abs(together - alone).sum(axis=2)[own] == 0).mean() > 0.5, "most of it is as when alone"
    page.beside_button.click()


def test_variants_on_uneven_ground_stand_on_pieces_of_it(reopened, idle, qtbot):
    window = reopened("ferry")
    window.session.choose("drill", "ridges")
    idle()
    window.show_page("Spread")
    page = window.spread_page
    page.begin("crafts.ferry.parts.pads.stiffness")
    qtbot.waitUntil(lambda: page.computing.plan is None and not page.background.is_busy, timeout=60_000)
    page.beside_button.click()
    qtbot.waitUntil(lambda: len(page.beside.made) > 0, timeout=60_000)
    view, ground = page.beside, page.beside.made[0][1].job.ground
    for moment in (1.0, 4.0):
        window.session.shown.set_time(moment)
        spots = view.spots() - view._offsets
        corners = view._tiles.vertices(spots, view._offsets).reshape(len(spots), -1, 9)
        for spot, offset, piece in zip(spots, view._offsets, corners, strict=True):
            flat = piece[:, :2] - offset[:2]
            assert np.abs(flat - spot[:2]).max() <= view._tiles.half + 1e-3, "it lies round its craft"
            for x, y, z in zip(*flat.T[:, ::97], piece[::97, 2], strict=True):
                there = ground_shape.height_at(ground, float(x), float(y))
                assert z == pytest.approx(there, abs=0.25), "between the points where heights are looked up"
        levels = view._tiles.level(spots)
        assert np.all(levels < spots[:, 2]), "the craft hovers over it"
    view.repaint()
    page.beside_button.click()
    window.show_page("Bench")


def test_an_empty_page_offers_the_dials_that_matter_most_one_click_each(window, idle):
    session, page = window.session, window.spread_page
    session.edit("spreads", ()) if session.yard.spreads else None
    window.show_page("Spread")
    idle()
    assert page.empty.isVisible()
    assert session.drill.heading in page.empty.seeker.text()
    QTest.mouseClick(page.empty.seeker, Qt.MouseButton.LeftButton)
    idle()
    texts = [button.text() for button in page.empty.buttons]
    assert 3 <= len(texts) <= 6
    assert texts[0].startswith("vary thrust of fan: drill time")
    QTest.mouseClick(page.empty.buttons[0], Qt.MouseButton.LeftButton)
    idle()
    assert session.yard.spreads[-1].axes[0].path == "crafts.fan_sled.parts.fan.thrust"
    assert not page.empty.isVisible()
