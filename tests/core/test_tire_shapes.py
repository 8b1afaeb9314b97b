"""Every law of a tire over its whole range, with random numbers, against its formula written out."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.geometry import curve
from oak_sled.core.parts.wheels import tirecurve
from oak_sled.core.parts.wheels.tirelaws import Numbers

ERROR = 2e-3
"""Of the most of a law."""


def brush(slip, grip, stiffness):
    t = np.minimum(stiffness * slip / (3.0 * grip), 1.0)
    return 1.0 - (1.0 - t) ** 3


def sine(slip, grip, stiffness, factor, curvature):
    x = stiffness / (factor * grip) * slip
    return np.sin(factor * np.arctan(x - curvature * (x - np.arctan(x))))


def range_of(is_angle):
    if is_angle:
        return np.concatenate([np.geomspace(1e-5, 1e-2, 200), np.linspace(1e-2, math.radians(89.8), 3000)])
    return np.concatenate([np.geomspace(1e-5, 1e-2, 200), np.linspace(1e-2, 9.9, 3000)])


def error_of(found, share, is_angle):
    """The greatest difference of a shape from its law over the range, as a share of the most."""
    scale, most, shape = found
    slips = range_of(is_angle)
    n = np.tan(slips) / scale if is_angle else slips / scale
    given = most * np.minimum(n * np.array([tirecurve.at(shape, float(one)) for one in n]), 1.0)
    wrong = np.abs(given - share(slips))
    return float(np.max(wrong)) / most, slips[int(np.argmax(wrong))]


@pytest.mark.parametrize("is_angle", [True, False], ids=["angle", "ratio"])
@pytest.mark.parametrize("seed", range(12))
def test_built_in_laws_with_random_numbers(seed, is_angle):
    random = np.random.default_rng(seed)
    for _ in range(5):
        grip, stiffness = float(random.uniform(0.2, 2.0)), float(10.0 ** random.uniform(-0.5, 1.7))
        factor, bend = float(random.uniform(0.5, 1.9)), float(random.uniform(-8.0, 0.9))
        laws = {
            "linear": lambda s, g=grip, k=stiffness: np.minimum(k * s / g, 1.0),
            "brush": lambda s, g=grip, k=stiffness: brush(s, g, k),
            "sine_arctangent": lambda s, g=grip, k=stiffness, c=factor, e=bend: sine(s, g, k, c, e),
        }
        for law, share in laws.items():
            made = tirecurve.shape(law, Numbers(grip, stiffness, factor, bend), is_angle)
            wrong, at = error_of(made, share, is_angle)
            assert wrong < ERROR, (law, grip, stiffness, factor, bend, at)


@pytest.mark.parametrize("straight", [True, False])
@pytest.mark.parametrize("seed", range(6))
def test_drawn_curves(seed, straight):
    random = np.random.default_rng(seed)
    slips = np.concatenate([[0.0], np.sort(random.choice(np.arange(1, 90), 6, replace=False))])
    grips = np.concatenate([[0.0], random.uniform(0.2, 1.0, 6)])
    knots = tuple(zip(np.radians(slips).tolist(), grips.tolist(), strict=True))
    made = tirecurve.shape("curve", Numbers(1.0, 10.0, 1.4, 0.0, knots, straight), True)
    wrong, at = error_of(made, lambda s: curve.through(np.radians(slips), grips, s, straight), True)
    assert wrong < ERROR, (knots, at)


def test_the_default_curves():
    from oak_sled.core.parts.wheels.tire import Tire

    tire = Tire(id="t", law="curve", along_law="curve")
    side = tuple((math.radians(knot.slip_deg), knot.grip) for knot in tire.curve)
    along = tuple((knot.slip, knot.grip) for knot in tire.along_curve)
    for made, knots, is_angle in ((tire.side_shape(), side, True), (tire.along_shape(), along, False)):
        slips, grips = np.array(knots).T
        wrong, at = error_of(made, lambda s, x=slips, y=grips: curve.through(x, y, s, False), is_angle)
        assert wrong < ERROR, at


def test_a_law_that_only_comes_nearer_to_its_most_has_its_slip_where_it_says():
    """Slip at 0.6 of the grip: 3.36 degrees at a shape factor of 0.9."""
    scale, most, shape = tirecurve.shape("sine_arctangent", Numbers(1.0, 12.0, 0.9), True)
    angles = np.radians(np.linspace(0.5, 10.0, 2000))
    n = np.tan(angles) / scale
    given = most * n * np.array([tirecurve.at(shape, float(one)) for one in n])
    true = math.degrees(float(np.interp(0.6, sine(angles, 1.0, 12.0, 0.9, 0.0), angles)))
    assert math.degrees(float(np.interp(0.6, given, angles))) == pytest.approx(true, rel=2e-3)


@pytest.mark.parametrize("jump_deg", [2.0, 7.3, 31.0, 80.0])
def test_a_formula_that_jumps_is_right_on_both_sides(jump_deg):
    jump = math.radians(jump_deg)

    def share(slip):
        return np.where(slip < jump, np.minimum(slip / (0.5 * jump), 1.0), 0.4)

    scale, most, shape = tirecurve.shape_of(share, True)
    for angle, wanted in ((jump * (1.0 - 1e-4), 1.0), (jump * (1.0 + 1e-4), 0.4)):
        n = math.tan(angle) / scale
        assert most * n * tirecurve.at(shape, n) == pytest.approx(wanted, abs=ERROR)
