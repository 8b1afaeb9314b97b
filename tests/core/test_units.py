"""Units and small sums: what a user types, and how numbers are shown."""

from __future__ import annotations

import math

import pytest

from oak_sled.core.base import units
from oak_sled.core.base.faults import Refused


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("620", "N", 620.0),
        ("0.62 kN", "N", 620.0),
        ("40 km/h", "m/s", 40 / 3.6),
        ("=2*pi/3 rad", "°", 120.0),
        ("90 deg", "rad/s2", None),
        ("0.8 g", "m/s2", 0.8 * 9.80665),
        ("3 1/s", "1/s", 3.0),
        ("12 cm", "m", 0.12),
        ("(1+2)*4^2/3", "", 16.0),
        ("-2^2", "m", -4.0),
        ("2^-1", "m", 0.5),
        ("1,5", "m", 1.5),
        ("5 %", "", 0.05),
        ("1.2 t", "kg", 1200.0),
        ("10 N s/m", "N s/m", 10.0),
        ("2 rev", "rad", 4 * math.pi),
    ],
)
def test_entries(text, unit, value):
    if value is None:
        with pytest.raises(Refused, match="is no unit of this quantity"):
            units.read(text, unit)
    else:
        assert units.read(text, unit) == pytest.approx(value, rel=1e-12)


def test_g_is_taken_for_a_force_when_the_mass_is_known():
    assert units.read("0.5 g", "N", mass=100.0) == pytest.approx(490.3325)
    with pytest.raises(Refused):
        units.read("0.5 g", "N")


@pytest.mark.parametrize(
    "text",
    ["", "=", "1/0", "two", "1 furlong", "(1", "1e400", "9^9^9^9", "1..2", "__import__('os')", "1;2", "NaN", "inf"]
    + ["((((" * 30, "1" * 300],
)
def test_nonsense_is_refused_in_one_line(text):
    with pytest.raises(Refused) as caught:
        units.read(text, "N")
    assert len(caught.value.faults) == 1
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize(
    ("value", "unit", "shown"),
    [
        (1310.0, "N", "1.31\u2009kN"),
        (620.0, "N", "620\u2009N"),
        (0.02, "m", "2.00\u2009cm"),
        (2.583, "m/s2", "2.58\u2009m/s²"),
        (17.44, "°", "17.4°"),
        (-5e-15, "m/s", "0\u2009m/s"),
        (1.6e6, "J", "1.60\u2009MJ"),
        (12345.0, "kg", "12345\u2009kg"),
        (math.inf, "m", "—\u2009m"),
    ],
)
def test_numbers_are_shown_to_three_digits_with_a_sensible_prefix(value, unit, shown):
    assert units.show(value, unit) == shown


@pytest.mark.parametrize(
    ("value", "size", "places", "wanted"),
    [
        (0.00373, 25.7, 3, "0"),
        (0.00551, 59.0, 3, "0.0100"),
        (-26.7, 16200.0, 4, "-27.0"),
        (-2.76e-5, 16200.0, 4, "0"),
        (13.8, 13.8, 3, "13.8"),
        (0.527, 0.64, 3, "0.527"),
        (5.0, 0.0, 3, "5.00"),
    ],
)
def test_a_reading_shows_no_dust_beside_what_it_stands_with(value, size, places, wanted):
    assert units.split(units.settled(value, size, places), "")[0] == wanted


def test_what_is_not_finite_stays_so():
    assert math.isnan(units.settled(math.nan, 1.0))
    assert units.settled(3.0, math.inf) == 3.0
