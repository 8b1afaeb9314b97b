"""Every law of tires: its peak is where it gives its most, its text is the law, and only its own numbers change it."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.formulas import lawunits, parsed
from oak_sled.core.parts.wheels import tirecurve, tirelaws
from oak_sled.core.parts.wheels.tire import ALONG, SIDE, Tire
from oak_sled.core.parts.wheels.tirelaws import Numbers

LAWS = pytest.mark.parametrize("law", tirelaws.LAWS, ids=lambda law: law.name)
KNOTS = ((0.0, 0.0), (0.06, 0.9), (0.11, 1.0), (0.3, 0.8), (1.2, 0.7))
NUMBERS = Numbers(0.8, 13.0, 1.5, -0.4, KNOTS, True)
SLIPS = np.concatenate([np.geomspace(1e-3, 0.05, 20), np.linspace(0.06, 1.5, 40)])
FIELDS = {"stiffness": {"stiffness": 19.0}, "factor": {"factor": 1.2}, "curvature": {"curvature": 0.5},
          "curve": {"knots": tuple((slip, 0.5 * share) for slip, share in KNOTS)}}  # fmt: skip


@LAWS
def test_its_peak_is_where_it_gives_its_most(law):
    if law.each_tick:
        return
    scale, most, _ = tirecurve.shape(law.name, NUMBERS, False)
    share = law.share(NUMBERS)
    assert float(share(np.array([scale]))[0]) == pytest.approx(most, rel=1e-6)
    assert share(np.linspace(0.0, 10.0, 5001)).max() <= most * (1.0 + 1e-6)


@LAWS
def test_its_shape_is_the_law(law):
    if law.each_tick:
        return
    scale, most, shape = tirecurve.shape(law.name, NUMBERS, False)
    n = SLIPS / scale
    assert most * n * tirecurve.read(shape, n) == pytest.approx(law.share(NUMBERS)(SLIPS), abs=2e-3)


@LAWS
def test_only_the_numbers_that_it_uses_change_it(law):
    before = law.share(NUMBERS)(SLIPS)
    for name, change in FIELDS.items():
        after = law.share(NUMBERS._replace(**change))(SLIPS)
        assert np.array_equal(after, before) is (name not in law.uses), name


@LAWS
def test_less_grip_leaves_its_slope_or_its_peak(law):
    if law.each_tick:
        return
    less = NUMBERS._replace(grip=0.5 * NUMBERS.grip)
    peaks = [tirecurve.shape(law.name, one, False)[0] for one in (NUMBERS, less)]
    forces = [one.grip * float(law.share(one)(np.array([1e-5]))[0]) for one in (NUMBERS, less)]
    assert (peaks[0] == pytest.approx(peaks[1])) is not law.keeps_stiffness
    assert (forces[0] == pytest.approx(forces[1], rel=1e-3)) is law.keeps_stiffness


@LAWS
@pytest.mark.parametrize("place", [SIDE, ALONG], ids=lambda place: place.name)
def test_its_text_is_a_formula_that_gives_the_same(law, place):
    if law.each_tick:
        return
    tire = Tire(
        id="t", law=law.name, along_law=law.name, curve_straight=True, along_curve_straight=True, curvature=-0.3
    )
    numbers = tire.side_numbers() if place is SIDE else tire.along_numbers()
    code = parsed.code_of(tire.written_as(place), place, ())
    for slip in SLIPS.tolist():
        wanted = float(law.share(numbers)(np.array([slip]))[0])
        assert lawunits.evaluated(code, [slip], {}) == pytest.approx(wanted, abs=1e-5)


@LAWS
def test_a_number_that_no_law_of_a_tire_uses_says_so(law):
    idle = Tire(id="t", law=law.name, along_law=law.name).idle()
    for name in ("stiffness", "share", "factor", "curvature"):
        assert (name in idle) is (name not in law.uses), name


def test_names_and_words_are_its_own():
    assert len({law.name for law in tirelaws.LAWS}) == len({law.words for law in tirelaws.LAWS}) == len(tirelaws.LAWS)
    assert sum(law.each_tick for law in tirelaws.LAWS) == 1, "the kernel has a way of its own for it"
