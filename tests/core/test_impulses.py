"""ShotMemory pushes: impulses, slings, shots, blows and their events, against closed forms and invariants."""

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from oak_sled.core.advice import preview
from oak_sled.core.assembly import bodynames, scenes
from oak_sled.core.kernel import state
from oak_sled.core.parts import launcher, shots
from oak_sled.core.parts.impulse import Impulse
from oak_sled.core.parts.knockback import Knockback
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.sling import Sling
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.results import ledger, run
from oak_sled.core.yard.block import Block, Material
from oak_sled.core.yard.event import Event

G = 9.80665
SPACE = {"gravity": 0.0, "air_density": 0.0}
SLED = {"mass": 100.0, "length": 2.0, "width": 1.0, "height": 0.5}
FLOOR = {"floor": True, "friction": 0.3}
LAUNCH = {
    "id": "gun", "shot_mass": 5.0, "muzzle_speed": 50.0, "elevation_deg": 0.0, "rate": 1.0, "shot_size": 0.2,
    "lifetime": 60.0,
}  # fmt: skip


def event(what="trigger", t=0.5, target="", name="e", **more):
    return Event(id=name, what=what, t=t, target=target, **more)


def velocity(made, row=-1):
    return made.columns("velocity.x", "velocity.y", "velocity.z")[row]


def place(made, name):
    return made.columns(*(f"block.{name}.position.{axis}" for axis in "xyz"))


def speed_of(made, name):
    """m/s of a block after every tick, shape (ticks, 3)."""
    return np.diff(place(made, name), axis=0) * made.job.ticks


# impulses


@pytest.mark.parametrize("ticks", [60, 120, 240])
@pytest.mark.parametrize("lasts", [0.0, 0.1, 0.33])
def test_an_impulse_gives_its_size_over_the_mass_at_any_tick_rate(make, ticks, lasts):
    part = Impulse(id="kick", size=500.0, channel="throttle", lasts=lasts)
    made = make.run([part], body=SLED, ground=SPACE, ticks=ticks, seconds=1.0, inputs={"throttle": [(0.2, 1.0)]})
    assert velocity(made)[0] == pytest.approx(5.0, rel=1e-12)
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_a_change_of_speed_does_not_count_the_mass(make):
    gained = []
    for mass in (10.0, 1000.0):
        part = Impulse(id="kick", way="speed_change", size=7.0, channel="throttle")
        made = make.run([part], body={**SLED, "mass": mass}, ground=SPACE, seconds=0.5, inputs={"throttle": 1.0})
        gained.append(velocity(made)[0])
    assert gained == pytest.approx([7.0, 7.0], rel=1e-12)


@pytest.mark.parametrize(("held", "share"), [(0.0, 0.2), (0.5, 0.6), (1.0, 1.0), (2.0, 1.0)])
def test_a_charge_grows_while_it_is_held_and_is_given_at_the_release(make, held, share):
    part = Impulse(id="kick", fires="on_charge", size=500.0, channel="throttle", charge_s=1.0, minimum_charge=0.2)
    told = {"throttle": [(0.1, 1.0), (0.1 + max(held, 1 / 120), 0.0)]}
    made = make.run([part], body=SLED, ground=SPACE, seconds=3.0, inputs=told)
    row = made.at(0.1 + held - 0.05)
    assert np.all(velocity(made, max(row, 0)) == 0.0), "nothing before the release"
    assert velocity(made)[0] == pytest.approx(5.0 * share, abs=5.0 * 0.8 * 1.5 / 120)


def test_a_charge_curve_above_one_is_slow_at_first(make):
    part = Impulse(
        id="kick", fires="on_charge", size=500.0, channel="throttle", charge_s=1.0, minimum_charge=0.0, charge_curve=2.0
    )
    made = make.run([part], body=SLED, ground=SPACE, seconds=1.0, inputs={"throttle": [(0.0, 1.0), (0.5, 0.0)]})
    assert velocity(made)[0] == pytest.approx(5.0 * 0.25, rel=0.02)


def test_the_cool_down_lets_only_so_many_pushes_through(make):
    beats = [(0.1 * k, 1.0 if k % 2 == 0 else 0.0) for k in range(20)]  # ten presses, 0.2 s apart
    made = make.run(
        [Impulse(id="kick", size=100.0, channel="throttle", cool_down=0.5)],
        body=SLED, ground=SPACE, seconds=2.0, inputs={"throttle": beats},
    )  # fmt: skip
    assert velocity(made)[0] == pytest.approx(4.0)  # at 0, 0.6, 1.2 and 1.8 s


def test_a_release_fires_once_and_a_gate_can_forbid_it(make):
    told = {"throttle": [(0.0, 1.0), (0.5, 0.0)]}
    made = make.run([Impulse(id="k", fires="on_release", size=100.0, channel="throttle")],
                    body=SLED, ground=SPACE, seconds=1.0, inputs=told)  # fmt: skip
    assert velocity(made, made.at(0.49))[0] == 0.0
    assert velocity(made)[0] == pytest.approx(1.0)
    shut = Impulse(id="k", size=100.0, channel="throttle", gate="above_speed", gate_speed=3.0)
    assert velocity(make.run([shut], body=SLED, ground=SPACE, seconds=1.0, inputs={"throttle": 1.0}))[0] == 0.0


def test_a_push_beside_the_centre_turns_the_craft(make):
    part = Impulse(id="k", size=100.0, channel="throttle", at_point=True, y=0.5)
    made = make.run([part], body=SLED, ground=SPACE, seconds=0.5, inputs={"throttle": 1.0})
    inertia = 100.0 / 12.0 * (2.0**2 + 1.0**2)
    assert made.column("spin.z")[-1] == pytest.approx(-0.5 * 100.0 / inertia)
    assert max(ledger.ledger_gap(made)) < 1e-9


# events


@pytest.mark.parametrize("part", [
    Impulse(id="it", size=100.0), Thruster(id="it", way="impulse", timing="on_press", thrust=100.0, channel="steer"),
    Thruster(id="it", thrust=1000.0, timing="window", window=0.1, channel="steer"),
])  # fmt: skip
def test_an_event_fires_a_part_as_if_its_key_were_pressed(make, part):
    made = make.run([part], body=SLED, ground=SPACE, seconds=1.0, drill={"events": (event(target="it", t=0.25),)})
    assert velocity(made, made.at(0.25))[0] == 0.0
    assert velocity(made)[0] == pytest.approx(1.0)


def test_an_event_turns_a_torque_too(make):
    part = Torque(id="it", way="spin_change", turn=2.0, timing="on_press", channel="steer")
    made = make.run([part], body=SLED, ground=SPACE, seconds=1.0, drill={"events": (event(target="it"),)})
    assert made.column("spin.z")[-1] == pytest.approx(2.0)


def test_a_poke_gives_its_impulse_at_its_point(make):
    poke = event("poke", t=0.1, x=50.0, y=0.0, z=20.0, at_y=0.4)
    made = make.run([], body=SLED, ground=SPACE, seconds=1.0, drill={"events": (poke,)})
    assert velocity(made) == pytest.approx([0.5, 0.0, 0.2])
    moment = np.cross([0.0, 0.4, 0.0], [50.0, 0.0, 20.0])
    assert ledger.angular_momentum(made)[-1] == pytest.approx(moment, abs=1e-9)
    assert made.line("poke")[made.at(0.1) + 1, 0] == pytest.approx(50.0 * 120)
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_a_poke_moves_a_block_and_a_dropped_one_falls(make):
    blocks = (Block(id="box", x=5.0, mass=50.0), Block(id="hung", x=9.0, z=4.0, mass=50.0))
    events = (event("poke", t=0.5, target="box", x=100.0, name="a"), event("drop", t=1.0, target="hung", name="b"))
    made = make.run([], body={**SLED, "held": ("z", "roll", "pitch")}, ground={**FLOOR, "blocks": blocks},
                    seconds=2.5, drill={"events": events})  # fmt: skip
    assert speed_of(made, "box")[made.at(0.5), 0] == pytest.approx(2.0, abs=0.33 * G / 120 + 1e-6)
    high = place(made, "hung")[:, 2]
    assert np.all(high[: made.at(1.0) + 1] == high[0]), "it hangs still until it is dropped"
    fell = made.at(1.5)
    assert high[0] - high[fell] == pytest.approx(0.5 * G * 0.5**2, rel=0.03)
    assert high[-1] == pytest.approx(0.5, abs=2e-3)


def test_events_in_any_order_happen_in_order_of_time(make):
    events = (event("poke", t=0.8, x=100.0, name="late"), event("poke", t=0.2, x=300.0, name="soon"))
    made = make.run([], body=SLED, ground=SPACE, seconds=1.0, drill={"events": events})
    assert velocity(made, made.at(0.5))[0] == pytest.approx(3.0)
    assert velocity(made)[0] == pytest.approx(4.0)


def test_substeps_do_not_repeat_an_event(make):
    from dataclasses import replace

    job = make.job([Impulse(id="k", size=100.0)], body=SLED, ground=SPACE, seconds=1.0,
                   drill={"events": (event(target="k"),)})  # fmt: skip
    assert velocity(run.execute(replace(job, substeps=16)))[0] == pytest.approx(1.0)


def test_an_event_for_nobody_does_nothing(make):
    events = (event(target="ghost", name="a"), event("drop", target="ghost", name="b"),
              event("release", target="k", name="c", x=3.0),
              event("poke", target="ghost", x=9.0, name="d"))  # fmt: skip
    made = make.run([Impulse(id="k", size=100.0)], body=SLED, ground=SPACE, seconds=1.0, drill={"events": events})
    assert np.all(velocity(made) == 0.0)


def test_left_ground_ends_a_drill_where_a_jump_begins(make):
    up = Impulse(id="hop", way="speed_change", size=3.0, elevation_deg=90.0)
    made = make.run([up], body=SLED, ground=FLOOR, seconds=3.0,
                    drill={"events": (event(target="hop", t=1.0),), "end": "left_ground"})  # fmt: skip
    assert made.status == 1
    assert made.duration == pytest.approx(1.0, abs=0.03)


def test_left_ground_is_past_the_edge_too(make, planar):
    made = make.run([], body=planar, ground={"length": 20.0, "width": 20.0}, speed=10.0, seconds=9.0,
                    drill={"end": "left_ground"})  # fmt: skip
    assert made.duration == pytest.approx(1.0, abs=0.02)


# sling


@pytest.mark.parametrize(("pull", "share"), [(1.0, 0.25), (2.0, 0.5), (4.0, 1.0), (9.0, 1.0)])
@pytest.mark.parametrize("curve", [1.0, 2.0])
def test_a_sling_pushes_against_the_pull_up_to_its_cap(make, pull, share, curve):
    part = Sling(id="band", size=800.0, cap=4.0, curve=curve)
    released = event("release", target="band", x=-pull * 0.6, y=-pull * 0.8)
    made = make.run([part], body=SLED, ground=SPACE, seconds=1.0, drill={"events": (released,)})
    assert velocity(made) == pytest.approx(8.0 * share**curve * np.array([0.6, 0.8, 0.0]), rel=1e-12)
    assert part.share(pull) == pytest.approx(share**curve)


def test_a_sling_lifts_above_the_pull(make):
    part = Sling(id="band", way="speed_change", size=10.0, cap=1.0, lift_deg=30.0)
    released = event("release", target="band", x=-5.0)
    made = make.run([part], body=SLED, ground=SPACE, seconds=1.0, drill={"events": (released,)})
    assert velocity(made) == pytest.approx([10 * math.cos(math.pi / 6), 0.0, 5.0])


@pytest.mark.parametrize("hold", ["in_place", "weightless", "loose"])
def test_how_a_sling_holds_until_it_lets_go(make, hold):
    part = Sling(id="band", size=100.0, hold=hold)
    made = make.run([part], body=SLED, ground={"floor": False}, seconds=2.0, height=10.0, speed=1.0, yaw_rate_deg=30.0,
                    drill={"events": (event("release", target="band", x=-4.0, t=1.0),)})  # fmt: skip
    row = made.at(1.0)
    fallen, run_on = made.column("position.z")[0] - made.column("position.z")[row], made.column("position.x")[row]
    if hold == "in_place":
        assert (fallen, run_on) == (0.0, made.column("position.x")[0])
        assert np.all(made.column("spin.z")[1:row] == 0.0)
    else:
        assert run_on == pytest.approx(made.column("position.x")[0] + 1.0)
        assert fallen == pytest.approx(0.0 if hold == "weightless" else 0.5 * G, rel=0.02, abs=1e-12)
    assert made.column("velocity.z")[-1] < -5.0, "and then it falls"
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_a_sling_can_take_hold_again(make):
    events = (event("hold", t=0.5, target="band", name="a"), event("release", t=1.0, target="band", x=-4.0, name="b"))
    made = make.run([Sling(id="band", size=200.0)], body=SLED, ground=SPACE, speed=3.0, seconds=1.5,
                    drill={"events": events})  # fmt: skip
    assert velocity(made, made.at(0.4))[0] == 3.0
    assert velocity(made, made.at(0.9))[0] == 0.0
    assert velocity(made)[0] == pytest.approx(2.0)


def test_a_held_craft_among_things_stays_where_it_is(make):
    block = Block(id="box", x=1.2, mass=500.0)
    made = make.run([Sling(id="band", size=10.0)], body=SLED, ground={**FLOOR, "blocks": (block,)}, height=2.0,
                    seconds=1.0, drill={"events": (event("release", target="band", x=-1.0, t=0.9),)})  # fmt: skip
    assert made.column("position.z")[made.at(0.9)] == made.column("position.z")[0]


# shots


def shot(made, number=1, launcher="gun"):
    """Places of a shot while it is in flight, shape (rows, 3), and its ages."""
    ages = made.column(f"shot.{launcher}.{number}.age")
    spots = made.columns(*(f"shot.{launcher}.{number}.position.{axis}" for axis in "xyz"))
    return spots[ages > 0.0], ages[ages > 0.0]


def test_recoil_keeps_linear_and_angular_momentum(make):
    part = Launcher(**{**LAUNCH, "elevation_deg": 25.0}, azimuth_deg=40.0, y=0.7)
    made = make.run([part], body=SLED, ground=SPACE, ticks=240, seconds=1.0, drill={"events": (event(target="gun"),)})
    flown, _ = shot(made)
    u = (flown[-1] - flown[-2]) * 240
    total = 100.0 * velocity(made) + 5.0 * u
    assert np.linalg.norm(total) < 1e-9 * 5.0 * 50.0
    # about the place of the craft at the shot: what the shot takes along from the muzzle, and the spin left behind
    lever = np.array([1.0, 0.7, 0.5])
    turn = np.cross(lever, 5.0 * u) + ledger.angular_momentum(made)[-1]
    assert np.linalg.norm(turn) < 1e-9 * np.linalg.norm(np.cross(lever, 5.0 * u))
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_a_shot_leaves_with_the_speed_of_the_craft_on_top(make):
    made = make.run([Launcher(**LAUNCH, recoil=0.0)], body=SLED, ground=SPACE, speed=12.0, seconds=1.0,
                    drill={"events": (event(target="gun"),)})  # fmt: skip
    flown, _ = shot(made)
    assert (flown[-1] - flown[-2]) * 120 == pytest.approx([62.0, 0.0, 0.0])
    assert velocity(made)[0] == 12.0


@pytest.mark.parametrize("ticks", [60, 120, 240])
def test_the_rate_of_fire_does_not_depend_on_the_tick(make, ticks):
    part = Launcher(**{**LAUNCH, "rate": 7.0}, channel="throttle", in_flight=64)
    made = make.run([part], body=SLED, ground=SPACE, ticks=ticks, seconds=5.0, inputs={"throttle": 1.0})
    assert made.notes[0, shots.FIRED] == 35
    assert made.notes[0, shots.RECYCLED] == 0


def test_once_a_press_and_no_more_than_the_slots(make):
    beats = [(0.5 * k, 1.0 if k % 2 == 0 else 0.0) for k in range(8)]
    part = Launcher(**{**LAUNCH, "rate": 10.0}, channel="throttle", fires="on_press", in_flight=3)
    made = make.run([part], body=SLED, ground=SPACE, seconds=4.0, inputs={"throttle": beats})
    assert list(made.notes[0, :2]) == [4.0, 1.0]


def test_a_throw_without_air_is_the_parabola_of_the_discrete_tick(make):
    part = Launcher(**{**LAUNCH, "elevation_deg": 45.0, "muzzle_speed": 30.0}, recoil=0.0)
    made = make.run([part], body={**SLED, "held": ("x", "y", "z", "roll", "pitch", "yaw")},
                    ground={"air_density": 0.0, "floor": True}, seconds=4.0,
                    drill={"events": (event(target="gun", t=0.0),)})  # fmt: skip
    flown, ages = shot(made)
    n = np.arange(1, len(ages) + 1)
    high = flown[:, 2] - (1.0 - 0.0) * 0.0
    start = made.column("position.z")[0] + 0.5
    wanted = start + 30.0 * math.sin(math.pi / 4) * n / 120 - G * n * (n + 1) / 2 / 120**2
    free = wanted > 0.3
    assert np.max(np.abs(high[free] - wanted[free])) < 1e-9


def test_a_shot_with_drag_and_spin_agrees_with_solve_ivp(make):
    part = Launcher(**{**LAUNCH, "elevation_deg": 20.0}, recoil=0.0, shot_drag=0.5, backspin=60.0, side_spin=20.0,
                    spin_lift=1.0)  # fmt: skip
    made = make.run([part], body={**SLED, "held": ("x", "y", "z", "roll", "pitch", "yaw")}, ticks=960,
                    ground={"air_density": 1.3, "wind_speed": 4.0, "wind_to_deg": 90.0, "floor": True}, seconds=2.0,
                    drill={"events": (event(target="gun", t=0.0),)})  # fmt: skip
    flown, ages = shot(made)
    area, way = math.pi * 0.1**2, np.array([math.cos(math.radians(20)), 0.0, math.sin(math.radians(20))])
    left, up = np.array([0.0, 1.0, 0.0]), np.cross(way, [0.0, 1.0, 0.0])
    spin = -60.0 * left + 20.0 * up

    def slope(t, y):
        v = y[3:] - np.array([0.0, 4.0, 0.0])
        drag = -0.5 * 1.3 * 0.5 * area * np.linalg.norm(v) * v
        lift = 0.5 * 1.3 * area * 0.1 * np.cross(spin, v)
        return [*y[3:], *((drag + lift) / 5.0 + [0.0, 0.0, -G])]

    start = np.array([1.0, 0.0, made.column("position.z")[0] + 0.5])
    truth = solve_ivp(slope, (0.0, ages[-1]), [*start, *(50.0 * way)], rtol=1e-11, atol=1e-11).y[:3, -1]
    assert np.linalg.norm(flown[-1] - truth) < 1e-3 * np.linalg.norm(truth - start)


def test_a_burning_shot_gains_what_its_thrust_gives(make):
    part = Launcher(**LAUNCH, recoil=0.0, shot_drag=0.0, shot_thrust=100.0, burn_s=0.5)
    made = make.run([part], body=SLED, ground=SPACE, ticks=120, seconds=2.0, drill={"events": (event(target="gun"),)})
    flown, _ = shot(made)
    assert (flown[-1] - flown[-2])[0] * 120 == pytest.approx(50.0 + 100.0 / 5.0 * 0.5, rel=1e-9)


def test_a_homing_shot_meets_a_target_that_moves_and_a_plain_one_does_not(make):
    nearest = {}
    for homing in (0.0, 4.0):
        part = Launcher(**{**LAUNCH, "muzzle_speed": 40.0}, recoil=0.0, homing=homing, homes_on="boat", shot_drag=0.0)
        block = Block(id="boat", x=60.0, y=-20.0, z=0.3, mass=50.0)
        events = (event(target="gun", t=0.1, name="a"), event("poke", t=0.0, target="boat", y=500.0, name="b"))
        made = make.run([part], body=SLED, ground={**SPACE, "floor": False, "blocks": (block,)}, seconds=2.5,
                        drill={"events": events})  # fmt: skip
        flown, _ = shot(made)
        boat = place(made, "boat")[-len(flown) :]
        nearest[homing] = float(np.min(np.linalg.norm(flown - boat, axis=1)))
    assert nearest[4.0] < 0.8 < 4.0 < nearest[0.0]


def test_a_shot_lives_as_long_as_it_was_told(make):
    made = make.run([Launcher(**{**LAUNCH, "lifetime": 0.5})], body=SLED, ground=SPACE, seconds=2.0,
                    drill={"events": (event(target="gun", t=0.25),)})  # fmt: skip
    _, ages = shot(made)
    assert len(ages) == 60
    assert made.column("shot.gun.1.age")[-1] == -1.0


@pytest.mark.parametrize("ticks", [60, 120])
def test_the_preview_agrees_with_the_run_over_a_hundred_metres(make, ticks):
    part = Launcher(**{**LAUNCH, "elevation_deg": 18.0}, shot_drag=0.47, backspin=40.0, spin_lift=0.8, recoil=0.0)
    job = make.job([part], body={**SLED, "held": ("x", "y", "z", "roll", "pitch", "yaw")}, ticks=ticks,
                   ground={"floor": True, "wind_speed": 3.0, "wind_to_deg": 60.0}, seconds=6.0,
                   drill={"events": (event(target="gun", t=0.0),)})  # fmt: skip
    made = run.execute(job)
    flown, _ = shot(made)
    seen = preview.shot_path(job, 0, preview.state_of(made, 0))
    count = min(len(seen), len(flown))
    assert np.linalg.norm(seen[count - 1] - seen[0]) > 100.0
    flying = slice(0, count - 1)  # the last place of the run is on the ice
    assert np.max(np.linalg.norm(seen[flying] - flown[flying], axis=1)) < 0.01


def test_the_spread_is_even_over_its_disc_and_comes_from_the_seed():
    record = np.zeros(1, launcher.RECORD)
    record["spread"], record["seed"] = math.radians(10.0), 7
    level = np.zeros(1, state.NOW)[0]
    ways = np.array([shots.scattered(record[0], (1.0, 0.0, 0.0), k, level) for k in range(4000)])
    off = np.degrees(np.arccos(np.clip(ways[:, 0], -1, 1)))
    assert np.max(off) <= 10.0
    assert np.mean(off < 10.0 / math.sqrt(2.0)) == pytest.approx(0.5, abs=0.03)
    assert np.abs(ways[:, 1:].mean(axis=0)) == pytest.approx([0.0, 0.0], abs=0.01)
    again = np.array([shots.scattered(record[0], (1.0, 0.0, 0.0), k, level) for k in range(10)])
    assert np.array_equal(ways[:10], again)
    record["seed"] = 8
    assert not np.array_equal(ways[0], shots.scattered(record[0], (1.0, 0.0, 0.0), 0, level))


def test_a_shot_knocks_a_block_over_and_momentum_goes_with_it(make):
    block = Block(id="box", x=8.0, z=5.0, mass=20.0, material="ice")
    part = Launcher(**{**LAUNCH, "muzzle_speed": 20.0}, recoil=0.0, z=5.5 - 0.25, material="ice")
    made = make.run([part], body={**SLED, "held": ("x", "y", "z", "roll", "pitch", "yaw")}, seconds=1.0,
                    ground={**SPACE, "floor": False, "blocks": (block,),
                            "materials": (Material(id="ice", restitution=0.5),)},
                    drill={"events": (event(target="gun", t=0.0),)})  # fmt: skip
    flown, _ = shot(made)
    after = 5.0 * (flown[-1] - flown[-2]) * 120 + 20.0 * speed_of(made, "box")[-1]
    assert after == pytest.approx([100.0, 0.0, 0.0], abs=1e-6)


@pytest.mark.parametrize("speed", [60.0, 300.0])
def test_a_fast_shot_is_never_through_a_thin_wall(make, speed):
    wall = Block(id="wall", x=20.0, length=0.1, width=20.0, height=20.0, moves="fixed")
    made = make.run([Launcher(**{**LAUNCH, "muzzle_speed": speed})], body=SLED, ticks=60, seconds=3.0,
                    ground={**SPACE, "blocks": (wall,)}, drill={"events": (event(target="gun", t=0.0),)})  # fmt: skip
    flown, _ = shot(made)
    assert np.max(flown[:, 0]) < 20.0


# knockback


BLOW = {
    "id": "blow", "size": 200.0, "lift_deg": 0.0, "volume": "box", "reach": 10.0, "width": 30.0, "height": 10.0,
    "direction": "facing",
}  # fmt: skip
STILL = {**SLED, "held": ("x", "y", "z", "roll", "pitch", "yaw")}


def blown(make, part, blocks, *, ground=None, seconds=1.0, **more):
    given = {**SPACE, "floor": False, **(ground or {}), "blocks": tuple(blocks)}
    drill = {"events": (event(target="blow", t=0.1),)} if part.timing != "while_held" else {}
    return make.run([part], body=STILL, ground=given, seconds=seconds, drill=drill, **more)


@pytest.mark.parametrize(("way", "wanted"), [
    ("impulse", lambda m: 200.0 / m), ("speed_change", lambda m: 200.0),
    ("force", lambda m: 200.0 * 0.25 / m), ("acceleration", lambda m: 200.0 * 0.25),
])  # fmt: skip
def test_the_four_ways_of_a_blow_on_light_and_heavy(make, way, wanted):
    masses = (20.0, 80.0, 320.0)
    blocks = [Block(id=f"b{k}", x=5.0, y=-8.0 + 8.0 * k, z=-0.25, mass=m) for k, m in enumerate(masses)]
    part = Knockback(**{**BLOW, "reach": 1e4, "height": 1e3}, way=way, lasts=0.25, cool_down=5.0)
    made = blown(make, part, blocks)
    for k, mass in enumerate(masses):
        assert speed_of(made, f"b{k}")[-1] == pytest.approx([wanted(mass), 0.0, 0.0], rel=1e-9, abs=1e-9)


@pytest.mark.parametrize(("volume", "spot", "found"), [
    ("ball", (5.0, 0.0), True), ("ball", (-5.0, 0.0), True), ("ball", (0.0, 10.5), False),
    ("cone", (5.0, 0.0), True), ("cone", (5.0, 2.5), True), ("cone", (5.0, 3.5), False), ("cone", (-5.0, 0.0), False),
    ("box", (9.0, 1.9), True), ("box", (9.0, 2.1), False), ("box", (-2.0, 0.0), False), ("box", (10.1, 0.0), False),
])  # fmt: skip
def test_who_is_in_the_volume(make, volume, spot, found):
    part = Knockback(**{**BLOW, "volume": volume, "width": 4.0, "reach": 10.0}, angle_deg=30.0)
    made = blown(make, part, [Block(id="b", x=spot[0], y=spot[1], z=-0.25, mass=50.0)])
    assert bool(np.any(np.abs(speed_of(made, "b")) > 1e-6)) == found
    assert (made.notes[0, 0] == 0.0) == found, "a round that found nobody is counted"


@pytest.mark.parametrize(("direction", "wanted"), [
    ("facing", 0.0), ("from_source", math.degrees(math.atan2(3.0, 4.0))), ("fixed", 120.0),
])  # fmt: skip
def test_which_way_a_blow_pushes_and_how_it_lifts(make, direction, wanted):
    part = Knockback(**{**BLOW, "direction": direction, "lift_deg": 30.0}, fixed_deg=120.0)
    made = blown(make, part, [Block(id="b", x=4.0, y=3.0, z=-0.25, mass=50.0)])
    v = speed_of(made, "b")[-1]
    assert np.linalg.norm(v) == pytest.approx(4.0)
    assert math.degrees(math.atan2(v[1], v[0])) == pytest.approx(wanted)
    assert math.degrees(math.asin(v[2] / 4.0)) == pytest.approx(30.0)


@pytest.mark.parametrize(("fall_off", "share"), [("none", 1.0), ("linear", 0.6), ("square", 0.36)])
def test_fall_off_with_the_distance(make, fall_off, share):
    made = blown(make, Knockback(**BLOW, fall_off=fall_off), [Block(id="b", x=4.0, z=-0.25, mass=50.0)])
    assert speed_of(made, "b")[-1, 0] == pytest.approx(4.0 * share)


def test_fling_turns_head_over_heels_along_the_push(make):
    made = blown(make, Knockback(**BLOW, spin_rate_deg=180.0), [Block(id="b", x=4.0, z=-0.25, mass=50.0)])
    turned = made.columns(*(f"block.b.rotation.{axis}" for axis in "wxyz"))[-1]
    angle = 2.0 * math.degrees(math.acos(min(1.0, abs(turned[0]))))
    assert angle == pytest.approx(180.0 * (made.duration - 0.1), abs=2.0)
    assert turned[2] * turned[0] > 0.0, "its top goes along the push"
    twirl = blown(make, Knockback(**BLOW, spin_rate_deg=90.0, spin_axis="twirl"), [Block(id="b", x=4.0, z=-0.25)])
    assert abs(twirl.column("block.b.rotation.z")[-1]) > 0.1 > abs(twirl.column("block.b.rotation.y")[-1])


def test_a_push_above_the_centre_topples(make):
    made = blown(make, Knockback(**BLOW, above=0.4), [Block(id="b", x=4.0, z=-0.25, mass=50.0)])
    inertia = 50.0 / 6.0
    spin = 0.4 * 200.0 / inertia
    turned = made.column("block.b.rotation.y")[made.at(0.1) + 6]
    assert 2.0 * math.asin(turned) == pytest.approx(spin * 6 / 120, rel=1e-3)


def test_spared_blocks_and_the_shots_are_passed_by(make):
    blocks = [Block(id="a", x=4.0, y=-2.0, z=-0.25), Block(id="b", x=4.0, y=2.0, z=-0.25)]
    made = blown(make, Knockback(**BLOW, spares=("a", "nobody")), blocks)
    assert np.all(speed_of(made, "a") == 0.0)
    assert np.any(speed_of(made, "b") > 1.0)


def test_once_a_round_or_again_after_a_pause(make):
    block = [Block(id="b", x=4.0, z=-0.25, mass=2000.0)]
    once = blown(make, Knockback(**BLOW, lasts=0.5), block)
    again = blown(make, Knockback(**BLOW, lasts=0.5, repeats="after_pause", pause=0.2), block)
    assert (once.notes[0, 3], again.notes[0, 3]) == (1.0, 3.0)


def test_the_cool_down_of_a_blow(make):
    beats = [(0.1 * k, 1.0 if k % 2 == 0 else 0.0) for k in range(20)]
    part = Knockback(**BLOW, channel="throttle", cool_down=0.7, lasts=0.0)
    given = {**SPACE, "floor": False, "blocks": (Block(id="b", x=4.0, z=-0.25, mass=5000.0),)}
    made = make.run([part], body=STILL, ground=given, seconds=2.0, inputs={"throttle": beats})
    assert made.notes[0, 2] == 3.0  # at 0, 0.8 and 1.6 s


def test_a_gust_pushes_while_it_is_held_and_with_its_profile(make):
    part = Knockback(**{**BLOW, "size": 100.0}, way="force", timing="while_held", channel="throttle")
    given = {**SPACE, "floor": False, "blocks": (Block(id="b", x=4.0, z=-0.25, mass=50.0),)}
    made = make.run([part], body=STILL, ground=given, seconds=1.0, inputs={"throttle": [(0.0, 1.0), (0.5, 0.0)]})
    assert speed_of(made, "b")[-1, 0] == pytest.approx(100.0 * 0.5 / 50.0, rel=0.02)
    shaped = Knockback(**{**BLOW, "size": 100.0}, way="force", lasts=0.5, rise_time=0.25, fall_time=0.25)
    made = blown(make, shaped, [Block(id="b", x=4.0, z=-0.25, mass=50.0)])
    assert speed_of(made, "b")[-1, 0] == pytest.approx(100.0 * 0.25 / 50.0, rel=1e-6)


def test_two_bodies_on_one_spot_go_where_the_source_faces_and_it_is_counted(make):
    part = Knockback(**{**BLOW, "direction": "from_source", "volume": "ball"}, x=4.0)
    made = blown(make, part, [Block(id="b", x=4.0, z=-0.25, mass=50.0)])
    assert speed_of(made, "b")[-1] == pytest.approx([4.0, 0.0, 0.0])
    assert made.notes[0, 1] == 1.0


def test_the_craft_feels_its_share_of_the_push(make):
    part = Knockback(**BLOW, reaction=1.0)
    given = {**SPACE, "floor": False, "blocks": (Block(id="b", x=4.0, z=-0.25, mass=50.0),)}
    made = make.run([part], body=SLED, ground=given, seconds=1.0, drill={"events": (event(target="blow"),)})
    assert 100.0 * velocity(made) + 50.0 * speed_of(made, "b")[-1] == pytest.approx([0.0, 0.0, 0.0], abs=1e-9)
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_a_burst_blows_round_the_spot_where_the_shot_hit(make):
    blocks = [Block(id="wall", x=20.0, length=1.0, width=6.0, height=6.0, moves="fixed"),
              Block(id="near", x=18.0, y=2.0, z=0.0, mass=50.0),
              Block(id="far", x=2.0, y=9.0, z=0.0, mass=50.0)]  # fmt: skip
    parts = [Launcher(**LAUNCH, on_hit="bursts", blast="blast"),
             Knockback(id="blast", timing="on_hit", volume="ball", reach=4.0, size=300.0)]  # fmt: skip
    made = make.run(parts, body=STILL, ground={**FLOOR, "blocks": tuple(blocks)}, seconds=2.0,
                    drill={"events": (event(target="gun", t=0.1),)})  # fmt: skip
    assert made.column("shot.gun.1.age")[-1] == -1.0, "it is gone"
    assert np.ptp(place(made, "near"), axis=0)[:2].max() > 0.5
    assert np.ptp(place(made, "far"), axis=0).max() < 0.01


def test_mute_and_trim_act_on_sudden_parts_too(make):
    block = [Block(id="b", x=4.0, z=-0.25, mass=50.0)]
    assert np.all(speed_of(blown(make, Knockback(**BLOW, mute=True), block), "b") == 0.0)
    assert speed_of(blown(make, Knockback(**BLOW, trim=0.5), block), "b")[-1, 0] == pytest.approx(2.0)
    made = make.run([Launcher(**LAUNCH, trim=0.5)], body=SLED, ground=SPACE, seconds=1.0,
                    drill={"events": (event(target="gun"),)})  # fmt: skip
    flown, _ = shot(made)
    assert (flown[-1] - flown[-2])[0] * 120 == pytest.approx(25.0)
    assert velocity(made)[0] == pytest.approx(-25.0 * 5.0 / 100.0)


# the same run again


def test_a_live_drive_with_pokes_and_slings_runs_again_bit_for_bit(make):
    job = make.job([Sling(id="band", size=300.0), Impulse(id="kick", size=50.0, channel="throttle")], body=SLED,
                   ground={**FLOOR, "blocks": (Block(id="box", x=6.0, mass=60.0),)})  # fmt: skip
    drive = LiveDrive(job)
    drive.advance(30, np.zeros(3))
    drive.happen(event("hold", target="band"))
    drive.advance(30, np.zeros(3))
    drive.happen(event("release", target="band", x=-3.0, y=0.4))
    drive.happen(event("poke", target="box", y=90.0, at_x=0.3))
    drive.advance(60, np.array([1.0, 0.0, 0.0]))
    drive.advance(60, np.zeros(3))
    kept = drive.finish()
    assert [one.what for one in kept.job.drill.events] == ["hold", "release", "poke"]
    again = run.execute(kept.job)
    assert again.digest == kept.digest
    assert np.any(np.abs(speed_of(again, "box")[:, 1]) > 0.5)


def test_a_run_with_spread_and_bursts_is_the_same_every_time(make):
    parts = [Launcher(**{**LAUNCH, "rate": 5.0}, channel="throttle", spread_deg=8.0, on_hit="bursts", blast="blast"),
             Knockback(id="blast", timing="on_hit", volume="ball", reach=3.0)]  # fmt: skip
    blocks = tuple(Block(id=f"b{k}", x=15.0, y=-4.0 + 1.2 * k, mass=40.0) for k in range(6))
    job = make.job(parts, body=STILL, ground={**FLOOR, "blocks": blocks}, inputs={"throttle": 1.0}, seconds=2.0)
    assert run.execute(job).digest == run.execute(job).digest


def test_where_the_shots_stand_among_the_solids(make):
    parts = [Launcher(**{**LAUNCH, "id": "one"}, in_flight=2), Launcher(**{**LAUNCH, "id": "two"}, in_flight=3)]
    job = make.job(parts, ground={"blocks": (Block(id="b", x=9.0),), "edges": "wall"})
    assert bodynames.shot_names(job.craft) == ("one.1", "one.2", "two.1", "two.2", "two.3")
    scene = scenes.build(job)
    first = bodynames.first_slot(job, 0, "two")
    assert list(scene.solids["shot"][first:]) == [2, 2, 2]
    assert len(scene.solids) == first + 3
    assert bodynames.solid_names(job)[first] == "a shot of two"


def test_a_live_drive_takes_changed_settings_of_blows_and_of_the_ground(make):
    from dataclasses import replace

    from oak_sled.core.yard.ground import Wall

    box = Block(id="b", x=4.0, z=-0.25, mass=50.0)
    job = make.job([Knockback(**BLOW, channel="throttle", cool_down=0.0)], body=STILL,
                   ground={**SPACE, "floor": False, "blocks": (box,)})  # fmt: skip
    drive = LiveDrive(job)
    drive.advance(10, np.array([1.0, 0.0, 0.0]))
    drive.advance(10, np.zeros(3))
    first = speed_of(drive.newest(9.0), "b")[-1, 0]
    assert first == pytest.approx(4.0)
    spared = job.craft.replace(parts=(job.craft.parts[0].replace(spares=("b",)),))
    drive.take(replace(job, craft=spared))
    drive.advance(10, np.array([1.0, 0.0, 0.0]))
    drive.advance(10, np.zeros(3))
    assert speed_of(drive.newest(9.0), "b")[-1, 0] == pytest.approx(first), "now it is passed by"
    walled = job.ground.replace(walls=(Wall(id="w", x=50.0, y=50.0),))  # one solid more, the same columns
    drive.take(replace(job, ground=walled))
    drive.advance(30, np.array([1.0, 0.0, 0.0]))
    assert speed_of(drive.newest(9.0), "b")[-1, 0] > 0.0
