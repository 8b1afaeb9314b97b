"""The shape of a craft beside its origin: collision, centre of mass and start go with it."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.pad import Pad
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground

OFFSET = (0.4, -0.2, 0.7)
IRON = demos.load("quay").ground("gutter").blocks[1].mesh
BODIES = {
    "box": Body(mass=300.0, length=2.0, width=1.2, height=0.6),
    "ball": Body(mass=300.0, shape="ball", length=1.0),
    "cylinder": Body(mass=300.0, shape="cylinder", length=1.2, width=1.2, height=0.6),
    "oval": Body(mass=300.0, shape="cylinder", length=1.6, width=1.0, height=0.6),
    "capsule": Body(mass=300.0, shape="capsule", length=2.0, width=0.8),
    "mesh": Body(mass=300.0, shape="mesh", mesh=IRON, fit="hulls", length=2.0, width=1.2, height=0.6),
}


def go(body, *parts, **start):
    craft = Craft(id="craft", body=body, parts=parts)
    return run.execute(Job(craft, Ground(id="ice"), Drill(id="d", start=Start(**start), duration=3.0), 120))


def moved(document, offset=OFFSET):
    names = [f"shape_{axis}" for axis in "xyz"] if isinstance(document, Body) else "xyz"
    return document.replace(**{n: getattr(document, n) + more for n, more in zip(names, offset, strict=True)})


@pytest.mark.parametrize("shape", BODIES)
def test_moving_shape_and_parts_together_moves_only_the_origin(shape):
    body = BODIES[shape]
    pads = Pad(id="pads", spread_x=0.8, spread_y=0.5, z=-0.2, stiffness=6000.0, damping=900.0, reach=0.9)
    push = Thruster(id="push", timing="always", thrust=200.0, at_point=True, x=-0.3, y=0.1, azimuth_deg=10.0)
    one = go(body, push, pads, height=0.3)
    other = go(moved(body), moved(push), moved(pads), height=0.3, x=-OFFSET[0], y=-OFFSET[1])
    for name in ("position.x", "position.y", "position.z", "rotation.x", "rotation.y", "rotation.z", "spin.z"):
        assert np.abs(one.column(name) - other.column(name)).max() < 1e-7, name
    assert np.array(moved(body).centre()) - np.array(body.centre()) == pytest.approx(OFFSET)


@pytest.mark.parametrize("shape", BODIES)
def test_a_hull_beside_the_origin_rests_on_the_ground_where_it_is(shape):
    body = moved(BODIES[shape])
    made = go(body.replace(held=("roll", "pitch", "yaw")))
    lowest = OFFSET[2] - body.half_extents()[2]
    assert made.column("position.z")[-1] == pytest.approx(body.centre()[2] - lowest, abs=2e-3)
    assert np.ptp(made.column("position.z")) < 2e-3, "it starts at rest"
