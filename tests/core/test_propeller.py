"""Propellers against momentum theory and the angular momentum of craft and rotor; wings in their wash and downwash."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.jet import Jet
from oak_sled.core.parts.propeller import Propeller
from oak_sled.core.parts.speedcurve import SpeedKnot
from oak_sled.core.parts.wing import Wing
from oak_sled.core.results import ledger, run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground

RHO = 1.225
SKY = Ground(id="sky", edges="open", air_density=RHO, floor=False, gravity=0.0)
BODY = Body(mass=400.0, length=3.0, width=1.0, height=0.8, held=())
PLAIN = {"dihedral_deg": 0.0, "zero_lift_deg": 0.0, "moment": 0.0, "x": 0.0, "z": 0.0}
AIRSCREW = Propeller(id="airscrew", channel="throttle", lag=0.0, x=0.0, inertia=0.0)


def flown(*parts, speed=0.0, ground=SKY, seconds=0.1, ticks=1000, throttle=1.0, body=BODY, **start):
    channels = (Channel(id="throttle", rise=1e6, fall=1e6),)
    track = Track(channel="throttle", knots=(Knot(t=0.0, value=throttle),))
    drill = Drill(
        id="d", ground="sky", duration=seconds, start=Start(speed=speed, height=50.0, **start), tracks=(track,)
    )
    return run.execute(Job(Craft(id="craft", body=body, channels=channels, parts=parts), ground, drill, ticks))


def test_it_pulls_its_static_thrust_at_rest_and_nothing_at_its_pitch_speed():
    assert flown(AIRSCREW).line("airscrew")[1, 0] == pytest.approx(2500.0, rel=1e-9)
    assert flown(AIRSCREW, speed=55.0).line("airscrew")[1, 0] == pytest.approx(0.0, abs=1e-6)
    assert flown(AIRSCREW, speed=22.0).line("airscrew")[1, 0] == pytest.approx(2500.0 * 0.6, rel=1e-9)
    assert flown(AIRSCREW, speed=60.0).line("airscrew")[1, 0] < 0.0, "it brakes"


def test_half_the_rate_gives_a_quarter_of_the_thrust_and_thin_air_less():
    assert flown(AIRSCREW, throttle=0.5).line("airscrew")[1, 0] == pytest.approx(625.0, rel=1e-9)
    thin = flown(AIRSCREW, ground=SKY.replace(air_density=0.5 * RHO))
    assert thin.line("airscrew")[1, 0] == pytest.approx(1250.0, rel=1e-9)


@pytest.mark.parametrize("throttle", [1.0, 0.5])
def test_drawn_its_thrust_follows_the_curve_over_the_airspeed_at_full_rate(throttle):
    knots = tuple(SpeedKnot(speed=x, share=y) for x, y in ((0.0, 0.8), (16.0, 0.9), (40.0, 0.5), (64.0, 0.0)))
    screw = AIRSCREW.replace(drawn=True, curve=knots, curve_straight=True, pitch_speed=60.0)
    for speed in (0.0, 7.0, 20.0, 33.0, 59.0, 80.0):
        share = np.interp(speed, [0.0, 16.0, 40.0, 64.0], [0.8, 0.9, 0.5, 0.0])
        line = flown(screw, speed=throttle * speed, throttle=throttle).line("airscrew")[1]
        push = 2500.0 * throttle**2 * share
        assert line[0] == pytest.approx(push, rel=1e-9, abs=1e-9)
        assert screw.thrust_at(speed, RHO) == pytest.approx(2500.0 * share, rel=1e-9, abs=1e-9)
        power = -line[3] * math.tau * 40.0 * throttle
        assert power >= line[0] * throttle * speed * (1.0 - 1e-9), "it gives no more than it takes"


def test_a_drawn_line_is_the_straight_line_and_knots_out_of_order_are_refused():
    for speed in (0.0, 10.0, 40.0):
        line, drawn = (flown(one, speed=speed).line("airscrew")[1] for one in (AIRSCREW, AIRSCREW.replace(drawn=True)))
        assert drawn == pytest.approx(line, rel=1e-9, abs=1e-9)
    with pytest.raises(ValueError, match="must rise"):
        AIRSCREW.replace(curve=(SpeedKnot(speed=10.0), SpeedKnot(speed=0.0)))


@pytest.mark.parametrize("made_of", [AIRSCREW.replace(drawn=True), Jet(id="airscrew", channel="throttle")])
def test_the_stretch_of_the_curve_that_was_read_is_the_airspeed_along_its_own_way(made_of):
    windy = SKY.replace(wind_speed=5.0, wind_to_deg=180.0)
    (field,) = made_of.curves()
    ahead = flown(made_of.replace(thrust=0.0), speed=20.0, ground=windy)
    assert made_of.curve_reads(field, ahead, ())[2] == pytest.approx(25.0, rel=1e-6)
    up = made_of.replace(elevation_deg=90.0, thrust=0.0)
    assert up.curve_reads(field, flown(up, speed=20.0, rise_speed=8.0), ())[2] == pytest.approx(8.0, rel=1e-6)


def test_off_centre_a_jet_of_a_craft_that_turns_reads_the_air_where_it_is():
    falls = (SpeedKnot(speed=0.0, share=1.0), SpeedKnot(speed=64.0, share=0.0))
    jet = Jet(id="airscrew", channel="throttle", curve=falls, spools_up=0.0, thrust=1000.0, x=0.0, y=2.0)
    made = flown(jet, speed=32.0, yaw_rate_deg=-180.0)
    air = 32.0 + math.pi * 2.0
    assert made.line("airscrew")[1, 0] == pytest.approx(1000.0 * (1.0 - air / 64.0), rel=1e-6)


def test_its_torque_at_rest_is_the_power_of_momentum_theory_over_its_merit():
    made = flown(AIRSCREW)
    power = math.sqrt(2500.0**3 / (2.0 * RHO * math.pi * 0.9**2)) / 0.65
    assert made.line("airscrew")[1, 3] == pytest.approx(-power / (math.tau * 40.0), rel=1e-9)
    left = flown(AIRSCREW.replace(turns="left"))
    assert left.line("airscrew")[1, 3] == pytest.approx(power / (math.tau * 40.0), rel=1e-9)


def test_spinning_up_in_no_air_keeps_the_angular_momentum_of_craft_and_rotor():
    made = flown(AIRSCREW.replace(lag=0.5, inertia=0.8), ground=SKY.replace(air_density=0.0), seconds=2.0)
    turned = made.column("spin.x")
    rate = 40.0 * math.tau * (1.0 - np.exp(-np.arange(made.ticks + 1) / 1000.0 / 0.5))
    assert BODY.inertia()[0] * turned[1:] + 0.8 * rate[1:] == pytest.approx(np.zeros(made.ticks), abs=1e-6)
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_it_answers_a_turn_as_a_gyroscope():
    """Turned to the left, a rotor that turns to the right raises the nose: M = -w x (I w_r axis)."""
    made = flown(AIRSCREW.replace(inertia=0.8), ground=SKY.replace(air_density=0.0), yaw_rate_deg=30.0)
    line = made.line("airscrew")[2]
    assert line[4] == pytest.approx(-0.8 * math.tau * 40.0 * math.radians(30.0), rel=2e-2)


def test_the_wash_is_that_of_momentum_theory_and_lifts_a_wing_at_rest():
    wing = Wing(id="wing", area=2.0, span=2.0, incidence_deg=4.0, wash_of="airscrew", wash_share=1.0, **PLAIN)
    made = flown(AIRSCREW, wing)
    wash = math.sqrt(2.0 * 2500.0 / (RHO * math.pi * 0.9**2))
    lift = wing.polar().lift(math.radians(4.0))
    assert made.line("wing")[2, 2] == pytest.approx(0.5 * RHO * wash**2 * 2.0 * lift, rel=1e-2)
    assert abs(flown(AIRSCREW, wing.replace(wash_of="")).line("wing")[2, 2]) < 1e-2


def test_downwash_turns_the_air_of_a_tail_by_twice_the_induced_angle():
    wing = Wing(id="wing", area=9.0, span=9.0, incidence_deg=6.0, **PLAIN)
    tail = Wing(id="tail", area=2.0, span=3.0, incidence_deg=0.0, behind="wing", downwash=1.0, **PLAIN)
    heavy = BODY.replace(mass=1e6)
    made = flown(wing, tail, speed=25.0, body=heavy)
    sinks = 2.0 * wing.polar().lift(math.radians(6.0)) / (math.pi * 0.85 * 9.0)
    wanted = -0.5 * RHO * 25.0**2 * 2.0 * tail.polar().slope * sinks
    assert made.line("tail")[5, 2] == pytest.approx(wanted, rel=1e-2)
    assert abs(flown(wing, tail.replace(behind=""), speed=25.0, body=heavy).line("tail")[5, 2]) < 1.0
