"""Uneven ground and shapes from files: what is read, what is refused, and what a craft and loose bodies do on it."""

import json
import math
import struct
import zlib
from importlib import resources

import numpy as np
import pytest
import trimesh
from PIL import Image
from pydantic import ValidationError

from oak_sled.core.advice import cautions
from oak_sled.core.assembly import ground_shape, tracks, world
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.faults import Refused
from oak_sled.core.contact import grid, scenery, solver
from oak_sled.core.files import mesh_file, picture, yard_json
from oak_sled.core.geometry import hulls, shapes, terrain
from oak_sled.core.geometry.terrain import Mesh, Patch, Relief, mesh_of, pack, unpack
from oak_sled.core.kernel import surface
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.project import demos
from oak_sled.core.results import ledger, run
from oak_sled.core.yard.block import Block, Pair
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground

G = 9.80665
RUNNERS = Runner(id="runners", z=-0.4, spread_x=0.8, spread_y=0.5, side_grip=0.6, glide=0.02)
BOX = {"mass": 100.0, "length": 2.0, "width": 1.0, "height": 0.4}


def slope_of(rise, columns=41, rows=21, length=80.0, width=40.0):
    """A relief that rises evenly along x by `rise` m in all."""
    grey = np.round(np.tile(np.linspace(0.0, 1.0, columns), (rows, 1)) * 65535).astype("<u2")
    return Relief(columns=columns, rows=rows, data=pack(grey), length=length, width=width, low=0.0, high=rise)


def height_of(relief, x, y):
    """m over a point, from the grid itself: the slow twin of `ground_shape.height_at`; None beyond the edge."""
    u = (x - relief.x + 0.5 * relief.length) / relief.length * (relief.columns - 1)
    v = (y - relief.y + 0.5 * relief.width) / relief.width * (relief.rows - 1)
    if not (0.0 <= u <= relief.columns - 1 and 0.0 <= v <= relief.rows - 1):
        return None
    z = relief.heights()
    i, j = min(int(u), relief.columns - 2), min(int(v), relief.rows - 2)
    s, t = u - i, v - j
    a, b, c, d = z[j, i], z[j, i + 1], z[j + 1, i + 1], z[j + 1, i]
    return float(a + s * (b - a) + t * (c - b) if s >= t else a + t * (d - a) + s * (c - d))


def closed(name="box"):
    made = {
        "box": trimesh.creation.box((2.0, 1.0, 0.5)),
        "ball": trimesh.creation.icosphere(3, 0.7),
        "rod": trimesh.creation.cylinder(0.3, 2.0, sections=64),
        "ring": trimesh.creation.torus(1.0, 0.3, major_sections=24, minor_sections=12),
    }[name]
    return mesh_of(np.asarray(made.vertices), np.asarray(made.faces), f"{name}.obj")


def half_of(mesh):
    return tuple(0.5 * size for size in mesh.size())


# packing


def test_numbers_come_back_as_they_were():
    numbers = np.arange(12, dtype="<f4").reshape(4, 3)
    assert np.array_equal(unpack(pack(numbers), "<f4", (4, 3), "x"), numbers)


@pytest.mark.parametrize("text", ["", "not base 64!", pack(np.zeros(3)), pack(np.zeros(500_000))[:40], "AAAA"])
def test_damaged_numbers_are_refused(text):
    with pytest.raises(ValueError, match=r"corners: .*packed by this program"):
        unpack(text, "<f4", (4, 3), "corners")


def test_a_text_that_would_fill_the_memory_is_not_spread_out():
    huge = pack(np.zeros(30_000_000, np.uint8))  # a few kB of text
    assert len(huge) < 100_000
    with pytest.raises(ValueError, match="does not hold"):
        unpack(huge, "<f4", (4, 3), "corners")


# relief


def test_heights_are_those_of_the_triangles():
    grey = np.array([[0, 65535, 0], [0, 0, 65535]], "<u2")
    relief = Relief(columns=3, rows=2, data=pack(grey), x=5.0, length=2.0, width=1.0, low=-1.0, high=3.0)
    assert relief.heights()[0].tolist() == [-1.0, -1.0, 3.0], "rows from the south"
    ground = Ground(id="g", relief=relief)
    for x, y in np.random.default_rng(3).uniform((4.0, -0.5), (6.0, 0.5), (60, 2)):
        assert height_of(relief, x, y) == pytest.approx(ground_shape.height_at(ground, x, y), abs=1e-9)
    assert height_of(relief, 6.2, 0.0) is None
    assert ground_shape.height_at(ground, 60.2, 0.0) is None


def test_a_relief_looks_up_and_its_folds_stand_out():
    laid = grid.lay(slope_of(0.0, 5, 4).triangles())
    assert np.allclose(laid.rows["normal"], [0, 0, 1])
    assert len(laid.rows) == 4 * 3 * 2
    rim = 2 * (4 + 3)
    assert sum(bin(int(bits)).count("1") for bits in laid.rows["sharp"]) == rim, "only where the ground ends"
    ridge = Relief(columns=3, rows=2, data=pack(np.array([[0, 65535, 0]] * 2, "<u2")), length=2, width=1, high=1.0)
    valley = Relief(columns=3, rows=2, data=pack(np.array([[65535, 0, 65535]] * 2, "<u2")), length=2, width=1, high=1.0)
    edges = [sum(bin(int(b)).count("1") for b in grid.lay(one.triangles()).rows["sharp"]) for one in (ridge, valley)]
    assert edges[0] == edges[1] + 2, "the crest stands out for both of its sides, the floor of a valley for none"


@pytest.mark.parametrize(("angle", "moves"), [(10.0, False), (14.0, False), (20.0, True), (25.0, True)])
def test_a_box_on_a_slope_of_a_relief_stays_or_slides(angle, moves):
    """Below and above atan 0.3 = 16.7 degrees; a = g (sin - mu cos)."""
    tilt = math.radians(angle)
    relief = slope_of(80.0 * math.tan(tilt))
    half = (0.4, 0.3, 0.2)
    turn = -0.5 * tilt
    up = np.array([-math.sin(tilt), 0.0, math.cos(tilt)])
    foot = np.array([0.0, 0.0, height_of(relief, 0.0, 0.0)])
    solid = scenery.Solid(
        [shapes.box(half)],
        20.0,
        shapes.box_inertia(20.0, half),
        position=foot + 0.2 * up,
        attitude=(math.cos(turn), 0.0, math.sin(turn), 0.0),
    )
    pairs = np.full((1, 1, 2), [0.3, 0.0])
    scene = scenery.scene([solid], plane=False, triangles=relief.triangles(), materials=pairs)
    out = np.zeros((240, 2, 13))
    solver.run_alone(scene, still_air(G)[0], 1 / 120, 240, out)
    speed = float(np.linalg.norm(out[-1, 1, 7:10]))
    if moves:
        assert speed == pytest.approx(2.0 * G * (math.sin(tilt) - 0.3 * math.cos(tilt)), rel=0.01)
    else:
        assert np.linalg.norm(out[-1, 1, :3] - out[30, 1, :3]) < 1e-3


def test_a_ball_comes_to_rest_in_a_hollow():
    x, y = np.meshgrid(np.linspace(-1, 1, 33), np.linspace(-1, 1, 33))
    grey = np.round(np.clip(x * x + y * y, 0, 1) * 65535).astype("<u2")
    bowl = Relief(columns=33, rows=33, data=pack(grey), length=8.0, width=8.0, high=2.0)
    ball = scenery.Solid([shapes.ball(0.3)], 5.0, shapes.ball_inertia(5.0, 0.3), position=(2.4, 0.6, 2.0))
    scene = scenery.scene([ball], plane=False, triangles=bowl.triangles(), materials=np.full((1, 1, 2), [0.6, 0.0]))
    out = np.zeros((1800, 3, 13))
    solver.run_alone(scene, still_air(G)[0], 1 / 60, 1800, out)
    assert out[:, 1, 2].min() > 0.25, "never through"
    far = np.hypot(out[:, 1, 0], out[:, 1, 1])
    assert far[-600:].max() < far[:600].max(), "rolling to and fro takes no energy from nowhere"
    height = out[:, 1, 2] * 9.81 * 5.0
    speed = 0.5 * 5.0 * np.sum(out[:, 1, 7:10] ** 2, axis=1) + 0.5 * 0.18 * np.sum(out[:, 1, 10:13] ** 2, axis=1)
    assert (height + speed)[-1] <= (height + speed)[60] * 1.01


def test_a_craft_begins_on_the_relief_and_not_in_it(make):
    relief = slope_of(8.0)
    made = make.run([RUNNERS], body=BOX, ground={"floor": True, "relief": relief}, x=10.0, seconds=0.5)
    assert made.overlap is None
    under = height_of(relief, 10.0, 0.0)
    assert made.column("position.z")[0] - made.job.craft.foot_depth() == pytest.approx(under, abs=0.15)
    assert made.column("position.z").min() > under


def test_ground_without_a_level_floor_is_only_the_relief(make):
    grey = np.round(np.tile(np.linspace(1.0, 0.0, 41), (21, 1)) * 65535).astype("<u2")
    pit = Relief(columns=41, rows=21, data=pack(grey), length=80.0, width=40.0, low=-6.0, high=0.0)
    made = make.run([RUNNERS], body=BOX, ground={"floor": False, "relief": pit}, speed=6.0, seconds=3.0)
    assert made.column("position.z")[-1] < made.column("position.z")[0] - 1.0, "down below the level"


def test_a_craft_whose_height_is_held_stays_level_and_that_is_said(make, planar):
    ground = {"floor": True, "relief": slope_of(8.0)}
    job = make.job([RUNNERS], body=planar, ground=ground, x=10.0, speed=6.0, seconds=2.0)
    made = run.execute(job)
    assert np.ptp(made.column("position.z")) == 0.0
    assert made.column("position.z")[0] == pytest.approx(made.job.craft.foot_depth())
    assert made.column("load")[-1] == pytest.approx(100.0 * G), "its runners stand on the level"
    assert [one.name for one in cautions.find(job, made) if one.where == "body"] == ["held_level"]
    free = make.job([RUNNERS], body=BOX, ground=ground, seconds=0.2)
    assert "held_level" not in [one.name for one in cautions.find(free)]
    level = make.job([RUNNERS], body=planar, seconds=0.2)
    assert "held_level" not in [one.name for one in cautions.find(level)]


# runners among objects


def test_the_feet_of_a_standing_craft_carry_what_statics_says(make):
    """Centre of mass 0.2 m ahead of the middle of feet 1.6 m apart: the front carries 0.625 of the weight."""
    body = {**BOX, "centre_x": 0.2}
    job = make.job([RUNNERS], body=body, ground={"floor": True}, seconds=1.5)
    made = run.execute(job)
    assert made.column("load")[-1] == pytest.approx(100.0 * G, rel=1e-6)
    wanted = 0.5 + 0.2 / 1.6
    machine, loads = carried(job)
    assert loads.sum() == pytest.approx(100.0 * G, rel=1e-6)
    assert loads[[0, 2]].sum() == pytest.approx(wanted * 100.0 * G, rel=1e-3)
    assert machine.scene.solids["position"][1, 0] == pytest.approx(0.2, abs=1e-3)


def carried(job):
    """Everything after the last tick of a run, and the loads of its feet."""
    machine, ticks = run.Machine.of(job), world.check_size(job)
    rows = np.zeros((ticks + 1, run.Layout.of(job).width))
    machine.advance(tracks.inputs(job, ticks), rows[1:])
    return machine, machine.world.supports["load"][:4]


def test_braking_puts_load_on_the_front_feet(make):
    """Moment balance: the load moves by m a h over the distance of the feet."""
    brake = Brake(id="brake", channel="brake", bite=0.3, at_point=True, x=0.0, z=-0.4)
    job = make.job([RUNNERS, brake], body=BOX, ground={"floor": True}, inputs={"brake": 1.0}, speed=20.0, seconds=1.5)
    made = run.execute(job)
    _, loads = carried(job)
    slowing = float(made.column("velocity.x")[-60] - made.column("velocity.x")[-1]) / (59 / 120)
    moved = 100.0 * slowing * 0.4 / 1.6
    front, rear = loads[[0, 2]].sum(), loads[[1, 3]].sum()
    assert slowing > 2.0
    assert (front - rear) / 2.0 == pytest.approx(moved, rel=0.03)


def test_runners_on_a_slope_push_along_it(make):
    """Gliding down 12 degrees: a = g (sin - glide cos) along the slope, and nothing into it."""
    tilt = math.radians(12.0)
    relief = slope_of(-80.0 * math.tan(tilt)).replace(low=80.0 * math.tan(tilt), high=0.0)
    job = make.job([RUNNERS], body=BOX, ground={"floor": False, "relief": relief}, x=-30.0, seconds=3.0)
    made = run.execute(job)
    along = np.array([math.cos(tilt), 0.0, -math.sin(tilt)])
    speeds = made.columns("velocity.x", "velocity.y", "velocity.z") @ along
    rate = (speeds[-1] - speeds[180]) / ((made.ticks - 180) / 120)
    assert rate == pytest.approx(G * (math.sin(tilt) - 0.02 * math.cos(tilt)), rel=0.01)
    pushed = made.line("runners")[200:, :3]
    into = np.abs(pushed @ np.array([math.sin(tilt), 0.0, math.cos(tilt)]))
    assert into.max() < 0.02 * np.abs(pushed @ along).max() + 1.0


# patches


def test_the_patch_laid_last_counts():
    patches = (
        Patch(id="a", x=0.0, length=10.0, width=4.0),
        Patch(id="b", x=4.0, heading_deg=90.0, length=6.0, width=2.0),
    )
    rows = ground_shape.patch_rows(Ground(id="g", patches=patches))
    assert [surface.under(rows, 2, x, y) for x, y in ((0, 0), (4, 0), (4, 2.9), (0, 2.1), (3.5, 2.5))] == [
        0,
        1,
        1,
        -1,
        1,
    ]
    assert surface.grip_at(rows, 2, 50.0, 0.0) == 1.0
    assert surface.grip_at(rows, 2, 0.0, 0.0) == 0.5
    spots = [surface.bump(0.37 * k, 0.11 * k) for k in range(2000)]
    assert abs(np.mean(spots)) < 0.05, "what it shakes up it shakes down"
    assert max(np.abs(spots)) <= 1.0


@pytest.mark.parametrize(("glide", "stops"), [(1.0, 51.0), (4.0, 12.75)])
def test_a_patch_scales_how_far_runners_glide(make, planar, glide, stops):
    """v2 / (2 g mu) with mu of 0.02 times the patch; v = 4.4725 m/s."""
    speed = math.sqrt(2 * G * 0.02 * 51.0)
    patch = Patch(id="snow", x=0.0, length=400.0, width=50.0, grip=1.0, glide=glide)
    made = make.run([RUNNERS], body=planar, ground={"patches": (patch,)}, speed=speed, seconds=30.0)
    assert made.column("position.x")[-1] == pytest.approx(stops, rel=0.01)


def test_a_patch_scales_grip_and_the_friction_of_what_slides(make):
    block = Block(id="crate", x=10.0, length=0.5, width=0.5, height=0.2)
    ends = {}
    for grip in (0.5, 1.0):
        patch = Patch(id="swept", x=0.0, length=400.0, width=50.0, grip=grip)
        ground = {"floor": True, "friction": 0.4, "blocks": (block,), "patches": (patch,)}
        made = make.run(body={**BOX, "height": 0.5}, ground=ground, y=20.0, speed=5.0, seconds=6.0)
        ends[grip] = float(made.column("position.x")[-1])
    assert ends[0.5] == pytest.approx(2.0 * ends[1.0], rel=0.03)


def test_a_rough_patch_swings_the_load_of_a_free_craft_and_keeps_its_ledger(make):
    patch = Patch(id="ruts", x=20.0, length=30.0, width=20.0, grip=1.0, roughness=0.8)
    ends = {}
    for patches in ((), (patch,)):
        ground = {"floor": True, "patches": patches}
        made = make.run([RUNNERS], body=BOX, ground=ground, speed=10.0, seconds=4.0)
        assert max(ledger.ledger_gap(made)) < 1e-9
        ends[len(patches)] = float(np.std(made.line("contact")[90:240, 2])) / (100.0 * G)
    assert ends[0] < 0.01
    assert 0.05 < ends[1] < 0.8


# meshes: mass, closedness, hulls


@pytest.mark.parametrize(("name", "volume", "inertia"), [
    ("box", 1.0, ((1 + 0.25) / 12, (4 + 0.25) / 12, 5 / 12)),
    ("ball", 4 / 3 * math.pi * 0.343, (0.4 * 0.49,) * 3),
    ("rod", math.pi * 0.09 * 2.0, (0.09 / 4 + 4 / 12, 0.09 / 4 + 4 / 12, 0.045)),
    ("ring", 2 * math.pi**2 * 0.09, (0.5 * (1 + 5 / 4 * 0.09), 0.5 * (1 + 5 / 4 * 0.09), 1 + 0.75 * 0.09)),
])  # fmt: skip
def test_bulk_is_that_of_the_solid(name, volume, inertia):
    """Closed forms of box, ball, cylinder and ring; facets take a few per cent."""
    mesh = closed(name)
    found = hulls.bulk(mesh.within(half_of(mesh)))
    slack = 1e-6 if name == "box" else 0.06
    assert found.volume == pytest.approx(volume, rel=slack)
    assert np.allclose(found.centre, 0.0, atol=1e-6)
    assert np.diag(found.inertia) == pytest.approx(inertia, rel=slack)
    assert hulls.is_closed(mesh)


def test_bulk_does_not_care_where_the_solid_lies():
    triangles = closed("box").within((1.0, 0.5, 0.25))
    here, there = hulls.bulk(triangles), hulls.bulk(triangles + [50.0, -20.0, 3.0])
    assert there.centre == pytest.approx([50.0, -20.0, 3.0])
    assert np.allclose(there.inertia, here.inertia, atol=1e-6)


@pytest.mark.parametrize(("fit", "least", "most"), [("hull", -0.01, 0.01), ("box", 0.85, 0.95), ("ball", 0.0, 0.2)])
def test_the_gap_of_each_fit_is_told(fit, least, most):
    """A ball of 0.7: its hull is itself, its box 6/pi of it, its ball a little more than its facets."""
    mesh = closed("ball")
    found = hulls.fitted(mesh, fit, 4, half_of(mesh))
    assert len(found.pieces) == 1
    assert least - 0.12 * (fit == "hull") <= found.too_much <= most
    assert found.bulk.volume == pytest.approx(4 / 3 * math.pi * 0.343, rel=0.05)


def test_a_ring_is_taken_apart_and_stays_hollow():
    mesh = closed("ring")
    whole = hulls.fitted(mesh, "hull", 1, half_of(mesh))
    parts = hulls.fitted(mesh, "hulls", 12, half_of(mesh))
    assert whole.too_much > 0.4
    assert abs(parts.too_much) < 0.05
    assert len(parts.pieces) >= 6
    middles = [np.linalg.norm(corners[:, :2], axis=1).min() for corners in parts.corners]
    assert min(middles) > 0.5, "nothing fills the hole"


def test_a_mesh_is_taken_apart_once_and_drawn_out_to_every_size(monkeypatch):
    """It takes seconds for a large one, and a dial of the size of its block asks for it at every step."""
    mesh = closed("ring")
    first = hulls.fitted(mesh, "hulls", 12, half_of(mesh))
    monkeypatch.setattr(hulls, "taken_apart", lambda *_: pytest.fail("it was taken apart again"))
    for scale in ((1.1, 1.1, 1.1), (2.0, 0.5, 1.5)):
        half = tuple(np.array(half_of(mesh)) * scale)
        found = hulls.fitted(mesh, "hulls", 12, half)
        assert len(found.pieces) == len(first.pieces)
        for corners, before in zip(found.corners, first.corners, strict=True):
            assert np.allclose(corners, before * scale)
        assert found.too_much == pytest.approx(first.too_much, abs=1e-6), "shares of volume stay"
        assert found.bulk.volume == pytest.approx(first.bulk.volume * np.prod(scale))


def test_a_cleat_is_three_boxes():
    block = demos.load("quay").ground("gutter").blocks[1]
    fitted = block.fitted()
    assert block.id == "cleat"
    assert [len(corners) for corners in fitted.corners] == [8, 8, 8]
    assert fitted.too_much == pytest.approx(0.0, abs=1e-6)
    assert fitted.bulk.volume == pytest.approx(0.6 * (1.6 * 0.25 + 0.4 * 0.4 + 1.2 * 0.25), rel=1e-6)


def test_hulls_cover_the_mesh():
    """Every corner lies in one of the pieces, whatever the mesh."""
    block = demos.load("quay").ground("gutter").blocks[1]
    corners = block.mesh.within(block.half_extents()).reshape(-1, 3)
    for corner in np.unique(corners, axis=0):
        inside = [
            np.all(piece.normals @ corner <= [n @ f[0] + 1e-6 for n, f in zip(piece.normals, piece.faces, strict=True)])
            for piece in block.fitted().pieces
        ]
        assert any(inside)


def test_a_round_hull_keeps_faces_all_round():
    """A face of 64 corners is thinned round its rim; it is not cut off."""
    turn = np.linspace(0, 2 * math.pi, 64, endpoint=False)
    ring = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    points = np.array([[x, y, z] for x, y in ring for z in (-0.5, 0.5)])
    piece = shapes.hull(points)
    lid = max(piece.faces, key=len)
    assert 16 <= len(lid) <= 22
    assert np.ptp(lid[:, 0]) > 1.95
    assert np.ptp(lid[:, 1]) > 1.95


def test_a_mesh_block_rests_on_its_hulls(make):
    gutter = demos.load("quay").ground("gutter")
    cleat = gutter.blocks[1].replace(x=6.0, y=0.0, z=0.3)
    made = make.run(body=BOX, ground={"floor": True, "blocks": (cleat,)}, x=-20.0, seconds=3.0)
    height = made.column("block.cleat.position.z")
    assert height[-1] == pytest.approx(0.45 + cleat.centre()[2], abs=3e-3)
    assert (
        np.abs(made.column("block.cleat.velocity.z")[-1]) < 1e-6
        if "block.cleat.velocity.z" in made.layout.names
        else True
    )


def test_a_craft_takes_mass_centre_and_inertia_from_its_mesh(make):
    gutter = demos.load("quay").ground("gutter")
    iron = gutter.blocks[1].mesh
    size = dict(zip(("length", "width", "height"), iron.size(), strict=True))
    body = Body(shape="mesh", mesh=iron, fit="hulls", mass_from="density", density=500.0, **size)
    assert body.true_mass() == pytest.approx(500.0 * 0.516, rel=1e-6)
    assert body.centre()[2] == pytest.approx(-0.0378, abs=1e-3)
    assert np.allclose(body.inertia_matrix(), 258.0 * hulls.bulk(iron.within(body.half_extents())).inertia, rtol=1e-6)
    made = make.run(body=body.model_dump(), ground={"floor": True}, height=0.5, seconds=3.0)
    assert made.column("position.z")[-1] == pytest.approx(0.45 + body.centre()[2], abs=3e-3)
    assert made.column("on_ground")[-1] == 1.0


def test_a_capsule_craft_rolls(make):
    body = Body(shape="capsule", length=2.0, width=0.6, mass=80.0)
    assert body.volume() == pytest.approx(math.pi * 0.09 * 1.4 + 4 / 3 * math.pi * 0.027)
    made = make.run(body=body.model_dump(), ground={"floor": True, "friction": 0.5}, side_speed=2.0, seconds=2.0)
    assert made.column("position.z")[-1] == pytest.approx(0.3, abs=3e-3)
    # rolling without sliding: v / (1 + I / (m r2)) of the speed is left
    share = 1.0 / (1.0 + body.inertia_matrix()[0, 0] / (80.0 * 0.09))
    assert made.column("velocity.y")[-1] == pytest.approx(2.0 * share, rel=0.02)
    with pytest.raises(ValidationError, match="past its length"):
        Body(shape="capsule", length=0.4, width=0.6)


# bad documents


@pytest.mark.parametrize(
    ("settings", "words"),
    [
        ({"shape": "mesh"}, "needs one"),
        ({"shape": "mesh", "mesh": closed(), "fit": "triangles"}, "only static blocks"),
        ({"shape": "mesh", "mesh": mesh_of(np.eye(3), np.array([[0, 1, 2]]))}, "no volume"),
    ],
)
def test_a_block_that_cannot_be_is_refused(settings, words):
    with pytest.raises(ValidationError, match=words):
        Block(id="b", **settings)


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"up": "+x"}, "are one axis"),
        ({"points": 9}, "does not hold"),
        ({"face_data": pack(np.full((12, 3), 99, "<i4"))}, "not there"),
        ({"corner_data": pack(np.full((8, 3), np.nan, "<f4"))}, "not a number"),
        ({"corner_data": pack(np.full((8, 3), 3e7, "<f4"))}, "past 100 km"),
        ({"triangles": 30_000}, "20000"),
        ({"face_data": pack(np.tile([0, 1, 1], (12, 1)).astype("<i4"))}, "no triangle has an area"),
    ],
)
def test_a_damaged_mesh_is_refused(changes, words):
    with pytest.raises(ValidationError, match=words):
        closed().replace(**changes)


def test_units_and_axes_of_a_mesh_can_be_changed():
    mesh = closed()
    assert mesh.replace(unit="mm").size() == pytest.approx((0.002, 0.001, 0.0005))
    turned = mesh.replace(up="+y", ahead="+z")
    assert turned.size() == pytest.approx((0.5, 2.0, 1.0)), "z forward, x to the left, y up"
    axes = np.sign(turned.corners()[0] / mesh.corners()[0][[2, 0, 1]])
    assert axes.tolist() == [1.0, 1.0, 1.0], "right-handed: nothing is mirrored"
    assert hulls.bulk(turned.within(half_of(turned))).volume == pytest.approx(1.0)


# files


def test_every_kind_of_mesh_file_gives_the_same_body(tmp_path):
    made = trimesh.creation.box((2.0, 1.0, 0.5))
    for kind in ("obj", "stl", "glb"):
        made.export(tmp_path / f"crate.{kind}")
    for name, data in trimesh.exchange.gltf.export_gltf(trimesh.Scene(made)).items():
        (tmp_path / name).write_bytes(data)
    for file in ("crate.obj", "crate.stl", "crate.glb", "model.gltf"):
        mesh = mesh_file.read(tmp_path / file)
        assert mesh.size() == pytest.approx((2.0, 1.0, 0.5))
        assert (mesh.points, mesh.triangles, mesh.source) == (8, 12, file)
        assert hulls.bulk(mesh.within(half_of(mesh))).volume == pytest.approx(1.0)


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("empty.obj", b"", "it is empty"),
        ("words.obj", b"hello, lake\n", "no triangles"),
        ("nan.obj", b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "nan.obj"),
        ("beyond.obj", b"v 0 0 0\nv 1 0 0\nf 1 2 9\n", "cannot be read"),
        ("line.obj", b"v 0 0 0\nv 1 0 0\nv 2 0 0\nf 1 2 3\n", "no area"),
        ("far.obj", b"v 0 0 0\nv 1e9 0 0\nv 0 1 0\nf 1 2 3\n", "another unit"),
        ("short.stl", b"solid", "no triangles"),
        ("liar.stl", b"\0" * 80 + b"\xff\xff\xff\x7f", "it is damaged"),
        ("bare.gltf", b"{}", "no triangles"),
        ("magic.gltf", b"glTF", "magic.gltf"),
        ("thief.gltf", b'{"asset":{"version":"2.0"},"buffers":[{"uri":"../secret","byteLength":9}],"meshes":[]}',
         "does not lie beside it"),
        ("picture.bmp", b"BM", "OBJ, STL, glTF or GLB"),
    ],
)  # fmt: skip
def test_a_hostile_mesh_file_is_refused_in_one_line(tmp_path, name, data, words):
    (tmp_path / name).write_bytes(data)
    (tmp_path.parent / "secret").write_bytes(b"123456789")
    with pytest.raises(Refused) as refused:
        mesh_file.read(tmp_path / name)
    assert len(refused.value.faults) == 1
    text = str(refused.value)
    assert words in text
    assert "\n" not in text


def test_an_enormous_mesh_is_refused_with_the_limit(tmp_path):
    strip = [f"v {k} 0 0\nv {k} 1 0" for k in range(10_100)]
    faces = [f"f {2 * k + 1} {2 * k + 2} {2 * k + 3}\nf {2 * k + 2} {2 * k + 4} {2 * k + 3}" for k in range(10_099)]
    (tmp_path / "strip.obj").write_text("\n".join(strip + faces))
    with pytest.raises(Refused, match=r"20198 triangles are too many \(at most 20000"):
        mesh_file.read(tmp_path / "strip.obj")
    with pytest.raises(Refused, match="no such file"):
        mesh_file.read(tmp_path / "nowhere.obj")


def test_an_inside_out_solid_is_turned(tmp_path):
    made = trimesh.creation.box((1.0, 1.0, 1.0))
    made.invert()
    made.export(tmp_path / "crate.stl")
    mesh = mesh_file.read(tmp_path / "crate.stl")
    assert hulls.bulk(mesh.within((0.5, 0.5, 0.5))).volume == pytest.approx(1.0)


def test_a_picture_becomes_a_relief(tmp_path):
    grey = np.array([[0, 128, 255], [255, 128, 0]], np.uint8)
    Image.fromarray(grey).save(tmp_path / "two.png")
    relief = picture.read(tmp_path / "two.png", low=0.0, high=2.55)
    assert relief.heights()[1] == pytest.approx([0.0, 1.28, 2.55], abs=1e-4)
    deep = np.array([[0, 32768, 65535]] * 2, np.uint16)
    Image.fromarray(deep).save(tmp_path / "deep.png")
    assert picture.read(tmp_path / "deep.png").grey()[0].tolist() == [0, 32768, 65535]
    Image.fromarray(np.zeros((600, 300), np.uint8) + 77).convert("RGB").save(tmp_path / "big.png")
    big = picture.read(tmp_path / "big.png")
    assert (big.columns, big.rows) == (257, 257), "averaged down"
    assert np.unique(big.grey()).tolist() == [77 * 257]


@pytest.mark.parametrize(
    ("size", "words"), [((1, 5), "1 x 5 pixels are too few"), ((5000, 3), "5000 x 3 pixels are too many")]
)
def test_a_picture_of_a_wrong_size_is_refused(tmp_path, size, words):
    Image.new("L", size).save(tmp_path / "p.png")
    with pytest.raises(Refused, match=words):
        picture.read(tmp_path / "p.png")


def test_a_picture_that_is_none_is_refused(tmp_path):
    (tmp_path / "words.png").write_text("hello")
    with pytest.raises(Refused, match=r"it is no PNG \(a grey picture"):
        picture.read(tmp_path / "words.png")
    Image.new("L", (64, 64)).save(tmp_path / "whole.png")
    cut = (tmp_path / "whole.png").read_bytes()
    (tmp_path / "cut.png").write_bytes(cut[: len(cut) - 30])
    with pytest.raises(Refused, match=r"cut\.png: it cannot be read"):
        picture.read(tmp_path / "cut.png")
    # a head that claims a picture of 4 gigapixels: refused before a pixel is unpacked
    head = b"IHDR" + struct.pack(">IIBBBBB", 65_000, 65_000, 8, 0, 0, 0, 0)
    chunk = struct.pack(">I", 13) + head + struct.pack(">I", zlib.crc32(head))
    (tmp_path / "bomb.png").write_bytes(b"\x89PNG\r\n\x1a\n" + chunk + b"\0\0\0\0IEND\xaeB`\x82")
    with pytest.raises(Refused, match=r"bomb\.png"):
        picture.read(tmp_path / "bomb.png")
    with pytest.raises(Refused, match="no such file"):
        picture.read(tmp_path / "nowhere.png")


# the demo, and what is said of overlaps


def test_the_grounds_of_the_demo_are_those_of_the_shipped_files():
    folder = resources.files("oak_sled") / "demo"
    quay = demos.load("quay")
    with resources.as_file(folder / "ridges.png") as file:
        assert picture.read(file).data == quay.ground("ridges").relief.data
    for name, place in (("gutter", 0), ("cleat", 1)):
        with resources.as_file(folder / f"{name}.obj") as file:
            read, kept = mesh_file.read(file), quay.ground("gutter").blocks[place].mesh
            assert np.allclose(read.corners(), kept.corners())
            assert np.array_equal(read.faces(), kept.faces())


def test_a_yard_of_uneven_ground_is_saved_and_read_again():
    quay = demos.load("quay")
    text = yard_json.dumps(quay)
    assert yard_json.loads(text, "quay") == quay
    broken = json.loads(text)
    broken["grounds"][1]["relief"]["data"] = "AAAA"
    with pytest.raises(Refused, match=r"grounds\.ridges\.relief\.data"):
        yard_json.loads(json.dumps(broken), "quay")


@pytest.mark.parametrize("drill", ["over_ridges", "down_the_gutter"])
def test_drills_on_uneven_ground_keep_their_ledger_and_are_the_same_again(drill):
    quay = demos.load("quay")
    told = quay.drill(drill)
    job = Job(quay.craft(), quay.ground_of(told), told, quay.ticks)
    made = run.execute(job)
    assert max(ledger.ledger_gap(made)) < 1e-9
    assert run.execute(job).digest == made.digest
    foot = made.column("position.z") - made.job.craft.foot_depth()
    under = [ground_shape.height_at(job.ground, *made.record.row(k)[:2]) or 0.0 for k in range(0, made.ticks, 40)]
    assert np.all(foot[: made.ticks : 40] > np.array(under) - 0.35), "never through the ground"


def test_what_starts_in_something_else_is_said_and_parted_gently(make):
    blocks = (Block(id="one", x=8.0, mass=50.0), Block(id="other", x=8.6, mass=50.0, title="Second crate"))
    job = make.job(body=BOX, ground={"floor": True, "blocks": blocks}, seconds=2.0)
    made = run.execute(job)
    depth, first, second = made.overlap
    assert depth == pytest.approx(0.4, abs=0.02)
    assert {first, second} == {"one", "Second crate"}
    said = [caution for caution in cautions.find(job, made) if caution.name == "overlap"]
    assert len(said) == 1
    assert "start" in said[0].says
    apart = made.column("block.other.position.x")[-1] - made.column("block.one.position.x")[-1]
    assert apart == pytest.approx(1.0, abs=0.02)
    steps = np.abs(np.diff(made.column("block.one.position.x"))) * 120
    assert steps.max() < 3.0, "no explosion"
    clear = make.run(body=BOX, ground={"floor": True, "blocks": blocks[:1]}, seconds=0.2)
    assert clear.overlap is None


def test_thrust_climbs_a_ramp_of_triangles(make):
    fan = Thruster(id="fan", channel="throttle", thrust=400.0)
    ground = {"floor": True, "relief": slope_of(10.0).replace(x=45.0)}
    made = make.run([fan, RUNNERS], body=BOX, ground=ground, inputs={"throttle": 1.0}, seconds=7.0)
    assert made.column("position.z")[-1] > 2.0
    assert made.column("on_ground")[60:].mean() > 0.95


def test_the_length_of_packed_text_is_bounded():
    assert terrain.MOST_PACKED < 10_000_000
    with pytest.raises(ValidationError, match="at most"):
        Mesh(points=3, triangles=1, corner_data="A" * (terrain.MOST_PACKED + 1), face_data="")


# a ground that slopes


@pytest.mark.parametrize("ticks", [60, 240])
@pytest.mark.parametrize(("tilt", "to"), [(8.0, 0.0), (20.0, 130.0), (35.0, -75.0)])
def test_a_box_slides_down_a_sloping_ground_as_the_closed_form_says(tilt, to, ticks):
    friction = 0.1
    slope = Ground(id="g", tilt_deg=tilt, rises_to_deg=to, friction=friction)
    pair = Pair(id="on", one="timber", other="ground", friction=friction, restitution=0.0)
    height = slope.slope().height(4.0, 3.0)
    # turned so that its length lies up the slope, and pitched with it
    crate = Block(
        id="crate", x=4.0, y=3.0, z=height - 0.5 + 0.5 / math.cos(math.radians(tilt)), heading_deg=to, pitch_deg=-tilt
    )
    made = run.execute(
        Job(Craft(id="c", body=Body(held=("x", "y", "z", "roll", "pitch", "yaw"))),
            slope.replace(blocks=(crate,), pairs=(pair,)), Drill(id="d", start=Start(x=-50.0), duration=3.0), ticks)
    )  # fmt: skip
    speed = np.linalg.norm(made.columns(*(f"block.crate.velocity.{axis}" for axis in "xyz"))[-1])
    angle = math.radians(tilt)
    expected = 3.0 * 9.80665 * (math.sin(angle) - friction * math.cos(angle))
    assert speed == pytest.approx(expected, rel=1e-4), "friction points against the slip, whatever the heading"
    place = (
        made.columns(*(f"block.crate.position.{axis}" for axis in "xyz"))[-1]
        - made.columns(*(f"block.crate.position.{axis}" for axis in "xyz"))[0]
    )
    assert place @ np.array(slope.slope().normal()) == pytest.approx(0.0, abs=3e-3), "it stays on the plane"
    down = -np.array([math.cos(math.radians(to)), math.sin(math.radians(to))])
    assert place[:2] / np.linalg.norm(place[:2]) == pytest.approx(down, abs=1e-4)


@pytest.mark.parametrize("ticks", [60, 120, 480])
def test_a_box_held_by_friction_stands_on_a_sloping_ground(ticks):
    slope = Ground(id="g", tilt_deg=17.0, rises_to_deg=40.0, friction=1.0)
    lift = 0.5 / math.cos(math.radians(17.0)) - 0.5
    crate = Block(id="crate", z=lift, heading_deg=40.0, pitch_deg=-17.0)
    pair = Pair(id="on", one="timber", other="ground", friction=1.0, restitution=0.0)
    made = run.execute(
        Job(Craft(id="c", body=Body(held=("x", "y", "z", "roll", "pitch", "yaw"))),
            slope.replace(blocks=(crate,), pairs=(pair,)), Drill(id="d", start=Start(x=-50.0), duration=10.0), ticks)
    )  # fmt: skip
    places = made.columns(*(f"block.crate.position.{axis}" for axis in "xyz"))
    assert np.linalg.norm(places[-1] - places[ticks]) < 1e-3


def test_a_craft_starts_on_the_slope_and_its_edges_cannot_wrap():
    slope = Ground(id="g", tilt_deg=10.0)
    job = Job(Craft(id="c"), slope, Drill(id="d", start=Start(x=20.0)), 120)
    depth = job.craft.foot_depth()
    assert job.starts[0][2] - depth == pytest.approx(math.tan(math.radians(10.0)) * (20.0 + 1.2), abs=1e-9)
    with pytest.raises(ValidationError, match="edges: a ground that slopes cannot wrap"):
        Ground(id="g", tilt_deg=10.0, edges="wrap")
