"""Wings whose lift and drag are drawn: their forces, where a flat plate takes over, what they begin with."""

from __future__ import annotations

import math

import numpy as np
import pytest
from pydantic import ValidationError

from oak_sled.core.parts import polarcurve
from oak_sled.core.parts.wing import Wing
from oak_sled.core.project import curvesharing, demos
from tests.core.test_wing import RHO, WING, forces, lift_of

LIFT = ((-20.0, -0.5), (-10.0, -0.9), (0.0, 0.2), (10.0, 1.2), (16.0, 0.8))
DRAG = ((-20.0, 0.3), (0.0, 0.02), (16.0, 0.25))


def drawn(wing=WING, lift=LIFT, drag=DRAG, straight=True):
    return wing.replace(
        drawn=True, lift_curve=polarcurve.LIFT.knots(lift), drag_curve=polarcurve.DRAG.knots(drag),
        lift_curve_straight=straight, drag_curve_straight=straight,
    )  # fmt: skip


@pytest.mark.parametrize("angle", [-15.0, -7.0, -1.0, 0.0, 4.0, 9.0, 13.0])
def test_a_drawn_wing_gives_what_is_drawn(angle):
    line, _ = forces(drawn(), angle=angle)
    press = 0.5 * RHO * 20.0**2 * WING.area
    lift, drag = np.interp(angle, *zip(*LIFT, strict=True)), np.interp(angle, *zip(*DRAG, strict=True))
    assert line[2] == pytest.approx(press * lift, rel=1e-3, abs=5.0)
    # samples lie a hair beside a corner of straight lines
    assert line[0] == pytest.approx(-press * drag, rel=1e-3, abs=1.0 if angle else 3.0)


def test_past_its_knots_a_flat_plate_is_joined_without_a_jump():
    polar = drawn().polar()
    angles = np.radians(np.linspace(-180.0, 180.0, 20001))
    for values in (np.array([polar.lift(a) for a in angles]), np.array([polar.drag(a) for a in angles])):
        assert np.abs(np.diff(values)).max() < 0.01
    assert polar.drag(0.5 * math.pi) == pytest.approx(min(1.11 + 0.018 * WING.aspect, 2.0), rel=1e-9)
    assert polar.lift(0.5 * math.pi) == pytest.approx(0.0, abs=1e-9)


def test_it_stalls_past_the_peak_of_its_curve_on_either_side():
    for angle, stalls in ((-12.0, 1.0), (-9.0, 0.0), (9.5, 0.0), (11.0, 1.0)):
        _, made = forces(drawn(), angle=angle)
        assert made.column("wing.activity")[1] == pytest.approx(stalls), angle


def test_a_control_surface_moves_a_drawn_curve_as_it_moves_the_closed_form():
    wing = WING.replace(control_channel="stick", control_deg=8.0, control_rate_deg=1e5)
    fine = np.linspace(-20.0, 20.0, 61)
    polar = wing.polar()
    lift = tuple((a, float(f"{polar.lift(math.radians(a - wing.zero_lift_deg)):.5f}")) for a in fine)
    drag = tuple((a, float(f"{polar.drag(math.radians(a - wing.zero_lift_deg)):.5f}")) for a in fine)
    for angle in (-6.0, 0.0, 6.0):
        for channel in (-1.0, 1.0):
            plain = lift_of(wing, angle, channel=channel)
            assert lift_of(drawn(wing, lift, drag), angle, channel=channel) == pytest.approx(plain, rel=2e-2, abs=15.0)


@pytest.mark.parametrize("changes", [{}, {"soft_deg": 0.0}, {"stall_deg": 60.0, "zero_lift_deg": 30.0}])
def test_drawing_begins_with_what_its_numbers_give(changes):
    wing = Wing(id="wing", **changes)
    begun = wing.replace(**wing.first_drawn())
    for angle in np.radians(np.linspace(-12.0, 12.0, 49)):
        assert begun.polar().lift(angle) == pytest.approx(wing.polar().lift(angle), abs=0.025)
        assert begun.polar().drag(angle) == pytest.approx(wing.polar().drag(angle), abs=0.015)


@pytest.mark.parametrize("number", range(4))
def test_every_preset_rises_stalls_and_drags(number):
    lift = list(polarcurve.LIFT.presets.values())[number]
    drag = list(polarcurve.DRAG.presets.values())[number]
    polar = drawn(lift=lift, drag=drag, straight=False).polar()
    assert list(polarcurve.LIFT.presets) == list(polarcurve.DRAG.presets)
    assert 1.0 < polar.slope < 2.0 * math.pi + 0.1
    assert 0.0 < polar.friction < 0.05
    glide, lift_there = polar.best_glide
    assert glide > 3.0
    assert 0.0 < lift_there < polar.most_lift


@pytest.mark.parametrize(
    ("lift", "drag", "says"),
    [
        (((0.0, 0.0), (0.0, 1.0)), DRAG, "lift_curve: angles must rise"),
        (LIFT, ((5.0, 0.0), (0.0, 1.0)), "drag_curve: angles must rise"),
        (((0.0, 0.1), (10.0, 1.0)), DRAG, "lift never rises from below 0"),
        (((0.0, 0.1), (80.0, 1.0)), DRAG, "70"),
    ],
)  # fmt: skip
def test_bad_curves_are_refused_where_they_are_wrong(lift, drag, says):
    knots = tuple(dict(zip(("angle_deg", "lift"), one, strict=True)) for one in lift)
    drags = tuple(dict(zip(("angle_deg", "drag"), one, strict=True)) for one in drag)
    with pytest.raises(ValidationError, match=says):
        WING.replace(drawn=True, lift_curve=knots, drag_curve=drags)


@pytest.mark.parametrize("name", ["wing", "airscrew"])
def test_turning_a_curve_on_draws_the_numbers_once_and_never_loses_what_was_drawn(name):
    yard = demos.load("bush-plane")
    part = next(one for one in yard.crafts[0].parts if one.id == name)
    on = curvesharing.turned_on(yard, yard.crafts[0], part)
    made = next(one for one in on.crafts[0].parts if one.id == name)
    field = made.CURVE_FIELDS[0]
    assert made.drawn
    assert getattr(made, field.name) != type(made).model_fields[field.name].default
    off = on.edit(f"crafts.{on.crafts[0].id}.parts.{name}.drawn", False)
    again = curvesharing.turned_on(off, off.crafts[0], next(one for one in off.crafts[0].parts if one.id == name))
    assert again == on
