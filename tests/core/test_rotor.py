"""Lift rotors against blade elements and momentum theory solved beside them, the measured ring, and statics."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import brentq

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.rotor import Rotor
from oak_sled.core.results import ledger, run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground

RHO = 1.225
SKY = Ground(id="sky", edges="open", air_density=RHO, floor=False, gravity=0.0)
STEADY = Body(mass=1e8, length=1.0, width=1.0, height=0.3, held=())
ROTOR = Rotor(id="rotor", channel="throttle", mixed=False, lag=0.0, inertia=0.0, z=0.0)


def flown(*parts, speed=0.0, climb=0.0, throttle=1.0, seconds=3.0, ticks=240, body=STEADY, ground=SKY, height=50.0):
    track = Track(channel="throttle", knots=(Knot(t=0.0, value=throttle),))
    start = Start(speed=speed, rise_speed=climb, height=height)
    drill = Drill(id="d", ground=ground.id, duration=seconds, start=start, tracks=(track,))
    channels = (Channel(id="throttle", rise=1e6, fall=1e6),)
    return run.execute(Job(Craft(id="craft", body=body, channels=channels, parts=parts), ground, drill, ticks))


def closure(rotor, climb, plane, share=1.0):
    """N: thrust where blade elements and the momentum after Glauert agree, found here by bracketing the inflow."""
    tip, disc = rotor.tip_speed * share, rotor.disc
    ahead = plane / tip

    def blades(induced):
        lift = rotor.pitch / 3.0 * (1.0 + 1.5 * ahead**2) - 0.5 * (induced + climb) / tip
        return RHO * disc * tip**2 * 0.5 * rotor.solidity * rotor.slope * lift

    def off(induced):
        return blades(induced) - 2.0 * RHO * disc * induced * math.hypot(plane, climb + induced)

    return blades(brentq(off, max(0.0, -climb), 60.0, xtol=1e-12))


def test_in_hover_it_lifts_what_is_declared():
    assert flown(ROTOR).line("rotor")[-1, 2] == pytest.approx(150.0, rel=1e-6)
    assert flown(ROTOR, throttle=0.5).line("rotor")[-1, 2] == pytest.approx(37.5, rel=1e-6), "the rate squared"
    by_pitch = ROTOR.replace(by="pitch")
    assert flown(by_pitch, throttle=0.5).line("rotor")[-1, 2] == pytest.approx(75.0, rel=1e-6)


@pytest.mark.parametrize("ticks", [60, 120, 480])
@pytest.mark.parametrize(("climb", "speed"), [(2.0, 0.0), (6.0, 0.0), (0.0, 8.0), (3.0, 15.0), (-1.0, 20.0)])
def test_climb_and_forward_flight_are_the_closure_of_blades_and_momentum(climb, speed, ticks):
    made = flown(ROTOR, climb=climb, speed=speed, ticks=ticks)
    assert made.line("rotor")[-1, 2] == pytest.approx(closure(ROTOR, climb, speed), rel=1e-6)


@pytest.mark.parametrize("over", [-0.3, -0.8, -1.4, -1.9])
def test_in_the_vortex_ring_its_inflow_is_the_measured_mean(over):
    """The flow that its thrust tells of, against the quartic of the book at the induced velocity of that thrust."""
    hover = ROTOR.induced(150.0)
    made = flown(ROTOR, climb=over * hover, seconds=6.0)
    thrust = float(made.line("rotor")[-1, 2])
    lift = 2.0 * thrust / (RHO * ROTOR.disc * ROTOR.tip_speed**2 * ROTOR.solidity * ROTOR.slope)
    induced = 2.0 * ROTOR.tip_speed * (ROTOR.pitch / 3.0 - lift) - over * hover
    unit = ROTOR.induced(thrust)
    x = over * hover / unit
    wanted = 1.0 - 1.125 * x - 1.372 * x**2 - 1.718 * x**3 - 0.655 * x**4
    assert induced / unit == pytest.approx(wanted, rel=5e-3)
    assert made.column("rotor.activity")[-1] > 0.3 or over > -0.5 or over < -1.8


def test_fast_flight_carries_the_ring_away():
    hover = ROTOR.induced(150.0)
    made = flown(ROTOR, climb=-0.8 * hover, speed=3.0 * hover)
    assert made.column("rotor.activity")[-1] == 0.0


def test_its_torque_in_hover_is_its_power_over_its_rate_against_its_turn():
    power = 1.15 * 150.0 * math.sqrt(150.0 / (2.0 * RHO * ROTOR.disc))
    power += 0.125 * ROTOR.solidity * ROTOR.profile * RHO * ROTOR.disc * ROTOR.tip_speed**3
    made = flown(ROTOR)
    assert made.line("rotor")[-1, 5] == pytest.approx(-power / (math.tau * ROTOR.rate), rel=1e-6)
    right = flown(ROTOR.replace(turns="right"))
    assert right.line("rotor")[-1, 5] == pytest.approx(power / (math.tau * ROTOR.rate), rel=1e-6)


@pytest.mark.parametrize("height", [0.3, 0.5, 0.9])
def test_over_the_ground_it_lifts_more_by_less_inflow(height):
    lake = Ground(id="lake", edges="open", air_density=RHO, gravity=0.0, length=100.0, width=100.0)
    low = ROTOR.replace(ground_effect=True, z=1.0)
    made = flown(low, ground=lake, height=height - 1.0 + 0.15 + 1.0, body=STEADY)
    above = float(made.column("position.z")[-1]) + 1.0
    share = 1.0 - (0.5 * ROTOR.diameter / (4.0 * above)) ** 2
    tip, disc = ROTOR.tip_speed, ROTOR.disc

    def off(induced):
        lift = ROTOR.pitch / 3.0 - 0.5 * share * induced / tip
        thrust = 0.5 * ROTOR.solidity * ROTOR.slope * lift * RHO * disc * tip**2
        return thrust - 2.0 * RHO * disc * induced**2

    wanted = 2.0 * RHO * disc * brentq(off, 0.0, 60.0) ** 2
    reach = 1.5 * ROTOR.diameter
    wanted = wanted if above < reach else 150.0
    assert made.line("rotor")[-1, 2] == pytest.approx(wanted, rel=1e-5)


def test_it_carries_a_craft_by_statics():
    """A hover that a height holder keeps: its thrust is the weight."""
    from oak_sled.core.parts.holders.height import HeightHolder
    from oak_sled.core.parts.holders.mixer import Mixer

    camp = SKY.replace(gravity=9.81)
    body = STEADY.replace(mass=8.0)
    parts = (
        HeightHolder(id="height", acts="mixer", frequency=0.5, integral=0.5),
        Mixer(id="mixer"),
        ROTOR.replace(mixed=True, channel="", x=0.0, y=0.0, solidity=0.1),
    )
    made = flown(*parts, body=body, ground=camp, seconds=40.0)
    assert made.line("rotor")[-1, 2] == pytest.approx(8.0 * 9.81, rel=1e-6)
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_spinning_up_turns_the_craft_the_other_way():
    airless = SKY.replace(air_density=0.0)
    body = STEADY.replace(mass=10.0)
    made = flown(ROTOR.replace(lag=0.3, inertia=0.02), ground=airless, body=body, throttle=0.0, seconds=0.1)
    assert not made.line("rotor").any()
    track = Track(channel="throttle", knots=(Knot(t=0.5, value=1.0),))
    craft = made.job.craft
    drill = made.job.drill.replace(tracks=(track,), duration=3.0)
    spun = run.execute(Job(craft, airless, drill, 480))
    rate = math.tau * ROTOR.rate * (1.0 - math.exp(-(3.0 - 0.5) / 0.3))
    assert spun.column("spin.z")[-1] * body.inertia()[2] == pytest.approx(-0.02 * rate, rel=1e-3)


def test_flow_in_its_plane_drags_it():
    made = flown(ROTOR, speed=12.0)
    ahead = 12.0 / ROTOR.tip_speed
    wanted = 0.25 * ROTOR.solidity * ROTOR.profile * ahead * RHO * ROTOR.disc * ROTOR.tip_speed**2
    assert made.line("rotor")[-1, 0] == pytest.approx(-wanted, rel=1e-6)


def test_a_rotor_that_stands_in_a_storm_stays_a_number():
    made = flown(ROTOR, throttle=0.0, speed=60.0, body=STEADY.replace(mass=5.0), seconds=2.0)
    assert not made.message
    assert np.isfinite(made.line("rotor")).all()
