"""The pieces of the desk: theme, cameras, meshes, jobs, history, panes and menus."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QLineEdit, QMenu

from oak_sled.core.assembly.jobs import Job, with_documents
from oak_sled.core.geometry import curve
from oak_sled.core.project import demos, shelf
from oak_sled.core.results import run, traces
from oak_sled.core.yard.block import Block
from oak_sled.desk.panes.cardwidget import thumbnail
from oak_sled.desk.panes.traceplot import Line, nice_step
from oak_sled.desk.strips.strip import Strip
from oak_sled.desk.widgets import screenshot, theme
from oak_sled.desk.work.jobs import CANCELLED, Errand, Worker
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview import arrows, craftmesh, meshes
from oak_sled.desk.yardview.camera import Camera, Rig, lagged_heading
from oak_sled.desk.yardview.figures import figure
from oak_sled.desk.yardview.marks import path_of, second_marks, slide_marks
from oak_sled.desk.yardview.meshes import Band
from oak_sled.desk.yardview.planpaint import Frame
from oak_sled.desk.yardview.renderer import Renderer
from oak_sled.desk.yardview.scene import Figure, Scene


@pytest.fixture(scope="module")
def made():
    """The demo's slalom."""
    yard = demos.load("fan-sled")
    drill = yard.drill()
    return run.execute(Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks))


# theme


def luminance(colour):
    def linear(c):
        return c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4

    return 0.2126 * linear(colour.redF()) + 0.7152 * linear(colour.greenF()) + 0.0722 * linear(colour.blueF())


def contrast(one, other):
    """WCAG 2.1, section 1.4.3."""
    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("night", [False, True])
@pytest.mark.parametrize(
    ("ink", "ground"),
    [
        ("ink", "paper"),
        ("ink", "card"),
        ("ink", "shade"),
        ("soft", "paper"),
        ("soft", "card"),
        ("soft", "shade"),
        ("warning", "paper"),
        ("good", "paper"),
        ("oak_deep", "paper"),
        ("desk_text", "strip"),
        ("desk_soft", "strip"),
        ("desk_soft", "well"),
        ("oak_light", "strip"),
        ("good_light", "strip"),
        ("warning_light", "strip"),
    ],
)
def test_text_is_readable(night, ink, ground):
    theme.use(night)
    assert contrast(theme.colour(ink), theme.colour(ground)) >= 4.5


def test_every_family_has_a_colour_and_a_shape_of_its_own(qapp):
    pictures = {}
    for family in theme.FAMILIES:
        if not family:
            continue
        image = QImage(80, 40, QImage.Format.Format_RGB32)
        image.fill(QColor("white"))
        painter = QPainter(image)
        assert arrows.draw(painter, QPointF(5, 20), QPointF(70, 20), family)
        painter.end()
        # the shape alone, without its colour
        mask = tuple(image.pixelColor(x, y).lightness() < 200 for x in range(80) for y in range(40))
        pictures[family] = mask
    assert len({theme.FAMILIES[family] for family in pictures}) == len(pictures)
    differing = [sum(a != b for a, b in zip(pictures["drive"], mask, strict=True)) for mask in pictures.values()]
    assert sum(count > 10 for count in differing) >= len(pictures) - 1


def test_a_short_arrow_is_left_out(qapp):
    image = QImage(20, 20, QImage.Format.Format_RGB32)
    painter = QPainter(image)
    assert not arrows.draw(painter, QPointF(5, 5), QPointF(7, 5), "drive")
    painter.end()


def test_labels_do_not_cover_one_another(qapp):
    image = QImage(400, 300, QImage.Format.Format_RGB32)
    painter = QPainter(image)
    labels = arrows.Labels(400, 300)
    labels.block(QRectF(150, 120, 100, 60))
    for _ in range(6):
        labels.draw(painter, QPointF(200, 150), "force 123 N", QColor("red"))
    painter.end()
    taken = [QRectF(QPointF(left, top), QPointF(right, bottom)) for left, top, right, bottom in labels._taken]
    assert len(taken) > 3
    for k, one in enumerate(taken):
        assert not any(one.intersects(other) for other in taken[k + 1 :])


# cameras and meshes


def test_a_camera_projects_as_a_pinhole():
    eye, target = np.array([-10.0, 0.0, 0.0]), np.zeros(3)
    camera = Camera(eye, target, np.array([0.0, 0.0, 1.0]), 800, 400)
    px, depth = camera.project(np.array([[0, 0, 0], [0, 1, 0], [0, 0, 1], [-20, 0, 0]]))
    focal = 200.0 / math.tan(math.radians(23.0))
    assert px[0] == pytest.approx([400, 200])
    assert px[1] == pytest.approx([400 - focal / 10, 200]), "left is left"
    assert px[2] == pytest.approx([400, 200 - focal / 10]), "up is up"
    assert depth[0] == pytest.approx(10.0)
    assert depth[3] < 0.0, "behind the eye"


@pytest.mark.parametrize("name", ["chase", "side", "top", "ride", "orbit"])
def test_the_craft_is_in_the_picture_of_every_camera_at_every_time(made, name):
    rig = Rig(name=name)
    for row in range(0, made.ticks + 1, 97):
        camera = rig.camera(made, row, 770, 362)
        place = made.columns("position.x", "position.y", "position.z")[row]
        ahead = np.append(traces.heading(made)[row], 0.0)
        px, depth = camera.project(place + (ahead * 6.0 if name == "ride" else 0.0))
        assert depth[0] > 0.0
        assert 0 <= px[0][0] <= 770
        assert 0 <= px[0][1] <= 362


def test_fit_brings_the_whole_path_into_the_picture(made):
    rig = Rig()
    rig.fit(made)
    camera = rig.camera(made, 0, 770, 362)
    px, depth = camera.project(made.columns("position.x", "position.y", "position.z")[::20])
    assert depth.min() > 0.0
    assert px[:, 0].min() > 0
    assert px[:, 0].max() < 770
    assert np.ptp(px[:, 0]) > 400, "and fills it"
    assert px[0, 0] < px[-1, 0], "from left to right"


def test_the_camera_lags_behind_the_heading_and_repeats_when_scrubbed(made):
    row = int(np.argmax(np.abs(made.column("spin.z"))))
    now = lagged_heading(made, row, 0.0)
    late = lagged_heading(made, row, 0.5)
    way = traces.heading(made)[row]
    assert now == pytest.approx(math.atan2(way[1], way[0]), abs=1e-9)
    assert abs(late - now) > 0.02
    assert lagged_heading(made, row, 0.5) == late


def test_meshes_face_outward(yard):
    for mesh in (
        meshes.box((1, 2, 3), (0.5, 0.4, 0.3), (1, 1, 1)),
        meshes.disc((0, 0, 0), 1.0, 0.2, (1, 1, 1)),
        meshes.ball((0, 0, 0), 1.0, (1, 1, 1)),
    ):
        points, normals = mesh[:, :3], mesh[:, 3:6]
        centre = points.mean(axis=0)
        flat = np.linalg.norm(normals, axis=1) > 0.5
        outward = np.einsum("ij,ij->i", points - centre, normals)[flat]
        assert np.all(outward > -1e-6)
    body, fans = craftmesh.craft_mesh(yard.craft())
    assert len(body) % 3 == 0
    assert len(fans) == 1
    assert np.abs(body[:, 0]).max() < 2.0, "to scale"


def test_a_ribbon_is_parted_where_it_jumps_or_is_off():
    points = np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0], [60, 0, 0], [61, 0, 0]], dtype=float)
    red, grey = (1.0, 0.0, 0.0, 1.0), (0.5, 0.5, 0.5, 0.5)
    assert len(meshes.ribbons([Band(points, 0.2, red)])) == 2 * 6, "straight on is one piece"
    on = np.array([True, True, False, True, True])
    parted = Band(points, 0.4, grey, on)
    assert len(meshes.ribbons([parted])) == 2 * 6
    assert len(meshes.ribbons([Band(points[:1], 0.2, red)])) == 0
    assert np.abs(meshes.ribbons([Band(points[:3], 0.2, red)])[:, 1]).max() == pytest.approx(0.1)
    both = meshes.ribbons([Band(points[:3], 0.2, red), parted, Band(points[:2] + [2.0, 0.0, 0.5], 0.6, red)])
    assert len(both) == (1 + 2 + 1) * 6, "none between one band and the next"
    assert [tuple(corner[3:]) for corner in both[::6]] == [red, grey, grey, red]
    assert both[-6:, 2].tolist() == [0.5] * 6, "at its own height"
    assert [float(np.abs(both[k : k + 6, 1]).max()) for k in (0, 6, 18)] == pytest.approx([0.1, 0.2, 0.3])


def test_marks_lie_where_the_runners_slid(made):
    marks = slide_marks(made, made.ticks)
    assert len(marks) == 4
    points, on = marks[0]
    assert points.shape[0] == on.shape[0]
    assert 0.02 < on.mean() < 0.5
    bars = second_marks(made)
    assert len(bars) == int(made.duration)
    assert bars[2, 0] == pytest.approx(made.column("position.x")[made.at(3.0)])
    assert len(path_of(made, 0, made.ticks)) <= 1000


def test_the_renderer_draws_what_is_there(renderer, made):
    rig = Rig(name="orbit", distance=8.0)
    camera = rig.camera(made, 300, 320, 200)
    empty = renderer.draw(Scene(made.job.ground), camera, 320, 200, False)
    scene = Scene(made.job.ground, [figure(made, 300)])
    full = renderer.draw(scene, camera, 320, 200, False)
    changed = sum(empty.pixel(x, y) != full.pixel(x, y) for x in range(0, 320, 4) for y in range(0, 200, 4))
    assert changed > 80, "the craft and its shadow"
    scene.bands.append(Band(np.column_stack([np.arange(-50.0, 300.0), np.zeros((350, 2))]), 2.0, (1.0, 0.0, 0.0, 1.0)))
    red = renderer.draw(scene, camera, 320, 200, True)
    assert any(
        QColor(red.pixel(x, y)).red() > 200 > QColor(red.pixel(x, y)).green() + 90
        for x in range(320)
        for y in range(0, 200, 3)
    )
    assert (red.width(), red.height()) == (320, 200)


def test_what_stands_between_the_eye_and_the_craft_fades(renderer, made):
    rig = Rig(name="chase", lag_s=0.0)
    row = 5
    camera = rig.camera(made, row, 320, 200)
    place = made.columns("position.x", "position.y", "position.z")[row]
    middle = 0.5 * (camera.eye + place)
    x, y = (float(value) for value in middle[:2])
    crate = Block(id="crate", moves="fixed", x=x, y=y, length=0.4, width=9.0, height=6.0)
    ground = made.job.ground.replace(blocks=(crate,))
    seen = [Figure(made.job.craft, place, np.eye(3), 0.0, (1.0, 0.0, 0.0, 1.0))]

    def red(scene):
        """Pixels in which the craft, painted red, is seen."""
        picture = renderer.draw(scene, camera, 320, 200, False)
        colours = [QColor(picture.pixel(x, y)) for x in range(0, 320, 2) for y in range(0, 200, 2)]
        return sum(one.red() > one.green() + 40 for one in colours)

    size = float(np.linalg.norm(made.job.craft.body.half_extents()))
    subject = (*(float(value) for value in place), size)
    free = red(Scene(made.job.ground, seen, subject=subject))
    assert free > 100
    assert red(Scene(ground, seen)) == 0, "the crate hides it"
    assert red(Scene(ground, seen, subject=subject)) > 0.9 * free
    behind = ground.replace(blocks=(crate.replace(x=x + 30.0),))
    plain, same = (renderer.draw(Scene(behind, seen, subject=s), camera, 320, 200, False) for s in (subject, (0,) * 4))
    assert plain == same, "what stands behind it does not"


def test_no_opengl_is_told_and_not_hidden(monkeypatch):
    import moderngl

    def nothing(**_):
        raise ValueError("no such version")

    monkeypatch.setattr(moderngl, "create_standalone_context", nothing)
    with pytest.raises(RuntimeError, match=r"no OpenGL 3\.3 here"):
        Renderer()


# jobs


def test_only_the_newest_answer_counts(qtbot, yard):
    worker = Worker()
    answers = []
    worker.finished.connect(answers.append)
    drill = yard.drill("straight_pull")
    jobs = [
        Job(yard.edit("crafts.fan_sled.parts.fan.thrust", 400.0 + k).craft(), yard.ground_of(drill), drill)
        for k in range(12)
    ]
    for job in jobs:
        worker.ask(job)
    qtbot.waitUntil(lambda: not worker.is_busy, timeout=20_000)
    assert answers[-1].job is jobs[-1]
    assert len(answers) <= 3, "what waited was replaced, never queued"
    worker.ask(jobs[-1])
    assert answers[-1] is answers[-2], "the answer that is there already"
    worker.close()


def test_a_job_that_cannot_run_is_told(qtbot, yard):
    worker = Worker()
    drill = yard.drill().replace(duration=7200.0)
    job = Job(yard.craft(), yard.ground_of(drill), drill, 2000)
    with qtbot.waitSignal(worker.failed, timeout=10_000) as told:
        worker.ask(job)
    assert "a shorter drill or fewer ticks/s" in told.args[0]
    worker.close()


def test_an_errand_reports_and_can_be_cancelled(qtbot):
    errand = Errand(lambda told: [told(k, 3) for k in (1, 2, 3)] and "done")
    seen = []
    errand.progress.connect(lambda done, of: seen.append((done, of)))
    with qtbot.waitSignal(errand.answered, timeout=10_000) as answer:
        errand.start()
    assert answer.args == ["done"]
    assert seen == [(1, 3), (2, 3), (3, 3)]
    errand.close()
    stopped = Errand(lambda told: told(1, 3))
    stopped.cancel()
    with qtbot.waitSignal(stopped.answered, timeout=10_000) as answer:
        stopped.start()
    assert answer.args == [CANCELLED]
    stopped.close()


# the session


@pytest.fixture
def session(qtbot):
    made = Session(demos.load("fan-sled"))
    made.open(made.yard, (), None)
    qtbot.waitUntil(lambda: bool(made.shelf.cards), timeout=30_000)
    yield made
    made.worker.close()


def test_a_cancelled_drag_leaves_no_trace(qtbot, session):
    before = session.yard
    assert session.preview("crafts.fan_sled.parts.fan.thrust", 800.0)
    session.cancel()
    assert session.yard == before
    assert session.history.undo_label == ""


def test_a_refused_preview_keeps_the_last_good_value(session):
    said = []
    session.said.connect(lambda text, fault: said.append((text, fault)))
    assert not session.preview("crafts.fan_sled.parts.fan.thrust", -1.0)
    assert session.craft.parts[0].thrust == 620.0
    assert said[-1][1]


def test_the_history_is_bounded_and_labelled(qtbot, session, monkeypatch):
    monkeypatch.setattr("oak_sled.desk.work.history.MOST_STEPS", 5)
    for k in range(9):
        session.edit("crafts.fan_sled.parts.fan.thrust", 500.0 + k, f"step {k}", card=False)
    assert session.history.undo_label == "step 8"
    for _ in range(20):
        session.undo()
    assert session.craft.parts[0].thrust == 503.0
    assert session.history.redo_label == "step 4"
    qtbot.waitUntil(lambda: not session.worker.is_busy, timeout=20_000)


def test_a_new_edit_ends_what_could_be_brought_again(qtbot, session):
    session.edit("ticks", 60)
    session.undo()
    session.edit("ticks", 240)
    assert session.history.redo_label == ""
    qtbot.waitUntil(lambda: not session.worker.is_busy, timeout=20_000)


def test_documents_of_a_run_take_their_place_in_the_yard(yard):
    other = yard.craft().replace(id="other")
    drill = yard.drill().replace(id="mine")
    grown = with_documents(yard, Job(other, yard.ground(), drill, 60))
    assert [craft.id for craft in grown.crafts] == ["fan_sled", "other"]
    assert grown.bench.craft == "other"
    assert grown.drill().id == "mine"
    assert grown.ticks == 60


# panes


def test_thinning_keeps_the_spikes():
    times, values = np.arange(50_000) / 100.0, np.zeros(50_000)
    values[12_345], values[40_001] = 9.0, -4.0
    t, v = curve.thinned(times, values, 1000).T
    assert len(v) < 2000
    assert v.max() == 9.0
    assert v.min() == -4.0
    assert np.all(np.diff(t) >= 0)
    assert t[-1] == times[-1]


def test_a_line_is_drawn_in_pieces_where_it_is_no_number(qapp):
    times, values = np.arange(6.0), np.array([1.0, np.nan, 3.0, 5.0, np.inf, -2.0])
    line = Line.of(times, values, theme.pen("ink"))
    assert [[(p.x(), p.y()) for p in piece] for piece in line.pieces] == [[(0, 1)], [(2, 3), (3, 5)], [(5, -2)]]
    assert (line.low, line.high) == (-2.0, 5.0)
    assert Line.of(times, np.full(6, np.nan), theme.pen("ink")).pieces == ()
    whole = Line.of(times, times**2, theme.pen("ink"))
    assert [p.y() for p in whole.pieces[0]] == (times**2).tolist()


@pytest.mark.parametrize(("raw", "step"), [(0.7, 1.0), (1.3, 2.0), (3.0, 5.0), (7.0, 10.0), (0.012, 0.02), (0.0, 1.0)])
def test_rules_stand_at_round_numbers(raw, step):
    assert nice_step(raw) == pytest.approx(step)


def test_the_plan_is_to_one_scale():
    frame = Frame(QRectF(0, 0, 500, 300), np.array([0.0, -5.0]), np.array([50.0, 5.0]))
    a, b, c = frame.at(0, 0), frame.at(10, 0), frame.at(0, 10)
    assert b.x() - a.x() == pytest.approx(a.y() - c.y())
    assert frame.at(25, 0) == QPointF(250, 150)


def test_thumbnails_stay_in_their_box(made, qapp):
    box = QRectF(10, 44, 78, 30)
    assert box.adjusted(-1, -1, 1, 1).contains(thumbnail(shelf.trail_of(made), box).boundingRect())


def test_a_click_on_the_plan_moves_the_cursor(qtbot, window):
    window.show_pane("Plan")
    screenshot.settled(window)
    frame = window.plan._frame
    run_shown = window.session.shown.run
    row = run_shown.at(6.0)
    at = frame.at(run_shown.column("position.x")[row], run_shown.column("position.y")[row])
    qtbot.mouseClick(window.plan, Qt.MouseButton.LeftButton, pos=at.toPoint())
    assert window.session.shown.time == pytest.approx(6.0, abs=0.3)


def test_panes_are_chosen_with_keys(qtbot, window):
    for key, name in (
        (Qt.Key.Key_2, "Ledger"),
        (Qt.Key.Key_3, "Plan"),
        (Qt.Key.Key_4, "Measures"),
        (Qt.Key.Key_1, "Traces"),
    ):
        qtbot.keyClick(window, key, Qt.KeyboardModifier.AltModifier)
        assert window.tabs[name].isChecked()
        assert not screenshot.settled(window).isNull()


def test_the_measures_pane_shows_what_the_run_shows(window, idle):
    window.show_pane("Measures")
    names = [known.name for known in window.measures.shown()]
    assert "gates_passed" in names
    assert "stop_distance" not in names
    window.session.edit("crafts.fan_sled.parts.fan.thrust", 500.0)
    idle()
    assert not screenshot.settled(window.measures).isNull()


@pytest.mark.parametrize("which", ["yard", "craft", "ground", "drill", "ticks/s"])
def test_every_list_of_the_header_is_filled(window, which):
    menu = QMenu()
    window.header.choosers[which].fill(menu)
    texts = [action.text() for action in menu.actions()]
    assert len([text for text in texts if text]) >= 3
    if which in ("craft", "ground", "drill"):
        assert sum(action.isChecked() for action in menu.actions()) >= 1


def test_a_choice_in_the_header_is_taken(window, idle):
    menu = QMenu()
    window.header.choosers["ticks/s"].fill(menu)
    next(action for action in menu.actions() if action.text().startswith("60 ")).trigger()
    idle()
    assert window.session.yard.ticks == 60
    assert window.session.shown.run.job.ticks == 60
    menu = QMenu()
    window.header.choosers["ground"].fill(menu)
    next(action for action in menu.actions() if action.text() == "edges: wall").trigger()
    assert window.session.ground.edges == "wall"
    idle()


def test_the_menu_tells_what_undo_takes_back(window, idle):
    window.session.edit("crafts.fan_sled.parts.fan.thrust", 500.0, "fan thrust")
    menu = QMenu()
    window.menus.fill_menu(menu)
    assert "Undo: fan thrust" in [action.text() for action in menu.actions()]
    idle()


def test_a_strip_offers_the_choices_of_its_part(window):
    window.desk.open_strip("fan")
    strip = window.desk.strip("fan")
    menu = QMenu()
    strip._fill(menu, "way")
    assert [action.text() for action in menu.actions()] == [
        "force",
        "acceleration",
        "impulse",
        "speed change",
        "speed aim",
    ]
    strip._fill(menu, "channel")
    assert [action.text() for action in menu.actions()] == ["none", "throttle", "steer", "brake"]
    assert strip.choices["at_point"].text() == "at point: yes"
    assert isinstance(strip, Strip)


def test_held_axes_are_set_on_the_body_strip(window, idle):
    window.desk.open_strip("body")
    strip = window.desk.strip("body")
    menu = QMenu()
    strip._fill(menu, "held")
    next(action for action in menu.actions() if action.text() == "yaw").trigger()
    idle()
    assert "yaw" in window.session.craft.body.held
    assert np.ptp(window.session.shown.run.column("spin.z")) == 0.0


def test_a_part_is_renamed_in_place(qtbot, window, idle):
    window.desk.rename("air")
    edit = window.desk.strip("air").findChild(QLineEdit)
    edit.setText("Wind on the load")
    qtbot.keyClick(edit, Qt.Key.Key_Return)
    assert window.session.craft.parts[2].heading == "Wind on the load"
    idle()


def test_aids_are_marked_and_muted_with_one_switch(window, idle):
    session = window.session
    session.edit("crafts.fan_sled.parts.rudder.aid", True)
    window.desk.toggle_aids()
    assert session.craft.parts[1].mute
    window.desk.toggle_aids()
    assert not session.craft.parts[1].mute
    idle()


def test_a_second_bumper_is_refused_in_place(window):
    from oak_sled.core.parts.bumper import Bumper

    before = window.session.craft
    window.desk.fit(Bumper)
    assert window.session.craft is before
    assert window.notice.isVisible()
    assert "one part that answers every wall" in window.notice.words.text()


def test_arrows_are_scaled_and_hidden_by_family(window):
    menu = QMenu()
    window.playbar._fill(menu)
    texts = [action.text() for action in menu.actions()]
    assert any(text.startswith("force scale: 1 m is") for text in texts)
    before = window.view.scale()
    window.view.set_scale(2.0)
    assert window.view.scale() == pytest.approx(2.0 * before)
    next(action for action in menu.actions() if action.text() == "air arrows").trigger()
    assert "air" in window.view.hidden
    next(action for action in menu.actions() if action.text() == "camera lag 1.2 s").trigger()
    assert window.view.rig.lag_s == 1.2


def test_the_view_turns_and_zooms_with_the_pointer(qtbot, window):
    view = window.view
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(400, 250))
    from test_bench import move

    for x in (420, 460, 500):
        move(view, QPoint(x, 240))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(500, 240))
    assert view.rig.name == "orbit"
    turned = view.rig.turn_deg
    view.rig.turned(0.0, 500.0)
    assert view.rig.tilt_deg == 88.0
    assert view.rig.turn_deg == turned
    qtbot.mouseDClick(view, Qt.MouseButton.LeftButton, pos=QPoint(400, 250))
    assert view.rig.fitted is not None


def test_leaving_unsaved_work_asks_in_place(qtbot, window, idle):
    window.session.edit("crafts.fan_sled.parts.fan.thrust", 555.0)
    idle()
    window.filing.new_yard()
    buttons = {button.text(): button for button in window.question.buttons}
    assert list(buttons) == ["Save first", "Discard them", "Stay"]
    window.session.say("a message meanwhile")
    assert window.question.isVisible(), "a question stays until it is answered"
    assert not window.question.geometry().intersects(window.notice.geometry())
    assert window.session.craft.id == "fan_sled", "nothing is lost while it asks"
    qtbot.mouseClick(buttons["Stay"], Qt.MouseButton.LeftButton)
    assert window.session.craft.parts[0].thrust == 555.0
    window.filing.new_yard()
    qtbot.mouseClick(buttons["Discard them"], Qt.MouseButton.LeftButton)
    assert window.session.craft.id == "craft"
    qtbot.waitUntil(lambda: bool(window.session.shelf.cards), timeout=20_000)
