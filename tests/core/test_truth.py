"""The truth table: what the physics must agree with, each to its stated error."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.special import ellipj, ellipk

from oak_sled.core.advice.outlook import converted, number_of, rate_of
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.bumper import Bumper
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.results import ledger, moments, rotations, traces
from oak_sled.core.study import tickcheck
from oak_sled.core.yard.ground import Wall

G = 9.80665


def thrust_and_drag(make, planar, ticks):
    parts = [Thruster(id="push", channel="throttle", thrust=400.0), AirDrag(id="air", front_area=2.0)]
    return make.run(parts, body=planar, ticks=ticks, seconds=20.0, inputs={"throttle": 1.0})


def tanh_solution(t):
    square = 0.5 * 1.34 * 2.0
    top = math.sqrt(400.0 / square)
    return top * np.tanh(t * 400.0 / (100.0 * top))


def test_thrust_against_quadratic_drag_is_a_tanh(make, planar):
    made = thrust_and_drag(make, planar, 120)
    exact = tanh_solution(made.t)
    assert np.max(np.abs(made.column("velocity.x") - exact)) < 1e-3 * exact[-1]


def test_thrust_against_drag_converges_at_first_order(make, planar):
    errors = []
    for ticks in (60, 120, 240, 480):
        made = thrust_and_drag(make, planar, ticks)
        errors.append(np.max(np.abs(made.column("velocity.x") - tanh_solution(made.t))))
    slopes = np.diff(np.log2(errors))
    assert np.all(np.abs(slopes + 1.0) < 0.05), f"slopes {slopes}"


def test_throw_without_drag_is_the_discrete_parabola(make):
    made = make.run(body={"mass": 3.0}, seconds=2.0, speed=20.0, rise_speed=15.0)
    n = np.arange(made.ticks + 1)
    dt = made.job.dt
    # semi-implicit: z_n = z_0 + v n dt - g dt^2 n (n + 1) / 2
    wanted = made.column("position.z")[0] + 15.0 * n * dt - G * dt * dt * n * (n + 1) / 2
    assert np.max(np.abs(made.column("position.z") - wanted)) < 1e-12 * np.max(np.abs(wanted)) * 10
    assert np.max(np.abs(made.column("position.x") - 20.0 * n * dt)) < 1e-11


def test_throw_with_drag_agrees_with_an_independent_solver(make):
    part = AirDrag(id="air", front_area=0.02, side_area=0.02, top_area=0.02)
    made = make.run([part], body={"mass": 3.0}, seconds=2.0, ticks=960, speed=30.0, rise_speed=15.0)
    k = 0.5 * 1.34 * 0.02 / 3.0

    def slope(_, y):
        speed = math.hypot(y[2], y[3])
        return [y[2], y[3], -k * speed * y[2], -G - k * speed * y[3]]

    z0 = made.column("position.z")[0]
    exact = solve_ivp(slope, (0, 2.0), [0, z0, 30.0, 15.0], rtol=1e-12, atol=1e-12, t_eval=made.t)
    far = np.hypot(exact.y[0], exact.y[1])
    error = np.hypot(made.column("position.x") - exact.y[0], made.column("position.z") - exact.y[1])
    assert np.max(error) < 1e-3 * np.max(far)


@pytest.mark.parametrize(
    ("law", "number", "kept"),
    [
        ("exact", 0.8, lambda c, dt: math.exp(-c * dt)),
        ("implicit", 0.8, lambda c, dt: 1.0 / (1.0 + c * dt)),
        ("explicit", 0.8, lambda c, dt: 1.0 - c * dt),
        ("per_tick", 0.02, lambda a, dt: 1.0 - a),
    ],
)
def test_damping_laws_match_their_closed_form(make, planar, law, number, kept):
    body = {**planar, "damping": number, "spin_damping": number, "damping_law": law}
    made = make.run(body=body, seconds=3.0, speed=12.0, yaw_rate_deg=90.0)
    n = np.arange(made.ticks + 1)
    wanted = kept(number, made.job.dt) ** n
    assert np.max(np.abs(made.column("spin.z") / (np.pi / 2) - wanted)) < 1e-12
    assert np.max(np.abs(traces.values(made, "speed") / 12.0 - wanted)) < 1e-12


@pytest.mark.parametrize("law", ["exact", "implicit", "explicit", "per_tick"])
@pytest.mark.parametrize("other", ["exact", "implicit", "explicit", "per_tick"])
def test_damping_laws_convert_into_one_another(law, other):
    dt = 1.0 / 60.0
    number = number_of(law, 1.7, dt)
    assert number_of(other, rate_of(law, number, dt), dt) == pytest.approx(number_of(other, 1.7, dt), rel=1e-12)


def test_a_converted_body_slows_the_same(make, planar):
    body = {**planar, "damping": 0.5}
    exact = make.job(body=body, seconds=4.0, speed=10.0)
    share = converted(exact.craft.body, "per_tick", exact.dt)
    assert share.damping == pytest.approx(1.0 - math.exp(-0.5 / 120.0))
    other = make.run(body={**planar, "damping": share.damping, "damping_law": "per_tick"}, seconds=4.0, speed=10.0)
    assert other.column("velocity.x")[-1] == pytest.approx(10.0 * math.exp(-2.0), rel=1e-10)


def spinning_box(make, ticks=120, integrator="semi_implicit"):
    """Torque-free, close to the middle axis: inertia (2, 3, 4), spin mainly about y."""
    body = {
        "mass": 10.0,
        "gravity_scale": 0.0,
        "inertia_from": "given",
        "roll_inertia": 2.0,
        "pitch_inertia": 3.0,
        "yaw_inertia": 4.0,
    }
    return make.run(
        body=body, ticks=ticks, seconds=60.0, integrator=integrator, pitch_rate_deg=120.0, yaw_rate_deg=10.0, height=5.0
    )


def test_free_rotation_keeps_energy_and_momentum(make):
    made = spinning_box(make)
    energy = ledger.energy(made)
    momentum = ledger.angular_momentum(made)
    assert np.ptp(energy) < 1e-3 * energy[0]
    assert np.max(np.linalg.norm(momentum - momentum[0], axis=1)) < 1e-3 * np.linalg.norm(momentum[0])
    middle = craft_spin(made)[:, 1]
    assert np.min(middle) < -1.9 < 1.9 < np.max(middle), "spin about the middle axis must tumble"


def craft_spin(made):
    spins = made.columns("spin.x", "spin.y", "spin.z")
    attitudes = made.columns("rotation.w", "rotation.x", "rotation.y", "rotation.z")
    return np.array([rotations.rotation(q).T @ w for q, w in zip(attitudes, spins, strict=True)])


def test_free_rotation_follows_the_elliptic_solution(make):
    """Landau and Lifshitz, Mechanics, section 37: w2 = sqrt(..) sn(tau), for M2 > 2 E I2 or below."""
    made = spinning_box(make)
    i1, i2, i3 = 2.0, 3.0, 4.0
    w = craft_spin(made)
    energy2 = float(i1 * w[0, 0] ** 2 + i2 * w[0, 1] ** 2 + i3 * w[0, 2] ** 2)
    m2 = float((i1 * w[0, 0]) ** 2 + (i2 * w[0, 1]) ** 2 + (i3 * w[0, 2]) ** 2)
    assert m2 > energy2 * i2, "the case of the formula"
    rate = math.sqrt((i3 - i2) * (m2 - energy2 * i1) / (i1 * i2 * i3))
    k2 = (i2 - i1) * (energy2 * i3 - m2) / ((i3 - i2) * (m2 - energy2 * i1))
    top1 = math.sqrt((energy2 * i3 - m2) / (i1 * (i3 - i1)))
    top2 = math.sqrt((energy2 * i3 - m2) / (i2 * (i3 - i2)))
    top3 = math.sqrt((m2 - energy2 * i1) / (i3 * (i3 - i1)))
    # at t = 0 the spin is (0, max, least of w3): a quarter period into the solution
    shifted = ellipj(rate * made.t + ellipk(k2), k2)
    assert w[0, 0] == pytest.approx(0.0, abs=1e-9)
    error = np.abs(w[:, 1] - top2 * shifted[0])
    assert np.max(error[:600]) < 1e-3 * top2  # the first tumbles, before phase drift adds up
    assert np.max(np.abs(np.abs(w[:, 2]) - top3 * shifted[2])[:600]) < 1e-3 * top3
    assert np.max(np.abs(w[:, 0])) == pytest.approx(top1, rel=1e-2)


def test_explicit_euler_shows_what_goes_wrong_with_it(make):
    """It makes angular momentum out of nothing, and the ledger says how much."""
    made = spinning_box(make, ticks=60, integrator="explicit")
    momentum = np.linalg.norm(ledger.angular_momentum(made), axis=1)
    kept = np.linalg.norm(ledger.angular_momentum(spinning_box(make, ticks=60)), axis=1)
    assert np.ptp(momentum) > 0.05 * momentum[0]
    assert np.ptp(kept) < 1e-9 * kept[0]
    assert np.max(np.abs(made.line("integrator"))) > 0.0
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_sliding_stop_takes_v2_over_2_mu_g(make, planar):
    made = make.run(
        [Brake(id="brake", channel="brake", bite=0.3)], body=planar, seconds=8.0, speed=15.0, inputs={"brake": 1.0}
    )
    wanted = 15.0**2 / (2.0 * 0.3 * G)
    assert made.column("position.x")[-1] == pytest.approx(wanted, rel=1e-2)
    assert made.column("velocity.x")[-1] == 0.0, "it stands, and does not creep back"


def test_a_fast_ball_never_passes_a_thin_wall(make):
    wall = Wall(id="wall", x=7.3, length=20.0, width=0.1, heading_deg=90.0)
    for offset in np.linspace(0.0, 5.0, 23):
        body = {"mass": 1.0, "shape": "ball", "length": 0.1, "held": ("z",)}
        made = make.run(body=body, ground={"walls": (wall,)}, ticks=60, seconds=2.0, speed=300.0, x=-offset)
        assert np.max(made.column("position.x")) < 7.3


@pytest.mark.parametrize("bounce", [0.0, 0.25, 0.6, 1.0])
def test_a_bounce_returns_its_share_of_the_speed(make, bounce):
    wall = Wall(id="wall", x=10.0, length=50.0, width=1.0, heading_deg=90.0)
    body = {"mass": 50.0, "held": ("z", "roll", "pitch")}
    made = make.run(
        [Bumper(id="bumper", response="bounce", restitution=bounce, tangential_share=1.0)],
        body=body,
        ground={"walls": (wall,)},
        seconds=3.0,
        speed=6.0,
    )
    assert made.column("velocity.x")[-1] == pytest.approx(-6.0 * bounce, abs=1e-9)
    energy = ledger.energy(made)
    assert np.all(np.diff(energy) <= 1e-9 * energy[0]), "a wall never gives energy"


def test_a_bounce_off_the_centre_turns_and_gives_no_energy(make, yard):
    wall = Wall(id="wall", x=6.0, y=1.0, length=2.0, width=1.0, heading_deg=90.0)
    made = make.run(
        [Bumper(id="bumper", response="bounce", restitution=1.0, tangential_share=1.0, wall_friction=0.0)],
        body={"mass": 50.0, "held": ("z", "roll", "pitch")},
        ground={"walls": (wall,)},
        seconds=3.0,
        speed=6.0,
        heading_deg=8.0,
        yaw_rate_deg=20.0,
    )
    energy = ledger.energy(made)
    assert np.max(np.abs(np.diff(made.column("spin.z")))) > 0.1
    assert np.all(np.diff(energy) <= 1e-9 * energy[0])


@pytest.mark.parametrize("seed", range(6))
def test_random_scenes_of_walls_never_gain_energy(make, seed):
    random = np.random.default_rng(seed)
    walls = tuple(
        Wall(
            id=f"wall_{k}",
            x=float(random.uniform(-15, 15)),
            y=float(random.uniform(-15, 15)),
            heading_deg=float(random.uniform(0, 180)),
            length=float(random.uniform(1, 8)),
            width=float(random.uniform(0.2, 2)),
        )
        for k in range(12)
    )
    walls = tuple(wall for wall in walls if math.hypot(wall.x, wall.y) > 7.0)
    made = make.run(
        [
            Bumper(
                id="bumper",
                response="bounce",
                restitution=float(random.uniform(0, 1)),
                tangential_share=1.0,
                wall_friction=0.1,
            )
        ],
        body={"mass": 80.0, "held": ("z", "roll", "pitch"), "shape": "ball" if seed % 2 else "box", "length": 1.5},
        ground={"walls": walls, "edges": "wall", "length": 40.0, "width": 40.0},
        seconds=20.0,
        speed=14.0,
        heading_deg=float(random.uniform(-180, 180)),
        yaw_rate_deg=100.0,
    )
    energy = ledger.energy(made)
    assert moments.events(made), "something must be hit"
    assert np.all(np.diff(energy) <= 1e-9 * energy[0])
    assert max(ledger.ledger_gap(made)) < 1e-9
    assert np.max(np.abs(made.columns("position.x", "position.y"))) < 20.0


def test_the_reference_converges_on_the_closed_form(make, planar):
    parts = [Thruster(id="push", channel="throttle", thrust=400.0), AirDrag(id="air", front_area=2.0)]
    job = make.job(parts, body=planar, ticks=60, seconds=5.0, inputs={"throttle": 1.0})
    found = tickcheck.reference(job)
    assert found.settled
    speeds = found.told.columns[:, found.names.index("velocity.x")]
    t = np.arange(len(speeds)) * job.dt
    assert np.max(np.abs(speeds - tanh_solution(t))) < 5e-3
    plain = np.max(
        np.abs(
            make.run(parts, body=planar, ticks=60, seconds=5.0, inputs={"throttle": 1.0}).column("velocity.x")
            - tanh_solution(t)
        )
    )
    assert np.max(np.abs(speeds - tanh_solution(t))) < 0.1 * plain


def test_a_torque_spins_up_as_tau_over_inertia(make, planar):
    made = make.run([Torque(id="turn", channel="steer", turn=30.0)], body=planar, seconds=1.0, inputs={"steer": 1.0})
    inertia = made.job.craft.body.inertia()[2]
    assert made.column("spin.z")[-1] == pytest.approx(30.0 / inertia, rel=1e-12)
