"""Uneven ground is drawn in few triangles and only where it is in sight, and looks as if all of it was drawn."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.geometry.terrain import Relief, pack
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.ground import Ground, Wall
from oak_sled.desk.yardview import looks, uneven
from oak_sled.desk.yardview.camera import Camera, Rig
from oak_sled.desk.yardview.scene import Scene
from oak_sled.desk.yardview.uneven import Chunks, Uneven


def ground_of(heights):
    """A ground with a relief of those heights, 0 to 65535."""
    rows, columns = heights.shape
    data = pack(heights.astype("<u2"))
    return Ground(id="ground", relief=Relief(columns=columns, rows=rows, data=data, length=90.0, width=60.0))


def terraces(rows=41, columns=66):
    """Level terraces of many sizes, slopes between them, and a rough corner."""
    rng = np.random.default_rng(4)
    heights = np.kron(rng.integers(0, 5, (8, 11)), np.ones((6, 6)))[:rows, :columns] * 9000.0
    heights[:9, :9] = rng.integers(0, 60000, (9, 9))
    return heights


def level_at(vertices, index, x, y):
    """The heights of a surface at places that lie in its triangles; shape of `x`."""
    p = vertices[index][:, :, :3].astype(float)
    found = np.full(x.shape, np.nan)
    for a, b, c in p:
        size = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])
        u = ((x - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (y - a[1])) / size
        v = ((b[0] - a[0]) * (y - a[1]) - (x - a[0]) * (b[1] - a[1])) / size
        inside = (u >= -1e-9) & (v >= -1e-9) & (u + v <= 1.0 + 1e-9)
        found[inside] = (a[2] + u * (b[2] - a[2]) + v * (c[2] - a[2]))[inside]
    return found


def test_level_ground_is_drawn_in_few_triangles_and_is_the_same_surface():
    shape = Uneven.of(ground_of(terraces()))
    assert len(shape.drawn.index) < 0.8 * len(shape.index)
    x, y = np.random.default_rng(8).uniform([-44.9, -29.9], [44.9, 29.9], (4000, 2)).T
    assert level_at(shape.vertices, shape.drawn.index, x, y) == pytest.approx(
        level_at(shape.vertices, shape.index, x, y), abs=1e-5
    )
    for index in (shape.index, shape.drawn.index):
        p = shape.vertices[index][:, :, :2].astype(float)
        e, f = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
        assert 0.5 * float(np.sum(e[:, 0] * f[:, 1] - e[:, 1] * f[:, 0])) == pytest.approx(90.0 * 60.0)


@pytest.mark.parametrize(("rows", "columns"), [(2, 2), (3, 40), (33, 33), (65, 34)])
def test_ground_that_is_level_all_over_and_grids_of_any_size(rows, columns):
    flat = np.zeros((rows * columns, 9), "f4")
    xs, ys = np.meshgrid(np.arange(columns), np.arange(rows))
    flat[:, 0], flat[:, 1] = xs.reshape(-1), ys.reshape(-1)
    found = uneven.merged(flat, rows, columns)
    p = flat[found][:, :, :2].astype(float)
    e, f = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    areas = 0.5 * (e[:, 0] * f[:, 1] - e[:, 1] * f[:, 0])
    assert (areas > 0.0).all(), "all face up"
    assert areas.sum() == pytest.approx((rows - 1) * (columns - 1))
    assert len(found) <= 2 * (rows - 1) * (columns - 1)


def test_no_triangle_in_sight_is_left_out_and_much_is():
    shape = Uneven.of(demos.load("quay").ground("ridges"))
    made = run.execute(jobs.job_of(demos.load("quay"), demos.load("quay").drill("over_ridges")))
    left_out = []
    for name in ("chase", "side", "top", "ride"):
        for row in range(0, made.ticks, 150):
            matrix = Rig(name=name, lag_s=0.0).camera(made, row, 640, 400).matrix
            shown = np.zeros(len(shape.drawn.index), bool)
            for first, count in shape.drawn.in_sight(matrix):
                assert not shown[first : first + count].any(), "none twice"
                shown[first : first + count] = True
            corners = np.concatenate([shape.vertices[:, :3], np.ones((len(shape.vertices), 1))], axis=1) @ matrix.T
            inside = (np.abs(corners[:, :3]) <= corners[:, 3:]).all(axis=1)
            assert shown[inside[shape.drawn.index].any(axis=1)].all(), (name, row)
            left_out.append(1.0 - shown.mean())
    assert np.median(left_out) > 0.3
    assert Chunks.of(shape.vertices, shape.index[:0]).in_sight(np.eye(4)) == []


def test_the_picture_is_that_of_all_triangles(renderer, monkeypatch):
    """Pixel by pixel, but for a few on edges."""
    yard = demos.load("ferry")
    made = run.execute(jobs.job_of(yard, yard.drill("ridges")))
    of = Uneven.of

    def whole(ground):
        shape = of(ground)
        low, high = shape.vertices[:, :3].min(axis=0), shape.vertices[:, :3].max(axis=0)
        box = [[*np.where([k & 1, k & 2, k & 4], high, low), 1.0] for k in range(8)]
        return replace(shape, drawn=Chunks(shape.index, np.array([len(shape.index)]), np.array([box])))

    def picture(name, row):
        renderer._uneven = None
        camera = Rig(name=name, lag_s=0.0).camera(made, row, 320, 200)
        drawn = renderer.draw(Scene(made.job.ground), camera, 320, 200, False)
        bits = drawn.bits()
        assert bits is not None
        return np.frombuffer(bits.asstring(drawn.sizeInBytes()), np.uint8).reshape(200, 320, 4).astype(int)

    for name in ("chase", "top", "side"):
        for row in (10, made.ticks // 2):
            few = picture(name, row)
            with monkeypatch.context() as patch:
                patch.setattr(Uneven, "of", whole)
                all_of_it = picture(name, row)
            differs = np.abs(few - all_of_it).max(axis=2) > 6
            assert differs.mean() < 0.002, (name, row)
            assert len(np.unique(few.reshape(-1, 4), axis=0)) > 100, "ground is seen"


def test_what_lies_before_the_subject_is_found_in_the_pieces_about_it():
    """The triangles that may be a veil, against all vertices looked at one by one."""
    yard = demos.load("quay")
    shape = Uneven.of(yard.ground("ridges"))
    made = run.execute(jobs.job_of(yard, yard.drill("over_ridges")))
    some = []
    for name in ("chase", "side", "top"):
        for row in range(0, made.ticks, 200):
            eye, at = Rig(name=name, lag_s=0.0).camera(made, row, 640, 400).eye, made.place_at(row)
            subject = (*at.tolist(), 2.0)
            found = {tuple(one) for one in shape.before(eye, subject, 1.0).tolist()}
            to, way = shape.vertices[:, :3].astype(float) - eye, at - eye
            far = np.linalg.norm(way)
            along = to @ (way / far)
            off = np.linalg.norm(to - along[:, None] * (way / far), axis=1)
            reach = looks.CONE * 2.0 * np.clip(along / far, 0.02, 1.0) + shape.longest
            near = (along > -shape.longest) & (along < far - 2.0 + shape.longest) & (off < reach)
            assert found == {tuple(one) for one in shape.index[near[shape.index].any(axis=1)].tolist()}
            some.append(len(found))
    assert 0 < np.median(some) < 0.2 * len(shape.index)


def pixels(renderer, scene, camera):
    """A picture of a scene, shape (rows, columns, 3)."""
    drawn = renderer.draw(scene, camera, camera.width, camera.height, False)
    bits = drawn.bits()
    assert bits is not None
    whole = np.frombuffer(bits.asstring(drawn.sizeInBytes()), np.uint8).reshape(camera.height, camera.width, 4)
    return whole[:, :, :3].astype(int)


def test_the_ice_beside_uneven_ground_looks_like_ice_without_any(renderer):
    """It is drawn after the ground that hides some of it, and so is the horizon."""
    camera = Camera(np.array([-140.0, 0.0, 12.0]), np.zeros(3), np.array([0.0, 0.0, 1.0]), 400, 160)
    level, uneven_ = (pixels(renderer, Scene(one), camera) for one in (Ground(id="level"), ground_of(terraces())))
    spots = np.array([[x, y, 40.0] for x in (-45.0, 45.0) for y in (-30.0, 30.0)])
    left, right = camera.project(spots)[0][:, 0].min(), camera.project(spots)[0][:, 0].max()
    beside = np.r_[0 : int(left) - 2, int(right) + 2 : 400]
    assert len(beside) > 40
    assert np.array_equal(level[:, beside], uneven_[:, beside])
    assert len(np.unique(level[:, beside].reshape(-1, 3), axis=0)) > 100, "ice, its rules, hills and sky"
    assert not np.array_equal(level, uneven_)


def test_a_ridge_before_the_subject_is_a_veil_over_the_ice_behind_it(renderer):
    ridge = np.zeros((41, 66))
    ridge[:, 30:34] = 60000.0
    camera = Camera(np.array([-60.0, 0.0, 3.0]), np.array([70.0, 0.0, 1.0]), np.array([0.0, 0.0, 1.0]), 400, 160)
    hidden = Scene(ground_of(ridge))
    behind = replace(hidden, subject=(70.0, 0.0, 1.0, 3.0))
    ice, opaque, veiled = (pixels(renderer, one, camera) for one in (Scene(Ground(id="level")), hidden, behind))
    column, row = (round(float(one)) for one in camera.project(np.array([70.0, 0.0, 1.0]))[0][0])
    assert np.abs(opaque[row, column] - ice[row, column]).max() > 25, "the ridge stands before it"
    share = np.mean((ice - veiled)[row, column] / (ice - opaque)[row, column])
    assert 0.12 < share < 0.6, "some layers of 0.16 each"
    assert np.array_equal(veiled[:, :60], opaque[:, :60]), "beside it nothing is a veil"


def test_a_wall_is_drawn_as_a_veil_wherever_any_of_it_may_be_one(renderer, monkeypatch):
    """Where none of it can be, the picture is the same to the pixel as with each pixel asked."""
    dice, asked, kinds = np.random.default_rng(4), looks.is_veil, set()
    camera = Camera(np.array([-20.0, 0.0, 5.0]), np.array([0.0, 0.0, 1.0]), np.array([0.0, 0.0, 1.0]), 200, 120)
    for _ in range(25):
        x, y = dice.uniform(-18.0, 14.0), dice.uniform(-7.0, 7.0)
        wall = Wall(
            id="wall", x=x, y=y, length=dice.uniform(1.0, 6.0), width=1.0, height=2.0, heading_deg=dice.uniform(0, 180)
        )
        scene = Scene(Ground(id="level", walls=(wall,)), subject=(0.0, 0.0, 1.0, 1.5))
        told: list[bool] = []
        monkeypatch.setattr(looks, "is_veil", lambda *given, told=told: told.append(asked(*given)) or told[-1])
        quick = pixels(renderer, scene, camera)
        monkeypatch.setattr(looks, "is_veil", lambda *_: True)
        assert np.array_equal(quick, pixels(renderer, scene, camera)), (x, y)
        shown = pixels(renderer, replace(scene, subject=(0.0, 0.0, 1.0, 0.0)), camera)
        kinds.add((told[0], bool(np.array_equal(quick, shown))))
    assert {(False, True), (True, False)} <= kinds, "some veil it, some stand aside"
    assert (False, False) not in kinds


def test_a_veil_is_found_however_many_meshes_are_kept(renderer):
    """The mesh of a shade that clears the memory of meshes takes nothing of the ground in sight with it."""
    camera = Camera(np.array([-20.0, 0.0, 5.0]), np.array([0.0, 0.0, 1.0]), np.array([0.0, 0.0, 1.0]), 200, 120)
    pictures = []
    for k in range(70):  # more than are kept: each ground has a wall of its own far away, and the same one before it
        before = Wall(id="wall", x=-8.0, y=0.0, length=5.0, width=1.0, height=2.0, heading_deg=90.0)
        far = Wall(id="far", x=500.0 + k, y=900.0, length=1.0, width=1.0, height=1.0)
        scene = Scene(Ground(id="level", walls=(before, far)), subject=(0.0, 0.0, 1.0, 1.5))
        pictures.append(pixels(renderer, scene, camera))
        if k % 2:  # so that either of the two meshes of a ground may be the one that fills it
            pixels(renderer, Scene(Ground(id="level")), camera)
    assert all(np.array_equal(one, pictures[0]) for one in pictures[1:])


def test_a_picture_without_loose_blocks_follows_one_with_them(renderer):
    """As when another ground is opened: what was loose on the one before is no veil of this one."""
    camera = Camera(np.array([-20.0, 0.0, 5.0]), np.zeros(3), np.array([0.0, 0.0, 1.0]), 200, 120)
    crates = tuple(Block(id=f"crate_{k}", moves="free", x=2.0 * k) for k in range(3))
    subject = (0.0, 0.0, 1.0, 1.5)
    bare = Scene(Ground(id="level"), subject=subject, places=np.zeros((0, 7)))
    first = pixels(renderer, bare, camera)
    places = np.array([[2.0 * k, 0.0, 0.5, 1.0, 0.0, 0.0, 0.0] for k in range(3)])
    full = pixels(renderer, Scene(Ground(id="quay", blocks=crates), subject=subject, places=places), camera)
    assert not np.array_equal(first, full)
    assert np.array_equal(first, pixels(renderer, bare, camera))
