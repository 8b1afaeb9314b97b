"""The bounds that docs/accuracy.md tells of what the scheme adds."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.wing import Wing
from oak_sled.core.results import run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground

PAGE = Path(__file__).parents[2] / "docs" / "accuracy.md"


@pytest.mark.parametrize("ticks", [60, 120, 480])
def test_a_glide_gains_no_more_than_the_scheme_adds(ticks):
    """A wing without drag, its attitude held: lift does no work, and the tick adds m a2 dt / 2 a second."""
    air = Ground(id="sky", edges="open", air_density=1.225, gravity=9.81, floor=False)
    wing = Wing(id="wing", area=10.0, span=10.0, x=0.0, z=0.0, friction=0.0, efficiency=1.2, incidence_deg=3.0,
                dihedral_deg=0.0, moment=0.0)  # fmt: skip
    body = Body(mass=300.0, length=2.0, width=1.0, height=0.5, held=("roll", "pitch", "yaw"), damping=0.0)
    drill = Drill(id="d", ground="sky", duration=20.0, start=Start(speed=25.0, height=500.0))
    made = run.execute(Job(Craft(id="craft", body=body, parts=(wing,)), air, drill, ticks))
    speed = np.linalg.norm(made.columns("velocity.x", "velocity.y", "velocity.z"), axis=1)
    energy = 0.5 * 300.0 * speed**2 + 300.0 * 9.81 * made.column("position.z")
    lift = np.linalg.norm(made.line("wing")[1:, :3], axis=1)
    added = np.sum((lift / 300.0) ** 2) * 300.0 * 0.5 / ticks**2
    gained = np.diff(energy)
    # gravity, which the scheme counts at the speed after it, takes as much back; induced drag only takes
    assert gained.sum() < added + np.sum(300.0 * 9.81**2 * 0.5 / ticks**2 * np.ones(len(gained)))
    assert added > 0.0


def test_the_page_names_tests_that_are_there():
    folder = Path(__file__).parent
    for word in PAGE.read_text(encoding="utf-8").split("`"):
        if word.startswith("test_"):
            file, _, name = word.partition("::")
            assert (folder / file).exists(), word
            assert f"def {name}" in (folder / file).read_text(encoding="utf-8"), word
