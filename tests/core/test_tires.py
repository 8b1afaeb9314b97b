"""Tires, wheel spin, drive, brakes and steering against closed forms, an independent solver, and what a user does."""

from __future__ import annotations

import math

import numpy as np
import pytest
from on_tires import (
    BASE,
    BODY,
    BRAKES,
    DRIVE,
    FOUR,
    FRONT,
    GRAVITY,
    LAWS,
    MASS,
    REAR,
    STEERING,
    TIRE,
    TRACK,
    go,
    speed,
)
from scipy.integrate import solve_ivp

from oak_sled.core.advice import cautions
from oak_sled.core.geometry.terrain import Patch
from oak_sled.core.kernel import state
from oak_sled.core.parts import speedcurve
from oak_sled.core.parts.context import Pack
from oak_sled.core.parts.slipcurve import GripKnot
from oak_sled.core.parts.speedcurve import SpeedKnot
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.turnslower import TurnSlower
from oak_sled.core.parts.wheels import slip, tirecurve
from oak_sled.core.parts.wheels.countersteer import CounterSteer
from oak_sled.core.parts.wheels.sliplimit import SlipLimit
from oak_sled.core.parts.wheels.tireforce import RECORD
from oak_sled.core.parts.wheels.wheelbrake import WheelBrake
from oak_sled.core.parts.yawdamper import YawDamper
from oak_sled.core.results import traces
from oak_sled.core.yard.ground import Ground

# the laws


def of_law(law, slips, *, grip=0.9, stiffness=12.0, factor=1.4, curvature=-0.5):
    """The share of the load over a slip angle, rad, written out."""
    if law == "linear":
        return np.minimum(stiffness * slips, grip)
    if law == "brush":
        t = np.minimum(stiffness * slips / (3.0 * grip), 1.0)
        return grip * (3.0 * t - 3.0 * t**2 + t**3)
    if law == "sine_arctangent":
        b = stiffness / (factor * grip)
        return grip * np.sin(factor * np.arctan(b * slips - curvature * (b * slips - np.arctan(b * slips))))
    knots = TIRE.curve
    return grip * np.interp(slips, np.radians([k.slip_deg for k in knots]), [k.grip for k in knots])


@pytest.mark.parametrize("law", ["linear", "sine_arctangent", "brush"])
def test_the_shape_of_a_law_is_its_formula(law):
    tire = TIRE.replace(law=law, curvature=-0.5)
    scale, _, shape = tire.side_shape()
    for angle in np.radians(np.linspace(0.05, 60.0, 300)):
        n = math.tan(angle) / scale
        assert tire.side_grip * n * tirecurve.at(shape, n) == pytest.approx(of_law(law, angle), rel=2e-3, abs=2e-4)


def test_a_drawn_curve_passes_its_knots_and_its_peak_is_its_scale():
    scale, _, shape = TIRE.replace(law="curve").side_shape()
    assert math.degrees(math.atan(scale)) == pytest.approx(8.0)
    for knot in TIRE.curve[1:-1]:
        n = math.tan(math.radians(knot.slip_deg)) / scale
        assert n * tirecurve.at(shape, n) == pytest.approx(knot.grip, abs=4e-3)


def one_wheel(tire=TIRE, **asked):
    """A record of a tire on one wheel, and the wheel."""
    part, axle = np.zeros(1, RECORD), np.zeros(1, state.AXLE)
    for name, value in tire.record(Pack((), (0.0, 0.0, 0.0))).items():
        part[name] = value
    axle["radius"], axle["inertia"], axle["grip"] = 0.4, tire.inertia, 1.0
    for name, value in asked.items():
        axle[name] = value
    return part[0], axle[0]


def held(tire, load, along, side, ratio, dt=1e-3, count=3000):
    """N along and to the left of a wheel that is held to a slip for a while."""
    part, axle = one_wheel(tire.replace(inertia=1e6))  # so that it keeps its turn
    axle["turn"] = along * (1.0 + ratio) / 0.4
    tick = slip.roll.prepared(part, axle, load, 1.0, 0.0, (along, side, 0.0, 0.0, 0.0, 0.0), 1e9, 1e9, dt)
    found = slip.roll.together([tick] * count)[-1]
    assert float(axle["turn"]) == pytest.approx(along * (1.0 + ratio) / 0.4, abs=0.02)
    return found, axle


@pytest.mark.parametrize("law", ["linear", "sine_arctangent", "brush"])
@pytest.mark.parametrize("angle_deg", [0.5, 3.0, 8.0, 25.0])
def test_a_wheel_at_a_steady_slip_angle_gives_what_its_law_says(law, angle_deg):
    tire = TIRE.replace(law=law, curvature=-0.5)
    (along, side), _ = held(tire, 3000.0, 20.0, 20.0 * math.tan(math.radians(angle_deg)), 0.0)
    assert -side == pytest.approx(3000.0 * of_law(law, math.radians(angle_deg)), rel=3e-3)
    assert abs(along) < 1.0


@pytest.mark.parametrize("law", LAWS)
@pytest.mark.parametrize("along_law", LAWS)
def test_force_never_leaves_the_friction_ellipse_and_opposes_the_slip(law, along_law):
    tire = TIRE.replace(law=law, along_law=along_law, side_grip=0.7, along_grip=1.1)
    random = np.random.default_rng(5)
    for _ in range(40):
        ratio, side = random.uniform(-1.0, 2.0), random.uniform(-15.0, 15.0)
        (ahead, left), _ = held(tire, 2500.0, 12.0, side, ratio, count=400)
        assert math.hypot(ahead / (1.1 * 2500.0), left / (0.7 * 2500.0)) <= 1.0 + 1e-9
        assert ahead * ratio >= 0.0
        assert left * side <= 0.0


def test_slip_both_ways_shares_the_grip():
    """At full side slip a wheel that also brakes gives less to the side, along the ellipse."""
    (_, alone), _ = held(TIRE, 3000.0, 20.0, 3.0, 0.0)
    (ahead, left), axle = held(TIRE, 3000.0, 20.0, 3.0, -0.3)
    assert abs(left) < 0.9 * abs(alone)
    used = math.hypot(ahead / axle["limit_along"], left / axle["limit"])
    assert 0.85 < used <= 1.0


def test_side_force_builds_up_over_the_relaxation_length():
    """1 - e^(-s / length) of it after a way s, for a linear tire."""
    tire = TIRE.replace(law="linear", relaxation=0.8)
    part, axle = one_wheel(tire)
    axle["turn"], dt, found = 10.0 / 0.4, 1e-4, []
    for _ in range(2000):
        found.append(-slip.roll(part, axle, 3000.0, 1.0, 0.0, (10.0, 0.3, 0.0, 0.0, 0.0, 0.0), 1e9, 1e9, dt)[1])
    way = 10.0 * dt * np.arange(1, 2001)
    steady = 3000.0 * 12.0 * math.atan(0.03)
    assert np.array(found) == pytest.approx(steady * (1.0 - np.exp(-way / 0.8)), rel=0.0, abs=2e-3 * steady)


def test_grip_fades_with_the_load():
    tire = TIRE.replace(law="linear", load_sensitivity=0.2, nominal_load=2000.0)
    (_, light), _ = held(tire, 2000.0, 20.0, 20.0, 0.0)
    (_, heavy), _ = held(tire, 4000.0, 20.0, 20.0, 0.0)
    assert heavy / light == pytest.approx(2.0 * 0.8, rel=1e-3)


def test_the_second_set_is_entered_and_left_at_different_slips_and_blends():
    tire = TIRE.replace(law="linear", slide_grip=0.5, slides_past_deg=15.0, grips_below_deg=5.0, blend_s=0.2)
    part, axle = one_wheel(tire)
    axle["turn"], dt = 20.0 / 0.4, 1.0 / 120.0
    forces, angles = [], [10.0] * 120 + [20.0] * 120 + [10.0] * 120 + [3.0] * 120
    for angle in angles:
        across = 20.0 * math.tan(math.radians(angle))
        forces.append(-slip.roll(part, axle, 3000.0, 1.0, 0.0, (20.0, across, 0.0, 0.0, 0.0, 0.0), 1e9, 1e9, dt)[1])
        axle["turn"] = 20.0 / 0.4
    grips, slides, still, back = (forces[k] for k in (110, 230, 350, 470))
    assert grips == pytest.approx(2700.0, rel=1e-3)
    assert slides == pytest.approx(1350.0, rel=1e-3)
    assert still == pytest.approx(1350.0, rel=1e-3), "below where it began to slide it goes on sliding"
    assert back > 1700.0
    assert np.max(np.abs(np.diff(forces[120:240]))) < 2700.0 * 0.5 / (0.2 * 120.0) * 1.5, "no jump in one tick"


# a wheel turns


@pytest.mark.parametrize(("ticks", "error"), [(240, 5e-2), (960, 1.5e-2)])
def test_wheel_spin_is_that_of_solve_ivp(ticks, error):
    """I w' = T - R F(slip), d' = v_slip - |v| d / length, the road below moving at 8 m/s."""
    tire = TIRE.replace(along_law="brush", along_relaxation=0.25, inertia=1.5)
    load, along, torque = 3000.0, 8.0, 900.0

    def force(slip_ratio):
        t = min(abs(slip_ratio) * tire.along_stiffness / (3.0 * tire.along_grip), 1.0)
        return math.copysign(tire.along_grip * load * (1.0 - (1.0 - t) ** 3), slip_ratio)

    def slope(t, y):
        turn, deflection = y
        sliding = turn * 0.4 - along
        return [
            (torque - 0.4 * force(deflection / 0.25)) / 1.5,
            sliding - along * deflection / 0.25,
        ]

    truth = solve_ivp(slope, (0.0, 1.0), [along / 0.4, 0.0], rtol=1e-10, atol=1e-10, dense_output=True)
    part, axle = one_wheel(tire)
    axle["turn"], found = along / 0.4, []
    for _ in range(ticks):
        axle["drive"] = torque
        slip.roll(part, axle, load, 1.0, 0.0, (along, 0.0, 0.0, 0.0, 0.0, 0.0), 1e9, 1e9, 1.0 / ticks)
        found.append(float(axle["turn"]))
    times = np.arange(1, ticks + 1) / ticks
    wanted = truth.sol(times)[0]
    assert np.max(np.abs(np.array(found) - wanted)) < error * np.max(np.abs(wanted))
    assert found[-1] == pytest.approx(wanted[-1], rel=1e-5)


@pytest.mark.parametrize("ticks", [60, 120, 240, 480])
def test_a_wheel_rolls_without_slip_where_nothing_drives_it(ticks):
    made = go(FOUR, TIRE.replace(rolling=0.0), speed=15.0, seconds=3.0, ticks=ticks)
    turn = made.column("wheels.1.turn")[-1]
    assert turn * FOUR.radius == pytest.approx(made.column("velocity.x")[-1], rel=1e-6)
    assert made.column("velocity.x")[-1] == pytest.approx(15.0, rel=1e-6)


def test_what_spins_a_wheel_in_the_air_turns_the_craft_the_other_way():
    """Angular momentum is kept: that of the body about y, and of four wheels of 1.2 kg m2."""
    body = BODY.replace(gravity_scale=0.0)
    made = go(FOUR, TIRE, DRIVE.replace(on="all"), body=body, height=5.0, inputs={"throttle": [(0, 1)]}, seconds=1.0)
    wheels = sum(1.2 * made.column(f"wheels.{k}.turn")[-1] for k in (1, 2, 3, 4))
    pitch = body.inertia()[1] * made.column("spin.y")[-1]
    assert wheels > 100.0
    assert pitch == pytest.approx(-wheels, rel=1e-9)


def test_the_ledger_closes_with_tires():
    inputs = {
        "throttle": [(0, 1), (2, 1), (2.01, 0)],
        "steer": [(0, 0), (1, 0.6)],
        "brake": [(0, 0), (3, 0), (3.01, 1)],
    }
    made = go(FOUR, TIRE, DRIVE, STEERING, BRAKES, speed=12.0, inputs=inputs)
    total = sum(made.line(name) for name in made.layout.lines)
    gained = np.diff(made.columns("velocity.x", "velocity.y", "velocity.z"), axis=0) * 120.0 * MASS
    assert np.max(np.abs(total[1:, :3] - gained)) < 1e-9 * MASS * GRAVITY * 10.0


# a craft on tires


@pytest.mark.parametrize("ticks", [60, 120, 240, 480])
@pytest.mark.parametrize("heading_deg", [0.0, 90.0, 215.0])
@pytest.mark.parametrize("law", ["brush", "sine_arctangent"])
def test_parked_on_a_slope_it_stays(ticks, heading_deg, law):
    made = go(FOUR, TIRE.replace(law=law, along_law=law), BRAKES, inputs={"brake": [(0, 1)]}, seconds=16.0, ticks=ticks,
              ground=Ground(id="hill", tilt_deg=10.0), heading_deg=heading_deg)  # fmt: skip
    spots = made.columns("position.x", "position.y", "position.z")[6 * ticks :]
    assert np.max(np.linalg.norm(spots - spots[0], axis=1)) < 1e-3


def test_not_held_by_brakes_it_rolls_down_by_its_weight_and_rolling_resistance():
    made = go(FOUR, TIRE, ground=Ground(id="hill", tilt_deg=5.0), seconds=6.0)
    moves = np.linalg.norm(made.columns("velocity.x", "velocity.y", "velocity.z"), axis=1)
    lean = math.radians(5.0)
    felt = MASS + 4 * 1.2 / 0.4**2  # wheels are spun up as well
    wanted = MASS * GRAVITY * (math.sin(lean) - 0.015 * math.cos(lean)) / felt
    assert (moves[-1] - moves[240]) / 4.0 == pytest.approx(wanted, rel=5e-3)


@pytest.mark.parametrize("ticks", [120, 240])
@pytest.mark.parametrize("grip", [0.3, 0.9])
def test_with_locked_wheels_it_stops_in_v2_over_2_mu_g(grip, ticks):
    tire = TIRE.replace(along_law="brush", law="brush", along_grip=grip, rolling=0.0)
    brakes = BRAKES.replace(torque=2e5, rise_s=0.0)
    made = go(FOUR, tire, brakes, inputs={"brake": [(0, 1)]}, speed=20.0, seconds=12.0, ticks=ticks)
    assert made.column("wheels.1.turn")[ticks] == 0.0
    assert made.column("position.x")[-1] - made.column("position.x")[0] == pytest.approx(
        20.0**2 / (2.0 * grip * GRAVITY), rel=1e-2
    )


@pytest.mark.parametrize(("front", "rear"), [(12.0, 12.0), (9.0, 14.0), (13.0, 10.0)])
@pytest.mark.parametrize("v", [8.0, 15.0])
def test_a_steady_circle_is_that_of_the_single_track_model(front, rear, v):
    """delta = L / R + (1 / c_front - 1 / c_rear) a / g, c the cornering stiffness over the load (ISO 4138)."""
    tires = (
        TIRE.replace(id="front", on="front", law="linear", stiffness=front, rolling=0.0),
        TIRE.replace(id="rear", on="rear", law="linear", stiffness=rear, rolling=0.0),
    )
    hold = Thruster(id="push", way="speed_aim", thrust=v, aim_limit=20000.0, channel="throttle")
    lean = math.radians(0.6)
    made = go(FOUR, *tires, STEERING.replace(max_angle_deg=0.6), hold, speed=v, seconds=14.0, ticks=240,
              inputs={"throttle": [(0, 1)], "steer": [(0, 0), (0.5, 0), (1.5, 1)]})  # fmt: skip
    rate, moves = made.column("spin.z")[-1], speed(made)[-1]
    gradient = 1.0 / front - 1.0 / rear
    wanted = lean / (BASE / moves + gradient * moves / GRAVITY)
    assert rate == pytest.approx(wanted, rel=2e-2)


def test_it_tips_where_half_its_track_over_its_height_says():
    """Lateral g at which the inner wheels lift: t / 2h, the centre having moved out a little by the roll."""
    wheels = FOUR.replace(stiffness=2.5e6, bump=4e4, rebound=4e4, travel=0.1, z=-0.7)
    tire = TIRE.replace(law="linear", side_grip=3.0, stiffness=20.0, along_grip=3.0, inertia=0.1)
    hold = Thruster(id="push", way="speed_aim", thrust=14.0, aim_limit=20000.0, channel="throttle")
    made = go(wheels, tire, STEERING.replace(max_angle_deg=12.0), hold, speed=14.0, seconds=20.0, ticks=240,
              inputs={"throttle": [(0, 1)], "steer": [(0, 0), (20, 1)]})  # fmt: skip
    inner = made.column("wheels.1.force") + made.column("wheels.2.force")
    lifts = int(np.argmax(inner[240:] <= 0.0)) + 240
    assert inner[lifts] <= 0.0
    lateral = made.column("spin.z")[lifts] * speed(made)[lifts] / GRAVITY
    height = made.column("position.z")[lifts]
    assert lateral == pytest.approx(TRACK / (2.0 * height), rel=2e-2)


def test_side_force_at_a_height_rolls_it_less():
    rolls = []
    for tire in (TIRE, TIRE.replace(acts="height", acts_height=0.4)):
        made = go(FOUR, tire, STEERING, speed=10.0, seconds=3.0, inputs={"steer": [(0, 0), (1, 0.3)]})
        w, x, y, z = made.columns("rotation.w", "rotation.x", "rotation.y", "rotation.z").T
        rolls.append(np.max(np.abs(np.arcsin(2.0 * (y * z + w * x)))))
    assert rolls[1] < 0.7 * rolls[0]


def test_an_open_differential_drives_no_more_than_its_wheel_on_ice_and_a_locked_one_holds_them_together():
    left = Patch(id="glaze", x=0.0, y=50.0 + 0.01, length=2000.0, width=100.0, grip=0.1)
    ground = Ground(id="split", patches=(left,))
    found = {}
    for lock in (0.0, 1.0):
        made = go(FOUR, TIRE, DRIVE.replace(lock=lock, torque=3000.0), ground=ground, seconds=2.0,
                  inputs={"throttle": [(0, 1)]})  # fmt: skip
        found[lock] = made.column("velocity.x")[-1]
        turns = made.columns("wheels.2.turn", "wheels.4.turn")[60:]
        if lock == 1.0:
            assert np.max(np.abs(turns[:, 0] - turns[:, 1])) < 0.02 * np.max(turns)
        else:
            assert turns[-1, 0] > 2.0 * turns[-1, 1]
    assert found[1.0] > 2.0 * found[0.0]


def test_drive_brakes_and_steering_act_on_the_wheels_that_are_chosen():
    made = go(FOUR, TIRE.replace(rolling=0.0), DRIVE.replace(on="front", torque=600.0), seconds=1.0,
              inputs={"throttle": [(0, 1)]})  # fmt: skip
    for front, rear in zip(FRONT, REAR, strict=True):
        assert made.column(f"wheels.{front}.along")[60] > 600.0
        assert made.column(f"wheels.{rear}.along")[60] < 0.0
    made = go(FOUR, TIRE, STEERING.replace(on="rear"), seconds=1.0, speed=6.0, inputs={"steer": [(0, 0.2)]})
    assert made.column("wheels.2.steer")[-1] < -0.05
    assert made.column("wheels.1.steer")[-1] == 0.0
    assert made.column("spin.z")[-1] > 0.05, "rear wheels turn right, and the craft to the left"


def test_each_wheel_points_along_its_own_circle():
    """The axes of all wheels meet in one point: cot(left) - cot(right) = track / base."""
    made = go(
        FOUR, TIRE, STEERING.replace(max_angle_deg=30.0, rate_deg=1000.0), seconds=1.0, inputs={"steer": [(0, 1)]}
    )
    left, right = made.column("wheels.1.steer")[-1], made.column("wheels.3.steer")[-1]
    assert 1.0 / math.tan(right) - 1.0 / math.tan(left) == pytest.approx(TRACK / BASE, rel=1e-9)
    same = go(FOUR, TIRE, STEERING.replace(ackermann=0.0), seconds=1.0, inputs={"steer": [(0, 1)]})
    assert same.column("wheels.1.steer")[-1] == same.column("wheels.3.steer")[-1]


def test_steering_turns_at_its_rates_and_less_at_speed():
    steering = STEERING.replace(
        max_angle_deg=30.0, rate_deg=60.0, return_rate_deg=120.0, ackermann=0.0,
        limit=(SpeedKnot(speed=0.0, share=1.0), SpeedKnot(speed=20.0, share=0.2)),
    )  # fmt: skip
    made = go(FOUR, TIRE, steering, seconds=2.0, inputs={"steer": [(0, 1), (1, 1), (1.001, 0)]})
    turned = np.degrees(made.column("wheels.1.steer"))
    assert turned[30] == pytest.approx(15.0, abs=0.6)
    assert turned[110] == pytest.approx(30.0)
    assert turned[120 + 15] == pytest.approx(15.0, abs=1.1)
    fast = go(FOUR, TIRE, steering, seconds=1.0, speed=20.0, inputs={"steer": [(0, 1)]})
    moves = traces.values(fast, "forward_speed")[100]
    share = speedcurve.share_at(steering.limit, moves)
    assert np.degrees(fast.column("wheels.1.steer"))[101] == pytest.approx(30.0 * share, rel=1e-2)
    assert share < 0.6


def test_a_handbrake_lets_the_tail_go_and_gives_its_grip_back_over_its_recovery():
    hand = WheelBrake(id="hand", channel="brake", on="rear", torque=6000.0, grip_kept=0.4, recovery_s=0.5)
    steer = [(0, 0), (0.5, 0), (0.8, 0.1)]
    pulls = [(0, 0), (1, 0), (1.01, 1), (1.6, 1), (1.61, 0)]

    def turned(brake, pulled):
        inputs = {"steer": steer, "brake": pulled}
        return go(FOUR, TIRE, STEERING, brake, speed=15.0, seconds=4.0, inputs=inputs)

    drift, plain, sudden = turned(hand, pulls), turned(hand, [(0, 0)]), turned(hand.replace(recovery_s=0.0), pulls)
    assert np.min(drift.column("wheels.2.turn")[140:190]) == 0.0, "its wheels lock"
    slides = [np.max(np.abs(traces.values(made, "slip_angle"))) for made in (drift, plain)]
    assert slides[0] > 3.0 * slides[1]
    share = [made.column("wheels.4.most_side")[1:] / made.column("wheels.4.force")[1:] for made in (drift, sudden)]
    assert share[0][185] == pytest.approx(0.4 * 0.9, rel=1e-3)
    back = [int(np.argmax(one[190:] > 0.99 * 0.9)) / 120.0 for one in share]
    assert back[0] == pytest.approx(0.5, abs=0.05)
    assert back[1] < 0.05


def test_traction_and_lock_limits_hold_the_slip():
    spins = go(FOUR, TIRE, DRIVE.replace(torque=20000.0), seconds=3.0, inputs={"throttle": [(0, 1)]})
    limit = SlipLimit(id="limit")
    holds = go(FOUR, TIRE, DRIVE.replace(torque=20000.0), limit, seconds=3.0, inputs={"throttle": [(0, 1)]})
    assert np.max(spins.column("wheels.2.slip_ratio")[120:]) > 1.0
    assert np.max(holds.column("wheels.2.slip_ratio")[120:]) < 0.25
    assert holds.column("velocity.x")[-1] > spins.column("velocity.x")[-1]
    hard = BRAKES.replace(torque=30000.0)
    locks = go(FOUR, TIRE, hard, STEERING, speed=25.0, seconds=2.0, inputs={"brake": [(0, 1)], "steer": [(0, 0.5)]})
    rolls = go(FOUR, TIRE, hard, limit, STEERING, speed=25.0, seconds=2.0,
               inputs={"brake": [(0, 1)], "steer": [(0, 0.5)]})  # fmt: skip
    assert locks.column("wheels.1.turn")[120] == 0.0
    assert rolls.column("wheels.1.turn")[120] > 10.0
    assert abs(rolls.column("position.y")[-1]) > 4.0 * abs(locks.column("position.y")[-1]), "it still steers"


def test_counter_steer_points_the_wheels_where_it_slides():
    made = go(FOUR, TIRE, STEERING, CounterSteer(id="counter"), speed=12.0, side_speed=4.0, seconds=0.5)
    slides = math.atan2(made.column("velocity.y")[10], made.column("velocity.x")[10])
    assert made.column("wheels.1.steer")[11] * slides > 0.0


def test_a_yaw_damper_holds_the_rate_and_slower_in_turns_the_side_acceleration():
    inputs = {"steer": [(0, 0), (0.5, 0), (1, 0.6)]}
    free = go(FOUR, TIRE, STEERING, speed=14.0, seconds=4.0, inputs=inputs)
    damped = go(FOUR, TIRE, STEERING, YawDamper(id="damper", free_deg=20.0, damping=1e5), speed=14.0, seconds=4.0,
                inputs=inputs)  # fmt: skip
    assert np.max(free.column("spin.z")) > math.radians(40.0)
    assert np.max(damped.column("spin.z")) < math.radians(30.0)
    slower = go(FOUR, TIRE, STEERING, TurnSlower(id="slower", limit_g=0.3, strength=2.0), speed=14.0, seconds=4.0,
                inputs=inputs)  # fmt: skip
    asked = slower.column("spin.z") * speed(slower) / GRAVITY
    assert np.max(asked[240:]) < 0.32
    assert speed(slower)[-1] < 0.8 * speed(free)[-1]


WILD = {
    "spinning backward": {"speed": -8.0, "yaw_rate_deg": 200.0},
    "sideways": {"speed": 0.0, "side_speed": 20.0},
    "in the air": {"height": 8.0, "speed": 10.0},
    "at 60 m/s, locked": {"speed": 60.0},
    "at rest": {},
}


@pytest.mark.parametrize("law", ["share", *LAWS])
@pytest.mark.parametrize("how", WILD)
@pytest.mark.parametrize("ticks", [45, 120])
def test_whatever_it_does_all_stays_finite_and_comes_to_rest(law, how, ticks):
    tire = TIRE.replace(law=law, along_law=law)
    brakes, inputs = BRAKES.replace(torque=20000.0), {"brake": [(0, 1)], "steer": [(0, 0), (1, 0.3)]}
    made = go(FOUR, tire, brakes, STEERING, ticks=ticks, seconds=14.0, inputs=inputs, **WILD[how])
    assert made.ticks == 14 * ticks, made.message
    assert np.linalg.norm(made.columns("velocity.x", "velocity.y", "velocity.z")[-1]) < 1e-2


def test_left_and_right_turns_are_mirror_images():
    turns = []
    for sign in (1.0, -1.0):
        inputs = {"throttle": [(0, 0.6)], "steer": [(0, 0), (1, sign * 0.7)]}
        turns.append(go(FOUR, TIRE, DRIVE, STEERING, speed=9.0, seconds=4.0, inputs=inputs))
    assert turns[0].column("position.y") == pytest.approx(-turns[1].column("position.y"), abs=1e-6)
    assert turns[0].column("wheels.1.side") == pytest.approx(-turns[1].column("wheels.3.side"), abs=1e-3)


def test_a_wheel_that_steers_by_its_own_channel_does_so_with_tires_and_in_the_air():
    wheels = FOUR.replace(steer_channel="steer", steer_deg=10.0)
    for height in (0.0, 3.0):
        made = go(wheels, TIRE, height=height, seconds=0.3, inputs={"steer": [(0, 1)]})
        assert made.column("wheels.1.steer")[-1] == pytest.approx(math.radians(10.0))


def test_tires_of_one_end_leave_the_other_to_its_wheels_and_muted_ones_are_not_there():
    front = TIRE.replace(on="front")
    made = go(FOUR, front, speed=5.0, seconds=1.0)
    assert made.layout.own.tires == ("wheels.1", "wheels.3")
    muted = go(FOUR, TIRE.replace(mute=True), speed=5.0, seconds=1.0)
    bare = go(FOUR, speed=5.0, seconds=1.0)
    assert np.array_equal(muted.column("position.x"), bare.column("position.x"))


# bad input


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"curve": (GripKnot(slip_deg=0, grip=0), GripKnot(slip_deg=0, grip=1))}, "rise from knot to knot"),
        ({"curve": (GripKnot(slip_deg=0, grip=0), GripKnot(slip_deg=9, grip=0))}, "it has no peak"),
        ({"curve": (GripKnot(slip_deg=0, grip=0),)}, "curve"),
        ({"grips_below_deg": 30.0}, "above slides_past_deg"),
        ({"stiffness": math.nan}, "stiffness"),
    ],
)
def test_a_tire_that_cannot_be_is_refused_at_its_field(changes, says):
    with pytest.raises(Exception, match=says):
        TIRE.replace(**changes)


@pytest.mark.parametrize(
    ("parts", "name"),
    [
        ((TIRE,), "no_wheels"),
        ((FOUR, TIRE.replace(wheels="wheel")), "no_such_wheels"),
        ((FOUR.replace(spread_x=0.0, spread_y=0.0), TIRE, DRIVE.replace(wheels="rims")), "no_such_wheels"),
        ((FOUR, TIRE, STEERING.replace(wheels="skis")), "no_such_wheels"),
        ((FOUR, TIRE, STEERING.replace(channel="")), "nothing_steers_it"),
        ((FOUR, TIRE.replace(law="share")), "tick_dependent_grip"),
        ((FOUR, DRIVE), "wheels_without_tires"),
        ((FOUR, TIRE.replace(on="front"), BRAKES), "wheels_without_tires"),
    ],
)
def test_parts_that_miss_their_wheels_say_so_at_their_place(parts, name):
    made = go(*parts, seconds=0.1)
    found = {one.name: one for one in cautions.find(made.job, made)}
    assert name in found
    whole = go(FOUR, TIRE, DRIVE, BRAKES, STEERING, seconds=0.1)
    assert name not in {one.name for one in cautions.find(whole.job, whole)}


def test_turning_wheels_in_flight_keep_the_angular_momentum_of_their_craft():
    """Free of all forces, the spin of the body and that of its wheels, each about its own axle, add up to what they
    were: a craft that yaws with wheels that turn is rolled by them as by a gyroscope."""
    still = Ground(id="ice", gravity=0.0)
    drift = []
    for ticks in (120, 240, 480):
        made = go(FOUR, TIRE.replace(inertia=40.0), ground=still, seconds=2.0, ticks=ticks, height=20.0, speed=30.0,
                  yaw_rate_deg=60.0)  # fmt: skip
        frames = np.array([spatial_axes(row) for row in made.columns(*[f"rotation.{one}" for one in "wxyz"])])
        spins = made.columns("spin.x", "spin.y", "spin.z")
        turns = sum(made.column(f"wheels.{k}.turn") for k in (1, 2, 3, 4))
        inertia = np.array(BODY.inertia())
        own = np.einsum("nij,j,nkj,nk->ni", frames, inertia, frames, spins)
        whole = own + 40.0 * turns[:, None] * frames[:, :, 1]
        assert np.min(np.abs(turns)) > 100.0, "they turn on in the air"
        drift.append(np.max(np.linalg.norm(whole - whole[0], axis=1)) / np.linalg.norm(whole[0]))
    assert np.max(np.abs(spins[:, 0])) > 0.2, "it rolls by them"
    assert drift[2] < 0.55 * drift[1] < 0.35 * drift[0]
    assert drift[2] < 2e-2


def spatial_axes(attitude):
    """The axes of a body as columns, shape (3, 3), of its attitude (w, x, y, z)."""
    w, x, y, z = attitude
    return np.array([
        [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
        [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
        [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
    ])  # fmt: skip
