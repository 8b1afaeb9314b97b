"""Modes, balance and speeds of flight against a state model that is written here, and against runs."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import curve_fit

from oak_sled.core.advice import balance, cautions, flightmodes, flightsheet, outlook
from oak_sled.core.assembly import jobs, trim
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.wing import Wing
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground

RHO, G, SPEED = 1.2, 9.81, 30.0
MASS, J = 400.0, np.diag([500.0, 900.0, 1300.0])
AIR = Ground(id="sky", edges="open", air_density=RHO, gravity=G, floor=False)
SHAPE = {"friction": 0.01, "efficiency": 0.9, "section_slope": 6.0, "stall_deg": 16.0, "soft_deg": 4.0, "moment": 0.0}
WING = Wing(id="wing", area=12.0, span=10.0, x=0.1, z=0.3, incidence_deg=3.0, zero_lift_deg=-2.0, dihedral_deg=4.0,
            panels=12, **SHAPE)  # fmt: skip
TAIL = Wing(id="tail", area=2.4, span=3.2, x=-4.0, z=0.2, incidence_deg=0.0, zero_lift_deg=0.0, dihedral_deg=0.0,
            panels=12, control_channel="pitch", control_share=0.4, control_deg=-20.0, control_rate_deg=1e5,
            **SHAPE)  # fmt: skip
FIN = Wing(id="fin", area=1.6, span=1.6, x=-4.0, z=0.9, incidence_deg=0.0, zero_lift_deg=0.0, dihedral_deg=0.0,
           bank_deg=90.0, panels=12, **SHAPE)  # fmt: skip
PUSH = Thruster(id="push", channel="throttle", thrust=1500.0)


def plane(*more):
    body = Body(mass=MASS, length=5.0, width=1.0, height=1.0, held=(), damping=0.0, spin_damping=0.0,
                inertia_from="given", roll_inertia=J[0, 0], pitch_inertia=J[1, 1], yaw_inertia=J[2, 2])  # fmt: skip
    channels = (Channel(id="throttle", two_sided=False, rise=1e6, fall=1e6), Channel(id="pitch", rise=1e6, fall=1e6))
    return Craft(id="plane", body=body, channels=channels, parts=(PUSH, WING, TAIL, FIN, *more))


# the model of the test: strips of every wing, forces and moments in body axes, the equations of a rigid body


def strips(wing):
    """Places of quarter chords, normals, and area of 60 strips across a wing, body axes."""
    edges = np.linspace(-0.5, 0.5, 61) * wing.span
    across = 0.5 * (edges[1:] + edges[:-1])
    bank, bent = math.radians(wing.bank_deg), math.radians(wing.dihedral_deg)
    found = []
    for y in across:
        tilt = bank + (bent if y > 0.0 else -bent)
        place = np.array([wing.x, y * math.cos(tilt), y * math.sin(tilt) + wing.z])
        set_at = math.radians(wing.incidence_deg)
        up = np.array([0.0, -math.sin(tilt), math.cos(tilt)])
        chord = np.array([math.cos(set_at), 0.0, 0.0]) + math.sin(set_at) * up
        normal = math.cos(set_at) * up - np.array([math.sin(set_at), 0.0, 0.0])
        found.append((place, chord, normal))
    return found, wing.area / 60.0


def forces(state, throttle, pitch):
    """Force and moment of thrust and wings in body axes."""
    v, w = state[:3], state[3:6]
    force, moment = np.array([1500.0 * throttle, 0.0, 0.0]), np.zeros(3)
    for wing in (WING, TAIL, FIN):
        aspect, k = wing.span**2 / wing.area, 6.0 / math.tau
        slope = math.tau * aspect / (2.0 + math.sqrt(4.0 + (aspect / k) ** 2))
        turn = math.acos(2.0 * 0.4 - 1.0)
        down = math.radians(-20.0) * pitch if wing is TAIL else 0.0
        added = (1.0 - (turn - math.sin(turn)) / math.pi) * down
        about = -0.5 * math.sin(turn) * (1.0 - math.cos(turn)) * down
        places, each = strips(wing)
        for place, chord, normal in places:
            air = -(v + np.cross(w, place))
            ahead, below = -air @ chord, air @ normal
            lift = slope * (math.atan2(below, ahead) - math.radians(wing.zero_lift_deg) + added)
            drag = 0.01 + lift**2 / (math.pi * 0.9 * aspect)
            size = math.hypot(ahead, below)
            press = 0.5 * RHO * each * size
            own = press * (lift * (below * chord + ahead * normal) - drag * (ahead * chord - below * normal))
            force = force + own
            moment = moment + np.cross(place, own)
            moment = moment + press * size * wing.area / wing.span * about * np.cross(chord, normal)
    return force, moment


def rates(state, throttle, pitch):
    """The rate of the eight states: speeds and spins in body axes, and the first two parts of the upward direction."""
    v, w = state[:3], state[3:6]
    up = np.array([state[6], state[7], math.sqrt(1.0 - state[6] ** 2 - state[7] ** 2)])
    force, moment = forces(state, throttle, pitch)
    speeding = force / MASS - np.cross(w, v) - G * up
    spinning = np.linalg.solve(J, moment - np.cross(w, J @ w))
    return np.concatenate([speeding, spinning, -np.cross(w, up)[:2]])


def roots_of(found):
    """The roots of the model about a trim, 1/s."""
    throttle, pitch = found.channels["throttle"], found.channels["pitch"]
    nose = found.pitch
    still = np.array([SPEED * math.cos(nose), 0, -SPEED * math.sin(nose), 0, 0, 0, math.sin(nose), 0.0])
    assert np.abs(rates(still, throttle, pitch)).max() < 5e-3, "the model flies there too"
    jacobian = np.empty((8, 8))
    for k in range(8):
        step = np.zeros(8)
        step[k] = 1e-5
        jacobian[:, k] = (rates(still + step, throttle, pitch) - rates(still - step, throttle, pitch)) / 2e-5
    return np.linalg.eigvals(jacobian)


@pytest.fixture(scope="module")
def flight():
    found = trim.find(plane(), AIR, 240, SPEED)
    assert found.is_steady, found.words()
    return found, flightmodes.of_trim(plane(), AIR, found)


def test_every_root_of_a_trimmed_plane_is_that_of_the_model(flight):
    found, modes = flight
    wanted = [root for root in roots_of(found) if root.imag >= 0.0]
    assert [mode.name for mode in modes] == ["roll", "short period", "Dutch roll", "phugoid", "spiral"]
    for mode in modes:
        nearest = min(wanted, key=lambda root: abs(root - mode.root))
        assert abs(nearest - mode.root) < 0.01 * abs(nearest) + 2e-4, mode
        wanted.remove(nearest)
    assert not wanted


def flown(found, ticks=240, seconds=60.0, **off):
    climb = {"speed": SPEED, "height": 500.0, "pitch_deg": -math.degrees(found.pitch)}
    start = Start(**{**climb, **{name: climb.get(name, 0.0) + value for name, value in off.items()}})
    tracks = tuple(Track(channel=name, knots=(Knot(t=0.0, value=value),)) for name, value in found.channels.items())
    drill = Drill(id="d", ground="sky", duration=seconds, start=start, tracks=tracks)
    return run.execute(Job(plane(), AIR, drill, ticks))


def swing(t, size, phase, decay, rate, rest, drift, fades):
    return size * np.exp(decay * t) * np.cos(rate * t + phase) + rest + drift * np.exp(fades * t)


def test_the_phugoid_of_a_run_is_that_of_its_mode_and_of_lanchester_with_its_margins(flight):
    found, modes = flight
    mode = next(one for one in modes if one.name == "phugoid")
    made = flown(found, speed=0.5, seconds=80.0)
    first = made.at(6.0)
    speed = made.column("velocity.x")[first:]
    t = np.arange(len(speed)) * made.job.dt
    guess = (0.5, 0.0, mode.root.real, mode.root.imag, SPEED)
    fitted, _ = curve_fit(lambda t, a, b, c, d, e: swing(t, a, b, c, d, e, 0.0, 0.0), t, speed, guess)
    assert abs(fitted[3]) == pytest.approx(mode.root.imag, rel=0.03)
    assert fitted[2] == pytest.approx(mode.root.real, abs=0.03 * abs(mode.root))
    margin = balance.of(plane()).margin
    aspect = TAIL.span**2 / TAIL.area
    slope = math.tau * aspect / (2.0 + math.sqrt(4.0 + (aspect * math.tau / 6.0) ** 2))
    manoeuvre = margin + RHO * TAIL.area * slope * TAIL.x**2 / (2.0 * MASS)
    lanchester = math.pi * math.sqrt(2.0) * SPEED / G * math.sqrt(manoeuvre / margin)
    assert mode.period == pytest.approx(lanchester, rel=0.05)


def test_the_dutch_roll_of_a_run_is_that_of_its_mode(flight):
    found, modes = flight
    mode = next(one for one in modes if one.name == "Dutch roll")
    spiral = next(one for one in modes if one.name == "spiral")
    made = flown(found, side_speed=0.3, seconds=10.0)
    first = made.at(1.0)
    slip = made.column("spin.z")[first:]
    t = np.arange(len(slip)) * made.job.dt
    fitted, _ = curve_fit(
        lambda t, a, b, c, d, e, f: swing(t, a, b, c, d, e, f, spiral.root.real), t, slip,
        (0.01, 0.0, mode.root.real, mode.root.imag, 0.0, 0.001), maxfev=20_000,
    )  # fmt: skip
    assert abs(fitted[3]) == pytest.approx(mode.root.imag, rel=0.03)
    assert fitted[2] == pytest.approx(mode.root.real, abs=0.03 * abs(mode.root))


def test_the_roll_of_a_run_fades_as_its_mode_says(flight):
    found, modes = flight
    mode = next(one for one in modes if one.name == "roll")
    made = flown(found, roll_rate_deg=2.0, seconds=0.05, ticks=3840)
    rate = made.column("spin.x")
    fades = np.polyfit(np.arange(len(rate)) * made.job.dt, np.log(np.abs(rate)), 1)[0]
    assert fades == pytest.approx(mode.root.real, rel=0.03)


def test_the_short_period_of_a_run_is_that_of_its_mode(flight):
    """A push of the nose against the same flight without it, so that the slow phugoid is nearly nothing."""
    found, modes = flight
    mode = next(one for one in modes if one.name == "short period")
    off, still = (flown(found, pitch_rate_deg=rate, seconds=1.2, ticks=960) for rate in (1.0, 0.0))
    rate = off.column("spin.y") - still.column("spin.y")
    t = np.arange(len(rate)) * off.job.dt
    decay, turns = mode.root.real, max(mode.root.imag, 1e-3)
    guess = (rate[0], 0.0, decay, turns, 0.0)
    fitted, _ = curve_fit(
        lambda t, a, b, c, d, e: swing(t, a, b, c, d, e, 0.0, 0.0), t, rate, guess, maxfev=20_000
    )  # fmt: skip
    assert complex(fitted[2], abs(fitted[3])) == pytest.approx(mode.root, abs=0.03 * abs(mode.root))


def test_the_spiral_of_a_run_is_that_of_its_mode(flight):
    """A slight bank, once the quick modes have died: it fades or grows as its root says."""
    found, modes = flight
    mode = next(one for one in modes if one.name == "spiral")
    off, still = (flown(found, roll_deg=bank, seconds=30.0) for bank in (0.3, 0.0))
    first = off.at(12.0)
    turned = (off.column("spin.z") - still.column("spin.z"))[first:]
    t = np.arange(len(turned)) * off.job.dt
    fades = np.polyfit(t, np.log(np.abs(turned)), 1)[0]
    quick = max(abs(one.root) for one in modes if one.name != "spiral")
    assert fades == pytest.approx(mode.root.real, rel=0.03, abs=2e-4)
    assert abs(mode.root.real) < 0.1 * quick


def test_trims_from_another_start_are_the_same_flight(flight, monkeypatch):
    found, _ = flight
    monkeypatch.setattr(trim, "LIGHT", (1e-3, 1e-7))
    again = trim.find(plane(), AIR, 60, SPEED)
    assert again.pitch == pytest.approx(found.pitch, abs=1e-5)
    assert again.channels["pitch"] == pytest.approx(found.channels["pitch"], abs=1e-4)


def test_the_neutral_point_in_closed_form_is_where_the_tick_has_it():
    """M_w over Z_w of the linearised tick: the arm on which the lift of a gust acts, but for what the drag of wings
    that stand above the centre of mass adds."""
    craft = plane()
    found = trim.find(craft, AIR, 240, 32.0)
    flight = flightmodes._Flight(craft, AIR, dict(found.channels), 32.0)
    flight.hold(found, (32.0, 0.0, 0.0))
    up, pitching = flightmodes.UP, flightmodes.PITCHING
    off = np.zeros(len(flightmodes.RIGID) + 8 * len(craft.parts))
    off[up] = 1e-3
    change = (flight.after(off) - flight.after(-off)) / 2e-3
    arm = -J[1, 1] * change[pitching] / (MASS * (change[up] - 1.0))
    assert arm == pytest.approx(balance.of(craft).margin, abs=0.03 * balance.of(craft).chord)


def test_downwash_brings_the_neutral_point_forward():
    yard = demos.load("bush-plane")
    craft = yard.craft("ski_plane")
    free = craft.replace(parts=tuple(
        part.replace(behind="") if part.id == "tailplane" else part for part in craft.parts
    ))  # fmt: skip
    assert balance.of(craft).margin < balance.of(free).margin


def test_the_sheet_of_the_plane_tells_what_its_drills_measure():
    yard = demos.load("bush-plane")
    craft, ground = yard.craft("ski_plane"), yard.ground("long_lake")
    sheet = flightsheet.of(craft, ground, 120)
    made = run.execute(jobs.job_of(yard, yard.drill("glide")))
    first = made.at(4.0)
    path = np.hypot(*(np.diff(made.column(f"position.{axis}")[[first, -1]]) for axis in "xy"))[0]
    ratio = path / -np.diff(made.column("position.z")[[first, -1]])[0]
    assert sheet.speeds.glide == pytest.approx(ratio, rel=0.1)
    assert sheet.speeds.stall < 25.0 < sheet.speeds.least_drag < 30.0
    assert sheet.trim.is_steady
    assert {mode.name for mode in sheet.modes} == {"roll", "short period", "Dutch roll", "phugoid", "spiral"}
    names = " ".join(name for name, _ in sheet.rows)
    for word in ("static margin", "stalls", "glides", "climbs", "turns", "trim", "phugoid"):
        assert word in names


def test_the_sheet_of_the_copter_tells_its_hover_and_its_modes():
    yard = demos.load("survey-copter")
    sheet = flightsheet.of(yard.craft("rate_copter"), yard.ground("camp"), 120)
    names = [mode.name for mode in sheet.modes]
    assert {"pitch", "roll", "yaw", "height"} <= set(names)
    assert any(mode.grows and mode.period > 20.0 for mode in sheet.modes), "nothing levels it: it swings out of a hover"
    steady = flightsheet.of(yard.craft("survey_copter"), yard.ground("camp"), 120)
    assert not any(mode.grows for mode in steady.modes)
    assert "hovers at" in sheet.rows[0][0]


def test_what_does_not_fly_has_no_sheet():
    yard = demos.load("ferry")
    assert flightsheet.of(yard.craft(), yard.ground_of(yard.drill()), 120) is None
    airless = AIR.replace(air_density=0.0)
    assert flightsheet.of(plane(), airless, 120) is None


def test_a_plane_whose_centre_is_behind_its_neutral_point_is_told_so():
    def names(x):
        craft = plane()
        craft = craft.replace(body=craft.body.replace(centre_x=x))
        return {one.name for one in cautions.find(Job(craft, AIR, Drill(id="d", ground="sky"), 120))}

    assert "tail_heavy" not in names(0.0)
    assert "tail_heavy" in names(-1.2)


def told_of(craft):
    return {one.name: one for one in cautions.find(Job(craft, AIR, Drill(id="d", ground="sky"), 120))}


def test_a_propeller_whose_torque_the_ailerons_cannot_hold_at_the_stall_is_told():
    craft = demos.load("bush-plane").craft()
    (screw,) = (one for one in craft.parts if one.kind == "propeller")

    def fitted(*screws):
        rest = [one for one in craft.parts if one.kind != "propeller"]
        return told_of(craft.replace(parts=tuple(sorted([*rest, *screws], key=lambda one: one.STAGE))))

    strong = screw.replace(thrust=3.0 * screw.thrust, rate=0.2 * screw.rate)
    assert "torque_rolls_it" not in fitted(screw)
    assert "opposite ways" in fitted(strong)["torque_rolls_it"].helps
    other = strong.replace(id="other", turns="left" if strong.turns == "right" else "right")
    assert "torque_rolls_it" not in fitted(strong, other), "one takes what the other gives"


def test_a_wing_that_stands_past_its_stall_is_told():
    craft = plane()
    steep = [one.replace(incidence_deg=25.0) if one.id == "wing" else one for one in craft.parts]
    assert "stalls_before_it_lifts" in told_of(craft.replace(parts=tuple(steep)))
    assert "stalls_before_it_lifts" not in told_of(craft)


def test_turns_and_fuel_stand_in_the_sheet_by_their_formulas():
    from oak_sled.core.parts.jet import Jet
    from oak_sled.core.parts.tank import Tank

    jet = Jet(id="jet", thrust=1500.0, exhaust=20_000.0, x=0.0, channel="throttle")
    craft = plane(jet, Tank(id="tank", fuel=40.0))
    craft = craft.replace(parts=tuple(sorted(craft.parts, key=lambda one: one.STAGE)))
    sheet = flightsheet.of(craft, AIR, 120)
    rows = dict(sheet.rows)
    fast = 1.4 * sheet.speeds.stall
    rate = G * math.tan(math.radians(45.0)) / fast
    turned = next(name for name in rows if name.startswith("turns"))
    assert f"{math.degrees(rate):.1f}" in turned
    assert any(name.startswith("stays up") for name in rows)
    assert outlook.setting_of(craft, AIR, 120, None).burns == pytest.approx(1500.0 / 20_000.0)
