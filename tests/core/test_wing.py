"""Wings against independent formulas: slope, glide, stall, panels, damping by turning, control surfaces."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts import airfoil
from oak_sled.core.parts.airfoil import Polar
from oak_sled.core.parts.wing import Wing
from oak_sled.core.results import ledger, run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground

RHO = 1.225
SKY = Ground(id="sky", edges="open", air_density=RHO, floor=False)
STIFF = Body(mass=400.0, length=3.0, width=1.0, height=0.8, held=("x", "y", "z", "roll", "pitch", "yaw"))
WING = Wing(id="wing", area=9.0, span=9.0, dihedral_deg=0.0, moment=0.0, z=0.0, incidence_deg=0.0)


def forces(wing, *, speed=20.0, angle=0.0, spin=(0.0, 0.0, 0.0), channel=0.0):
    """N and N m of a wing of a craft that flies ahead, its nose `angle` degrees above its way, craft axes."""
    channels = (Channel(id="stick", rise=1e6, fall=1e6),)
    body = STIFF.replace(held=())
    start = Start(speed=speed, pitch_deg=-angle, height=100.0, roll_rate_deg=spin[0], pitch_rate_deg=spin[1],
                  yaw_rate_deg=spin[2])  # fmt: skip
    tracks = (Track(channel="stick", knots=(Knot(t=0.0, value=channel),)),) if channel else ()
    drill = Drill(id="d", ground="sky", duration=0.05, start=start, tracks=tracks)
    craft = Craft(id="craft", body=body, channels=channels, parts=(wing,))
    made = run.execute(Job(craft, SKY, drill, 1000))
    return made.line("wing")[1], made


def lift_of(wing, angle, **more):
    line, _ = forces(wing, angle=angle, **more)
    return line[2]


def test_a_start_flies_level_with_its_nose_up():
    """What the other tests rest on: the way is level, and the nose is above it."""
    _, made = forces(WING, angle=5.0)
    assert made.column("velocity.z")[0] == pytest.approx(0.0, abs=1e-9)
    w, x, y, z = (made.column(f"rotation.{axis}")[0] for axis in "wxyz")
    assert 2.0 * (w * y - x * z) == pytest.approx(-math.sin(math.radians(5.0)), abs=1e-9)


@pytest.mark.parametrize("aspect", [0.5, 2.0, 6.0, 9.0, 20.0])
def test_the_slope_is_that_of_the_lifting_line_or_of_helmbold(aspect):
    """Long wings: 2 pi A / (A + 2). Slender ones: pi A / 2 (Jones). In between: Helmbold."""
    slope = airfoil.slope_of(aspect, 0.0, 2.0 * math.pi)
    helmbold = 2.0 * math.pi * aspect / (2.0 + math.sqrt(aspect**2 + 4.0))
    assert slope == pytest.approx(helmbold, rel=1e-12)
    if aspect >= 9.0:
        assert slope == pytest.approx(2.0 * math.pi * aspect / (aspect + 2.0), rel=0.02)
    if aspect <= 0.5:
        assert slope == pytest.approx(0.5 * math.pi * aspect, rel=0.12)


@pytest.mark.parametrize("angle", [-4.0, 0.0, 3.0, 7.0])
def test_lift_and_drag_of_a_run_are_those_of_the_formula(angle):
    line, _ = forces(WING, angle=angle)
    aspect = 9.0
    slope = 2.0 * math.pi * aspect / (2.0 + math.sqrt(4.0 + (aspect / (6.0 / (2.0 * math.pi))) ** 2))
    size = math.radians(angle + 2.0)
    over = max(size - math.radians(10.0), 0.0)
    lift = slope * (size - 0.5 * over**2 / math.radians(6.0))
    drag = 0.012 + lift**2 / (math.pi * 0.85 * aspect)
    press = 0.5 * RHO * 20.0**2 * 9.0
    assert line[2] == pytest.approx(press * lift, rel=2e-4)
    assert line[0] == pytest.approx(-press * drag, rel=2e-3)


@pytest.mark.parametrize("panels", [1, 2, 6, 12])
def test_one_wing_has_the_same_lift_drag_and_damping_in_any_number_of_panels(panels):
    whole, parted = WING.replace(panels=3), WING.replace(panels=panels)
    for angle, spin in ((4.0, (0.0, 0.0, 0.0)), (2.0, (40.0, 0.0, 0.0)), (2.0, (0.0, 0.0, 25.0))):
        a, b = (forces(one, angle=angle, spin=spin)[0] for one in (whole, parted))
        assert np.abs(a - b).max() < 0.01 * np.abs(a).max()


def test_roll_damping_is_that_of_strip_theory():
    """L_p = -1/2 rho V S a b^2 / 12 p of a wing of even chord, each strip with the slope of the whole."""
    turning = forces(WING, spin=(30.0, 0.0, 0.0))[0][3] - forces(WING)[0][3]
    slope = airfoil.slope_of(9.0, 0.0, 6.0)
    wanted = -0.5 * RHO * 20.0 * 9.0 * slope * 9.0**2 / 12.0 * math.radians(30.0)
    assert turning == pytest.approx(wanted, rel=0.01)


def test_the_two_laws_meet_at_the_stall_and_beyond_it_is_a_flat_plate():
    polar = Polar.of(9.0, 0.0, 6.0, math.radians(16.0), math.radians(6.0), 0.012, 0.85)
    for side in (1.0, -1.0):
        before, after = (polar.lift(side * (polar.stall + step)) for step in (-1e-9, 1e-9))
        assert before == pytest.approx(after, abs=1e-6)
        assert abs(before) == pytest.approx(polar.most_lift, rel=1e-6)
    assert polar.drag(polar.stall - 1e-9) == pytest.approx(polar.drag(polar.stall + 1e-9), abs=1e-6)
    assert polar.drag(0.5 * math.pi) == pytest.approx(1.11 + 0.018 * 9.0)
    assert polar.lift(0.5 * math.pi) == pytest.approx(0.0, abs=1e-9)
    assert polar.lift(math.radians(45.0)) == pytest.approx(0.5 * (1.11 + 0.018 * 9.0), rel=0.35), (
        "near that of a flat plate"
    )


def test_the_coefficients_are_smooth_over_the_full_circle():
    polar = Polar.of(6.0, 0.0, 6.0, math.radians(15.0), math.radians(5.0), 0.012, 0.85)
    angles = np.linspace(-math.pi, math.pi, 7201)
    lifts = np.array([polar.lift(angle) for angle in angles])
    drags = np.array([polar.drag(angle) for angle in angles])
    assert np.abs(np.diff(lifts)).max() < 0.01
    assert np.abs(np.diff(drags)).max() < 0.01
    assert drags.min() >= 0.012 - 1e-12
    assert lifts[0] == pytest.approx(lifts[-1], abs=1e-9)
    assert lifts == pytest.approx(-lifts[::-1], abs=1e-12)


def test_effectiveness_of_a_control_surface_is_that_of_thin_aerofoils():
    """At a quarter of the chord 0.609, all of it 1 (Glauert's curve)."""
    assert airfoil.effectiveness(0.25) == pytest.approx(0.609, abs=1e-3)
    assert airfoil.effectiveness(1.0) == pytest.approx(1.0)
    assert airfoil.moment_of(1.0) == pytest.approx(0.0, abs=1e-12)
    wing = WING.replace(control_channel="stick", control_share=0.25, control_rate_deg=1e5, control_deg=5.0)
    slope = airfoil.slope_of(9.0, 0.0, 6.0)
    added = lift_of(wing, 1.0, channel=1.0) - lift_of(wing, 1.0)
    assert added == pytest.approx(0.5 * RHO * 400.0 * 9.0 * slope * 0.609 * math.radians(5.0), rel=5e-3)


def test_ailerons_roll_it_and_a_rudder_turns_it():
    ailerons = WING.replace(control_channel="stick", control_acts="opposed", control_rate_deg=1e5, control_from=0.5)
    line, _ = forces(ailerons, channel=1.0)
    assert line[3] > 100.0, "the left half lifts: it rolls to the right"
    assert abs(line[2] - lift_of(ailerons, 0.0)) < 0.02 * abs(line[2])
    fin = Wing(id="wing", area=1.5, span=1.5, bank_deg=90.0, dihedral_deg=0.0, zero_lift_deg=0.0, incidence_deg=0.0,
               x=-4.0, z=0.5, moment=0.0, control_channel="stick", control_rate_deg=1e5)  # fmt: skip
    still, turned = forces(fin)[0], forces(fin, channel=1.0)[0]
    assert abs(still[5]) < 1e-6
    assert abs(turned[5]) > 100.0
    assert np.sign(turned[5]) == -np.sign(turned[1]), "it stands behind the centre"


NAMED = tuple(Channel(id=name, rise=1e6, fall=1e6) for name in ("roll", "pitch", "yaw"))


def test_surfaces_as_they_are_fitted_roll_right_nose_up_and_nose_left_on_their_channels():
    wings: tuple[Wing, ...] = ()
    for number in range(3):
        fitted = Wing.fitted_beside(Craft(id="craft", body=STIFF, parts=wings, channels=NAMED))
        wings += (Wing(id=f"wing_{number}", **{"span": 9.0, "area": 9.0, **fitted}),)
    assert [one.control_channel for one in wings] == ["roll", "pitch", "yaw"]
    for one, axis, sign in zip(wings, (3, 4, 5), (1.0, -1.0, 1.0), strict=True):
        wing = one.replace(id="wing", behind="", control_channel="stick", control_rate_deg=1e5)
        gives = forces(wing, channel=1.0)[0][axis] - forces(wing)[0][axis]
        assert sign * gives > 50.0, one.control_channel


def test_a_flap_raises_the_most_lift_and_the_drag():
    wing = WING.replace(flap_channel="stick", flap_rate_deg=1e5, flap_to=1.0)
    angles = np.arange(0.0, 24.0, 1.0)
    plain = max(lift_of(wing, angle) for angle in angles)
    flapped = max(lift_of(wing, angle, channel=1.0) for angle in angles)
    assert 1.1 * plain < flapped < 2.0 * plain


def test_its_ledger_closes_and_it_glides_at_its_lift_over_drag():
    """A steady glide of a craft with held axes of turning: its angle is drag over lift, told by the formula alone."""
    wing = WING.replace(incidence_deg=4.0)
    body = STIFF.replace(held=("roll", "pitch", "yaw"))
    drill = Drill(id="d", ground="sky", duration=400.0, start=Start(speed=24.0, height=3000.0))
    made = run.execute(Job(Craft(id="craft", body=body, parts=(wing,)), SKY, drill, 60))
    assert max(ledger.ledger_gap(made)) < 1e-9
    v = made.columns("velocity.x", "velocity.z")[-1]
    down = math.degrees(math.atan2(-v[1], v[0]))
    slope, size = airfoil.slope_of(9.0, 0.0, 6.0), math.radians(4.0 + 2.0 + down)
    over = max(size - math.radians(10.0), 0.0)
    lift = slope * (size - 0.5 * over**2 / math.radians(6.0))
    drag = 0.012 + lift**2 / (math.pi * 0.85 * 9.0)
    assert math.tan(math.radians(down)) == pytest.approx(drag / lift, rel=1e-3)
    weight = 400.0 * SKY.gravity
    assert np.hypot(*v) ** 2 == pytest.approx(
        weight * math.cos(math.radians(down)) / (0.5 * RHO * 9.0 * lift), rel=1e-3
    )


def test_the_energy_of_a_glide_never_grows_by_more_than_the_scheme():
    """Lift adds m a^2 dt / 2 a second at most, a of what the wing gives."""
    wing = WING.replace(incidence_deg=4.0)
    body = STIFF.replace(held=("roll", "pitch", "yaw"))
    drill = Drill(id="d", ground="sky", duration=20.0, start=Start(speed=30.0, height=3000.0))
    for ticks in (60, 240):
        made = run.execute(Job(Craft(id="craft", body=body, parts=(wing,)), SKY, drill, ticks))
        v = made.columns("velocity.x", "velocity.y", "velocity.z")
        energy = 400.0 * (0.5 * np.sum(v * v, axis=1) + SKY.gravity * made.column("position.z"))
        force = made.line("wing")[:, :3]
        bound = np.sum((force / 400.0) ** 2, axis=1) * 400.0 * 0.5 / ticks**2
        assert np.all(np.diff(energy) < 1.5 * bound[1:] + 1e-6)


def test_what_it_is_not_set_up_for_says_so():
    bare, whole = WING, WING.replace(control_channel="a", flap_channel="b", behind="other", wash_of="airscrew")
    idle = bare.idle()
    assert {"control_deg", "control_share", "flap_deg", "flap_to", "downwash", "wash_share"} <= set(idle)
    assert not whole.idle()


@pytest.mark.parametrize("high", [0.5, 1.0, 2.0, 5.0])
def test_near_the_ground_its_induced_drag_is_that_of_mccormick(high):
    """At an angle of attack that is held; what the freed flow adds to the angle is told apart by the lift."""
    lake = Ground(id="sky", edges="open", air_density=1.225, gravity=0.0, length=1e4, width=1e3)
    body = Body(mass=1e8, length=1.0, width=1.0, height=0.2, held=())
    wing = Wing(id="wing", area=6.0, span=6.0, x=0.0, z=0.0, incidence_deg=5.0, zero_lift_deg=0.0, dihedral_deg=0.0,
                moment=0.0, soft_deg=0.0, ground_effect=True)  # fmt: skip
    drill = Drill(id="d", ground="sky", duration=0.5, start=Start(speed=30.0, height=high - 0.1))
    made = run.execute(Job(Craft(id="craft", body=body, parts=(wing,)), lake, drill, 240))
    assert not made.column("on_ground")[1:].any(), "a ray that only looks carries nothing"
    press = 0.5 * 1.225 * 30.0**2 * 6.0
    drag, lift = -made.line("wing")[-1, 0] / press, made.line("wing")[-1, 2] / press
    left = (16.0 * high / 6.0) ** 2 / (1.0 + (16.0 * high / 6.0) ** 2)
    polar = wing.polar()
    assert drag == pytest.approx(polar.friction + left * polar.induced * lift**2, rel=1e-4)
    slope = polar.slope / (1.0 - (1.0 - left) * polar.induced * polar.slope)
    assert lift == pytest.approx(slope * math.radians(5.0), rel=1e-4)
    assert lift > polar.lift(math.radians(5.0))
