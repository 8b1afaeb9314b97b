"""What only a mutation by hand showed to be untested: sleep by spin and over joints, and the edge that sends back."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.contact import records, scenery, solver
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.geometry import shapes
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.parts.torque import Torque
from oak_sled.core.results import ledger

G = 9.80665


@pytest.mark.parametrize("ticks", [60, 240])
def test_what_spins_in_its_place_does_not_sleep(ticks):
    """A ball that turns about the upright on ice: no friction stops it."""
    ball = Solid([shapes.ball(0.2)], 5.0, shapes.ball_inertia(5.0, 0.2), position=(0.0, 0.0, 0.2), spin=(0.0, 0.0, 3.0))
    scene = scenery.scene([ball], materials=np.full((1, 1, 2), [0.0, 0.0]))
    out = np.zeros((4 * ticks, 2, 13))
    solver.run_alone(scene, still_air(G)[0], 1.0 / ticks, len(out), out)
    assert scene.solids["asleep"][1] == 0
    assert out[-1, 1, 12] == pytest.approx(3.0, rel=1e-9)


def test_what_hangs_on_a_joint_of_a_body_that_moves_does_not_sleep():
    """The one that lies on the ice is slow for seconds while the other swings from it; the pair wakes and sleeps as
    one."""
    heavy = Solid([shapes.box((0.5, 0.5, 0.5))], 5000.0, shapes.box_inertia(5000.0, (0.5,) * 3), position=(0, 0, 0.5))
    bob = Solid([shapes.ball(0.1)], 1.0, shapes.ball_inertia(1.0, 0.1), position=(0.8, 0.0, 1.8))
    joints = np.zeros(1, records.JOINT)
    joints[0]["a"], joints[0]["b"], joints[0]["part"] = 2, 1, -1
    joints[0]["at_a"], joints[0]["at_b"] = (-0.8, 0.0, 0.0), (0.0, 0.0, 1.3)
    layers = np.full((2, 2), records.COLLIDES, np.int64)
    scene = scenery.with_joints(
        scenery.scene([heavy, bob], materials=np.full((1, 1, 2), [0.9, 0.0]), layers=layers), joints
    )
    out = np.zeros((4 * 120, 3, 13))
    solver.run_alone(scene, still_air(G)[0], 1.0 / 120, len(out), out)
    swings = np.linalg.norm(out[-120:, 2, 7:10], axis=1).max() > 0.5
    assert swings
    assert scene.solids["asleep"][1:].tolist() == [0, 0]


def test_an_edge_that_sends_back_takes_the_spin_away_too(make):
    """It starts anew: no turn is left, and the ledger books what was taken."""
    push = {"mass": 100.0, "held": ("z", "roll", "pitch")}
    ground = {"edges": "return", "length": 20.0, "width": 20.0}
    turn = Torque(id="turn", turn=60.0, timing="always")
    made = make.run([turn], body=push, ground=ground, seconds=6.0, speed=4.0, yaw_rate_deg=90.0)
    back = np.flatnonzero(np.any(made.line("edge") != 0.0, axis=1))
    assert len(back) >= 1
    row = int(back[0])
    assert made.column("spin.z")[row - 1] > 1.0
    assert made.column("spin.z")[row] == 0.0
    assert made.line("edge")[row, 5] < 0.0
    assert made.column("position.x")[row] == made.column("position.x")[0]
    assert max(ledger.ledger_gap(made)) < 1e-9
