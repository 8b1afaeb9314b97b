"""Lifting gas and the air that moves along, jets, and fuel that burns, against their closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.advice import cautions, outlook
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.parts.gas import Gas, added_shares
from oak_sled.core.parts.jet import Jet
from oak_sled.core.parts.speedcurve import SpeedKnot
from oak_sled.core.parts.tank import Tank
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.results import ledger, run
from oak_sled.core.results.record import Layout
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground

RHO = 1.2
AIR = Ground(id="sky", edges="open", air_density=RHO, floor=False, gravity=0.0)
BODY = Body(mass=1000.0, length=6.0, width=2.0, height=2.0, held=(), damping=0.0, spin_damping=0.0)


def flown(*parts, ground=AIR, body=BODY, seconds=2.0, ticks=240, throttle=((0.0, 1.0),), events=(), **start):
    channels = (Channel(id="throttle", rise=1e6, fall=1e6),)
    made = Craft(id="craft", body=body, channels=channels, parts=tuple(sorted(parts, key=lambda one: one.STAGE)))
    track = Track(channel="throttle", knots=tuple(Knot(t=t, value=value) for t, value in throttle))
    drill = Drill(id="d", ground="sky", duration=seconds, start=Start(**{"height": 200.0, **start}), tracks=(track,),
                  events=events)  # fmt: skip
    return run.execute(Job(made, ground, drill, ticks))


# gas


def test_shares_of_an_ellipsoid_are_those_of_the_book():
    """Lamb's table: a ball 1/2; at 2 to 1 0.209 and 0.702; at 5 to 1 0.059 and 0.895."""
    assert added_shares(1.0) == (0.5, 0.5)
    assert added_shares(1.001) == pytest.approx((0.5, 0.5), abs=1e-3)
    assert added_shares(2.0) == pytest.approx((0.209, 0.702), abs=3e-3)
    assert added_shares(5.0) == pytest.approx((0.059, 0.895), abs=2e-3)


def test_it_lifts_by_the_air_it_pushes_aside_less_its_own_weight():
    pulled = AIR.replace(gravity=9.81)
    made = flown(Gas(id="gas", volume=500.0, gas_density=0.18, moves_air=False, z=0.0), ground=pulled)
    assert made.line("gas")[1, 2] == pytest.approx(500.0 * (RHO - 0.18) * 9.81, rel=1e-12)
    light = flown(Gas(id="gas", volume=1000.0 / (RHO - 0.18), z=0.0), ground=pulled, seconds=5.0)
    assert light.column("velocity.z")[-1] == pytest.approx(0.0, abs=1e-9), "it floats"


@pytest.mark.parametrize("way", ["ahead", "across"])
def test_what_accelerates_it_moves_the_air_along(way):
    gas = Gas(id="gas", volume=800.0, slender=4.0, z=0.0)
    push = Thruster(id="push", thrust=500.0, azimuth_deg=0.0 if way == "ahead" else 90.0, channel="throttle")
    made = flown(push, gas, seconds=1.0, body=BODY.replace(held=("roll", "pitch", "yaw")))
    share = added_shares(4.0)[0 if way == "ahead" else 1]
    speed = made.column("velocity.x" if way == "ahead" else "velocity.y")
    assert speed[-1] == pytest.approx(500.0 / (1000.0 + share * RHO * 800.0), rel=1e-9)
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_slanting_flow_turns_it_across():
    """The moment of Munk: (k across - k ahead) rho V u w, toward lying across."""
    gas = Gas(id="gas", volume=800.0, slender=4.0, z=0.0)
    made = flown(gas, seconds=0.1, speed=10.0, rise_speed=1.0)
    ahead, across = added_shares(4.0)
    moment = (across - ahead) * RHO * 800.0 * 10.0 * 1.0
    own = BODY.inertia()[1]
    left = moment * own / (own + RHO * 800.0 * gas.turning())  # the air that turns along takes the rest
    assert made.line("gas")[1, 4] == pytest.approx(left, rel=1e-9)


def test_the_air_that_turns_along_with_a_slender_hull_is_that_of_the_book():
    """Lamb's k' at 2 to 1 is 0.240, at 5 to 1 0.701; a ball turns no air."""
    for slender, wanted in ((2.0, 0.240), (5.0, 0.701)):
        gas = Gas(id="gas", volume=100.0, slender=slender)
        b = 0.5 * (600.0 / (math.pi * slender)) ** (1.0 / 3.0)
        assert gas.turning() == pytest.approx(wanted * (1.0 + slender**2) * b * b / 5.0, rel=5e-3)
    assert Gas(id="gas", slender=1.0).turning() == 0.0


def test_a_hull_that_coasts_and_tumbles_keeps_the_energy_of_itself_and_of_the_air():
    """But for what a tick adds, which goes with its length: 0.5 % a second at 120 ticks/s."""
    found = {ticks: growth(ticks) for ticks in (120, 480)}
    assert found[120] < 0.12
    assert found[120] / found[480] == pytest.approx(4.0, rel=0.1)


def growth(ticks):
    """The share by which the energy of a hull and its air grows in 20 s of tumbling."""
    gas = Gas(id="gas", volume=600.0, slender=3.0, z=0.0)
    made = flown(gas, seconds=20.0, speed=6.0, side_speed=2.0, rise_speed=-1.0, yaw_rate_deg=4.0, ticks=ticks)
    k = np.array([added_shares(3.0)[0], *[added_shares(3.0)[1]] * 2]) * RHO * 600.0
    turns = [made.column(f"rotation.{name}") for name in "wxyz"]
    w, x, y, z = turns
    axes = np.empty((len(w), 3, 3))
    axes[:, :, 0] = np.stack([1 - 2 * (y * y + z * z), 2 * (x * y + w * z), 2 * (x * z - w * y)], axis=1)
    axes[:, :, 1] = np.stack([2 * (x * y - w * z), 1 - 2 * (x * x + z * z), 2 * (y * z + w * x)], axis=1)
    axes[:, :, 2] = np.stack([2 * (x * z + w * y), 2 * (y * z - w * x), 1 - 2 * (x * x + y * y)], axis=1)
    own = np.einsum("nji,nj->ni", axes, made.columns("velocity.x", "velocity.y", "velocity.z"))
    spin = np.einsum("nji,nj->ni", axes, made.columns("spin.x", "spin.y", "spin.z"))
    turning = RHO * 600.0 * gas.turning() * np.array([0.0, 1.0, 1.0])
    energy = ledger.energy(made) + 0.5 * np.sum(k * own**2 + turning * spin**2, axis=1)
    assert np.ptp(own[:, 0]) > 1.0, "it does turn across"
    return float(np.ptp(energy) / energy[0])


# jets


def test_a_jet_spools_up_as_a_lag_and_down_at_its_own_pace():
    jet = Jet(id="jet", channel="throttle", thrust=1000.0, idle_share=0.1, spools_up=0.5, spools_down=1.0, x=0.0)
    air = AIR.replace(air_density=1.225)
    made = flown(jet, ground=air, body=BODY.replace(mass=1e7), throttle=((0.0, 1.0), (2.0, 0.0)), seconds=4.0)
    force = made.line("jet")[:, 0]
    up = 1000.0 * (1.0 - 0.9 * math.exp(-2.0 / 0.5))
    assert force[made.at(2.0)] == pytest.approx(up, rel=1e-6)
    assert force[made.at(4.0)] == pytest.approx(100.0 + (up - 100.0) * math.exp(-2.0 / 1.0), rel=2e-3)


def test_its_thrust_follows_airspeed_and_the_density_of_the_air_or_does_not_as_a_rocket():
    knots = (SpeedKnot(speed=0.0, share=1.0), SpeedKnot(speed=100.0, share=0.5))
    jet = Jet(id="jet", thrust=1000.0, spools_up=0.0, idle_share=0.0, curve=knots, curve_straight=True, x=0.0)
    heavy = BODY.replace(mass=1e7)
    thin = AIR.replace(air_density=0.6125)
    assert flown(jet, ground=thin, body=heavy, seconds=0.1).line("jet")[2, 0] == pytest.approx(500.0, rel=1e-6)
    fast = flown(jet, ground=AIR.replace(air_density=1.225), body=heavy, seconds=0.1, speed=50.0)
    assert fast.line("jet")[2, 0] == pytest.approx(750.0, rel=1e-3)
    rocket = jet.replace(breathes=False, curve=knots[:1])
    assert flown(rocket, ground=AIR.replace(air_density=0.0), seconds=0.1).line("jet")[2, 0] == pytest.approx(1000.0)


# fuel


ROCKET = Jet(id="rocket", channel="throttle", thrust=9000.0, breathes=False, spools_up=0.0, spools_down=0.0,
             idle_share=0.0, exhaust=3000.0, x=0.0)  # fmt: skip
TANK = Tank(id="tank", fuel=600.0, x=0.0, z=0.0)
VACUUM = AIR.replace(air_density=0.0)


@pytest.mark.parametrize("ticks", [60, 240])
def test_burning_all_of_it_gives_the_change_of_speed_of_the_rocket_equation(ticks):
    made = flown(ROCKET, TANK, ground=VACUUM, seconds=210.0, ticks=ticks)
    wanted = 3000.0 * math.log(1600.0 / 1000.0)
    assert made.column("velocity.x")[-1] == pytest.approx(wanted, rel=1e-3)
    force = made.line("rocket")[:, 0]
    assert force[made.at(199.0)] == pytest.approx(9000.0, rel=1e-6)
    assert not force[made.at(201.0) :].any(), "empty is empty"
    assert made.column("tank.activity")[-1] == 1.0
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_what_burns_off_centre_takes_its_spin_along_and_does_not_spin_the_craft_up():
    """Momentum and angular momentum of craft and fuel together only leave with the fuel: the spin stays."""
    side = TANK.replace(x=0.0, y=2.0)
    other = TANK.replace(id="other", x=0.0, y=-2.0)
    through = ROCKET.replace(exhaust=300.0, thrust=3000.0)
    made = flown(through, side, other, ground=VACUUM, seconds=60.0, yaw_rate_deg=30.0, ticks=240)
    spin = made.column("spin.z")
    assert spin[-1] == pytest.approx(math.radians(30.0), rel=2e-3)
    assert made.column("other.activity")[-1] > 0.4


def test_two_tanks_give_by_what_they_hold_and_are_empty_at_once():
    small = TANK.replace(id="small", fuel=100.0, x=1.0)
    made = flown(ROCKET, TANK, small, ground=VACUUM, seconds=100.0, ticks=60)
    big, little = made.column("tank.activity"), made.column("small.activity")
    assert little[-1] == pytest.approx(big[-1], rel=1e-6)
    assert big[-1] == pytest.approx(3.0 * 100.0 / 700.0, rel=2e-3)


def test_a_failed_jet_burns_nothing_more():
    lost = (Event(id="loss", what="fail", target="rocket", t=10.0),)
    made = flown(ROCKET, TANK, ground=VACUUM, seconds=20.0, ticks=60, events=lost)
    burnt = made.column("tank.activity")
    assert burnt[made.at(10.5)] == burnt[-1] > 0.0


def test_fuel_goes_on_from_a_saved_state_to_the_bit():
    made = flown(ROCKET, TANK, ground=VACUUM, seconds=2.0)
    job = made.job
    width, inputs = Layout.of(job).width, np.ones((120, 1))
    machine, other = Machine.of(job), Machine.of(job)
    first, rest, again = (np.zeros((120, width)) for _ in range(3))
    machine.advance(inputs, first)
    state = machine.save()
    machine.advance(inputs, rest)
    other.load(state)
    other.advance(inputs, again)
    assert rest.tobytes() == again.tobytes()


def test_outlooks_tell_fuel_and_lift():
    setting = outlook.setting_of(Craft(id="c", body=BODY, parts=(ROCKET.replace(channel=""), TANK)), VACUUM, 240)
    assert setting.fuel == 600.0
    words = " ".join(ROCKET.outlook(setting))
    assert "1410" in words.replace("\u2009", "") or "1.41" in words
    assert "200" in " ".join(TANK.outlook(setting))


CASES = {
    "no_fuel": (ROCKET,),
    "nothing_to_breathe": (Jet(id="jet", channel="throttle"),),
    "nothing_burns_it": (TANK,),
}


@pytest.mark.parametrize("name", CASES)
def test_what_cannot_work_is_said(name):
    craft = Craft(id="craft", body=BODY, channels=(Channel(id="throttle"),), parts=CASES[name])
    found = cautions.find(Job(craft, VACUUM, Drill(id="d", ground="sky"), 120))
    assert name in {one.name for one in found}


def test_gas_no_lighter_than_the_air_is_said():
    craft = Craft(id="craft", body=BODY, parts=(Gas(id="gas", gas_density=1.3),))
    assert "no_lift_of_gas" in {one.name for one in cautions.find(Job(craft, AIR, Drill(id="d", ground="sky"), 120))}
