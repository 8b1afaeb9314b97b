"""Wheels that find the ground by a swept sphere: against distances of its own, and over a step."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh

from oak_sled.core.advice import cautions
from oak_sled.core.assembly import ground_shape
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.contact import broad, rays
from oak_sled.core.geometry.terrain import Relief, pack
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.wheels.wheel import Wheel
from oak_sled.core.results import run
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground

ICE = Ground(id="ice")
FOUR = Wheel(
    id="wheels", spread_x=1.2, spread_y=0.7, z=-0.5, stiffness=24000.0, bump=2000.0, rebound=3000.0, travel=0.3,
    radius=0.5, finds="sphere",
)  # fmt: skip
BODY = Body(mass=800.0, length=3.0, width=1.4, height=0.8)
RADIUS = 0.3
SHAPES = [
    Block(id="b", shape="box", length=1.4, width=0.8, height=0.6, moves="fixed", z=0.2, heading_deg=33.0),
    Block(id="b", shape="box", length=1.4, width=0.8, height=0.6, moves="fixed", z=0.2, pitch_deg=17.0, roll_deg=40.0),
    Block(id="b", shape="ball", length=1.2, moves="fixed", z=0.4),
    Block(id="b", shape="cylinder", length=1.1, width=1.1, height=0.7, moves="fixed", z=0.1, pitch_deg=40.0),
    Block(id="b", shape="capsule", length=2.0, width=0.6, moves="fixed", z=0.3, heading_deg=70.0, pitch_deg=20.0),
    Block(id="b", shape="wedge", length=1.6, width=0.9, height=0.7, moves="fixed", z=0.1, heading_deg=-50.0),
]


def job(*parts, ground=ICE, seconds=4.0, ticks=240, **start) -> Job:
    craft = Craft(id="craft", body=BODY, parts=parts)
    return Job(
        craft, ground, Drill(id="d", ground=ground.id, craft="craft", start=Start(**start), duration=seconds), ticks
    )


def apart(block: Block, points: np.ndarray) -> np.ndarray:
    """How far points of the world are from a block, m, shape (n,); by its size alone, not by its pieces."""
    x, y, z = ((points - np.array(block.middle())) @ ground_shape.axes_of(block)).T
    a, b, c = block.half_extents()
    if block.shape == "ball":
        return np.maximum(np.sqrt(x * x + y * y + z * z) - a, 0.0)
    if block.shape == "cylinder":
        return np.hypot(np.maximum(np.hypot(x, y) - a, 0.0), np.maximum(np.abs(z) - c, 0.0))
    if block.shape == "capsule":
        return np.maximum(np.sqrt(np.maximum(np.abs(x) - (a - b), 0.0) ** 2 + y * y + z * z) - b, 0.0)
    if block.shape == "wedge":
        corners = np.array([(i * a, j * b, -c) for i in (-1, 1) for j in (-1, 1)] + [(a, j * b, c) for j in (-1, 1)])
        hull = trimesh.convex.convex_hull(corners)
        _, far, _ = trimesh.proximity.closest_point_naive(hull, np.stack([x, y, z], axis=1))
        return far
    return np.sqrt(sum(np.maximum(np.abs(v) - half, 0.0) ** 2 for v, half in ((x, a), (y, b), (z, c))))


@pytest.mark.parametrize("block", SHAPES, ids=lambda block: f"{block.shape}{block.pitch_deg:.0f}")
def test_a_sphere_stops_where_it_touches_every_shape_and_nowhere_before(block):
    machine = Machine.of(job(FOUR, ground=ICE.replace(floor=False, blocks=(block,)), height=3.0))
    scene = machine.scene
    broad.seek_neighbours(scene, 1.0 / 120.0)  # the boxes round what never moves
    scene.sighted[0] = 2
    dice, hits = np.random.default_rng(7), 0
    for _ in range(120):
        origin = np.array([*dice.uniform(-1.4, 1.4, 2), 2.6])
        way = np.array([*dice.uniform(-0.4, 0.4, 2), -1.0])
        way /= np.linalg.norm(way)
        gap, below, point, normal = rays.touched(scene, 1, tuple(origin), tuple(way), 6.0, RADIUS, 1)
        goes = gap - RADIUS
        along = np.linspace(0.0, min(goes, 6.0 - RADIUS) if below >= 0 else 6.0 - RADIUS, 61)
        away = apart(block, origin + along[:, None] * way)
        assert np.all(away[:-1] > RADIUS - 1e-6), "never in it before"
        if below < 0:
            continue
        hits += 1
        middle = origin + goes * way
        assert apart(block, middle[None])[0] == pytest.approx(RADIUS, abs=1e-6)
        assert np.linalg.norm(middle - np.array(point)) == pytest.approx(RADIUS, abs=1e-6)
        assert apart(block, np.array(point)[None])[0] < 1e-6
        assert np.array(normal) == pytest.approx((middle - np.array(point)) / RADIUS, abs=1e-6)
    assert hits > 30


def test_a_sphere_over_a_relief_touches_the_nearest_of_its_triangles():
    waves = np.sin(np.arange(24)[:, None] * 0.7) + np.cos(np.arange(24)[None, :] * 0.9)
    grey = ((waves + 2.0) / 4.0 * 65535.0).astype("<u2")
    relief = Relief(columns=24, rows=24, data=pack(grey), length=24.0, width=24.0, low=0.0, high=1.2)
    ground = Ground(id="ice", relief=relief)
    corners = relief.triangles()
    surface = trimesh.Trimesh(corners.reshape(-1, 3), np.arange(len(corners) * 3).reshape(-1, 3), process=False)
    machine = Machine.of(job(FOUR, ground=ground, height=3.0))
    dice = np.random.default_rng(3)
    for _ in range(60):
        x, y = dice.uniform(-8.0, 8.0, 2)
        gap, below, point, _ = rays.touched(machine.scene, 1, (x, y, 9.0), (0.0, 0.0, -1.0), 20.0, 0.6, 0)
        assert below == 0
        middle = np.array([[x, y, 9.0 - (gap - 0.6)]])
        _, far, _ = trimesh.proximity.closest_point_naive(surface, middle)
        assert far[0] == pytest.approx(0.6, abs=1e-6)
        assert np.linalg.norm(middle[0] - np.array(point)) == pytest.approx(0.6, abs=1e-6)


def test_on_level_ground_a_sphere_is_a_ray():
    one, other = (run.execute(job(FOUR.replace(finds=finds), height=0.05)) for finds in ("ray", "sphere"))
    assert other.column("position.z") == pytest.approx(one.column("position.z"), abs=1e-12)


def test_a_wheel_rolls_up_a_step_where_a_ray_jumps():
    step = Block(id="step", moves="fixed", x=12.0, length=8.0, width=8.0, height=0.2)
    drive = Thruster(id="drive", timing="always", thrust=900.0)
    made = {
        finds: run.execute(
            job(
                drive,
                FOUR.replace(finds=finds, rolling=0.0),
                ground=ICE.replace(blocks=(step,)),
                speed=4.0,
                seconds=5.0,
            )
        )
        for finds in ("ray", "sphere")
    }
    rises = {finds: float(np.abs(np.diff(one.column("wheels.1.gap"))).max()) for finds, one in made.items()}
    assert rises["ray"] > 0.15, "the ray finds the step all at once"
    assert rises["sphere"] < 0.06
    loads = {finds: float(one.column("wheels.1.force").max()) for finds, one in made.items()}
    assert loads["sphere"] < loads["ray"]
    front = made["sphere"]
    touched = np.flatnonzero(front.column("wheels.1.gap") < front.column("wheels.1.gap")[0] - 0.01)[0]
    ahead = 8.0 - (front.column("position.x")[touched] + 1.2)
    # it touches the edge when its hub stands sqrt(r2 - (r - h)2) before it
    assert ahead == pytest.approx(math.sqrt(0.5**2 - 0.3**2), abs=0.08)
    assert front.column("position.x")[-1] > 12.0, "and it is up"


def test_a_sphere_that_starts_in_the_ground_is_a_caution():
    for height, wanted in ((0.1, False), (0.6, True)):
        block = Block(id="b", moves="fixed", length=6.0, width=6.0, height=height)
        made = run.execute(job(FOUR, ground=ICE.replace(blocks=(block,)), seconds=0.2))
        assert ("starts_in_the_ground" in [one.name for one in cautions.find(made.job, made)]) == wanted
