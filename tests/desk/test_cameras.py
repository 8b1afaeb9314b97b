"""Cameras of the yard in the real window: made, tuned, looked round with, undone, saved and opened again."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from oak_sled.core.files import yard_json
from oak_sled.core.project import demos
from oak_sled.core.results.sight import sight
from oak_sled.desk.app.cameras import KINDS, WORDS
from oak_sled.desk.yardview.camera import Camera, own_bodies


def acts_of(window) -> QMenu:
    menu = window.playbar.own.menu()
    menu.aboutToShow.emit()
    return menu


def pick(window, words: str) -> None:
    action = next(one for one in acts_of(window).actions() if one.text().startswith(words))
    action.trigger()


def looked(window) -> tuple[np.ndarray, np.ndarray]:
    run = window.session.shown.run
    camera = window.view.rig.camera(run, run.ticks // 2, 800, 500)
    return camera.eye, camera.target


@pytest.mark.parametrize("kind", KINDS)
def test_a_camera_is_made_in_one_act_and_every_dial_of_it_moves_the_picture_alone(window, kind):
    session = window.session
    run, cards, asked = session.shown.run, len(session.shelf.cards), []
    session.runs.worker.ask = lambda *job, **more: asked.append(job)
    pick(window, f"new camera {WORDS[kind]}")
    camera = session.yard.cameras[0]
    assert camera.kind == kind
    panel = window.playbar.acts.panel
    assert panel.isVisible()
    assert not any(button.isChecked() for button in window.playbar.cameras.values())
    made = sight(run, camera)
    eye, _ = looked(window)
    assert np.allclose(eye, made.eye[run.ticks // 2])
    for name in camera.main:
        widget = panel.dials[name]
        before, number = session.yard, getattr(camera, name)
        middle = widget.rect().center()
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=middle)
        for step in range(1, 6):
            QTest.mouseMove(widget, middle + QPoint(14 * step, 0))
        assert getattr(window.view.rig.film, name) != number, name
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=middle + QPoint(70, 0))
        assert getattr(session.yard.cameras[0], name) != number
        session.undo()
        assert session.yard == before
        assert getattr(window.view.rig.film, name) == number
    assert not asked, "nothing was run again"
    assert window.playbar.own.text() == f"camera {kind}"
    assert session.shown.run is run
    assert len(session.shelf.cards) == cards
    session.undo()
    assert session.yard.cameras == ()
    assert window.view.rig.film is None
    assert not panel.isVisible()
    assert window.playbar.cameras["chase"].isChecked()


def test_looking_round_is_no_edit_and_is_over_when_the_camera_is_taken_again(window):
    session, view = window.session, window.view
    pick(window, "new camera behind")
    yard, (eye, target) = session.yard, looked(window)
    at = QPoint(view.width() // 3, round(0.85 * view.height()))
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(view, at + QPoint(50, 10))
    QTest.mouseMove(view, at + QPoint(100, 20))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at + QPoint(100, 20))
    turned, still = looked(window)
    assert session.yard is yard
    assert np.allclose(still, target)
    assert np.linalg.norm(turned - target) == pytest.approx(np.linalg.norm(eye - target)), "round the craft"
    assert np.linalg.norm(turned - eye) > 1.0
    window.playbar.acts.take("chase")
    assert np.allclose(looked(window)[0], eye)


def test_the_panel_says_how_it_follows_and_has_all_dials(window):
    pick(window, "new camera behind")
    panel, session = window.playbar.acts.panel, window.session
    session.edit("cameras.chase.damping", 0.5)
    assert "swings past by 16 %" in panel.outlook.text()
    session.edit("cameras.chase.place_lag", 0.5)
    assert "15 m further behind" in panel.outlook.text(), "0.5 s at 30 m/s"
    panel.more.click()
    assert set(panel.dials) == set(session.yard.cameras[0].acts)
    menu = panel.shake.menu()
    menu.aboutToShow.emit()
    next(one for one in menu.actions() if one.text() == "side g").trigger()
    assert session.yard.cameras[0].shake_by == "side_g"
    assert panel.shake.text() == "shaken by: side g"


def test_it_is_saved_opened_and_removed(window, tmp_path):
    session = window.session
    pick(window, "new camera on a tripod")
    session.edit("cameras.tripod.fov", 71.0)
    yard_json.save(session.yard, tmp_path / "filmed.json")
    assert yard_json.load(tmp_path / "filmed.json") == session.yard
    window.view.rig.fitted = None
    pick(window, "remove tripod")
    assert session.yard.cameras == ()
    session.undo()
    assert session.yard.cameras[0].fov == 71.0
    pick(window, "tripod")
    assert window.view.rig.film is session.yard.cameras[0]
    window.playbar.choose("side")
    assert window.view.rig.film is None
    assert window.playbar.cameras["side"].isChecked()


def test_two_pictures_stand_side_by_side_and_each_follows_its_craft(reopened):
    window = reopened("ice-tugs")
    view, session = window.view, window.session
    run = session.shown.run
    other = view.others(window.session.shown.run)[0][0]
    view.choose_camera("chase")
    view.show_second(other.job.single.id)
    session.shown.set_time(12.0)
    row = session.shown.row
    scenes, begin = [], view.renderer.begin
    built, scene = [], view._scene

    def seen(shown, camera, wide, tall, smooth):
        scenes.append((shown.subject, camera.target, wide))
        begin(shown, camera, wide, tall, smooth)

    view.renderer.begin, view._scene = seen, lambda *given: built.append(given) or scene(*given)
    try:
        view.refresh()
        view.repaint()
    finally:
        view.renderer.begin, view._scene = begin, scene
    assert len(scenes) == 2, "two passes"
    assert len(built) == 1, "of one scene"
    for (subject, target, _), one in zip(scenes, (other, run), strict=True):
        assert subject[:3] == pytest.approx(one.place_at(row))
        assert np.linalg.norm(target - one.place_at(row)) < 3.0
    assert view.second.pane.image is not None
    assert scenes[0][2] == scenes[1][2] <= view.width()
    assert view.pane.image is not None
    assert view.second.pane.image != view.pane.image.copy(), "each its own"
    pick(window, "beside it:")
    assert view.second.who == ""


def test_the_second_picture_is_left_out_where_its_craft_takes_no_part(reopened):
    window = reopened("fan-sled")
    window.view.show_second("nobody")
    assert window.view.second.of(window.session.shown.run) is None
    window.view.repaint()
    window.view.show_second("")


@pytest.mark.parametrize(("wide", "tall"), [(1280, 800), (1100, 700)])
@pytest.mark.parametrize("demo", list(demos.DEMOS))
def test_every_key_of_every_craft_is_shown_and_the_view_is_not_hidden_by_them(reopened, demo, wide, tall):
    window = reopened(demo)
    window.resize(wide, tall)
    window.inputs.hide()
    window.toggle_inputs()
    try:
        window.inputs.repaint()
        shown = {who for _, who in window.inputs._boxes}
        wanted = {(craft.id, channel.id, "plus_keys") for craft in window.driver.crafts() for channel in craft.channels}
        assert wanted <= shown
        host, panel = window.inputs.parentWidget(), window.inputs.geometry()
        assert host.rect().contains(panel), (host.rect(), panel)
        hidden = panel.width() * panel.height() / (window.view.width() * window.view.height())
        assert host is not window.view or hidden < 0.36
        boxes = [box for box, _ in window.inputs._boxes]
        assert all(window.inputs.rect().contains(box.toAlignedRect()) for box in boxes)
        for at, one in enumerate(boxes):
            assert not any(one.intersects(other) for other in boxes[at + 1 :])
    finally:
        window.toggle_inputs()
        window.resize(1280, 800)


def test_another_craft_that_stands_between_fades_and_the_one_looked_at_never_does(reopened):
    window = reopened("ice-tugs")
    view, run = window.view, window.session.shown.run
    mate = view.others(run)[0][0]
    window.session.shown.set_time(10.0)
    row, subject = window.session.shown.row, run.place_at(window.session.shown.row)
    way = mate.place_at(row) - subject
    eye = mate.place_at(row) + 8.0 * way / np.linalg.norm(way)
    camera = Camera(eye, subject, np.array([0.0, 0.0, 1.0]), 320, 200)
    view.pane.camera = camera
    pictures = []
    for own in (own_bodies(run), frozenset(one.craft.id for one in run.job.actors), frozenset(["nobody"])):
        scene = replace(view._scene(run, row), own=own, bands=[])
        image = view.renderer.draw(scene, camera, 320, 200, False).copy().convertToFormat(QImage.Format.Format_RGB32)
        data = image.bits().asarray(image.sizeInBytes())
        pictures.append(np.frombuffer(data, np.uint8).reshape(200, -1)[:, : 4 * 320].astype(int))
    faded, opaque, none_kept = pictures
    assert np.abs(faded - opaque).max() > 40, "its mate is a veil"
    assert np.abs(faded - none_kept).max() > 40, "it is not"


def test_a_click_in_the_second_picture_takes_its_craft_and_its_readouts_change_unit(reopened):
    window = reopened("ice-tugs")
    view, session = window.view, window.session
    view.choose_camera("chase")
    mate = view.others(session.shown.run)[0][0]
    view.show_second(mate.job.single.id)
    session.shown.set_time(12.0)
    view.repaint()
    (first, _), (second, _) = view.panes()
    assert second.left == first.camera.width
    assert first.boxes
    assert [name for _, name in second.boxes] == [name for _, name in first.boxes]
    box, name = second.boxes[0]
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(second.left, 0) + box.center().toPoint())
    assert view.switched_units == {name}
    assert not second.layer.isNull()
    assert second.layer != first.layer
    px, _ = second.camera.project(mate.place_at(session.shown.row))
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(second.left + round(px[0][0]), round(px[0][1])))
    assert session.craft.id == mate.job.craft.id
