"""Uneven ground on the desk: placed from files, dragged, drawn; the shape of a craft from a mesh; twins of a drill."""

from importlib import resources
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PIL import Image
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialogButtonBox

from oak_sled.core.geometry.terrain import Relief, pack
from oak_sled.core.project import demos
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.ground.groundsection import mesh_outline, relief_image
from oak_sled.desk.widgets import screenshot
from oak_sled.desk.widgets.meshdrawing import MeshDrawing, outline
from oak_sled.desk.work import importing
from oak_sled.desk.work.importing import MeshQuestion
from oak_sled.desk.yardview import freight, meshes
from oak_sled.desk.yardview.camera import Rig
from oak_sled.desk.yardview.marks import path_over, second_marks
from oak_sled.desk.yardview.scene import Scene

DEMO = Path(str(resources.files("oak_sled") / "demo"))


def said(window):
    heard = []
    window.session.said.connect(lambda text, fault: heard.append((text, fault)))
    return heard


# patches, start marks, materials


def test_a_patch_is_placed_dragged_and_tuned(page, window, idle, drag):
    page.add("patch")
    assert page.plan.chosen == ["patches.patch"]
    patch = page.session.ground.patches[0]
    start = page.plan.at(patch.x, patch.y)
    drag(page.plan, start, start + QPoint(60, -30).toPointF())
    moved = page.session.ground.patches[0]
    assert moved.x > patch.x
    assert moved.y > patch.y
    assert "grip" in page.dials
    page.dials["grip"].moved.emit(0.3)
    page.dials["grip"].released.emit()
    assert page.session.ground.patches[0].grip == 0.3
    idle()
    assert window.session.shown.run.job.ground.patches[0].grip == 0.3
    QTest.keyClick(page.plan, Qt.Key.Key_D)
    assert len(page.session.ground.patches) == 2
    QTest.keyClick(page.plan, Qt.Key.Key_Delete)
    assert len(page.session.ground.patches) == 1


def test_the_start_of_the_drill_is_dragged_and_turned(page, window, idle, drag):
    plan, session = page.plan, window.session
    before = session.drill.start
    drag(plan, plan.at(before.x, before.y), plan.at(before.x - 3.0, before.y + 5.0))
    after = session.drill.start
    assert (after.x, after.y) == (pytest.approx(before.x - 3.0, abs=0.5), pytest.approx(before.y + 5.0, abs=0.5))
    assert session.history.undo_label == "move the start"
    drag(plan, plan._start_marks()["start_turn"], plan.at(after.x, after.y + 8.0))
    assert session.drill.start.heading_deg == pytest.approx(90.0, abs=5.0)
    idle()
    assert session.shown.run.record.row(0)[1] == pytest.approx(session.drill.start.y, abs=0.2)
    session.undo()
    session.undo()
    assert session.drill.start == before


def test_materials_and_pairs_are_added_and_tuned(page, window, idle):
    page.plan.choose([])
    count = len(page.session.ground.materials)
    page.add_material()
    assert len(page.session.ground.materials) == count + 1
    page.dials["materials.material.friction"].moved.emit(0.9)
    page.dials["materials.material.friction"].released.emit()
    assert page.session.ground.materials[-1].friction == 0.9
    page.add_pair("material", "ground")
    pair = page.session.ground.pairs[-1]
    assert pair.friction == pytest.approx((0.9 * page.session.ground.friction) ** 0.5), "it begins at what was"
    heard = said(window)
    page.add_pair("ground", "material")
    assert heard == [("ground on material is set already", True)]
    page.dials[f"pairs.{pair.id}.restitution"].moved.emit(0.5)
    page.dials[f"pairs.{pair.id}.restitution"].released.emit()
    assert page.session.ground.pairs[-1].restitution == 0.5
    idle()
    assert window.session.shown.run.job.ground == page.session.ground


def test_layers_are_added_and_what_two_of_them_do_is_chosen(page, window, idle):
    page.plan.choose([])
    page.add_layer()
    page.add_layer_pair("layer", "bodies")
    ground = page.session.ground
    assert [one.id for one in ground.layers] == ["layer"]
    assert page.choices["layer_pairs.layer_bodies.then"].text() == "then: pass"
    menu = page.choices["layer_pairs.layer_bodies.then"].menu()
    next(action for action in menu.actions() if action.text() == "report").trigger()
    assert page.session.ground.layer_pairs[0].then == "report"
    assert page.choices["layer_pairs.layer_bodies.then"].text() == "then: report"
    heard = said(window)
    page.add_layer_pair("bodies", "layer")
    assert heard == [("bodies and layer have a pair already", True)]
    crate = page.session.ground.blocks[0]
    page.plan.choose([f"blocks.{crate.id}"])
    next(action for action in page.choices["layer"].menu().actions() if action.text() == "layer").trigger()
    assert page.session.ground.blocks[0].layer == "layer"
    assert page.choices["layer"].text() == "layer: layer"
    idle()
    assert f"block.{crate.id}.inside" in window.session.shown.run.layout.names
    for _ in range(4):
        page.session.undo()
    assert page.session.ground.layers == ()


def test_gravity_air_and_edges_are_set_beside_the_plan(page, window, idle):
    page.plan.choose([])
    for name, value in (("gravity", 3.7), ("air_density", 0.9), ("wind_speed", 8.0)):
        page.dials[name].moved.emit(value)
        page.dials[name].released.emit()
        assert getattr(page.session.ground, name) == value
    assert page.choices["edges"].text().startswith("edges:")
    idle()
    assert window.session.shown.run.job.ground.gravity == 3.7


# files


def test_a_picture_is_laid_moved_and_taken_away(page, window, idle, tmp_path, drag):
    grey = np.round(np.tile(np.linspace(0, 255, 41), (31, 1))).astype(np.uint8)
    Image.fromarray(grey).save(tmp_path / "rise.png")
    importing.lay_relief(window.session, tmp_path / "rise.png", lambda path: page.plan.choose([path]))
    idle()
    assert page.plan.chosen == ["relief"]
    relief = page.session.ground.relief
    assert (relief.length, relief.width) == (40.0, 30.0), "a metre a pixel"
    assert set(page.dials) >= {"low", "high", "length"}
    plan = page.plan
    drag(plan, plan.at(relief.x, relief.y + 0.5 * relief.width), plan.at(relief.x, 30.0))
    assert page.session.ground.relief.width == pytest.approx(60.0, abs=2.0), "sized by its square"
    edge = plan.at(relief.x - 0.5 * relief.length, relief.y + 8.0)
    plan.choose([])
    QTest.mouseClick(plan, Qt.MouseButton.LeftButton, pos=edge.toPoint())
    assert plan.chosen == ["relief"], "taken in hand by its edge"
    idle()
    assert window.session.shown.run.job.ground.relief == page.session.ground.relief
    heard = said(window)
    page.duplicate()
    assert heard[0][1]
    page.remove()
    assert page.session.ground.relief is None
    window.session.undo()
    assert page.session.ground.relief is not None


def test_a_new_picture_takes_the_place_of_the_old_one(window, idle, tmp_path):
    window.session.open(demos.load("quay"), (), None)
    window.session.choose("ground", "ridges")
    old = window.session.ground.relief
    Image.fromarray(np.zeros((9, 9), np.uint8)).save(tmp_path / "flat.png")
    importing.lay_relief(window.session, tmp_path / "flat.png")
    idle()
    new = window.session.ground.relief
    assert (new.x, new.length, new.high, new.columns) == (old.x, old.length, old.high, 9)
    idle()


@pytest.mark.parametrize("name", ["words.png", "words.obj", "words.txt"])
def test_a_file_that_cannot_be_used_is_said_and_nothing_is_lost(page, window, idle, tmp_path, name):
    (tmp_path / name).write_text("hello")
    heard, before = said(window), window.session.yard
    if name.endswith("png"):
        importing.lay_relief(window.session, tmp_path / name)
    else:
        page.place_mesh(tmp_path / name)
        importing.hull_from(window.session, tmp_path / name)
    idle()
    assert window.session.yard is before
    assert heard[0][1]
    assert name in heard[0][0]
    assert "\n" not in heard[0][0]


def test_a_solid_mesh_is_placed_as_a_loose_thing_with_its_hulls(page, window, idle):
    page.place_mesh(DEMO / "cleat.obj")
    idle()
    placed = page.session.ground.blocks[-1]
    assert (placed.id, placed.fit, placed.moves) == ("cleat", "hulls", "free")
    assert (placed.length, placed.height) == pytest.approx((1.6, 0.9))
    assert page.drawing is not None
    assert page.drawing.words()[0] == "3 hulls · +0 % of the mesh's volume"
    page.session.edit(f"{page.path}.blocks.cleat.fit", "hull")
    assert "1 hull ·" in page.drawing.words()[0]
    picture = screenshot.settled(page.drawing)
    colours = {picture.pixel(x, y) for x in range(0, picture.width(), 3) for y in range(0, picture.height(), 3)}
    assert len(colours) > 4, "mesh and hulls are drawn"
    idle()
    assert "block.cleat.position.x" in window.session.shown.run.layout.names
    window.session.undo()
    window.session.undo()
    assert "cleat" not in [one.id for one in page.session.ground.blocks]


def test_an_open_mesh_is_placed_as_ground(page, idle, tmp_path):
    sheet = trimesh.Trimesh([[0, 0, 0], [4, 0, 1], [4, 3, 1], [0, 3, 0]], [[0, 1, 2], [0, 2, 3]])
    sheet.export(tmp_path / "Sheet 7.stl")
    page.place_mesh(tmp_path / "Sheet 7.stl", unit="ft")
    idle()
    placed = page.session.ground.blocks[-1]
    assert (placed.id, placed.fit, placed.moves) == ("sheet_7", "triangles", "fixed")
    assert placed.length == pytest.approx(4 * 0.3048)
    assert page.drawing.words()[0] == "2 triangle mesh, collides as ground"
    heard = said(page.window())
    page.session.edit(f"{page.path}.blocks.sheet_7.moves", "free")
    assert heard[0][1], "triangles cannot be loose"
    idle()


def test_a_craft_takes_its_shape_from_a_mesh(window, idle):
    importing.hull_from(window.session, DEMO / "cleat.obj", up="+z")
    idle()
    body = window.session.craft.body
    assert (body.shape, body.fit, body.inertia_from) == ("mesh", "hulls", "shape")
    idle()
    assert window.session.shown.run.job.craft.body == body
    window.desk.open_strip("body")
    strip = window.desk.strip("body")
    assert strip.drawing is not None
    assert strip.drawing.words()[0].startswith("3 hulls")
    window.session.undo()
    window.desk.refresh()
    assert window.desk.strip("body").drawing is None


def test_the_question_of_units_and_axes(window):
    asked = MeshQuestion(Path("crate.glb"), window)
    assert asked.settings() == {"unit": "m", "up": "+y", "ahead": "+z"}
    asked.boxes["ahead"].setCurrentText("-y")
    assert not asked.buttons.button(QDialogButtonBox.StandardButton.Ok).isEnabled(), "one axis cannot point both ways"
    asked.boxes["up"].setCurrentText("+z")
    assert asked.buttons.button(QDialogButtonBox.StandardButton.Ok).isEnabled()
    asked.deleteLater()


# pictures


def test_uneven_ground_is_drawn(window, idle):
    idle()
    renderer, made = window.renderer, window.session.shown.run
    if renderer is None:
        pytest.skip("no OpenGL 3.3 here")
    grey = np.round(np.tile(np.linspace(0, 1, 33) ** 2, (33, 1)) * 65535).astype("<u2")
    relief = Relief(columns=33, rows=33, data=pack(grey), length=60.0, width=60.0, high=8.0)
    rig = Rig(name="orbit", distance=40.0)
    camera = rig.camera(made, 0, 320, 200)
    flat = renderer.draw(Scene(Ground(id="g")), camera, 320, 200, False)
    hilly = renderer.draw(Scene(Ground(id="g", relief=relief)), camera, 320, 200, False)
    changed = sum(flat.pixel(x, y) != hilly.pixel(x, y) for x in range(0, 320, 4) for y in range(0, 200, 4))
    assert changed > 400


def test_the_relief_image_and_outlines_are_to_scale():
    grey = np.zeros((5, 9), "<u2")
    grey[0, 8] = 65535
    picture = relief_image(Relief(columns=9, rows=5, data=pack(grey), high=1.0), False)
    assert (picture.width(), picture.height()) == (9, 5)
    assert picture.pixelColor(8, 0).lightness() < picture.pixelColor(0, 4).lightness(), "north up, high dark"
    cleat = demos.load("quay").ground("gutter").blocks[1]
    spots = np.array(mesh_outline(cleat))
    assert np.ptp(spots[:, 1]) == pytest.approx(1.6, abs=1e-5), "turned by 90 degrees"
    assert spots.mean(axis=0) == pytest.approx([75.0, 0.0], abs=0.01)
    square = outline(np.array([[0, 0], [1, 0], [1, 1], [0, 1], [0.5, 0.5], [0.5, 0.0]]))
    assert sorted(map(tuple, square)) == [(0, 0), (0, 1), (1, 0), (1, 1)]


def test_what_is_ground_is_not_drawn_as_freight():
    gutter = demos.load("quay").ground("gutter")
    assert len(freight.laid_meshes(gutter)) == 1
    assert len(freight.laid_meshes(gutter)[0]) == 3 * gutter.blocks[0].mesh.triangles
    assert all(np.ptp(mesh[:, 0]) < 20.0 for mesh in freight.still_mesh(gutter)), "the gutter is not among them"
    bands = meshes.patches(demos.load("quay").ground("ridges"))
    assert [band.width for band in bands] == [12.0, 20.0]


def test_a_leap_is_drawn_through_the_air(window, idle):
    window.session.open(demos.load("quay"), (), None)
    window.session.choose("drill", "ramp_jump")
    idle()
    made = window.session.shown.run
    path = path_over(made, 0, made.ticks)
    assert path.shape[1] == 3
    assert path[:, 2].max() > 1.0
    assert abs(path[0, 2]) < 0.05
    bars = second_marks(made)
    assert bars[:, 2] == pytest.approx(np.interp(range(1, len(bars) + 1), made.t, made.column("position.z")) -
                                       made.job.craft.foot_depth() + 0.02, abs=0.03)  # fmt: skip


def test_the_section_shows_uneven_ground(page, window, idle):
    window.session.choose("drill", "over_ridges")
    idle()
    plan = page.plan
    plan.line = [(0.0, 0.0), (120.0, 0.0)]
    plan.update()
    screenshot.settled(plan)
    heights = [high for _, high in plan.section.profile]
    relief = window.session.ground.relief
    row, first = (relief.rows - 1) // 2, round(0.5 * relief.length - relief.x)  # y of 0, x of 0: a point a metre
    assert max(heights) == pytest.approx(relief.heights()[row, first : first + 121].max(), abs=0.02)
    assert min(heights) >= 0.0


# twins


def test_twins_run_the_drill_side_by_side(window, idle):
    session = window.session
    session.open(demos.load("quay"), (), None)
    session.choose("drill", "head_on")
    idle()
    assert [twin.job.craft.id for twin in session.shown.twins] == ["sled_slide", "sled_dead"]
    assert [twin.job.drill.id for twin in session.shown.twins] == ["head_on", "head_on"]
    session.shown.set_time(3.0)
    shown = {run.job.craft.id: row for run, row in window.view.twins()}
    assert shown == {"sled_slide": session.shown.row, "sled_dead": session.shown.row}
    ends = {run.job.craft.id: float(run.column("velocity.x")[-1]) for run in (session.shown.run, *session.shown.twins)}
    assert ends["sled_dead"] == pytest.approx(0.0, abs=0.01)
    assert ends["fan_sled"] < -0.5, "it bounces"
    lanes = [float(run.column("position.y")[0]) for run in (session.shown.run, *session.shown.twins)]
    assert len(set(lanes)) == 3
    screenshot.settled(window.view)
    # a dial of a twin re-runs it too
    session.edit("crafts.sled_slide.body.mass", 500.0)
    idle()
    assert session.shown.twins[0].job.craft.body.mass == 500.0
    session.choose("drill", "push_freight")
    idle()
    assert session.shown.twins == ()


def test_a_craft_that_is_removed_is_nobodys_twin(window, idle):
    session = window.session
    session.open(demos.load("quay"), (), None)
    session.choose("drill", "head_on")
    idle()
    old = session.shelf.shown_card
    session.choose("craft", "sled_dead")
    idle()
    window.menus.remove_craft()
    idle()
    assert "sled_dead" not in [craft.id for craft in session.yard.crafts]
    assert session.yard.drill("head_on").twins == ("sled_slide",)
    session.look_at(old)
    assert session.yard.drill("head_on").twins == ("sled_slide",)
    session.undo()
    session.undo()
    idle()
    assert session.yard.drill("head_on").twins == ("sled_slide", "sled_dead")


def test_a_twin_that_is_not_there_is_refused():
    quay = demos.load("quay")
    with pytest.raises(Exception, match=r"drills\.head_on\.twins"):
        quay.edit("drills.head_on.twins", ("sledge",))


def test_the_drawing_of_a_body_without_a_mesh_is_empty(qtbot):
    drawing = MeshDrawing()
    qtbot.addWidget(drawing)
    assert drawing.words() == []
    drawing.show_body(Block(id="crate"))
    assert drawing.words() == []
    assert not screenshot.settled(drawing).isNull()
