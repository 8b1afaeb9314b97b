"""Each part against its closed form, its gates and timings, and the ledger that must close over all of them."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from oak_sled.core.advice.outlook import setting_of
from oak_sled.core.assembly import jobs
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.bumper import Bumper
from oak_sled.core.parts.buoy import Buoy
from oak_sled.core.parts.fin import Fin
from oak_sled.core.parts.limiter import Limiter
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.thruster import Thruster, approach
from oak_sled.core.parts.torque import Torque
from oak_sled.core.project import demos
from oak_sled.core.results import ledger, measures, moments, run, traces
from oak_sled.core.study import tickcheck
from oak_sled.core.yard.ground import Gate, Wall

G = 9.80665
ALL_DRILLS = [drill.id for drill in demos.load("fan-sled").drills]


@pytest.mark.parametrize("drill", ALL_DRILLS)
@pytest.mark.parametrize("integrator", ["semi_implicit", "explicit"])
def test_the_ledger_closes_in_every_drill(yard, drill, integrator):
    chosen = yard.drill(drill)
    made = run.execute(jobs.Job(yard.craft(), yard.ground_of(chosen), chosen, 120, integrator))
    assert max(ledger.ledger_gap(made)) < 1e-9


@pytest.mark.parametrize("seed", range(8))
def test_the_ledger_closes_for_random_craft(make, seed):
    """Every part, way and frame, free in all axes or held, pushed about at random."""
    random = np.random.default_rng(seed)

    def pick(*choices):
        return choices[random.integers(len(choices))]

    parts = (
        Thruster(
            id="a",
            channel="throttle",
            thrust=float(random.uniform(1, 300)),
            at_point=True,
            way=pick("force", "acceleration", "speed_aim"),
            frame=pick("craft", "world", "level_heading"),
            x=float(random.uniform(-1, 1)),
            y=float(random.uniform(-1, 1)),
            z=0.3,
            elevation_deg=float(random.uniform(-60, 60)),
        ),
        Torque(
            id="b",
            channel="steer",
            turn=40.0,
            axis=pick("roll", "pitch", "yaw"),
            way=pick("torque", "spin_acceleration"),
        ),
        AirDrag(id="d", at_point=True, x=-0.3, z=0.2, viscous=3.0),
        Runner(id="c", law=pick("share", "linear", "curve"), spread_x=0.7, spread_y=0.4, x=0.2),
        Brake(id="e", channel="brake", at_point=True, x=-0.5),
        Limiter(
            id="f", limits=pick("total", "horizontal", "forward", "spin"), style=pick("hard", "soft", "fade"), limit=3.0
        ),
    )
    held = pick((), ("z",), ("z", "roll", "pitch"), ("y", "yaw"))
    made = make.run(
        parts,
        body={"mass": 90.0, "held": held, "damping": 0.1, "spin_damping": 0.4, "centre_x": 0.1, "centre_z": 0.05},
        ground={"wind_speed": 6.0, "wind_to_deg": 40.0, "gravity": 1.0 if not held else G},
        inputs={"throttle": [(0, 1), (1, -0.5)], "steer": [(0.5, 1), (2, -1)], "brake": [(2.5, 1)]},
        speed=4.0,
        side_speed=1.0,
        roll_rate_deg=20.0,
        yaw_rate_deg=30.0,
        seconds=4.0,
    )
    assert made.status != 2, made.message
    assert max(ledger.ledger_gap(made)) < 1e-9
    for axis in held:
        name = f"position.{axis}" if axis in "xyz" else {"roll": "spin.x", "pitch": "spin.y", "yaw": "spin.z"}[axis]
        assert np.ptp(made.column(name)) < 1e-9


# thrusters


@pytest.mark.parametrize(
    ("way", "number", "speed"),
    [("force", 50.0, 0.5), ("acceleration", 0.5, 0.5), ("impulse", 30.0, 0.3), ("speed_change", 0.3, 0.3)],
)
def test_ways_of_pushing(make, planar, way, number, speed):
    """Steady ways act for a second; impulses once a press."""
    timing = "while_held" if way in ("force", "acceleration") else "on_press"
    part = Thruster(id="push", channel="throttle", thrust=number, way=way, timing=timing)
    made = make.run([part], body=planar, seconds=1.0, inputs={"throttle": 1.0})
    assert made.column("velocity.x")[-1] == pytest.approx(speed, rel=1e-12)


def test_a_speed_aim_moves_toward_its_aim_and_not_past_it(make, planar):
    part = Thruster(id="aim", channel="throttle", thrust=4.0, way="speed_aim", aim_limit=200.0)
    made = make.run([part], body=planar, seconds=4.0, inputs={"throttle": [(0, 1), (3, 0)]})
    v = made.column("velocity.x")
    assert np.max(v) == pytest.approx(4.0, abs=1e-9)
    assert v[made.at(1.0)] == pytest.approx(2.0, rel=0.02), "2 m/s2 at the limit"
    assert v[-1] == pytest.approx(4.0), "it coasts when let go"
    stopping = part.replace(on_release="stop")
    assert make.run([stopping], body=planar, seconds=6.0, inputs={"throttle": [(0, 1), (3, 0)]}).column("velocity.x")[
        -1
    ] == pytest.approx(0.0, abs=1e-9)


@pytest.mark.parametrize("ticks", [60, 120, 240])
def test_an_impulse_a_press_does_not_depend_on_the_tick(make, planar, ticks):
    part = Thruster(id="kick", channel="throttle", thrust=50.0, way="impulse", timing="on_press")
    made = make.run([part], body=planar, ticks=ticks, seconds=3.0, inputs={"throttle": [(0.5, 1), (1, 0), (2, 1)]})
    assert made.column("velocity.x")[-1] == pytest.approx(1.0, rel=1e-12), "two presses of 0.5 m/s"


def test_an_impulse_that_is_held_grows_with_the_tick_rate(make, planar):
    part = Thruster(id="kick", channel="throttle", thrust=1.0, way="impulse")
    speeds = [
        make.run([part], body=planar, ticks=ticks, seconds=1.0, inputs={"throttle": 1.0}).column("velocity.x")[-1]
        for ticks in (60, 120)
    ]
    assert speeds[1] == pytest.approx(2.0 * speeds[0], rel=1e-9)


def test_a_window_pushes_with_its_profile(make, planar):
    part = Thruster(
        id="boost", channel="throttle", thrust=100.0, timing="window", window=1.0, rise_time=0.25, fall_time=0.25
    )
    made = make.run([part], body=planar, seconds=3.0, inputs={"throttle": [(0.5, 1), (0.6, 0)]})
    # the area under a trapezoid of 1 s with ramps of 0.25 s
    assert made.column("velocity.x")[-1] == pytest.approx(0.75, rel=1e-3)


def test_on_release_and_always(make, planar):
    released = Thruster(id="a", channel="throttle", thrust=1.0, way="speed_change", timing="on_release")
    made = make.run([released], body=planar, seconds=2.0, inputs={"throttle": [(0.5, 1), (1, 0)]})
    v = made.column("velocity.x")
    assert v[made.at(0.9)] == 0.0
    assert v[-1] == pytest.approx(1.0)
    always = make.run([Thruster(id="a", thrust=100.0, timing="always")], body=planar, seconds=1.0)
    assert always.column("velocity.x")[-1] == pytest.approx(1.0)


@pytest.mark.parametrize(
    ("gate", "pushes"),
    [("always", True), ("on_ground", True), ("in_air", False), ("below_speed", True), ("above_speed", False)],
)
def test_gates(make, planar, gate, pushes):
    part = Thruster(id="push", channel="throttle", thrust=100.0, gate=gate, gate_speed=2.0)
    made = make.run([part], body=planar, seconds=1.0, inputs={"throttle": 1.0})
    assert (made.column("velocity.x")[-1] > 0.5) == pushes


def test_a_gate_below_a_speed_closes_at_it(make, planar):
    part = Thruster(id="push", channel="throttle", thrust=400.0, gate="below_speed", gate_speed=2.0)
    made = make.run([part], body=planar, seconds=3.0, inputs={"throttle": 1.0})
    assert made.column("velocity.x")[-1] == pytest.approx(2.0, abs=0.05)


def test_in_the_air_is_not_on_the_ground(make):
    part = Thruster(id="push", channel="throttle", thrust=100.0, gate="in_air")
    made = make.run([part], body={"mass": 100.0}, seconds=0.4, height=5.0, inputs={"throttle": 1.0})
    assert made.column("velocity.x")[-1] > 0.3


def test_a_push_beside_the_centre_turns_the_craft(make, planar):
    part = Thruster(id="push", channel="throttle", thrust=100.0, at_point=True, y=0.5)
    made = make.run([part], body=planar, seconds=0.5, inputs={"throttle": 1.0})
    inertia = made.job.craft.body.inertia()[2]
    assert made.column("spin.z")[-1] == pytest.approx(-100.0 * 0.5 * 0.5 / inertia, rel=1e-3)


def test_the_vane_of_a_rear_thruster_yaws_left(make, planar):
    part = Thruster(
        id="push", channel="throttle", thrust=100.0, at_point=True, x=-1.0, vane_channel="steer", vane_deg=20.0
    )
    made = make.run([part], body=planar, seconds=0.5, inputs={"throttle": 1.0, "steer": 1.0})
    assert made.column("spin.z")[-1] > 0.05


def test_level_heading_keeps_a_banked_push_level(make):
    """Rolled by 90 degrees, craft 'left' points up, and level 'left' stays level."""
    for frame, rises in (("craft", True), ("level_heading", False)):
        part = Thruster(id="push", thrust=10.0, azimuth_deg=90.0, frame=frame, timing="always")
        body = {"mass": 10.0, "gravity_scale": 0.0}
        made = make.run([part], body=body, seconds=1.0, height=5.0, roll_rate_deg=90.0)
        assert (made.column("velocity.z")[-1] > 0.2) == rises


# grip


def test_the_share_law_takes_its_share_of_side_speed(make, planar):
    part = Runner(id="skid", law="share", share=0.1, side_grip=10.0, glide=0.0, z=-0.25, slides_past_deg=90.0)
    made = make.run([part], body=planar, seconds=1.0, side_speed=2.0)
    n = np.arange(made.ticks + 1)
    assert np.max(np.abs(made.column("velocity.y") - 2.0 * 0.9**n)) < 1e-12


def test_the_linear_law_is_linear_in_slip(make, planar):
    part = Runner(id="skid", law="linear", stiffness=2.0, side_grip=5.0, glide=0.0, z=-0.25, slides_past_deg=80.0)
    made = make.run([part], body=planar, seconds=0.05, speed=20.0, side_speed=1.0)
    slip = math.atan2(1.0, 20.0)
    assert made.line("skid")[1, 1] == pytest.approx(-2.0 * slip * 100.0 * G, rel=1e-9)


def test_the_curve_law_peaks_where_it_was_drawn():
    curve = Runner(id="skid").sampled_curve()
    assert 5.0 <= np.argmax(curve) / 2.0 <= 12.0
    assert curve[0] == 0.0
    assert np.all(curve[30:] < curve.max())


def test_grip_is_lost_past_one_angle_and_comes_back_below_another(make, planar):
    part = Runner(id="skid", glide=0.0, z=-0.25, slides_past_deg=14.0, grips_below_deg=6.0, blend_s=0.05)
    made = make.run([part], body=planar, seconds=6.0, speed=12.0, side_speed=5.0)
    sliding = made.column("skid.activity")
    slip = np.abs(traces.values(made, "slip_angle"))
    assert sliding.max() == 1.0
    assert sliding[-1] == 0.0
    first_back = np.flatnonzero((sliding[1:] < 1.0) & (sliding[:-1] == 1.0))[0]
    assert slip[first_back] == pytest.approx(6.0, abs=0.5)
    assert np.max(np.abs(np.diff(sliding))) <= made.job.dt / 0.05 + 1e-12, "it never jumps"


def test_a_parked_craft_stays_parked_in_a_side_wind(make, planar):
    parts = [AirDrag(id="air"), Runner(id="skid", spread_x=0.8, spread_y=0.5, z=-0.25)]
    made = make.run(parts, body=planar, ground={"wind_speed": 8.0, "wind_to_deg": 90.0}, seconds=60.0)
    assert np.ptp(made.column("position.y")) < 1e-3
    assert abs(made.column("velocity.y")[-1]) < 1e-9


def test_the_brake_holds_at_rest_and_muted_parts_do_nothing(make, planar):
    parts = [Thruster(id="push", channel="throttle", thrust=100.0), Brake(id="brake", channel="brake", bite=0.5)]
    made = make.run(parts, body=planar, seconds=3.0, inputs={"throttle": 1.0, "brake": 1.0})
    assert np.max(np.abs(made.column("velocity.x"))) < 0.01
    loose = make.run(
        [parts[0], parts[1].replace(mute=True)], body=planar, seconds=1.0, inputs={"throttle": 1.0, "brake": 1.0}
    )
    assert loose.column("velocity.x")[-1] == pytest.approx(1.0)


def test_trim_and_solo(make, planar):
    push = Thruster(id="push", channel="throttle", thrust=100.0)
    half = make.run([push.replace(trim=0.5)], body=planar, seconds=1.0, inputs={"throttle": 1.0})
    assert half.column("velocity.x")[-1] == pytest.approx(0.5)
    parts = [push.replace(solo=True), AirDrag(id="air", front_area=50.0)]
    alone = make.run(parts, body={**planar, "damping": 3.0}, seconds=1.0, inputs={"throttle": 1.0})
    assert alone.column("velocity.x")[-1] == pytest.approx(1.0), "only this one and gravity"


# limits


@pytest.mark.parametrize("limits", ["total", "horizontal", "forward"])
@pytest.mark.parametrize("style", ["hard", "fade"])
def test_speed_limits_hold(make, planar, limits, style):
    parts = [
        Thruster(id="push", channel="throttle", thrust=500.0),
        Limiter(id="cap", limits=limits, style=style, limit=5.0, knee=1.0),
    ]
    made = make.run(parts, body=planar, seconds=6.0, inputs={"throttle": 1.0})
    assert made.column("velocity.x").max() <= 5.0 + 1e-9
    assert made.column("velocity.x")[-1] > 4.7
    assert made.column("cap.activity")[-1] == 1.0


def test_a_soft_limit_settles_where_its_outlook_says(make, planar):
    """F / m = rate x (v - (limit - knee))."""
    parts = [
        Thruster(id="push", channel="throttle", thrust=400.0),
        Limiter(id="cap", style="soft", limit=5.0, knee=1.0, rate=4.0),
    ]
    made = make.run(parts, body=planar, seconds=10.0, inputs={"throttle": 1.0})
    assert made.column("velocity.x")[-1] == pytest.approx(4.0 + 4.0 / 4.0, rel=0.02)


def test_reverse_vertical_and_spin_limits(make, planar):
    back = [
        Thruster(id="push", channel="throttle", thrust=400.0, reverse_share=1.0),
        Limiter(id="cap", limits="reverse", limit=2.0),
    ]
    made = make.run(back, body=planar, seconds=4.0, inputs={"throttle": -1.0})
    assert made.column("velocity.x").min() == pytest.approx(-2.0)
    fall = make.run(
        [Limiter(id="cap", limits="vertical", limit=3.0)], body={"mass": 1.0}, seconds=2.0, height=50.0, speed=9.0
    )
    assert fall.column("velocity.z").min() == pytest.approx(-3.0)
    assert fall.column("velocity.x")[-1] == 9.0, "level motion is not bound"
    spin = make.run(
        [Torque(id="turn", channel="steer", turn=90.0), Limiter(id="cap", limits="spin", limit=1.0)],
        body=planar,
        seconds=5.0,
        inputs={"steer": 1.0},
    )
    assert spin.column("spin.z").max() == pytest.approx(1.0)


# walls, edges, gates


@pytest.mark.parametrize(("response", "after"), [("slide", 0.0), ("stop", 0.0)])
def test_a_wall_met_head_on(make, planar, response, after):
    wall = Wall(id="wall", x=6.0, length=30.0, width=1.0, heading_deg=90.0)
    made = make.run(
        [Bumper(id="bumper", response=response)], body=planar, ground={"walls": (wall,)}, seconds=3.0, speed=5.0
    )
    assert made.column("velocity.x")[-1] == pytest.approx(after, abs=1e-9)
    assert measures.measure("hits").read(made) == 1
    assert np.any(made.line("bumper")[:, 0] < 0.0), "the impulse stands on the bumper's line"


def test_a_graze_slides_on_and_nothing_sticks(make, planar):
    wall = Wall(id="wall", x=20.0, y=4.0, length=200.0, width=1.0)
    parts = [
        Thruster(id="push", channel="throttle", thrust=200.0),
        Bumper(id="bumper", response="slide", tangential_share=1.0, wall_friction=0.0),
    ]
    made = make.run(
        parts,
        body={**planar, "held": ("z", "roll", "pitch", "yaw")},
        ground={"walls": (wall,)},
        seconds=6.0,
        speed=4.0,
        heading_deg=20.0,
        inputs={"throttle": [(0, 1), (4, -1)]},
    )
    assert made.column("in_wall").max() == 1.0
    v = np.hypot(made.column("velocity.x"), made.column("velocity.y"))
    assert v[made.at(3.5)] > 4.0, "it keeps going along the wall"
    assert made.column("position.y").max() < 3.6
    assert made.column("in_wall")[-1] == 0.0, "and leaves at once when it pulls away"


def test_a_wall_without_a_bumper_has_a_line_of_its_own(make, planar):
    wall = Wall(id="wall", x=6.0, length=30.0, width=1.0, heading_deg=90.0)
    made = make.run(body=planar, ground={"walls": (wall,)}, seconds=3.0, speed=5.0)
    assert np.any(made.line("walls")[:, 0] < 0.0)


@pytest.mark.parametrize("edges", ["open", "wrap", "wall", "return"])
def test_world_edges(make, planar, edges):
    made = make.run(body=planar, ground={"edges": edges, "length": 40.0, "width": 40.0}, seconds=6.0, speed=10.0)
    x = made.column("position.x")
    if edges == "open":
        assert x[-1] == pytest.approx(60.0)
    elif edges == "wrap":
        assert np.abs(x).max() <= 20.0
        assert measures.measure("distance").read(made) == pytest.approx(60.0), "distances do not feel the wrap"
    elif edges == "wall":
        assert x.max() < 20.0
        assert made.column("velocity.x")[-1] == pytest.approx(-0.05 * 10.0), "as a hull bounces off a wall"
    else:
        assert x[-1] == pytest.approx(0.0)
        assert any(event.word == "edge" for event in moments.events(made))
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_gates_count_what_is_passed_and_missed(make, planar):
    gates = (Gate(id="a", x=5.0), Gate(id="b", x=10.0, y=8.0), Gate(id="c", x=15.0))
    made = make.run(body=planar, ground={"gates": gates}, seconds=5.0, speed=5.0, drill={"end": "last_gate"})
    assert measures.measure("gates_passed").read(made) == 2
    assert measures.measure("gates_missed").read(made) == 1
    assert made.status == 1
    assert made.duration == pytest.approx(3.0, abs=0.02)


@pytest.mark.parametrize(
    ("end", "value", "seconds"),
    [("time", 0.0, 5.0), ("distance", 10.0, 2.0), ("stopped", 0.0, 5.0), ("hit", 0.0, 1.94)],
)
def test_end_conditions(make, planar, end, value, seconds):
    wall = Wall(id="wall", x=11.4, length=30.0, width=1.0, heading_deg=90.0)
    walls = (wall,) if end == "hit" else ()
    made = make.run(
        body=planar, ground={"walls": walls}, seconds=5.0, speed=5.0, drill={"end": end, "end_value": value}
    )
    assert made.duration == pytest.approx(seconds, abs=0.02)


# determinism, reference, divergence


def test_equal_jobs_give_bit_identical_runs_in_any_thread(demo_job):
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(2) as pool:
        digests = list(pool.map(lambda _: run.execute(demo_job).digest, range(6)))
    assert len(set(digests)) == 1


@pytest.mark.parametrize("drill", ["straight_pull", "brake_to_stop", "step_steer"])
def test_drills_converge_at_the_order_of_the_method(yard, drill):
    chosen = yard.drill(drill)
    # the end of a stop falls on a tick: a fixed time is compared
    chosen = chosen.replace(end="time", duration=3.0)
    job = jobs.Job(yard.craft(), yard.ground_of(chosen), chosen)
    truth = run.execute(replace(job, ticks=480, substeps=64))
    errors = []
    for ticks in (60, 120, 240, 480):
        made = run.execute(replace(job, ticks=ticks))
        errors.append(
            math.hypot(*(made.column(f"position.{axis}")[-1] - truth.column(f"position.{axis}")[-1] for axis in "xy"))
        )
    slope = np.polyfit(np.log2([60, 120, 240, 480]), np.log2(errors), 1)[0]
    assert -1.4 < slope < -0.75, errors


def test_shares_per_tick_keep_their_meaning_on_substeps(make, planar):
    part = Runner(id="skid", law="share", share=0.1, side_grip=10.0, glide=0.0, z=-0.25, slides_past_deg=90.0)
    job = make.job([part], body=planar, seconds=1.0, side_speed=2.0)
    whole, fine = run.execute(job), run.execute(replace(job, substeps=16))
    assert fine.column("velocity.y")[60] == pytest.approx(whole.column("velocity.y")[60], rel=1e-9)
    reference = tickcheck.reference(job)
    assert reference.settled


def test_a_run_that_diverges_stops_and_names_the_cause(make, planar):
    made = make.run(
        [AirDrag(id="air", front_area=1e5, drag_coefficient=100.0)], body=planar, ticks=60, speed=30.0, side_speed=2.0
    )
    assert made.status == 2
    assert made.ticks < 60
    assert "air grew without bound" in made.message
    assert "ticks/s would hold" in made.message
    made = make.run(body={**planar, "damping_law": "explicit", "damping": 500.0}, ticks=60, speed=5.0)
    assert "below 120 1/s" in made.message
    held = make.run(body={**planar, "damping_law": "explicit", "damping": 119.0}, ticks=60, speed=5.0)
    assert held.status == 0, "the number that was said to hold holds"


# outlook


def test_the_outlook_says_what_the_run_shows(make, planar):
    parts = [
        Thruster(id="push", channel="throttle", thrust=400.0),
        AirDrag(id="air", front_area=2.0, viscous=5.0),
        Runner(id="skid", glide=0.03, z=-0.25),
    ]
    made = make.run(parts, body={**planar, "damping": 0.05}, seconds=60.0, inputs={"throttle": 1.0})
    setting = setting_of(made.job.craft, made.job.ground, 120)
    top, ninety = approach(
        setting.thrust - setting.friction, setting.square_drag, setting.linear_drag, setting.damping, setting.mass
    )
    assert measures.measure("top_speed").read(made) == pytest.approx(top, rel=1e-3)
    assert measures.measure("time_to_90").read(made) == pytest.approx(ninety, rel=0.01)
    assert f"{top:.1f}" in " ".join(parts[0].outlook(setting))


def test_the_brake_outlook_is_v2_over_2a(make, planar):
    brake = Brake(id="brake", channel="brake", bite=0.3)
    made = make.run([brake], body=planar, seconds=8.0, speed=15.0, inputs={"brake": 1.0}, drill={"end": "stopped"})
    setting = replace(setting_of(made.job.craft, made.job.ground, 120), last_speed=15.0)
    words = brake.outlook(setting)[0]
    assert f"{measures.measure('stop_distance').read(made):.0f}" in words


# the fin


def test_a_fin_gives_its_side_force_and_then_stalls(make, planar):
    fin = Fin(id="fin", area=2.0, lift_slope=3.0, stall_deg=15.0, x=0.0, z=0.0)
    for side, felt in ((1.0, math.atan2(1.0, 10.0)), (10.0, math.radians(15.0))):
        made = make.run([fin], body=planar, seconds=0.05, speed=10.0, side_speed=side)
        wanted = -0.5 * 1.34 * (100.0 + side**2) * 2.0 * 3.0 * math.sin(felt)
        assert made.line("fin")[1, 1] == pytest.approx(wanted, rel=1e-12)


def test_a_fin_behind_turns_the_nose_into_the_motion(make, planar):
    made = make.run(
        [Fin(id="fin", x=-1.2)], body={**planar, "spin_damping": 1.0}, seconds=4.0, speed=12.0, side_speed=2.0
    )
    slip = np.abs(traces.values(made, "slip_angle"))
    assert slip[-1] < 0.3 * slip[0]
    away = make.run([Fin(id="fin", x=1.2)], body=planar, seconds=2.0, speed=12.0, side_speed=2.0)
    assert np.abs(traces.values(away, "slip_angle")).max() > 60.0


def test_scraping_along_a_wall_is_one_hit(make, planar):
    """The share that is lost at a hit is lost once, not at every touch of a craft that rattles along."""
    wall = Wall(id="wall", x=60.0, y=6.0, length=200.0, width=1.0)
    bumper = Bumper(id="bumper", response="bounce", restitution=0.02, tangential_share=0.8, wall_friction=0.0)
    push = Thruster(id="push", thrust=1500.0, azimuth_deg=90.0, frame="world", timing="always")
    body = {**planar, "held": ("z", "roll", "pitch", "yaw")}
    made = make.run([push, bumper], body=body, ground={"walls": (wall,)}, seconds=6.0, speed=10.0, heading_deg=25.0)
    along = made.column("velocity.x")
    assert made.column("in_wall").max() == 1.0
    assert along[-1] == pytest.approx(0.8 * along[0], rel=0.01)


@pytest.mark.parametrize(("bounce", "push"), [(0.02, 1500.0), (0.6, 600.0), (0.8, 400.0)])
def test_the_measures_count_a_hit_as_the_kernel_does(make, planar, bounce, push):
    """Each hit, and none of the scraping between, takes the share of the bumper: 0.8 to the power of the hits."""
    wall = Wall(id="wall", x=60.0, y=6.0, length=400.0, width=1.0)
    bumper = Bumper(id="bumper", response="bounce", restitution=bounce, tangential_share=0.8, wall_friction=0.0)
    aside = Thruster(id="push", thrust=push, azimuth_deg=90.0, frame="world", timing="always")
    body = {**planar, "held": ("z", "roll", "pitch", "yaw")}
    made = make.run([aside, bumper], body=body, ground={"walls": (wall,)}, seconds=8.0, speed=10.0, heading_deg=25.0)
    along, hits = made.column("velocity.x"), measures.measure("hits").read(made)
    assert hits >= (1 if bounce < 0.1 else 3)
    assert along[-1] == pytest.approx(0.8**hits * along[0], rel=1e-9)


def afloat(make, seconds, start, **settings):
    """A run of a body of 100 kg on one buoy at its centre, let go at rest `start` m over level 0."""
    return make.run([Buoy(id="float", **settings)], body={"mass": 100.0, "held": ()}, ground={"floor": False},
                    seconds=seconds, ticks=480, height=start)  # fmt: skip


def test_a_buoy_carries_its_body_where_its_outlook_says(make):
    made = afloat(make, 12.0, 3.0, height=5.0, stiffness=2000.0, damping=900.0)
    rests = 5.0 - 100.0 * G / 2000.0
    assert made.column("position.z")[-1] == pytest.approx(rests, abs=1e-6)
    assert made.column("float.force.z")[-1] == pytest.approx(100.0 * G, rel=1e-6)
    setting = setting_of(made.job.craft, made.job.ground, 480)
    assert f"{rests:.2f}\u2009m" in made.job.craft.parts[0].outlook(setting)[0]


def test_a_buoy_bobs_as_a_damped_oscillator(make):
    stiffness, damping = 2000.0, 60.0
    made = afloat(make, 4.0, 4.0, height=5.0, stiffness=stiffness, damping=damping, max_force=1e6)
    start, rests = made.column("position.z")[0], 5.0 - 100.0 * G / stiffness
    decay = damping / 200.0
    turn = math.sqrt(stiffness / 100.0 - decay**2)
    t = made.t
    wanted = rests + (start - rests) * np.exp(-decay * t) * (np.cos(turn * t) + decay / turn * np.sin(turn * t))
    assert wanted.max() < 5.0  # it stays in
    assert np.max(np.abs(made.column("position.z") - wanted)) < 0.01


def test_a_buoy_pushes_no_more_than_its_greatest_and_nothing_above_its_height(make):
    sunk = afloat(make, 0.05, 1.0, height=50.0, max_force=700.0, damping=0.0)
    assert sunk.column("float.force.z")[1:] == pytest.approx(np.full(sunk.ticks, 700.0))
    above = afloat(make, 0.3, 9.0, height=5.0)
    assert not above.column("float.force.z").any()
    assert above.column("velocity.z")[-1] == pytest.approx(-G * above.duration, rel=1e-9)


def test_a_buoy_off_the_centre_turns_its_body_and_its_trace_is_the_force_upward(make):
    body = {"mass": 100.0, "held": ()}
    parts = [Buoy(id="float", x=0.5, height=3.0, damping=0.0)]
    made = make.run(parts, body=body, ground={"floor": False}, seconds=0.05, height=1.0)
    force = made.column("float.force.z")[1]
    assert made.column("float.torque.y")[1] == pytest.approx(-0.5 * force, rel=1e-6)
    assert traces.values(made, "part.float")[1] == pytest.approx(force)
    assert traces.describe(made, "part.float").unit == "N"
