"""What surrounds a place: one module of the kernel says it, and nothing else reads wind, air or gravity of a ground."""

from __future__ import annotations

import math
import re
from pathlib import Path

import numpy as np
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.compiler import plain
from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.kernel import environment
from oak_sled.core.kernel.state import GROUND
from oak_sled.core.project import demos
from oak_sled.core.results import run

CORE = Path(environment.__file__).parents[1]
KERNEL = [file for floor in ("kernel", "contact", "parts", "tick") for file in sorted((CORE / floor).rglob("*.py"))]


@pytest.mark.parametrize("file", KERNEL, ids=lambda file: str(file.relative_to(CORE)))
def test_the_kernel_asks_for_wind_air_and_gravity_in_one_place(file):
    """In functions of the kernel, which get the record of a ground as `ground`; documents have such fields too."""
    if file.name == "environment.py":
        return
    for body in re.split(r"(?m)^@", file.read_text(encoding="utf-8")):
        if body.startswith(("compiled", "inlined", "unit")):
            assert not re.search(r"\bground\.(wind|gravity|air_density)\b", body), body.splitlines()[1]


@compiled
def asked(ground, place, out):
    """Everything that is asked of a place, into a row."""
    wind, density = environment.air_at(ground, place[0], place[1], place[2])
    pull = environment.gravity_at(ground, place[0], place[1], place[2])
    up = environment.up_at(ground, place[0], place[1], place[2])
    for i in range(3):
        out[i], out[3 + i], out[6 + i] = wind[i], pull[i], up[i]
    out[9], out[10] = density, environment.strength_at(ground, place[0], place[1], place[2])


@pytest.mark.parametrize("gravity", [0.0, 1.62, 9.80665])
def test_a_level_ground_has_one_air_and_one_gravity(gravity):
    ground = np.zeros(1, GROUND)
    ground[0]["gravity"], ground[0]["air_density"], ground[0]["wind"] = gravity, 1.34, (3.0, -2.0, 0.5)
    out, again = np.zeros(11), np.zeros(11)
    asked(ground[0], np.array([5.0, -7.0, 40.0]), out)
    with plain.python():
        asked(ground[0], np.array([0.0, 0.0, 0.0]), again)
    assert out.tobytes() == again.tobytes(), "the same everywhere, and in Python"
    assert out.tolist() == [3.0, -2.0, 0.5, 0.0, 0.0, -gravity, 0.0, 0.0, 1.0, 1.34, gravity]


def test_gravity_is_booked_along_its_vector():
    yard = demos.load("ferry")
    made = run.execute(jobs.job_of(yard, yard.drill("hover")))
    line = made.line("gravity")
    mass = made.job.craft.body.true_mass()
    assert np.all(line[1:, 2] == -mass * made.job.ground.gravity)
    assert not np.any(line[:, :2])
    assert not np.any(np.signbit(line[:, :2])), "no negative zeros: they would be other bits"
    assert math.isfinite(float(line.sum()))
