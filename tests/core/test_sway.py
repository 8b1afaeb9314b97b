"""Sway of what is towed, against a single-track car and trailer, and the command that tells it."""

from __future__ import annotations

import cmath
import math

import numpy as np
import pytest
from scipy.optimize import brentq

from oak_sled.core.assembly import jobs
from oak_sled.core.base.faults import Refused
from oak_sled.core.parts.runner import Runner
from oak_sled.core.project import blank, demos, limbs
from oak_sled.core.study import sway
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Member, Start
from oak_sled.core.yard.joint import Joint

G = 9.80665
HELD = ("z", "roll", "pitch")
CAR, TRAILER = 1500.0, 900.0
AXLE, HITCH, TO_HITCH = 1.4, 2.2, 2.0
"""m from the centre of mass of the car to its runners and its hitch, and from the hitch to that of the trailer."""
CAR_STIFF, TRAILER_STIFF = 8.0, 6.0


def runners(name, x, stiffness):
    return Runner(
        id=name, x=x, law="linear", stiffness=stiffness, side_grip=10.0, glide=0.0, z=-0.4, spread_y=0.7,
        slides_past_deg=80.0, grips_below_deg=70.0,
    )  # fmt: skip


def crafts(behind):
    """The car, and the trailer whose runners are so many m behind its centre of mass."""
    car = Craft(
        id="car", body=Body(mass=CAR, length=4.2, width=1.8, height=1.2, held=HELD),
        parts=(runners("front", AXLE, CAR_STIFF), runners("rear", -AXLE, CAR_STIFF)),
    )  # fmt: skip
    trailer = Craft(
        id="trailer", body=Body(mass=TRAILER, length=3.6, width=1.8, height=1.2, held=HELD),
        parts=(runners("runners", -behind, TRAILER_STIFF),),
    )  # fmt: skip
    return car, trailer


def job_of(behind, ticks=120):
    car, trailer = crafts(behind)
    yard = blank.blank_yard()
    joint = Joint(id="ball", one="trailer", other="car", x=-HITCH, z=0.5)
    ground = yard.ground().replace(blocks=(), joints=(joint,), air_density=0.0, length=5000.0)
    cast = (Member(id="trailer", start=Start(x=-HITCH - TO_HITCH)),)
    drill = Drill(id="tow", craft="car", ground=ground.id, cast=cast, duration=4.0)
    made = yard.replace(
        crafts=(car, trailer), grounds=(ground,), drills=(drill,), ticks=ticks,
        bench=yard.bench.replace(craft="car", drill="tow"),
    )  # fmt: skip
    return jobs.job_of(made, drill)


def single_track(behind, speed):
    """The slowest root of a car and trailer on single tracks, by Lagrange's equations for the place of the car across
    its way, its heading and that of the trailer."""
    car, trailer = (one.body.inertia_matrix()[2, 2] for one in crafts(behind))
    m, h, e = TRAILER, HITCH, TO_HITCH
    mass = np.array(
        [[CAR + m, -m * h, -m * e], [-m * h, car + m * h * h, m * h * e], [-m * e, m * h * e, trailer + m * e * e]]
    )
    stiff = CAR_STIFF * CAR * G / 2.0, TRAILER_STIFF * TRAILER * G
    axles = [
        (stiff[0], np.array([1.0, AXLE, 0.0]), np.array([0.0, 1.0, 0.0])),
        (stiff[0], np.array([1.0, -AXLE, 0.0]), np.array([0.0, 1.0, 0.0])),
        (stiff[1], np.array([1.0, -h, -e - behind]), np.array([0.0, 0.0, 1.0])),
    ]
    damping = sum(c * np.outer(p, p) / speed for c, p, _ in axles)
    turning = -sum(c * np.outer(p, s) for c, p, s in axles)
    step = np.zeros((6, 6))
    step[:3, 3:] = np.eye(3)
    step[3:, :3], step[3:, 3:] = -np.linalg.solve(mass, turning), -np.linalg.solve(mass, damping)
    roots = [root for root in np.linalg.eigvals(step) if abs(root) > 1e-6]
    return complex(max(roots, key=lambda root: root.real))


@pytest.mark.parametrize("ticks", [60, 120, 240, 480])
def test_the_critical_speed_is_that_of_a_single_track_car_and_trailer(ticks):
    expected = brentq(lambda speed: single_track(-0.4, speed).real, 4.0, 30.0)
    found = sway.table(job_of(-0.4, ticks), (5.0, 8.0, 12.0))
    assert found.critical == pytest.approx(expected, rel=0.03)
    assert "sways past" in found.words()


def test_a_craft_of_two_bodies_sways_as_the_two_crafts_do():
    car, trailer = crafts(-0.4)
    limb = {**trailer.body.model_dump(), "id": "trailer", "x": -HITCH - TO_HITCH}
    part = trailer.parts[0].replace(carried_by="trailer", id="skids")
    hitch = {"kind": "cone", "id": "hitch", "one": "trailer", "other": "body", "x": -HITCH, "z": 0.0, "cone_deg": 90.0}
    whole = Craft(id="car", body=car.body, bodies=(limb,), ties=(hitch,), parts=(*car.parts, part))
    job = job_of(-0.4)
    alone = jobs.Job(whole, job.ground.replace(joints=()), job.drill.replace(cast=()), 120)
    assert sway.towed(alone) == [1, 2]
    assert sway.table(alone, (5.0, 8.0, 12.0)).critical == pytest.approx(
        sway.table(job, (5.0, 8.0, 12.0)).critical, rel=0.01
    )


@pytest.mark.parametrize("behind", [-0.4, 0.15])
@pytest.mark.parametrize("speed", [10.0, 15.0, 25.0])
def test_the_least_damped_mode_is_that_of_the_model(behind, speed):
    found, expected = sway.swing_at(job_of(behind, 240), speed), single_track(behind, speed)
    assert found.rate == pytest.approx(expected.real, rel=0.03)
    assert found.turns == pytest.approx(abs(expected.imag), rel=0.03)


def test_modes_are_read_off_an_answer_made_of_them():
    steps = np.arange(240) / 60.0
    roots = [-0.3 + 4.0j, -2.0 + 0.0j]
    swing, fade = np.exp(roots[0] * steps), np.exp(-2.0 * steps)
    answer = np.stack([np.real(swing), np.real(swing * cmath.exp(0.4j)) + fade], axis=1)
    found = sorted(sway.modes_of(answer, 1.0 / 60.0), key=lambda root: root.real)
    assert found[0] == pytest.approx(-2.0, abs=1e-6)
    assert found[1] == pytest.approx(-0.3 + 4.0j, abs=1e-6)
    assert sway.modes_of(np.zeros((240, 2)), 1.0 / 60.0) == []


def test_what_tows_nothing_is_refused_and_a_row_is_followed_to_its_end():
    yard = demos.load("fan-sled")
    with pytest.raises(Refused, match="nothing hangs"):
        sway.table(jobs.job_of(yard))
    train = demos.load("sledge-train")
    assert len(sway.towed(jobs.job_of(train, train.drill("start")))) == 9


def test_the_load_of_a_trailer_decides_whether_it_sways():
    yard = demos.load("sledge-train")
    ahead, behind = (
        sway.table(jobs.job_of(yard, yard.drill(name)), (8.0, 15.0)) for name in ("front_heavy", "rear_heavy")
    )
    assert ahead.critical is None
    assert behind.critical == pytest.approx(9.6, abs=0.3)


def on_blank(kind):
    """The job of the first drill of a blank yard whose craft has a further body of a kind."""
    yard = blank.blank_yard()
    craft, _ = limbs.added(yard.crafts[0], kind)
    yard = yard.replace(crafts=(craft,))
    return jobs.job_of(yard, yard.drills[0])


@pytest.mark.parametrize("speed", [4.0, 8.0, 16.0, 30.0])
def test_a_hung_load_swings_as_a_pendulum_below_a_body_that_gives_way(speed):
    job = on_blank("hung_load")
    craft = job.actors[0].whole
    load, line = craft.bodies[0], craft.ties[0]
    length = line.end_z - line.z
    found = sway.swing_at(job, speed)
    share = load.mass / craft.body.mass
    assert found.turns == pytest.approx(math.sqrt(G * (1.0 + share) / (length + 0.5 * load.height)), rel=0.02)
    assert 0.0 < found.damping < 0.02


@pytest.mark.parametrize("kind", limbs.KINDS)
def test_no_kind_of_body_is_said_to_fold_up_where_nothing_drives_it_to(kind):
    assert sway.table(on_blank(kind), (4.0, 16.0, 30.0)).critical is None
