"""Measures of flying against closed forms, and the plane of the demo."""

from __future__ import annotations

import math

import pytest

from oak_sled.core.advice import outlook
from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.project import demos
from oak_sled.core.results import ledger, measures, run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground

AIRLESS = Ground(id="flat", edges="open", air_density=0.0)
FLOATS = Body(mass=50.0, length=1.0, width=1.0, height=1.0, held=(), gravity_scale=0.0)


def read(body, start, seconds=8.0, ticks=240, **more):
    drill = Drill(id="d", ground="flat", duration=seconds, start=start, **more)
    return measures.read_all(run.execute(Job(Craft(id="craft", body=body), AIRLESS, drill, ticks)))


def test_what_rises_steadily_climbs_at_its_speed():
    found = read(FLOATS, Start(speed=12.0, rise_speed=3.0, height=10.0))
    assert found["climb_rate"] == pytest.approx(3.0, rel=1e-9)
    assert found["glide_ratio"] is None
    assert found["take_off_run"] is None


def test_what_sinks_steadily_glides_at_the_ratio_of_its_speeds():
    found = read(FLOATS, Start(speed=18.0, rise_speed=-1.5, height=60.0), event_time=2.0)
    assert found["glide_ratio"] == pytest.approx(12.0, rel=1e-9)
    assert found["climb_rate"] is None


def test_what_falls_touches_down_at_the_speed_of_its_fall():
    found = read(FLOATS.replace(gravity_scale=1.0), Start(height=20.0), seconds=4.0, ticks=960)
    assert found["touch_sink"] == pytest.approx(math.sqrt(2.0 * AIRLESS.gravity * 20.0), rel=2e-3)


@pytest.mark.parametrize("name", [drill.id for drill in demos.load("bush-plane").drills])
def test_the_plane_flies_each_drill_and_its_ledger_closes(name):
    yard = demos.load("bush-plane")
    made = run.execute(jobs.job_of(yard, yard.drill(name)))
    assert not made.message
    assert max(ledger.ledger_gap(made)) < 1e-9
    for verdict in measures.judge(made.job.drill, measures.read_all(made)):
        assert verdict.met, verdict.words()


def test_the_phugoid_of_a_glide_has_about_the_period_of_lanchester():
    """pi sqrt 2 V / g, longer by the root of manoeuvre margin over static margin: within a quarter of it here."""
    yard = demos.load("bush-plane")
    drill = yard.drill("glide")
    made = run.execute(jobs.job_of(yard, drill.replace(duration=80.0)))
    speed = [math.hypot(*v) for v in made.columns("velocity.x", "velocity.z")[::12]]
    mean = sum(speed) / len(speed)
    tops = [k for k in range(1, len(speed) - 1) if speed[k - 1] < speed[k] >= speed[k + 1] and speed[k] > mean]
    period = (tops[-1] - tops[0]) / (len(tops) - 1) * 12 / made.job.ticks
    lanchester = math.pi * math.sqrt(2.0) * mean / yard.ground_of(drill).gravity
    assert lanchester < period < 1.25 * lanchester


def test_the_top_speed_of_the_outlook_is_that_of_level_flight():
    """Thrust by its curve against profile drag, the drag of lift, and that of the hull, written out."""
    yard = demos.load("bush-plane")
    craft, ground = yard.craft(), yard.ground("long_lake")
    airscrew = next(part for part in craft.parts if part.id == "airscrew")
    said = airscrew.outlook(outlook.setting_of(craft, ground, 120))[0]
    top = float(said.removeprefix("tops out at ").split()[0])
    weight = craft.body.true_mass() * ground.gravity

    def left(speed):
        press = 0.5 * ground.air_density * speed**2
        wings = sum(0.012 * area for area in (2.9, 1.5)) + 0.014 * 15.0
        induced = weight**2 / (press * 15.0 * math.pi * 0.85 * 10.4**2 / 15.0)
        thrust = 2600.0 * ground.air_density / 1.225 * (1.0 - speed / 62.0)
        return thrust - press * (wings + 0.35 * 1.1) - induced

    assert left(top * 1.005) < 0.0 < left(top * 0.995)
