"""Sprung wheels and anti-roll bars: sag, roll stiffness, friction, hold-down, and a ledger that closes."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from oak_sled.core.advice import cautions, outlook
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.parts.wheels.bar import Bar
from oak_sled.core.parts.wheels.holddown import HoldDown
from oak_sled.core.parts.wheels.wheel import Wheel
from oak_sled.core.results import ledger, run, traces
from oak_sled.core.results.run import Run
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground

MASS, GRAVITY = 800.0, 9.80665
ICE = Ground(id="ice")
FOUR = Wheel(id="wheels", spread_x=1.2, spread_y=0.7, stiffness=24000.0, bump=2000.0, rebound=3000.0, travel=0.3)
BODY = Body(mass=MASS, length=3.0, width=1.4, height=0.8, held=())


def job(*parts, ground=ICE, seconds=4.0, ticks=240, body=BODY, **start) -> Job:
    craft = Craft(id="craft", body=body, channels=(), parts=parts)
    return Job(
        craft, ground, Drill(id="d", ground=ground.id, craft="craft", start=Start(**start), duration=seconds), ticks
    )


def go(*parts, **options) -> Run:
    return run.execute(job(*parts, **options))


def roll_deg(made: Run) -> np.ndarray:
    w, x, y, z = made.columns("rotation.w", "rotation.x", "rotation.y", "rotation.z").T
    return np.degrees(np.arcsin(np.clip(2.0 * (y * z + w * x), -1.0, 1.0)))


@pytest.mark.parametrize(
    "changes", [{}, {"progression": 1.5}, {"preload": 800.0}, {"stiffness": 5000.0, "bump_stop": 90000.0}]
)
def test_a_wheel_sags_to_where_its_spring_equals_its_load(changes):
    wheels = FOUR.replace(**changes)
    made = go(wheels, height=0.02, seconds=15.0)
    squeeze = wheels.travel + wheels.radius - made.column("wheels.1.gap")[-1]
    assert 4.0 * wheels.push_at(squeeze) == pytest.approx(MASS * GRAVITY, rel=1e-9)
    assert squeeze == pytest.approx(wheels.squeeze_of(MASS * GRAVITY / 4.0), rel=1e-9)


def test_it_starts_at_rest_and_its_outlook_says_the_sag():
    made = go(FOUR)
    assert np.ptp(made.column("position.z")) < 1e-9
    line = FOUR.outlook(outlook.setting_of(made.job.craft, ICE, 240))[0]
    sag = MASS * GRAVITY / 4.0 / FOUR.stiffness
    assert f"{100.0 * sag:.2f}" in line


def test_bump_and_rebound_damp_each_its_own_way():
    """A dropped craft is stopped harder by more bump damping, and comes up slower by more rebound damping."""
    soft = go(FOUR.replace(bump=500.0, rebound=500.0), height=0.2, seconds=1.5)
    bump = go(FOUR.replace(bump=4000.0, rebound=500.0), height=0.2, seconds=1.5)
    rebound = go(FOUR.replace(bump=500.0, rebound=6000.0), height=0.2, seconds=1.5)
    assert bump.column("position.z").min() > soft.column("position.z").min() + 0.02
    first = int(np.argmin(rebound.column("position.z")))
    assert int(np.argmin(soft.column("position.z"))) == pytest.approx(first, abs=3)
    assert rebound.column("velocity.z")[first:].max() < 0.5 * soft.column("velocity.z")[first:].max()


def test_it_rolls_freely_but_for_its_rolling_resistance():
    """v' = -c g on level ground: the resistance is a share of the load."""
    made = go(FOUR.replace(rolling=0.03), speed=10.0, seconds=4.0)
    slows = -np.diff(made.column("velocity.x"))[-400:].mean() * 240.0
    assert slows == pytest.approx(0.03 * GRAVITY, rel=1e-3)
    way = traces.values(made, "rolled")[-1]
    assert way == pytest.approx(made.column("position.x")[-1] - made.column("position.x")[0], rel=2e-3)


def test_sideways_it_stops_by_friction_of_its_load():
    """From a side speed of v it slides v2 / (2 mu g), and then stands; held level, so that no lean shifts the load."""
    body = BODY.replace(held=("roll", "pitch", "yaw"))
    made = go(FOUR.replace(side_grip=0.6, rolling=0.0), body=body, side_speed=4.0, seconds=3.0)
    slid = made.column("position.y")[-1] - made.column("position.y")[0]
    assert slid == pytest.approx(16.0 / (2.0 * 0.6 * GRAVITY), rel=1e-2)
    assert abs(made.column("velocity.y")[-1]) < 1e-9
    assert made.column("wheels.activity")[5:50].min() == 1.0, "it says that it slides"
    assert made.column("wheels.activity")[-1] == 0.0


@pytest.mark.parametrize(("height", "track"), [(0.9, 0.6), (0.6, 0.5), (1.1, 0.8)])
def test_it_tips_where_its_outlook_says(height, track):
    """A push sideways through the centre of mass, as an acceleration, on wheels that do not slide."""
    stiff = FOUR.replace(
        stiffness=1e6, bump=2e4, rebound=2e4, travel=0.1, side_grip=5.0, spread_y=track, rolling=1.0, z=-height + 0.4
    )
    told = stiff.outlook(outlook.setting_of(job(stiff).craft, ICE, 480))[0]
    threshold = float(told.split("tips at ")[1].split("\u2009")[0])
    assert threshold == pytest.approx(track / height, rel=0.03), "the springs sag and lean a little"
    for share, tips in ((0.96, False), (1.04, True)):  # the push begins at once, which rocks it
        sideways = share * threshold * 9.80665
        push = Thruster(id="push", way="acceleration", timing="always", thrust=sideways, azimuth_deg=90.0)
        made = go(push, stiff, ticks=480, seconds=12.0)
        assert (np.abs(roll_deg(made)).max() > 20.0) == tips, share


@pytest.mark.parametrize("bar", [0.0, 15000.0])
def test_roll_under_a_steady_moment_is_that_of_springs_and_bars(bar):
    """T = (4 k + 8 k_bar) h2 tan a - m g H tan a: four springs, two bars at half track h, and the weight at a height H
    that leans out; loads and moments about the ground, any text on vehicle dynamics."""
    moment, half = 900.0, FOUR.spread_y
    bars = (Bar(id="bar", joins="wheels", stiffness=bar),) if bar else ()
    lean = Torque(id="lean", axis="roll", timing="always", turn=moment)
    made = go(lean, *bars, FOUR, seconds=12.0)
    angle = math.radians(roll_deg(made)[-1])
    stiffness = (4.0 * FOUR.stiffness + 8.0 * bar) * half * half
    high = float(made.column("position.z")[-1])
    assert moment == pytest.approx((stiffness - MASS * GRAVITY * high) * math.tan(angle), rel=1e-2)
    loads = [made.column(f"wheels.{k}.force")[-1] for k in range(1, 5)]
    assert sum(loads) == pytest.approx(MASS * GRAVITY, rel=1e-6)
    if bar:
        assert np.abs(made.line("bar")[-1, 2]) < 1e-3 * MASS * GRAVITY, "a bar carries no weight"


def test_a_bar_never_makes_the_ground_pull():
    lean = Torque(id="lean", axis="roll", timing="always", turn=6000.0)
    made = go(lean, Bar(id="bar", joins="wheels", stiffness=4e5), FOUR, seconds=0.6)
    assert min(made.column(f"wheels.{k}.force").min() for k in range(1, 5)) >= -1e-9


def test_a_hold_down_keeps_a_craft_lower_over_a_crest():
    up = Block(id="up", shape="wedge", moves="fixed", length=6.0, width=6.0, height=0.5, x=9.0)
    ground = ICE.replace(blocks=(up, up.replace(id="down", x=15.0, heading_deg=180.0)))
    highest = {}
    for pull in (0.0, 9000.0):
        made = go(HoldDown(id="hold", reach=0.3, pull=pull), FOUR, ground=ground, speed=12.0, seconds=2.5)
        highest[pull] = float(made.column("position.z").max())
        assert min(made.column(f"wheels.{k}.force").min() for k in range(1, 5)) >= -pull - 1e-9
    assert highest[9000.0] < highest[0.0] - 0.02


def test_a_hold_down_pulls_by_the_gap_below_a_hanging_wheel_and_lets_go_past_its_reach():
    lifted = Torque(id="lift", axis="roll", timing="always", turn=6000.0)
    made = go(lifted, HoldDown(id="hold", reach=0.2, pull=1500.0), FOUR, seconds=4.0)
    gap, droop = made.column("wheels.1.gap")[1:], FOUR.travel + FOUR.radius
    x, y = made.columns("rotation.x", "rotation.y")[:-1].T
    lean = 1.0 - 2.0 * (x * x + y * y)  # at the beginning of the tick whose force is looked at
    hangs = (gap > droop) & (gap < droop + 0.19) & (lean > 0.3)
    assert hangs.sum() > 20
    pull = 1500.0 * (gap[hangs] - droop) / 0.2 / lean[hangs]
    assert -made.column("wheels.1.force")[1:][hangs] == pytest.approx(pull, rel=1e-9)
    total = sum(made.line(name)[1:, :3] for name in made.layout.lines)
    realised = MASS * np.diff(made.columns("velocity.x", "velocity.y", "velocity.z"), axis=0) * 240
    assert np.abs(total - realised).max() < 1e-9 * np.abs(total).max()


def test_a_bar_counts_from_full_droop_where_only_one_side_is_held_down():
    lean = Torque(id="lean", axis="roll", timing="always", turn=500.0)
    bar = Bar(id="bar", joins="wheels", stiffness=8000.0)
    bare, held = (go(lean, bar, *more, FOUR, seconds=1.0) for more in ((), (HoldDown(id="hold", on="left"),)))
    assert np.array_equal(bare.columns("position.z", "rotation.x"), held.columns("position.z", "rotation.x"))


@pytest.mark.parametrize("ticks", [60, 240])
def test_the_ledger_closes(ticks):
    bar = Bar(id="bar", joins="wheels", stiffness=8000.0)
    made = go(bar, FOUR, ticks=ticks, speed=8.0, side_speed=2.0, height=0.3, roll_deg=5.0, seconds=2.0)
    total = sum(made.line(name)[1:, :3] for name in made.layout.lines)
    realised = MASS * np.diff(made.columns("velocity.x", "velocity.y", "velocity.z"), axis=0) * ticks
    assert np.abs(total - realised).max() < 1e-9 * np.abs(total).max()


def names_of(made: Job) -> list[str]:
    return [one.name for one in cautions.find(made)]


def test_cautions_of_wheels_and_bars():
    assert names_of(job(FOUR)) == []
    assert "stands_on_its_bump_stops" in names_of(job(FOUR.replace(stiffness=3000.0)))
    assert "cannot_carry" in names_of(job(FOUR.replace(stiffness=100.0, bump_stop=100.0)))
    assert "preload_above_the_load" in names_of(job(FOUR.replace(preload=5000.0)))
    assert "no_wheels" in names_of(job(HoldDown(id="hold")))
    assert "no_such_wheels" in names_of(job(Bar(id="bar", joins="wheel"), FOUR))
    assert "bar_with_one_wheel" in names_of(job(Bar(id="bar", joins="wheels"), FOUR.replace(spread_y=0.0)))
    assert "too_stiff_for_the_tick" in names_of(job(FOUR.replace(bump=60000.0), ticks=60))


# a wheel with a mass of its own

HEAVY = FOUR.replace(unsprung=30.0, tire_stiffness=180000.0, rolling=0.0, side_grip=0.0, bump=2500.0, rebound=2500.0)


def test_the_ground_carries_the_wheels_too_and_the_springs_do_not():
    made = go(HEAVY, seconds=3.0)
    assert np.ptp(made.column("position.z")) < 1e-9
    assert made.column("wheels.1.force")[-1] == pytest.approx((MASS / 4.0 + 30.0) * GRAVITY, rel=1e-9)
    assert made.line("wheels")[-1, 2] == pytest.approx(MASS * GRAVITY, rel=1e-9)
    gap = HEAVY.rest_gap(MASS * GRAVITY / 4.0)
    assert made.column("wheels.1.gap")[-1] == pytest.approx(gap, rel=1e-9)
    assert HEAVY.rest_gap(MASS * GRAVITY / 4.0) < FOUR.rest_gap(MASS * GRAVITY / 4.0), "the tire gives"


def quarter_car(drop: float, times: np.ndarray) -> np.ndarray:
    """Height of the body above where it rests, m: two masses, two springs, a damper, by a peer integrator."""
    sprung = MASS / 4.0
    sag, tire = HEAVY.squeeze_of(sprung * GRAVITY), HEAVY.tire_squeeze(sprung * GRAVITY)

    def slope(t, y):
        body, up, wheel, wheel_up = y
        squeeze, pressed = sag - (body - wheel), tire - wheel
        strut = HEAVY.stiffness * squeeze + HEAVY.bump * (wheel_up - up) if squeeze > 0.0 or wheel_up > up else 0.0
        tread = HEAVY.tire_stiffness * max(pressed, 0.0)
        return [up, strut / sprung - GRAVITY, wheel_up, (tread - strut) / HEAVY.unsprung - GRAVITY]

    found = solve_ivp(
        slope, (0.0, times[-1]), [drop, 0.0, drop - sag, 0.0], rtol=1e-9, atol=1e-11, max_step=1e-3, t_eval=times
    )
    return found.y[0]


def test_a_drop_on_heavy_wheels_agrees_with_two_masses_at_first_order():
    drop = 0.12
    rest = go(HEAVY, seconds=0.1).column("position.z")[0]
    errors = []
    for ticks in (240, 480, 960):
        made = go(HEAVY, seconds=2.0, ticks=ticks, height=drop)
        errors.append(np.abs(made.column("position.z") - rest - quarter_car(drop, made.t)).max())
    assert errors[1] < 0.03 * drop
    assert errors[2] < 0.62 * errors[1] < 0.62 * 0.62 * 1.2 * errors[0]


def test_a_heavy_wheel_hops_at_the_rate_that_its_outlook_says():
    """The body is as good as fixed beside the wheel: (k + k_t) / m_u."""
    stiff = HEAVY.replace(stiffness=5e5, tire_stiffness=4e6, bump=200.0, rebound=200.0, unsprung=800.0)
    made = go(stiff, body=BODY.replace(mass=20000.0), ticks=2000, seconds=1.5, height=0.02)
    load = made.column("wheels.1.force")[200:]
    rate = np.fft.rfftfreq(4 * len(load), 1.0 / 2000.0)
    strength = np.abs(np.fft.rfft((load - load.mean()) * np.hanning(len(load)), 4 * len(load)))
    high = rate > 6.0  # above the bounce of the whole
    hop = math.sqrt((5e5 + 4e6) / 800.0) / math.tau
    told = stiff.outlook(outlook.setting_of(made.job.craft, ICE, 2000))[-1]
    assert f"{hop:.1f}" in told
    assert rate[high][strength[high].argmax()] == pytest.approx(hop, rel=0.05)


@pytest.mark.parametrize("ticks", [20, 60, 240])
def test_no_tire_is_too_stiff_for_a_tick(ticks):
    made = go(HEAVY.replace(tire_stiffness=1e8, unsprung=0.5), ticks=ticks, height=0.1, seconds=8.0)
    assert made.status == 0
    assert np.all(np.isfinite(made.column("wheels.1.force")))
    assert np.ptp(made.column("position.z")[-ticks:]) < 1e-3


def test_a_heavy_wheel_in_the_air_moves_with_its_craft_and_lands():
    made = go(HEAVY, height=1.0, seconds=4.0)
    off = made.column("on_ground") == 0.0
    assert off.any()
    assert made.column("wheels.1.force")[off].max() == 0.0
    assert made.column("wheels.1.force")[-1] == pytest.approx((MASS / 4.0 + 30.0) * GRAVITY, rel=1e-3)
    assert ledger.ledger_gap(made)[0] < 1e-9
