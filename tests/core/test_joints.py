"""Ball joints: stiff in their geometry at any tick rate, with the momentum of what is free, jammed against walls."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.contact import records, scenery, solver
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.geometry import shapes
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.results import rotations

G = 9.80665
RATES = (30, 60, 120, 240, 480)
MASSES = (2.5, 7.5)
HALF = (0.1, 0.2, 0.3)
HIGH = np.array([0.0, 0.0, 500.0])


def body(k, link, radius, is_box=False, velocity=(0.0, 0.0, 0.0)):
    mass = MASSES[k % 2]
    place = tuple(HIGH + [link * (k + 1), 0.0, 0.0])
    if is_box:
        return Solid([shapes.box(HALF)], mass, shapes.box_inertia(mass, HALF), position=place, velocity=velocity)
    ball = shapes.ball(radius)
    return Solid([ball], mass, shapes.ball_inertia(mass, radius), position=place, velocity=velocity)


def chain(bodies, link, ticks, seconds, hung=True, gravity=G, collide=True):
    """Bodies on level links, let go: position, attitude, velocity and spin after each tick, shape (ticks, n, 13)."""
    layers = np.full((2, 2), records.COLLIDES if collide else records.PASSES, np.int64)
    scene = scenery.scene(bodies, plane=False, layers=layers)
    joints = np.zeros(len(bodies) - (not hung), records.JOINT)
    joints["part"] = -1
    if hung:
        joints[0]["a"], joints[0]["at_a"], joints[0]["at_b"] = 1, (-link, 0.0, 0.0), HIGH
    for k, joint in enumerate(joints[int(hung) :], start=2):
        joint["a"], joint["b"] = k, k - 1
        joint["at_a"], joint["at_b"] = (-link / 2.0, 0.0, 0.0), (link / 2.0, 0.0, 0.0)
    scene = scenery.with_joints(scene, joints)
    out = np.zeros((int(seconds * ticks), len(scene.solids), 13))
    solver.run_alone(scene, still_air(gravity)[0], 1.0 / ticks, len(out), out)
    return out[:, 1:]


def energy(made, radius):
    """J of motion and height of balls, shape (ticks,)."""
    mass = np.array([MASSES[k % 2] for k in range(made.shape[1])])
    moving = np.sum(made[:, :, 7:10] ** 2, axis=2) + 0.4 * radius**2 * np.sum(made[:, :, 10:13] ** 2, axis=2)
    return np.sum(mass * (0.5 * moving + G * (made[:, :, 2] - HIGH[2])), axis=1)


@pytest.mark.parametrize("ticks", RATES)
@pytest.mark.parametrize("collide", [True, False], ids=["touching", "passing"])
@pytest.mark.parametrize(("count", "link"), [(2, 5.0), (2, 0.5), (20, 5.0), (20, 0.5), (60, 5.0), (60, 0.5)])
def test_a_chain_that_falls_stays_bounded(ticks, collide, count, link):
    """Light balls on long links: tension x lever over inertia is up to 100 times what a tick could resolve."""
    made = chain([body(k, link, 0.15) for k in range(count)], link, ticks, 6.0, collide=collide)
    assert np.isfinite(made).all()
    fall = G * link * sum(MASSES[k % 2] * (k + 1) for k in range(count))
    assert energy(made, 0.15).max() < 0.1 * fall
    lengths = np.linalg.norm(np.diff(made[:, :, :3], axis=1), axis=2)
    assert np.median(np.abs(lengths - link)) < 0.5 * link


@pytest.mark.parametrize("ticks", RATES)
def test_two_balls_on_long_links_swing_on_and_keep_their_energy(ticks):
    made = chain([body(k, 5.0, 0.3) for k in range(2)], 5.0, ticks, 10.0)
    fall = G * 5.0 * (MASSES[0] + 2.0 * MASSES[1])
    assert np.abs(energy(made, 0.3)).max() < 0.6 / ticks * fall
    assert np.linalg.norm(made[:, 0, :3] - HIGH, axis=1) == pytest.approx(np.full(len(made), 5.0), abs=1e-9)


def momentum(made, is_box, radius):
    """N m s about a fixed point, world axes, shape (ticks, 3)."""
    total = np.zeros((len(made), 3))
    for k in range(made.shape[1]):
        mass = MASSES[k % 2]
        inertia = np.array(shapes.box_inertia(mass, HALF) if is_box else shapes.ball_inertia(mass, radius))
        total += mass * np.cross(made[:, k, :3] - HIGH, made[:, k, 7:10])
        for t, row in enumerate(made[:, k]):
            axes = rotations.rotation(row[3:7])
            total[t] += axes @ inertia @ axes.T @ row[10:13]
    return total


@pytest.mark.parametrize("ticks", [60, 120, 240, 480])
@pytest.mark.parametrize("is_box", [False, True], ids=["balls", "boxes"])
def test_a_free_pair_keeps_its_angular_momentum(ticks, is_box):
    random = np.random.default_rng(ticks)
    for _ in range(3):
        bodies = [body(k, 1.5, 0.4, is_box, tuple(3.0 * random.normal(size=3))) for k in range(2)]
        kept = momentum(chain(bodies, 1.5, ticks, 4.0, hung=False, gravity=0.0), is_box, 0.4)
        assert np.abs(kept - kept[0]).max() < 1e-9 * np.linalg.norm(kept[0])


@pytest.mark.parametrize("ticks", RATES)
def test_a_beam_that_is_jammed_against_a_post_comes_to_rest(ticks):
    """Its hinge lies a hand from the post that it strikes: the joint and the contacts press against each other at
    nearly one point, with many times the weight of the beam."""
    angle, half, hinge = math.radians(-41.0), (0.15, 2.5, 0.45), np.array([0.0, 0.0, 0.5])
    centre = hinge + 2.5 * np.array([-math.sin(angle), math.cos(angle), 0.0])
    beam = Solid(
        [shapes.box(half)], 45.0, shapes.box_inertia(45.0, half), position=tuple(centre),
        attitude=(math.cos(0.5 * angle), 0.0, 0.0, math.sin(0.5 * angle)), spin=(0.0, 0.0, -2.7),
        velocity=tuple(np.cross([0.0, 0.0, -2.7], centre - hinge)),
    )  # fmt: skip
    post = Solid([shapes.box((0.3, 0.3, 0.7))], kind=records.FIXED, position=(0.0, -0.4, 0.7))
    joints = np.zeros(1, records.JOINT)
    joints[0]["a"], joints[0]["at_a"], joints[0]["at_b"], joints[0]["part"] = 1, (0.0, -2.5, 0.0), hinge, -1
    scene = scenery.with_joints(scenery.scene([beam, post], plane=False), joints)
    out = np.zeros((4 * ticks, 3, 13))
    solver.run_alone(scene, still_air(0.0)[0], 1.0 / ticks, len(out), out)
    assert np.abs(out[:, 1, 10:13]).max() < 2.0 * 2.7
    assert np.abs(out[-1, 1, 10:13]).max() < 0.3
    assert np.linalg.norm(out[-1, 1, :3] - hinge) == pytest.approx(2.5, abs=0.02)


def test_two_joints_on_one_beam_share_its_weight():
    """They hold the same length twice, so that one direction has no single answer."""
    half = (1.0, 0.1, 0.1)
    beam = Solid([shapes.box(half)], 20.0, shapes.box_inertia(20.0, half), position=tuple(HIGH))
    joints = np.zeros(2, records.JOINT)
    for joint, side in zip(joints, (-1.0, 1.0), strict=True):
        joint["a"], joint["at_a"], joint["at_b"], joint["part"] = 1, (side, 0.0, 0.1), HIGH + [side, 0.0, 0.1], -1
    scene = scenery.with_joints(scenery.scene([beam], plane=False), joints)
    scene.solids["spin"][1] = (1.0, 0.0, 0.0)  # it swings about the line between them, and never falls asleep
    out = np.zeros((20 * 120, 2, 13))
    solver.run_alone(scene, still_air(G)[0], 1.0 / 120, len(out), out)
    assert np.abs(out[:, 1, 0]).max() < 1e-6
    assert np.linalg.norm(out[:, 1, 1:3] - [0.0, HIGH[2] + 0.1], axis=1) == pytest.approx(np.full(2400, 0.1), abs=1e-6)
    pulls = scene.joints["impulse"][:, 2] * 120
    assert pulls[0] == pytest.approx(pulls[1], rel=1e-3)
