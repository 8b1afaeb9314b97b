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


@pytest.mark.parametrize("count", [1, 2, 9, 10, 11, 999, 1000, 2401])
def test_a_thinned_curve_has_the_least_and_the_greatest_of_every_stretch(count):
    rng = np.random.default_rng(count)
    times, values = np.cumsum(rng.uniform(0.1, 1.0, count)), rng.normal(0.0, 1.0, count)
    points = curve.thinned(times, values, 10)
    drawn, stretch = curve.drawn_points(count, 10)
    assert points.shape == (drawn, 2)
    assert np.all(np.diff(points[:, 0]) >= 0.0)
    assert points[-1].tolist() == [times[-1], values[-1]]
    if stretch == 1:
        assert np.array_equal(points, np.stack([times, values], axis=1))
        return
    for block in range(count // stretch):
        own = values[block * stretch : (block + 1) * stretch]
        assert sorted(points[2 * block : 2 * block + 2, 1]) == [own.min(), own.max()]


def test_a_thinned_curve_counts_what_is_no_number():
    values = np.array([np.nan, 3.0, np.inf, -1.0])
    points = np.empty((4, 2))
    assert curve.write_thinned(np.arange(4.0), values, 1, points) == (-1.0, 3.0, 2)
