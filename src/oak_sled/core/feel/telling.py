"""Bands of words of feel as they are told: title, unit, value and what is wanted."""

from __future__ import annotations

from oak_sled.core.base import units
from oak_sled.core.feel import quantities
from oak_sled.core.results import measures
from oak_sled.core.yard.wish import Band


def unit_of(band: Band) -> str:
    """The unit of what a band asks for."""
    return measures.known(band.quantity).unit if band.drill else quantities.known(band.quantity).unit


def title_of(band: Band) -> str:
    """The title of the quantity or measure that it asks for."""
    if band.drill:
        return f"{measures.known(band.quantity).title} ({band.drill.replace('_', ' ')})"
    return quantities.known(band.quantity).title


def says_of(band: Band) -> str:
    """The definition of what it asks for."""
    return measures.known(band.quantity).says if band.drill else quantities.known(band.quantity).says


def value_of(band: Band, value: float) -> str:
    """A value of it, with its unit."""
    return units.plain(value, unit_of(band), 3)


def wanted(band: Band) -> str:
    """The band in words."""
    if band.low is not None and band.high is not None:
        return units.bounds(band.low, band.high, unit_of(band), 3)
    if band.low is not None:
        return f"at least {value_of(band, band.low)}"
    return f"at most {value_of(band, band.high or 0.0)}"
