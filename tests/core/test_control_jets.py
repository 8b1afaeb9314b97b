"""Control jets: their pulses follow what is asked, their limit cycle is bounded, and the mixer makes six commands."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.advice import cautions, outlook
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.compiler import plain
from oak_sled.core.kernel.state import MIXING
from oak_sled.core.parts import controljet
from oak_sled.core.parts.controljet import ControlJet
from oak_sled.core.parts.holders import authority, mixing
from oak_sled.core.parts.holders.attitude import AttitudeHolder
from oak_sled.core.parts.holders.mixer import Mixer
from oak_sled.core.parts.tank import Tank
from oak_sled.core.results import run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground

SPACE = Ground(id="space", gravity=0.0, air_density=0.0, floor=False)
BODY = Body(mass=500.0, length=2.0, width=2.0, height=2.0, damping=0.0, spin_damping=0.0)
AXES = ("ahead", "left", "lift", "roll", "pitch", "yaw")


def pod(*parts, body=BODY) -> Craft:
    channels = tuple(Channel(id=name, rise=1e6, fall=1e6) for name in AXES)
    return Craft(
        id="pod", body=body, channels=channels, parts=tuple(sorted(parts, key=lambda part: part.STAGE))
    )  # fmt: skip


def twelve(**more) -> list[ControlJet]:
    """Two jets each way along every axis, a metre off its line, so that in pairs they push or turn."""
    found = []
    for axis, (azimuth, elevation) in enumerate(((0.0, 0.0), (90.0, 0.0), (0.0, 90.0))):
        for sign in (1.0, -1.0):
            for side in (1.0, -1.0):
                at = [0.0, 0.0, 0.0]
                at[(axis + 1) % 3] = side
                turned = {
                    "azimuth_deg": azimuth if sign > 0.0 or axis == 2 else azimuth - 180.0,
                    "elevation_deg": sign * elevation,
                }
                name = f"{'xyz'[axis]}{'p' if sign > 0 else 'm'}{'l' if side > 0 else 'r'}"
                fields = turned | {"x": at[0], "y": at[1], "z": at[2]} | more
                found.append(ControlJet(id=name, **fields))
    return found


def flown(*parts, seconds=1.0, ticks=120, told=(), body=BODY, **start) -> run.Run:
    tracks = tuple(Track(channel=name, knots=(Knot(t=0.0, value=value),)) for name, value in told)
    drill = Drill(id="d", duration=seconds, start=Start(**start), tracks=tracks)
    return run.execute(Job(pod(*parts, body=body), SPACE, drill, ticks))


@pytest.mark.parametrize("ticks", [30, 60, 120, 240, 480])
@pytest.mark.parametrize("wanted", [0.06, 0.2, 0.5, 0.83, 1.0])
def test_pulses_give_what_is_asked_on_the_mean_at_any_tick_rate(ticks, wanted):
    """To half of a shortest pulse at any moment, in which no pulse is shorter than it may be."""
    jet = ControlJet(id="jet", channel="ahead", mixed=False, thrust=100.0, least_on=0.05)
    made = flown(jet, seconds=4.0, ticks=ticks, told=[("ahead", wanted)])
    share = made.column("jet.force.x")[1:] / 100.0
    given, asked = np.cumsum(share) / ticks, wanted * np.arange(1, len(share) + 1) / ticks
    assert np.abs(given - asked).max() <= 0.5 * 0.05 + 1.0 / ticks + 1e-12
    assert all(seconds >= 0.05 - 1e-9 for seconds in pulses(share, ticks)), "none is shorter"
    assert made.column("velocity.x")[-1] == pytest.approx(given[-1] * 100.0 / 500.0, rel=1e-9)


def pulses(share: np.ndarray, ticks: int) -> list[float]:
    """s of every pulse that has come to its end: a tick that is open to its end goes on in the next."""
    found, on = [], 0.0
    for one in share:
        on += one / ticks
        if one < 1.0 - 1e-12 and on > 0.0:
            found.append(on)
            on = 0.0
    return found


def test_below_the_dead_band_it_stays_shut_and_throttled_it_gives_any_share():
    shut = flown(ControlJet(id="jet", channel="ahead", mixed=False, dead_band=0.1), told=[("ahead", 0.09)])
    assert not np.any(shut.column("jet.force.x"))
    half = flown(
        ControlJet(id="jet", channel="ahead", mixed=False, works="throttled", thrust=80.0), told=[("ahead", 0.35)]
    )
    assert np.allclose(half.column("jet.force.x")[1:], 28.0)


@pytest.mark.parametrize("ticks", [60, 240])
def test_its_thrust_follows_its_valve_as_a_first_order_lag(ticks):
    jet = ControlJet(id="jet", channel="ahead", mixed=False, works="throttled", thrust=100.0, lag=0.2, dead_band=0.0)
    made = flown(jet, ticks=ticks, told=[("ahead", 1.0)])
    after = np.arange(1, ticks + 1) / ticks
    assert np.allclose(made.column("jet.force.x")[1:], 100.0 * (1.0 - np.exp(-after / 0.2)), rtol=1e-12)


def test_fuel_leaves_by_the_rocket_equation_and_empty_is_empty():
    jet = ControlJet(
        id="jet", channel="ahead", mixed=False, works="throttled", thrust=200.0, exhaust=1000.0, dead_band=0.0
    )
    made = flown(jet, Tank(id="tank", fuel=4.0), seconds=30.0, told=[("ahead", 1.0)])
    push = made.column("jet.force.x")
    assert np.sum(push) / 120.0 == pytest.approx(4.0 * 1000.0, rel=0.01), "all of it, at the exhaust speed"
    assert push[-1] == 0.0
    speed = 1000.0 * math.log((BODY.true_mass() + 4.0) / BODY.true_mass())
    assert made.column("velocity.x")[-1] == pytest.approx(speed, rel=0.01)


@pytest.mark.parametrize("axis", AXES)
@pytest.mark.parametrize("sign", [1.0, -1.0])
def test_each_of_six_commands_moves_its_own_axis_alone(axis, sign):
    mixer = Mixer(id="mixer", share=0.4, **{f"{name}_channel": name for name in AXES})
    jets = twelve(works="throttled", dead_band=0.0)
    made = flown(*jets, mixer, seconds=0.1, told=[(axis, sign)])
    force = sum(made.columns(*(f"{jet.id}.force.{one}" for one in "xyz"))[1] for jet in jets)
    torque = sum(made.columns(*(f"{jet.id}.torque.{one}" for one in "xyz"))[1] for jet in jets)
    found = np.concatenate([force, torque])
    number = AXES.index(axis)
    ways = sign * (-1.0 if axis == "pitch" else 1.0)  # nose up is against the axis to the left
    assert found[number] * ways > 10.0
    assert np.abs(np.delete(found, number)).max() < 1e-6


@pytest.mark.parametrize("ticks", [60, 120, 240])
def test_the_limit_cycle_of_an_attitude_is_bounded_and_is_what_its_outlook_says(ticks):
    """Pulses give no rate between two steps, so that an attitude swings about what is held, for ever and no more."""
    holder = AttitudeHolder(id="hold", roll="level", pitch="level", yaw="heading", acts="mixer", frequency=0.2)
    made = flown(*twelve(thrust=40.0, least_on=0.05), Mixer(id="mixer"), holder, seconds=240.0, ticks=ticks,
                 yaw_rate_deg=1.0, roll_rate_deg=-0.6, pitch_rate_deg=0.8)  # fmt: skip
    quiet = made.at(120.0)
    turned = 2.0 * np.degrees(np.arcsin(np.linalg.norm(made.columns("rotation.x", "rotation.y"), axis=1)))
    assert turned[quiet:].max() < 2.0
    assert turned[quiet:].max() <= 1.2 * turned[quiet : made.at(180.0)].max(), "it does not grow"
    setting = outlook.setting_of(made.job.craft, SPACE, ticks)
    swing = holder.limit_cycle(setting)
    assert swing is not None
    heading = np.degrees(2.0 * np.arcsin(made.column("rotation.z")))
    for found in (turned[quiet:].max() / 2.0**0.5, np.ptp(heading[quiet:]) / 2.0):
        assert found <= 1.5 * math.degrees(swing.angle)
    jets = [made.column(f"{part.id}.activity")[quiet:] for part in made.job.craft.parts if part.kind == "control_jet"]
    flow = sum(float(one.mean()) for one in jets) * 40.0 / controljet.USUAL_EXHAUST
    assert 0.2 * swing.burns < flow < 1.5 * swing.burns, "the order of what it says"


def test_python_and_machine_code_pulse_alike():
    made = []
    for python in (False, True):
        memory = np.zeros(8)
        wanted = np.random.default_rng(3).random(60) ** 2
        if python:
            with plain.python():
                made.append([controljet.pulse(memory, float(one), 0.03, 1.0 / 60.0) for one in wanted])
        else:
            made.append([controljet.pulse(memory, float(one), 0.03, 1.0 / 60.0) for one in wanted])
    assert made[0] == made[1]
    assert 0.0 < sum(made[0]) < 60.0


def test_jets_on_one_side_are_told_with_what_they_do_beside_it():
    """All of them push ahead, left of the centre: nothing pushes back, and ahead turns the nose."""
    jets = [ControlJet(id=f"j{k}", thrust=20.0, y=0.5 + 0.1 * k) for k in range(3)]
    craft = pod(*jets, Mixer(id="mixer", ahead_channel="ahead"))
    made = run.execute(Job(craft, SPACE, Drill(id="d", duration=0.2), 120))
    found = [one for one in cautions.find(made.job, made) if one.name == "no_pure_push"]
    assert len(found) == 1
    assert "no pure push ahead: " in found[0].says
    assert "turns the nose" in found[0].says
    whole = run.execute(Job(pod(*twelve(), Mixer(id="mixer", ahead_channel="ahead")), SPACE, made.job.drill, 120))
    assert "no_pure_push" not in [one.name for one in cautions.find(whole.job, whole)]
    setting = outlook.setting_of(craft, SPACE, 120)
    assert any("of it turns the nose" in line for line in craft.parts[0].outlook(setting))


@pytest.mark.parametrize("axis", range(6))
@pytest.mark.parametrize("sign", [1, -1])
def test_pure_commands_are_those_that_the_mixer_makes_at_most(axis, sign):
    """The authority by linear programming, against the solver of the tick asked for as much and for a little more."""
    found = [(1.0, one) for jet in twelve() for one in jet.actuators()]
    known = next(one for one in authority.commands(found, (0.0, 0.0, 0.0)) if (one.axis, one.sign) == (axis, sign))
    columns = np.array([one.about((0.0, 0.0, 0.0)) for _, one in found])
    scaled = columns / np.abs(columns).sum(axis=0)
    room = np.zeros(1, MIXING)
    room[0]["columns"][:12], room[0]["high"][:12], room[0]["cost"][:12] = scaled, 1.0, 1.0
    mixing.square(room[0], 12)
    for share, met in ((1.0 - 1e-9, True), (1.01, False)):
        demand = np.zeros(6)
        demand[axis] = sign * share * known.pure / np.abs(columns).sum(axis=0)[axis]
        mixing.solve_exactly(room[0], 12, tuple(demand.tolist()))
        left = np.abs(scaled.T @ room[0]["value"][:12] - demand).max()
        assert (left < 1e-9) == met
