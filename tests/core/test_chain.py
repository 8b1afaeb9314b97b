"""Ropes with mass: chains of nodes that hang, swing and lie, keep their length, and never gain energy."""

from __future__ import annotations

import math

import numpy as np
import pytest
from going_on import assert_goes_on
from scipy.optimize import brentq

from oak_sled.core.assembly import jobs
from oak_sled.core.base import document
from oak_sled.core.base.faults import Refused
from oak_sled.core.compiler import plain
from oak_sled.core.contact import chain, records, scenery, solver
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.geometry import shapes
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.project import demos
from oak_sled.core.results import ledger, run, tied, tieends
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.rope import Rope

G = 9.80665
RATES = (60, 120, 240, 480)
UP = 500.0


def ball(place, mass=5.0, velocity=(0.0, 0.0, 0.0)):
    return Solid([shapes.ball(0.1)], mass, shapes.ball_inertia(mass, 0.1), position=tuple(place), velocity=velocity)


def fixed(place):
    return Solid([shapes.ball(0.1)], kind=records.FIXED, position=tuple(place))


def chained(solids, one, other, length, nodes, per_metre=0.1, stiff=1e6, damping=100.0, gravity=G):
    """A scene with a chain between two bodies, 0 for the world at a point (m): one, other : (body, point)."""
    ends = [np.array(place if body == 0 else solids[body - 1].position) for body, place in (one, other)]
    rest = length / nodes
    laid = chain.laid(tuple(ends[0]), tuple(ends[1]), nodes + 1, length)
    scene = scenery.scene(solids, plane=False)._replace(chain=laid)
    own = {
        "at_a": (0.0, 0.0, 0.0) if one[0] else tuple(one[1]), "at_b": (0.0, 0.0, 0.0) if other[0] else tuple(other[1]),
        "first": 0, "nodes": nodes + 1, "rest": rest, "stiff": stiff / rest, "damping": damping / rest,
        "mass": per_metre * rest, "radius": 0.02,
    }  # fmt: skip
    made = scenery.with_links(scene, [(chain.KIND, (one[0], other[0]), own)])
    made.links["fall"] = (0.0, 0.0, -gravity)
    return made


def moved(scene, ticks, seconds, gravity=G):
    """Position, attitude, velocity and spin of every solid after each tick, shape (ticks, n, 13)."""
    out = np.zeros((round(seconds * ticks), len(scene.solids), 13))
    solver.run_alone(scene, still_air(gravity)[0], 1.0 / ticks, len(out), out)
    return out


def heavy(ticks, seconds, degrees):
    """Sixty nodes with a hundred times the rope's mass at the end, let go at an angle."""
    angle = math.radians(degrees)
    place = np.array([12.0 * math.sin(angle), 0.0, UP - 12.0 * math.cos(angle)])
    scene = chained([ball(place, 120.0)], (1, None), (0, (0.0, 0.0, UP)), 12.0, 60)
    return scene, moved(scene, ticks, seconds)[:, 1]


@pytest.mark.parametrize("ticks", RATES)
def test_a_hundred_times_its_mass_hangs_still_and_hardly_stretches_it(ticks):
    scene, out = heavy(ticks, 6.0, 0.0)
    assert UP - out[:, 2].min() < 12.0 * 1.01
    assert np.ptp(out[-ticks:, :3], axis=0).max() < 1e-3
    assert scene.links["shown"][0][0] == pytest.approx(120.0 * G, rel=0.01)
    assert scene.links["shown"][0][2] == pytest.approx(121.2 * G, rel=0.01)


@pytest.mark.parametrize("ticks", RATES)
def test_swung_it_keeps_its_length_and_never_gains_energy(ticks):
    _, out = heavy(ticks, 6.0, 60.0)
    away = np.linalg.norm(out[:, :3] - [0.0, 0.0, UP], axis=1)
    assert away.max() < 12.0 * 1.01
    whole = G * 12.0 * (1.0 - math.cos(math.radians(60.0)))
    energy = 0.5 * (out[:, 7:10] ** 2).sum(axis=1) + G * (out[:, 2] - UP + 12.0)
    best = [energy[k : k + ticks // 2].max() for k in range(0, len(energy), ticks // 2)]
    assert energy.max() < whole * 1.005
    assert all(later <= earlier * 1.002 for earlier, later in zip(best, best[1:], strict=False))
    # what the linearly implicit step takes: stated in the documents
    lost = 1.0 - energy[3 * ticks - 1] / whole
    assert 0.0 < lost < 0.09 * 60.0 / ticks + 0.01


@pytest.mark.parametrize("ticks", [60, 240])
def test_between_two_points_it_hangs_as_a_catenary(ticks):
    scene = chained([fixed((0.0, 0.0, UP)), fixed((8.0, 0.0, UP))], (1, None), (2, None), 10.0, 50, 0.5, damping=2000.0)
    scene.chain[:, chain.SPEED : chain.SPEED + 3] = 0.0
    moved(scene, ticks, 40.0)
    a = brentq(lambda a: 2.0 * a * math.sinh(4.0 / a) - 10.0, 0.5, 100.0)
    sag = a * (math.cosh(4.0 / a) - 1.0)
    places = scene.chain[:, :3]
    assert UP - places[:, 2].min() == pytest.approx(sag, rel=0.01)
    expected = UP - sag + a * (np.cosh((places[:, 0] - 4.0) / a) - 1.0)
    assert np.abs(places[:, 2] - expected).max() < 0.01 * sag
    weight = 0.5 * G * 10.0
    steep = math.atan(math.sinh(4.0 / a))
    assert scene.links["shown"][0][0] == pytest.approx(0.5 * weight / math.sin(steep), rel=0.03)


@pytest.mark.parametrize("ticks", RATES)
def test_a_free_pair_keeps_its_momentum_and_its_angular_momentum(ticks):
    bodies = [ball((0.0, 0.0, UP), 3.0, (0.0, 2.0, 0.0)), ball((4.0, 0.0, UP), 5.0, (1.0, -2.0, 0.5))]
    scene = chained(bodies, (1, None), (2, None), 4.0, 20, gravity=0.0)
    masses = np.concatenate([[3.0], np.full(19, 0.1 * 4.0 / 20.0), [5.0]])

    def momenta():
        x, v = scene.chain[:, :3].copy(), scene.chain[:, 3:6].copy()
        for row, solid in ((0, 1), (-1, 2)):
            x[row], v[row] = scene.solids["position"][solid], scene.solids["velocity"][solid]
        spins = sum(shapes.ball_inertia(m, 0.1) @ scene.solids["spin"][k] for k, m in ((1, 3.0), (2, 5.0)))
        return masses @ v, np.cross(x, masses[:, None] * v).sum(axis=0) + spins

    before = momenta()
    moved(scene, ticks, 3.0, gravity=0.0)
    after = momenta()
    assert np.abs(after[0] - before[0]).max() < 1e-9
    # a tick that turns its tension to the end of the tick is off by that turn, which shrinks with the tick
    assert np.abs(after[1] - before[1]).max() < 0.02 * np.abs(before[1]).max()


@pytest.mark.parametrize("ticks", RATES)
@pytest.mark.parametrize("mass", [0.05, 2.0, 50.0])
def test_what_flies_into_it_is_pushed_back_by_as_much_as_it_gives(ticks, mass):
    """A ball against the middle of a rope between two others, all of them free: no momentum is made or lost."""
    solids = [ball((-2.0, 0.0, UP)), ball((2.0, 0.0, UP)), ball((0.02, -0.3, UP), mass, (0.0, 8.0, 0.0))]
    scene = chained(solids, (1, None), (2, None), 4.0, 20, gravity=0.0)
    out = moved(scene, ticks, 0.6, gravity=0.0)
    masses = np.array([5.0, 5.0, mass])
    nodes = scene.chain[1:-1]
    of_nodes = 0.1 * 0.2 * nodes[:, 3:6].sum(axis=0)
    total = (masses[:, None] * out[-1, 1:4, 7:10]).sum(axis=0) + of_nodes
    assert total == pytest.approx([0.0, 8.0 * mass, 0.0], abs=1e-9 * max(mass, 1.0))
    assert out[-1, 3, 8] < 8.0 - 1e-3, "it was slowed"
    assert out[-1, 1, 8] > 0.0, "what it hangs on went along"
    energy = 0.5 * (masses * (out[:, 1:4, 7:10] ** 2).sum(axis=2)).sum(axis=1)
    assert energy.max() <= 0.5 * mass * 64.0 * (1.0 + (3e-3 if ticks == 60 else 1e-9)), (
        "8 m/s is 1.3 of its size a tick"
    )


def test_a_craft_that_falls_into_a_rope_is_caught_and_books_it():
    """A rope from a heavy block to the world, at the height of two metres, and a craft that comes down on it."""
    yard = demos.load("quay")
    craft = yard.craft().replace(parts=(), body=yard.craft().body.replace(held=(), spin_damping=0.0, centre_z=0.0))
    half = craft.body.half_extents()
    block = Block(id="anchor", y=half[1] + 1.5, length=2.0, width=2.0, height=3.0, mass=200_000.0)
    ends = {"x": 0.05, "y": half[1] + 0.4, "z": 2.0, "end_x": 0.05, "end_y": -half[1] - 0.4, "end_z": 2.0}
    rope = Rope(id="lash", one="anchor", mass=4.0, spacing=0.15, diameter=0.06, axial_stiffness=3e5, **ends)
    ground = yard.ground().bare().replace(floor=True, blocks=(block,), ties=(rope,))
    drill = yard.drill().replace(
        tracks=(), events=(), cast=(), targets=(), twins=(), watch=(), end="time", duration=0.8
    )
    drill = drill.replace(start=drill.start.replace(x=0.0, y=0.0, heading_deg=0.0, speed=0.0, height=2.2))
    caught = run.execute(jobs.Job(craft, ground, drill, 240))
    free = run.execute(jobs.Job(craft, ground.replace(ties=()), drill, 240))
    assert max(ledger.ledger_gap(caught)) < 1e-9
    assert caught.line("contact")[:, 2].max() > 2.0 * craft.body.mass * G, "it is caught hard"
    assert caught.column("velocity.z").min() > free.column("velocity.z").min() + 1.0
    assert caught.column("tie.lash.most").max() > 1000.0


def test_python_and_machine_code_give_the_same_bits():
    compiled = heavy(60, 0.3, 40.0)[1]
    with plain.python():
        assert heavy(60, 0.3, 40.0)[1].tobytes() == compiled.tobytes()


# documents

LOAD = Block(id="load", x=-4.0, z=2.0, length=0.6, width=0.6, height=0.6, mass=80.0)
HAWSER = Rope(id="hawser", one="load", x=-4.0, z=2.6, end_x=-4.0, end_z=8.6, mass=0.8, spacing=0.3, axial_stiffness=2e6)


def hung(ticks=120, seconds=4.0, **changes):
    yard = demos.load("fan-sled")
    ground = yard.ground(yard.bench.ground)
    drill = yard.drills[0]
    drill = drill.replace(ground="", duration=seconds, events=(), targets=(), start=drill.start.replace(x=40.0, y=40.0))
    laid = ground.replace(blocks=(LOAD,), ties=(HAWSER.replace(**changes),), joints=(), walls=(), gates=())
    grounds = tuple(laid if one.id == ground.id else one for one in yard.grounds)
    return yard.replace(grounds=grounds, drills=(drill,), ticks=ticks)


def column(found, name):
    return found.record.column(found.layout.place(name))


@pytest.mark.parametrize("ticks", [30, *RATES])
def test_a_load_hangs_on_a_rope_of_a_ground_at_every_rate(ticks):
    yard = hung(ticks)
    found = run.execute(jobs.job_of(yard, yard.drills[0]))
    assert column(found, "block.load.position.z")[-1] == pytest.approx(2.3, abs=0.03)
    assert column(found, "tie.hawser.tension")[-1] == pytest.approx(80.0 * G, rel=0.03)
    assert column(found, "tie.hawser.node10.z")[-1] == pytest.approx(2.6 + 10 * 0.3, abs=0.05)
    ends = tieends.at_row(found, found.ticks)[0]
    assert ends.bends.shape == (19, 3)
    assert ends.bends[:, 2] == pytest.approx(np.linspace(2.9, 8.3, 19), abs=0.05)


def test_what_is_slack_falls_and_lies_on_the_ice():
    yard = hung(seconds=5.0, length=14.0)
    found = run.execute(jobs.job_of(yard, yard.drills[0]))
    heights = [column(found, f"tie.hawser.node{k}.z")[-1] for k in range(1, 46)]
    assert min(heights) > 0.0
    assert sum(height < 0.1 for height in heights) > 5
    assert column(found, "tie.hawser.most").max() < 40.0 * 80.0 * G


def test_it_breaks_at_its_load_and_goes_on_from_any_tick_to_the_bit():
    yard = hung(breaks_at=500.0)
    found = run.execute(jobs.job_of(yard, yard.drills[0]))
    assert [one.word for one in tied.changes(found)] == ["broke"]
    assert column(found, "block.load.position.z")[-1] < 1.0
    whole_yard = hung()
    job = jobs.job_of(whole_yard, whole_yard.drills[0])
    assert_goes_on(job, 100, 240)


def test_bad_numbers_are_refused_with_what_would_be_right():
    ground = demos.load("quay").ground().replace(blocks=(LOAD,), joints=(), ties=())
    for wrong, says in (({"spacing": 0.01}, "too many"), ({"end_z": 2.6}, "ends lie in each other")):
        with pytest.raises(Refused, match=rf"ties\.{HAWSER.id}.*{says}"):
            document.checked(
                Ground, ground.replace(ties=()).model_dump() | {"ties": [HAWSER.model_dump() | wrong]}, "g"
            )
    with pytest.raises(ValueError, match="too many"):
        HAWSER.replace(spacing=0.01, length=9.0)
    assert "no mass" in Rope(id="r", one="load").idle()["spacing"]
    assert "no reel" in HAWSER.idle()["reel_speed"]


@pytest.mark.parametrize("ticks", RATES)
def test_a_load_that_is_thrown_up_on_it_and_snatched_never_rises_higher(ticks):
    start = np.array([0.5, 0.0, UP - 5.9])
    scene = chained([ball(start, 5.0, (1.0, 0.5, 9.0))], (1, None), (0, (0.0, 0.0, UP)), 6.0, 30, per_metre=0.2)
    out = moved(scene, ticks, 12.0)[:, 1]
    energy = 0.5 * (out[:, 7:10] ** 2).sum(axis=1) + G * (out[:, 2] - start[2])
    rope = 0.2 * 6.0 * G * 6.0 / 5.0  # J a kg of load that the rope itself can give back by falling
    assert energy.max() < 0.5 * (1.0 + 0.25 + 81.0) + rope
    late = energy[len(energy) // 2 :]
    assert late.max() < energy[: ticks // 2].max()
    assert np.linalg.norm(out[:, :3] - [0.0, 0.0, UP], axis=1).max() < 6.0 * 1.01
