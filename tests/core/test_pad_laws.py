"""Every law of hover pads: its closed forms agree with its kernel function, and its text is the law."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import quad

from oak_sled.core.formulas import lawunits, parsed
from oak_sled.core.parts import padlaws
from oak_sled.core.parts.pad import PUSH, Pad

LAWS = pytest.mark.parametrize("law", padlaws.LAWS, ids=lambda law: law.name)
GAPS = np.linspace(0.05, 0.79, 38)


def pad_of(law):
    return Pad(id="pad", law=law.name, reach=0.8, stiffness=5000.0, progression=1.7, lift=900.0, band=0.1, damping=0.0)


@LAWS
def test_its_slope_is_that_of_its_push(law):
    pad = pad_of(law)
    assert law.slope is not None
    for gap in GAPS:
        measured = (law.at(pad, gap - 1e-6) - law.at(pad, gap + 1e-6)) / 2e-6
        assert law.slope(pad, gap) == pytest.approx(measured, rel=1e-5, abs=1e-6)


@LAWS
def test_it_rests_where_it_pushes_as_much_as_it_carries(law):
    pad = pad_of(law)
    assert law.rest is not None
    for load in (50.0, 400.0, 2500.0):
        gap = law.rest(pad, load)
        if law.stands:
            assert law.at(pad, gap) == pytest.approx(load, rel=1e-9)
        else:
            assert abs(law.at(pad, gap - 1e-9) - load) > 1.0


@LAWS
def test_what_it_stores_is_the_area_under_its_push(law):
    pad = pad_of(law)
    for gap in (0.05, 0.3, 0.7):
        area = quad(lambda g: law.at(pad, g), gap, 0.8, epsabs=1e-9)[0]
        assert pad.stored(gap) == pytest.approx(area, rel=1e-6)


@LAWS
def test_it_pushes_within_its_reach_only_and_does_not_pull(law):
    pad = pad_of(law)
    assert law.at(pad, 0.8) == law.at(pad, 2.0) == 0.0
    assert all(law.at(pad, gap) > 0.0 for gap in GAPS)


@LAWS
def test_only_the_numbers_that_it_uses_change_it(law):
    pad = pad_of(law)
    pushes = [law.at(pad, gap) for gap in GAPS]
    every = {name for one in padlaws.LAWS for name in one.uses}
    for name in every:
        other = pad.replace(**{name: 1.5 * getattr(pad, name)})
        if name not in law.uses:
            assert [law.at(other, gap) for gap in GAPS] == pushes, name
        elif name != "band":  # of a pad that leaves its reach
            assert [law.at(other, gap) for gap in GAPS] != pushes, name


@LAWS
def test_its_text_is_a_formula_that_gives_the_same(law):
    pad = pad_of(law)
    code = parsed.code_of(law.text(pad), PUSH, ())
    for gap in (0.05, 0.3, 0.79):
        told = lawunits.evaluated(code, [gap, 0.0, 0.8, 0.0, 1.0], {})
        assert told == pytest.approx(law.at(pad, gap), rel=1e-5)


def test_names_and_words_are_its_own():
    assert len({law.name for law in padlaws.LAWS}) == len({law.words for law in padlaws.LAWS}) == len(padlaws.LAWS)
