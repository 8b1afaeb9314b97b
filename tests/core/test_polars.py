"""Working points of the panels of a wing against what its line booked, and its curves."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.advice import polars
from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.airflow import Airflow
from oak_sled.core.project import demos
from oak_sled.core.results import run


def flown(name):
    yard = demos.load("bush-plane")
    return run.execute(jobs.job_of(yard, yard.drill(name)))


@pytest.mark.parametrize("name", ["wing", "tailplane"])
def test_the_panels_of_a_glide_lift_what_is_booked(name):
    made = flown("glide")
    row = made.at(30.0)
    part = next(one for one in made.job.craft.parts if one.id == name)
    panels = polars.panels_now(made, row, part, Airflow(made.job.ground))
    assert len(panels) == part.panels
    speed = float(np.linalg.norm(made.columns("velocity.x", "velocity.y", "velocity.z")[row]))
    press = 0.5 * made.job.ground.air_density * speed**2 * part.area
    lift = press * np.mean([one.lift for one in panels])
    drag = press * np.mean([one.drag for one in panels])
    booked = float(np.linalg.norm(made.line(name)[row, :3]))
    assert np.hypot(lift, drag) == pytest.approx(booked, rel=0.05, abs=15.0)
    assert not any(one.stalled for one in panels)


def test_panels_of_a_stall_are_told_as_stalled():
    made = flown("stall")
    activity = made.column("wing.activity")
    row = int(np.argmax(activity))
    assert activity[row] > 0.3
    part = next(one for one in made.job.craft.parts if one.id == "wing")
    panels = polars.panels_now(made, row, part, Airflow(made.job.ground))
    share = np.mean([one.stalled for one in panels])
    assert share == pytest.approx(activity[row], abs=0.35)


def test_the_curves_are_those_of_the_wing():
    part = next(one for one in demos.load("bush-plane").craft("ski_plane").parts if one.id == "wing")
    lift, drag = polars.curves(part)
    place = int(np.argmin(np.abs(polars.ANGLES_DEG - part.zero_lift_deg)))
    assert lift[place] == pytest.approx(0.0, abs=1e-6)
    assert drag[place] == pytest.approx(part.friction, abs=1e-6)
    assert lift.max() == pytest.approx(part.polar().most_lift, rel=0.02)
    assert drag[-1] > 0.8
