"""Blank yards by family: each works at once, without a caution, and does what it is for."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.advice import cautions
from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.files import yard_json
from oak_sled.core.project import families
from oak_sled.core.results import ledger, measures, run

MADE = {family.name: family.make() for family in families.FAMILIES}
DRILLS = [(name, drill.id) for name, yard in MADE.items() for drill in yard.drills]


@pytest.mark.parametrize(("name", "drill"), DRILLS)
def test_every_drill_of_every_family_runs_without_a_caution(name, drill):
    yard = MADE[name]
    made = run.execute(job_of(yard, yard.drill(drill)))
    assert not made.is_diverged, made.message
    assert not cautions.find(made.job, made)
    assert max(ledger.ledger_gap(made)) < 1e-9


def ended(name, drill):
    made = run.execute(job_of(MADE[name], MADE[name].drill(drill)))
    return made, {what: made.column(what)[-1] for what in ("position.x", "position.y", "position.z", "velocity.x")}


@pytest.mark.parametrize("name", list(MADE))
def test_a_family_is_saved_and_opened_as_it_is(name):
    assert yard_json.loads(yard_json.dumps(MADE[name])) == MADE[name]


def test_the_hovercraft_hovers_and_the_car_drives_brakes_and_turns_to_its_side():
    made, at = ended("hovercraft", "drop")
    assert 0.6 < at["position.z"] < 1.3
    assert abs(made.column("velocity.z")[-1]) < 0.01
    assert ended("car", "pull")[1]["velocity.x"] > 20.0
    assert abs(ended("car", "brake")[1]["velocity.x"]) < 0.05
    assert ended("car", "step")[1]["position.y"] > 10.0, "left on a plus"


def test_the_walker_walks_at_its_speed_stops_and_leaps():
    made, _ = ended("walker", "walk")
    assert made.column("velocity.x")[made.at(3.0)] == pytest.approx(5.0, abs=0.3)
    assert abs(made.column("velocity.x")[-1]) < 0.05
    leapt, _ = ended("walker", "leap")
    assert leapt.column("position.z").max() > made.column("position.z").max() + 0.7


def test_the_thrower_hits_its_crates():
    assert measures.Readings(ended("thrower", "fire")[0])["blocks_moved"] >= 1


def test_the_plane_flies_level_hands_off_and_takes_off():
    made, _ = ended("plane", "level")
    height = made.column("position.z")
    assert np.abs(height - height[0]).max() < 0.5
    assert abs(made.column("position.y")[-1]) < 2.0
    assert ended("plane", "take_off")[0].column("position.z").max() > 30.0


def test_the_copter_keeps_its_height_and_leans_to_its_side():
    made, at = ended("copter", "hover")
    assert abs(at["position.z"] - made.column("position.z")[0]) < 0.3
    assert ended("copter", "roll_step")[1]["position.y"] < -3.0, "right on a plus"
    assert ended("copter", "climb")[1]["position.z"] > 18.0
