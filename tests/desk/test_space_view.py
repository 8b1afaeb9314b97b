"""Empty space in the view: an orbit and its ball on the plan, and a world that wraps, seen across its seam."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QImage, QPainter

from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.project import demos
from oak_sled.core.results import orbits, run
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview import images
from oak_sled.desk.yardview.planpaint import paint_plan

SIZE = 96.0


def flown(size: float, moves: str) -> run.Run:
    """A craft that goes over the seam at 48 m, past a block that stands, or drifts, behind it."""
    ahead = 52.0 if size > 200.0 else 52.0 - SIZE
    block = Block(id="near", x=ahead, y=3.0, z=-0.5, length=2.0, width=2.0, height=2.0, moves=moves)
    ground = Ground(
        id="s", gravity=0.0, air_density=0.0, floor=False, edges="wrap", length=size, width=size, blocks=(block,)
    )  # fmt: skip
    craft = Craft(id="one", body=Body(mass=100.0, damping=0.0))
    return run.execute(Job(craft, ground, Drill(id="d", duration=2.0, start=Start(x=44.0, speed=4.0)), 120))


def picture(window, made: run.Run, row: int) -> np.ndarray:
    view = window.view
    view.rig.fitted, view.rig.name = None, "chase"
    view.pane.camera = view.rig.camera(made, row, 320, 200)
    image = view.renderer.draw(view._scene(made, row), view.pane.camera, 320, 200, False)
    pixels = image.constBits()
    pixels.setsize(image.sizeInBytes())
    return np.frombuffer(pixels, np.uint8).reshape(200, 320, 4).astype(int)


@pytest.mark.parametrize("moves", ["fixed", "free"])
@pytest.mark.parametrize("second", [0.5, 0.99, 1.01, 1.5])
def test_the_picture_goes_on_over_the_seam(window, moves, second):
    """What is seen across it is what is seen away from it, but for the grid, which is laid by the places of the world;
    with the block left out the picture is another one."""
    small, large = flown(SIZE, moves), flown(1024.0, moves)
    row = small.at(second)
    one, other = picture(window, small, row), picture(window, large, row)
    differs = np.abs(one - other).max(axis=2) > 40
    assert differs.mean() < 0.004, "a hair of grid lines at most"
    without = large.job.ground.replace(blocks=())
    empty = run.execute(Job(large.job.craft, without, large.job.drill, 120))
    assert (np.abs(picture(window, empty, row) - other).max(axis=2) > 40).mean() > 0.01, "the block is in the picture"


def test_images_are_the_nearest_and_what_stands_is_drawn_at_both_sides_of_a_near_seam():
    ground = flown(SIZE, "fixed").job.ground
    found = images.nearest(ground, np.array([[-47.0, 0.0, 5.0]]), np.array([46.0, 0.0, 0.0]))
    assert found.tolist() == [[49.0, 0.0, 5.0]]
    assert len(images.around(ground, np.array([0.0, 0.0, 0.0]))) == 1
    assert [one.tolist() for one in images.around(ground, np.array([46.0, 0.0, 0.0]))] == [[0.0] * 3, [96.0, 0.0, 0.0]]
    assert len(images.around(ground, np.array([46.0, -46.0, 0.0]))) == 4


def test_the_plan_shows_the_ball_and_the_orbit_ahead(window):
    yard = demos.load("mail-pod")
    made = run.execute(jobs.job_of(yard, yard.drill("round").replace(duration=20.0)))
    image = QImage(500, 400, QImage.Format.Format_RGB32)
    image.fill(theme.colour("paper"))
    painter = QPainter(image)
    frame = paint_plan(painter, QRectF(0, 0, 500, 400), made, made.ticks, [])
    painter.end()
    assert image.pixelColor(frame.at(0.0, 0.0).toPoint()) == theme.colour("saw_ice")
    found = orbits.at_row(made, made.ticks)
    assert found is not None
    green = theme.colour("good")
    ahead = found.elements.places(np.linspace(2.0, 5.0, 80))
    hits = 0
    for x, y, _ in ahead + found.middle:
        at = frame.at(float(x), float(y)).toPoint()
        near = [image.pixelColor(at.x() + i, at.y() + j) for i in (-1, 0, 1) for j in (-1, 0, 1)]
        hits += any(abs(one.green() - green.green()) < 40 and one.red() < 130 for one in near)
    assert hits > 25, "a dashed line where it has not been yet"


@pytest.mark.parametrize(("demo", "weighs"), [("ice-tugs", False), ("mail-pod", True), ("fan-sled", True)])
def test_the_weight_on_the_desk_is_what_draws_the_craft_where_it_is(demo, weighs, reopened):
    window = reopened(demo)
    run = window.session.shown.run
    shown = window.desk.strips[0].meter.value
    drawn = np.linalg.norm(run.line("gravity")[max(1, window.session.shown.row), :3])
    assert (drawn > 0.0) == weighs
    assert shown == pytest.approx(drawn, rel=1e-3)
