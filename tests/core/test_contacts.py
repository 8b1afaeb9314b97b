"""The contact solver against closed forms and what must never change: momentum, and energy that never grows."""

import numpy as np
import pytest
from scipy.optimize import minimize

from oak_sled.core.contact import broad, closest, manifold, records, scenery, solver
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.geometry import shapes
from oak_sled.core.kernel.environment import still_air

G = 9.80665
HALF = (0.25, 0.25, 0.25)


def run(scene, seconds, hz=120, gravity=G):
    out = np.zeros((round(seconds * hz), len(scene.solids), 13))
    solver.run_alone(scene, still_air(gravity)[0], 1.0 / hz, len(out), out)
    return out


def materials(friction, bounce=0.0):
    return np.array([[[friction, bounce]]])


def block(position, half=HALF, mass=10.0, **settings):
    return Solid([shapes.box(half)], mass, shapes.box_inertia(mass, half), position=position, **settings)


def ball(position, velocity=(0, 0, 0), mass=1.0, radius=0.1, **settings):
    inertia = shapes.ball_inertia(mass, radius)
    return Solid([shapes.ball(radius)], mass, inertia, position=position, velocity=velocity, **settings)


def pitched(angle):
    """A turn about y that lowers the x axis."""
    return (np.cos(angle / 2), 0.0, np.sin(angle / 2), 0.0)


def energy(scene, row, gravity):
    total = 0.0
    for solid, state in zip(scene.solids, row, strict=True):
        if solid["kind"] == records.FREE:
            w, x, y, z = state[3:7]
            axes = np.array(
                [
                    [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
                    [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
                    [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
                ]
            )
            spin = axes.T @ state[10:13]
            total += solid["mass"] * (0.5 * state[7:10] @ state[7:10] + gravity * state[2])
            total += 0.5 * spin @ solid["inertia"] @ spin
    return total


# closed forms


@pytest.mark.parametrize(("friction", "angle"), [(0.5, 0.4), (0.9, 0.7), (0.12, 0.1)])
def test_a_block_stays_on_a_slope_below_the_angle_of_friction(friction, angle):
    assert np.tan(angle) < friction
    slope = Solid([shapes.box((20, 5, 0.5))], kind=records.FIXED, attitude=pitched(angle))
    start = np.array([np.sin(angle), 0.0, np.cos(angle)]) * 0.75
    scene = scenery.scene([slope, block(start, attitude=pitched(angle))], plane=False, materials=materials(friction))
    rows = run(scene, 3.0)
    assert np.linalg.norm(rows[-1, 2, :3] - start) < 1e-3


@pytest.mark.parametrize(("friction", "angle"), [(0.3, 0.4), (0.0, 0.2), (0.6, 0.8)])
def test_a_block_slides_down_a_steeper_slope_as_coulomb_says(friction, angle):
    slope = Solid([shapes.box((40, 5, 0.5))], kind=records.FIXED, attitude=pitched(angle))
    start = np.array([np.sin(angle), 0.0, np.cos(angle)]) * 0.75
    scene = scenery.scene([slope, block(start, attitude=pitched(angle))], plane=False, materials=materials(friction))
    rows = run(scene, 1.0)
    wanted = G * (np.sin(angle) - friction * np.cos(angle))
    assert np.linalg.norm(rows[-1, 2, 7:10]) == pytest.approx(wanted, rel=1e-3)


@pytest.mark.parametrize("friction", [0.1, 0.4])
def test_a_sliding_block_stops_in_v2_over_2_mu_g(friction):
    scene = scenery.scene([block((0, 0, 0.25), velocity=(4.0, 0, 0))], materials=materials(friction))
    rows = run(scene, 6.0)
    assert rows[-1, 1, 0] == pytest.approx(16.0 / (2 * friction * G), rel=1e-2)
    assert np.abs(rows[-1, 1, 7:10]).max() == 0.0


@pytest.mark.parametrize("bounce", [0.3, 0.7, 0.9])
def test_a_dropped_ball_rises_to_the_square_of_its_bounce(bounce):
    scene = scenery.scene([ball((0, 0, 5.1))], materials=materials(0.0, bounce))
    height = run(scene, 3.0, hz=480)[:, 1, 2] - 0.1
    landed = int(np.argmax(height < 0.01))
    assert height[landed + 5 :].max() / 5.0 == pytest.approx(bounce**2, rel=2e-2)


@pytest.mark.parametrize("bounce", [0.0, 0.4, 1.0])
def test_two_balls_part_with_their_bounce_and_keep_their_momentum(bounce):
    scene = scenery.scene(
        [ball((0, 0, 1), (5, 0, 0), 2.0), ball((3, 0, 1), (-1, 0, 0), 1.0)],
        plane=False,
        materials=materials(0.0, bounce),
    )
    last = run(scene, 1.5, gravity=0.0)[-1]
    assert 2.0 * last[1, 7] + last[2, 7] == pytest.approx(9.0, abs=1e-9)
    assert last[2, 7] - last[1, 7] == pytest.approx(6.0 * bounce, abs=1e-9)


def test_ten_boxes_stand_for_ten_seconds():
    scene = scenery.scene([block((0, 0, 0.25 + 0.5 * k)) for k in range(10)])
    rows = run(scene, 10.0)
    still = rows[-1, 1:, :3] - [[0, 0, 0.25 + 0.5 * k] for k in range(10)]
    assert np.abs(still).max() < 1e-3
    assert np.all(scene.solids["asleep"][1:] == 1)


@pytest.mark.parametrize(
    "missile",
    [
        ball((-10, 0, 1), (300, 0, 0), radius=0.05),
        block((-10, 0, 1), half=(0.05, 0.05, 0.05), velocity=(300, 0, 0)),
        Solid([shapes.capsule(0.03, 0.1)], 1.0, 0.01 * np.eye(3), position=(-10, 0, 1), velocity=(300, 0, 0)),
    ],
    ids=["ball", "box", "capsule"],
)
@pytest.mark.parametrize("late", [0.0, 0.7, 1.9])
def test_nothing_fast_passes_a_thin_wall(missile, late):
    wall = Solid([shapes.box((0.05, 2, 2))], kind=records.FIXED, position=(late, 0, 1))
    rows = run(scenery.scene([wall, missile], plane=False, materials=materials(0.2, 0.3)), 1.0, hz=60)
    assert rows[:, 2, 0].max() < late
    assert rows[-1, 2, 7] == pytest.approx(-90.0, rel=0.02)


def test_a_fast_ball_does_not_pass_the_triangles_of_a_ground():
    sheet = np.array([[[-9, -9, 0], [9, -9, 0], [9, 9, 0]], [[-9, -9, 0], [9, 9, 0], [-9, 9, 0]]], dtype=float)
    scene = scenery.scene([ball((0.3, 0.2, 40), (0, 0, -300), radius=0.05)], plane=False, triangles=sheet)
    assert run(scene, 2.0, hz=60)[:, 1, 2].min() > 0.045


# every shape


SHAPES = {
    "ball": (shapes.ball(0.3), 0.3),
    "box": (shapes.box((0.3, 0.4, 0.2)), 0.2),
    "lying capsule": (shapes.capsule(0.15, 0.4), 0.15),
    "upright cylinder": (shapes.cylinder(0.3, 0.25), 0.25),
    "lying cylinder": (shapes.cylinder(0.3, 0.25, (0.0, 1.0, 0.0)), 0.3),
    "wedge": (shapes.wedge((0.4, 0.3, 0.2)), 0.2),
    "hull": (shapes.hull(np.array([[x, y, z] for x in (-0.4, 0.4) for y in (-0.3, 0.3) for z in (-0.2, 0.3)])), 0.2),
}
PLANE = "level ground"
BENCHES = {
    PLANE: {},
    "box": {"solid": Solid([shapes.box((3, 3, 0.5))], kind=records.FIXED, position=(0, 0, -0.5))},
    "triangles": {
        "triangles": np.array(
            [
                [[x, y, 0], [x + 0.7, y, 0], [x + 0.7, y + 0.7, 0]]
                if half
                else [[x, y, 0], [x + 0.7, y + 0.7, 0], [x, y + 0.7, 0]]
                for x in np.arange(-3.5, 3.5, 0.7)
                for y in np.arange(-3.5, 3.5, 0.7)
                for half in (0, 1)
            ]
        )
    },
}


@pytest.mark.parametrize("bench", BENCHES)
@pytest.mark.parametrize("shape", SHAPES)
def test_every_shape_rests_on_every_ground(shape, bench):
    piece, rise = SHAPES[shape]
    item = Solid([piece], 10.0, shapes.box_inertia(10.0, (0.3, 0.3, 0.2)), position=(0.1, 0.05, rise + 0.1))
    below = BENCHES[bench]
    scene = scenery.scene(
        [item, *([below["solid"]] if "solid" in below else [])],
        plane=bench == PLANE,
        triangles=below.get("triangles"),
        materials=materials(0.6),
    )
    rows = run(scene, 3.0)
    assert rows[-1, 1, 2] == pytest.approx(rise, abs=2.5e-3)
    assert np.abs(rows[-1, 1, 7:13]).max() < 0.02, "at rest"
    assert np.abs(rows[-1, 1, :2] - [0.1, 0.05]).max() < 0.02, "where it fell"


def test_a_compound_stands_on_both_of_its_pieces():
    arch = [shapes.box((0.1, 0.1, 0.3)).moved(np.eye(3), np.array([side * 0.8, 0.0, 0.3])) for side in (-1, 1)] + [
        shapes.box((0.9, 0.1, 0.1)).moved(np.eye(3), np.array([0.0, 0.0, 0.7]))
    ]
    scene = scenery.scene([Solid(arch, 30.0, 10.0 * np.eye(3), position=(0, 0, 0.05)), ball((0, 0, 0.11))])
    rows = run(scene, 2.0)
    assert rows[-1, 1, 2] == pytest.approx(0.0, abs=2e-3)
    assert rows[-1, 2, 2] == pytest.approx(0.1, abs=2e-3), "the ball lies under the arch, and is not touched"
    assert np.abs(rows[-1, 2, :2]).max() < 1e-6


def test_a_block_slides_over_the_seams_of_a_level_ground():
    scene = scenery.scene(
        [block((-3.0, 0.03, 0.25), velocity=(3.0, 0, 0))],
        plane=False,
        triangles=BENCHES["triangles"]["triangles"],
        materials=materials(0.05),
    )
    rows = run(scene, 1.2)
    assert np.abs(rows[:, 1, 2] - 0.25).max() < 3e-3
    assert rows[-1, 1, 7] == pytest.approx(3.0 - 0.05 * G * 1.2, rel=2e-2)
    assert np.abs(rows[:, 1, 10:13]).max() < 0.05


# what never changes


def crowd(seed, count=12, spread=1.2):
    rng = np.random.default_rng(seed)
    solids = []
    for k in range(count):
        half = rng.uniform(0.1, 0.3, 3)
        mass = rng.uniform(1.0, 20.0)
        piece = (
            shapes.box(half),
            shapes.ball(half[0]),
            shapes.capsule(half[0], half[1]),
            shapes.cylinder(half[0], half[1]),
            shapes.hull(rng.normal(0.0, 0.25, (12, 3))),
        )[k % 5]
        solids.append(
            Solid(
                [piece],
                mass,
                shapes.box_inertia(mass, half),
                position=rng.uniform(-spread, spread, 3) + [0, 0, spread + 0.6],
                attitude=rng.normal(size=4),
                velocity=rng.normal(0.0, 3.0, 3),
                spin=rng.normal(0.0, 2.0, 3),
            )
        )
    return solids


@pytest.mark.parametrize("seed", range(8))
@pytest.mark.parametrize("bounce", [0.0, 0.6])
def test_a_random_crowd_keeps_its_momentum(seed, bounce):
    scene = scenery.scene(crowd(seed), plane=False, materials=materials(0.5, bounce))
    rows = run(scene, 1.0, gravity=0.0)
    mass = scene.solids["mass"][1:, None]
    start = (mass * scene.solids["velocity"][1:]).sum(axis=0)
    scene = scenery.scene(crowd(seed), plane=False, materials=materials(0.5, bounce))
    before = (mass * scene.solids["velocity"][1:]).sum(axis=0)
    assert (mass * rows[-1, 1:, 7:10]).sum(axis=0) == pytest.approx(before, abs=1e-9 * float(np.abs(mass).sum()))
    assert start == pytest.approx(before, abs=1e-9 * float(np.abs(mass).sum()))


@pytest.mark.parametrize("seed", range(8))
@pytest.mark.parametrize("bounce", [0.0, 0.5, 1.0])
def test_no_random_scene_gains_energy(seed, bounce):
    made = crowd(seed, spread=1.5)
    scene = scenery.scene(made, materials=materials(0.4, bounce))
    overlap_room = 0.02 * sum(solid.mass for solid in made) * G  # what overlap at the start may lift
    first = np.array([[*s["position"], *s["attitude"], *s["velocity"], *s["spin"]] for s in scene.solids])
    start = energy(scene, first, G)
    rows = run(scene, 3.0)
    energies = np.array([energy(scene, row, G) for row in rows])
    assert energies.max() <= start * 1.02 + overlap_room
    if bounce < 1.0:
        assert energies[-1] < 0.9 * start
    assert rows[:, 1:, 2].min() > -0.05, "nothing sinks into the ground"


@pytest.mark.parametrize("apart", [0.0, 0.1, 0.3])
def test_blocks_that_begin_overlapped_part_without_an_explosion(apart):
    scene = scenery.scene([block((0, 0, 0.25)), block((apart, 0.0, 0.25 + apart / 2))])
    rows = run(scene, 3.0)
    assert np.linalg.norm(rows[:, 1:, 7:10], axis=2).max() < 3.0
    gap = np.abs(rows[-1, 1, :3] - rows[-1, 2, :3])
    assert gap.max() > 0.49, "they no longer overlap"


# sleep, triggers, what moves as told


def test_what_rests_sleeps_and_a_blow_wakes_it():
    scene = scenery.scene([block((0, 0, 0.25)), block((0, 0, 0.75))])
    run(scene, 2.0)
    assert scene.solids["asleep"].tolist() == [0, 1, 1]
    assert scene.counts[0] == 0, "nothing is solved while all sleep"
    hit = scenery.scene([block((0, 0, 0.25)), block((0, 0, 0.75)), ball((-8, 0, 0.7), (20, 0, 2.2), mass=5.0)])
    rows = run(hit, 2.0)
    assert rows[-1, 2, 0] > 0.3, "the upper one was knocked on"
    assert abs(rows[30, 2, 7]) < 1e-5, "and stood before"


def test_a_trigger_counts_and_does_not_push():
    trigger = Solid([shapes.box((0.5, 0.5, 0.5))], kind=records.TRIGGER, position=(3, 0, 0.5))
    scene = scenery.scene([trigger, ball((0, 0, 0.5), (4, 0, 0))], plane=False)
    seen = []
    for _ in range(150):
        rows = run(scene, 1 / 120, gravity=0.0)
        seen.append(int(scene.solids["inside"][1]))
    assert rows[-1, 2, 7] == 4.0
    inside = np.flatnonzero(seen) / 120
    assert inside[0] == pytest.approx(2.4 / 4, abs=0.02)
    assert inside[-1] == pytest.approx(3.6 / 4, abs=0.02)


def test_what_moves_as_told_pushes_and_is_not_pushed():
    ram = Solid([shapes.box((0.2, 1, 0.5))], kind=records.DRIVEN, position=(0, 0, 0.5), sway=(1.0, 0, 0), period=4.0)
    rows = run(scenery.scene([ram, block((0.6, 0, 0.25), mass=1e4)], materials=materials(0.2)), 1.0)
    assert rows[-1, 1, 0] == pytest.approx(np.sin(np.pi / 2), abs=1e-6), "a quarter of its way, whatever stands there"
    assert rows[-1, 2, 0] > 1.4


def test_held_axes_hold_under_contact():
    held = block((0, 0, 0.6), free=(1, 0, 1), free_spin=(0, 0, 0), velocity=(1, 0, 0))
    rows = run(scenery.scene([held, ball((0.9, 0.4, 0.6), mass=3.0, radius=0.3)]), 2.0)
    assert np.all(rows[:, 1, 1] == 0.0)
    assert np.all(rows[:, 1, 10:13] == 0.0)
    assert rows[-1, 2, 1] != 0.2, "while the ball goes aside"


def test_the_same_scene_falls_the_same_bit_for_bit():
    one, other = (run(scenery.scene(crowd(3)), 1.5) for _ in range(2))
    assert np.array_equal(one, other)


# the parts


@pytest.mark.parametrize("seed", range(12))
def test_closest_points_are_those_of_a_slow_search(seed):
    rng = np.random.default_rng(seed)
    clouds = rng.normal(0.0, 1.0, (2, 7, 3)) + np.array([[[0, 0, 0]], [[rng.uniform(3, 6), 1.0, -1.0]]])
    scene = scenery.scene([Solid([shapes.Piece(cloud)]) for cloud in clouds], plane=False)
    one, other = scene.solids[1], scene.solids[2]
    found = closest.closest(scene.pieces[1], one, scene.pieces[2], other, scene.corners, scene.work, 1e9)

    def gap(shares):
        return float(np.sum((shares[:7] @ clouds[0] - shares[7:] @ clouds[1]) ** 2))

    sums = [{"type": "eq", "fun": lambda s, k=k: s[7 * k : 7 * k + 7].sum() - 1.0} for k in (0, 1)]
    slow = minimize(gap, np.full(14, 1 / 7), bounds=[(0, 1)] * 14, constraints=sums, options={"ftol": 1e-14})
    assert found == pytest.approx(np.sqrt(slow.fun), abs=1e-5)


def test_a_box_on_a_box_touches_at_the_corners_of_what_they_share():
    lower, upper = block((0, 0, 0), half=(1, 1, 0.5)), block((0.7, 0.2, 0.9), half=(0.5, 0.5, 0.4))
    scene = scenery.scene([lower, upper], plane=False)
    found, nx, ny, nz = manifold.touch(
        scene.pieces[2],
        scene.solids[2],
        scene.pieces[1],
        scene.solids[1],
        scene.corners,
        scene.faces,
        scene.outline,
        scene.work,
        0.02,
        0,
    )
    assert (found, nx, ny, nz) == (4, 0.0, 0.0, 1.0)
    spots = {tuple(np.round(p, 6)) for p in scene.work[manifold.FOUND : manifold.FOUND + 4]}
    assert spots == {(0.2, -0.3, 0.5), (1.0, -0.3, 0.5), (1.0, 0.7, 0.5), (0.2, 0.7, 0.5)}


@pytest.mark.parametrize("seed", range(5))
def test_the_sweep_misses_no_pair(seed):
    rng = np.random.default_rng(seed)
    solids = [ball(rng.uniform(-2, 2, 3), radius=0.3) for _ in range(30)]
    scene = scenery.scene(solids, plane=False)
    broad.sweep(scene, 1 / 120)
    places = np.array([solid.position for solid in solids])
    away = np.linalg.norm(places[:, None] - places[None], axis=2)
    wanted = {(i + 1, j + 1) for i in range(30) for j in range(i) if away[i, j] < 0.6}
    met = scene.contacts[: scene.counts[0]]
    pairs = {(max(c["a"], c["b"]), min(c["a"], c["b"])) for c in met if c["gap"] < 0.0}
    assert pairs == wanted


@pytest.mark.parametrize("seed", range(6))
def test_a_hull_holds_its_points_and_its_core_lies_inside(seed):
    cloud = np.random.default_rng(seed).normal(0.0, 0.5, (20, 3))
    made = shapes.hull(cloud)
    for face in made.faces:
        normal = shapes._normal(face)
        level = normal @ face[0]
        assert np.all(cloud @ normal <= level + 1e-9)
        assert np.all(made.corners @ normal <= level - made.radius + 1e-9)


def test_points_without_volume_are_no_hull():
    with pytest.raises(ValueError, match="span no volume"):
        shapes.hull(np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0], [0.5, 0.2, 0]], dtype=float))
