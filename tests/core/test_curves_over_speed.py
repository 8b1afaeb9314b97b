"""Curves of dampers and of thrust over speed: what they do in a run, and where the run read them."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.advice import curvereads, outlook
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.faults import Refused
from oak_sled.core.parts.speedcurve import SpeedKnot
from oak_sled.core.parts.thruster import SHARE_LEFT, Thruster
from oak_sled.core.parts.wheels.wheel import OVER_STRUT_SPEED, Wheel
from oak_sled.core.project import curvesharing, demos
from oak_sled.core.results import run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.law import Law
from oak_sled.core.yard.sharedcurve import SharedCurve

FOUR = Wheel(id="wheels", spread_x=1.2, spread_y=0.7, stiffness=24000.0, bump=2000.0, rebound=3000.0, travel=0.3)
BODY = Body(mass=800.0, length=3.0, width=1.4, height=0.8, held=())
FADES = (SpeedKnot(speed=0.0, share=1.0), SpeedKnot(speed=40.0, share=0.0))


def go(*parts, laws=(), ticks=240, seconds=2.0, body=BODY, **start):
    craft = Craft(id="craft", body=body, channels=(), parts=parts, laws=laws)
    drill = Drill(id="d", ground="ice", craft="craft", start=Start(**start), duration=seconds)
    return run.execute(Job(craft, Ground(id="ice"), drill, ticks))


def knots(*points):
    return tuple(SpeedKnot(speed=speed, share=share) for speed, share in points)


def test_a_flat_damper_curve_changes_no_bit_and_twice_the_share_is_twice_the_damping():
    flat, unset = (go(FOUR.replace(damper_curve=curve), height=0.2) for curve in (knots((0.0, 1.0)), FOUR.damper_curve))
    assert flat.digest == unset.digest
    twice = go(FOUR.replace(damper_curve=knots((0.0, 2.0), (1.0, 2.0))), height=0.2)
    double = go(FOUR.replace(bump=4000.0, rebound=6000.0), height=0.2)
    assert np.abs(twice.column("position.z") - double.column("position.z")).max() < 1e-12


def test_a_damper_follows_its_curve_over_the_speed_of_its_strut():
    curve = knots((0.0, 1.0), (0.3, 0.4), (2.0, 0.2))
    made = go(FOUR.replace(damper_curve=curve, damper_curve_straight=True), height=0.3)
    squeeze, closing = FOUR.travel + FOUR.radius - made.column("wheels.1.gap"), -made.column("wheels.1.rate")
    share = np.interp(np.abs(closing), [0.0, 0.3, 2.0], [1.0, 0.4, 0.2])
    force = FOUR.stiffness * squeeze + np.where(closing > 0.0, FOUR.bump, FOUR.rebound) * closing * share
    pushes = (squeeze > 0.0) & (squeeze < FOUR.travel) & (force > 0.0)
    pushes[0] = False
    # 65 samples lie a hair beside a corner of straight lines
    assert made.column("wheels.1.force")[pushes] == pytest.approx(force[pushes], abs=0.02 * FOUR.bump)
    assert np.median(np.abs(made.column("wheels.1.force")[pushes] - force[pushes])) < 1e-6 * 2000.0


@pytest.mark.parametrize("straight", [False, True])
def test_a_thrust_that_fades_evenly_follows_its_closed_form(straight):
    """m v' = F (1 - v / V): v = V (1 - exp(-F t / (m V)))."""
    fan = Thruster(id="fan", timing="always", thrust=4000.0, curve=FADES, curve_straight=straight)
    made = go(fan, FOUR.replace(rolling=0.0), seconds=6.0, ticks=480)
    wanted = 40.0 * (1.0 - np.exp(-4000.0 * np.arange(made.ticks + 1) / 480.0 / (800.0 * 40.0)))
    assert made.column("velocity.x") == pytest.approx(wanted, abs=2e-2)


def test_a_formula_of_a_curve_moves_its_craft_alike():
    fan = Thruster(id="fan", timing="always", thrust=4000.0, curve=FADES, curve_straight=True)
    wheels = FOUR.replace(damper_curve=knots((0.0, 1.0), (0.5, 0.5), (1.0, 0.2)), damper_curve_straight=True)
    texts = (fan.written_as(fan.PLACES[0]), wheels.written_as(wheels.PLACES[1]))
    laws = (
        Law(id="left", place="thrust_over_speed", text=texts[0]),
        Law(id="damp", place="wheel_damper", text=texts[1]),
    )
    drawn = go(fan, wheels, height=0.1)
    written = go(fan.replace(formula="left"), wheels.replace(damper_formula="damp"), laws=laws, height=0.1)
    assert np.abs(drawn.column("velocity.x") - written.column("velocity.x")).max() < 1e-9
    assert np.abs(drawn.column("position.z") - written.column("position.z")).max() < 1e-6


def test_a_top_speed_is_that_of_the_curve():
    fan = Thruster(id="fan", timing="always", thrust=400.0, curve=FADES, curve_straight=True)
    wheels = FOUR.replace(rolling=0.01)
    craft = Craft(id="craft", body=BODY, channels=(), parts=(fan, wheels))
    words = fan.outlook(outlook.setting_of(craft, Ground(id="ice"), 240))[1]
    friction = 0.01 * 800.0 * 9.80665
    assert words.startswith(f"tops out at {40.0 * (1.0 - friction / 400.0):.3g}")
    made = go(fan, wheels, seconds=600.0, ticks=60)
    assert made.column("velocity.x")[-1] == pytest.approx(40.0 * (1.0 - friction / 400.0), rel=2e-3)


def test_a_run_says_which_stretch_of_a_curve_it_read():
    fan = Thruster(id="fan", timing="always", thrust=4000.0, curve=FADES)
    made = go(fan, FOUR, height=0.2)
    low, high = curvereads.used(made, fan, SHARE_LEFT)
    assert low == pytest.approx(0.0, abs=0.1)
    assert high == pytest.approx(made.column("velocity.x").max(), rel=1e-2)
    strut = curvereads.reads(made, FOUR, OVER_STRUT_SPEED)
    assert strut.shape == (made.ticks + 1, 4)
    assert curvereads.used(made, FOUR, OVER_STRUT_SPEED)[1] == pytest.approx(np.nanmax(np.abs(strut)))
    assert np.isnan(strut[0]).all(), "in the air"
    assert curvereads.now(made, FOUR, OVER_STRUT_SPEED, 0) == ()
    assert len(curvereads.now(made, FOUR, OVER_STRUT_SPEED, 200)) == 4


def test_every_curve_of_the_truck_is_read_where_its_law_reads_it():
    yard = demos.load("ice-truck")
    craft = yard.craft("truck")
    drill = yard.drill("step")
    made = run.execute(Job(craft, yard.ground_of(drill), drill, 240))
    drive = next(part for part in craft.parts if part.kind == "drive")
    tires = next(part for part in craft.parts if part.kind == "tire")
    names = craft.wheel_names[drive.id]
    rolled = np.mean([made.column(f"{name}.turn") for name in names], axis=0) * 0.01
    reads = curvereads.reads(made, drive, drive.CURVE_FIELDS[0])[:, 0]
    assert np.corrcoef(rolled, reads)[0, 1] > 1.0 - 1e-9
    for field, what in zip(tires.CURVE_FIELDS, ("slip_angle", "slip_ratio"), strict=True):
        worst = np.nanmax(curvereads.reads(made, tires, field))
        most = max(np.abs(made.column(f"{name}.{what}")).max() for name in craft.wheel_names[tires.id])
        assert worst == pytest.approx(np.degrees(most) if what == "slip_angle" else most, rel=1e-6)


def test_a_damper_and_a_thrust_share_a_curve_and_the_wheels_are_counted():
    curve = SharedCurve(id="calm", over="speed", points=[{"x": 0.0, "y": 1.0}, {"x": 1.0, "y": 0.5}])
    parts = (Thruster(id="fan", curve_of="calm"), FOUR.replace(damper_curve_of="calm"))
    craft = Craft(id="craft", body=BODY, channels=(), parts=parts, curves=(curve,))
    assert curvesharing.touched(craft, "calm") == "4 wheels: fan, wheels"
    assert craft.working_parts[1].damper_curve == knots((0.0, 1.0), (1.0, 0.5))


@pytest.mark.parametrize(
    ("points", "says"),
    [([(1.0, 1.0), (0.5, 1.0)], "speeds must rise"), ([(0.0, -1.0)], "share"), ([], "empty list.*at least 1 entry")],
)
def test_a_curve_that_is_none_is_refused(points, says):
    wrong = [{"speed": speed, "share": share} for speed, share in points]
    yard = demos.load("lamp-truck")
    for path in ("crafts.truck.parts.front.damper_curve", "crafts.truck.parts.drive.curve"):
        with pytest.raises(Refused, match=says) as caught:
            yard.edit(path, wrong)
        assert any(path.rpartition(".")[2] in f"{fault.where} {fault.what}" for fault in caught.value.faults)
