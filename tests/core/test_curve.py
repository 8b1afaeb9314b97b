"""Curves against an independent implementation, and their promise: no overshoot."""

import numpy as np
import pytest
from scipy.interpolate import PchipInterpolator

from oak_sled.core.geometry import curve


def knots(seed, count):
    rng = np.random.default_rng(seed)
    return np.cumsum(rng.uniform(0.1, 3.0, count)), np.round(rng.normal(0.0, 2.0, count), 1)


@pytest.mark.parametrize("seed", range(40))
def test_a_curve_is_that_of_an_independent_hand(seed):
    x, y = knots(seed, 2 + seed % 7)
    at = np.linspace(x[0], x[-1], 301)
    assert curve.monotone(x, y, at) == pytest.approx(PchipInterpolator(x, y)(at), abs=1e-12)


@pytest.mark.parametrize("seed", range(10))
def test_a_curve_stays_between_its_knots(seed):
    x, y = knots(100 + seed, 6)
    for k in range(5):
        inside = curve.monotone(x, y, np.linspace(x[k], x[k + 1], 50))
        low, high = sorted((y[k], y[k + 1]))
        assert inside.min() >= low - 1e-12
        assert inside.max() <= high + 1e-12


def test_a_level_curve_is_level_and_passes_its_knots():
    x = np.array([0.0, 1.0, 4.0])
    assert np.all(curve.monotone(x, np.full(3, 0.7), np.linspace(0, 4, 9)) == 0.7)
    y = np.array([0.0, 2.0, 1.0])
    assert curve.monotone(x, y, x) == pytest.approx(y, abs=1e-15)
