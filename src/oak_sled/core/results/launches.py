"""Measures of a launch: the flight of a craft or a watched block after a push."""

from __future__ import annotations

from collections.abc import Callable

from oak_sled.core.results import flights
from oak_sled.core.results.measure import measured
from oak_sled.core.results.run import Run


def _flight(run: Run, name: str) -> flights.Flight | None:
    """The flight of a block, or of the craft where no name is given; None where there is none."""
    if not name:
        return flights.of_craft(run)
    return flights.of_block(run, name) if name in run.layout.blocks else None


def of_flight(field: str, name: str = "") -> Callable[[Run], float | None]:
    """A number of the flight of the craft, or of a watched block; the flight is read once a run."""

    def read(run: Run) -> float | None:
        flight = run.analysis.once(("flight", name), lambda: _flight(run, name))
        if flight is None or (field in ("height", "air") and flight.air == 0.0):
            return None  # what slid along the ground did not fly
        return getattr(flight, field)

    return read


@measured(
    "launch speed",
    "m/s",
    "greatest speed in half a second from the push",
    formula="max |v| over 0.5 s",
    shows="a push by an event, a knockback or a sling",
    ledger=True,
)
def launch_speed(run: Run) -> float | None:
    return of_flight("speed")(run)


@measured(
    "launch distance",
    "m",
    "horizontal distance from the push to the end",
    formula="|x - x(push)|, horizontal",
    shows="a push by an event, a knockback or a sling",
    ledger=True,
)
def launch_distance(run: Run) -> float | None:
    return of_flight("distance")(run)


@measured(
    "launch height",
    "m",
    "greatest height above the place of the push",
    formula="max z - z(push)",
    shows="a push by an event, a knockback or a sling, and a flight after it",
    ledger=True,
)
def launch_height(run: Run) -> float | None:
    return of_flight("height")(run)


@measured(
    "time in flight",
    "s",
    "time in the air after the push",
    formula="ticks off the ground / tick rate",
    shows="a push by an event, a knockback or a sling, and a flight after it",
    ledger=True,
)
def launch_air(run: Run) -> float | None:
    return of_flight("air")(run)


@measured(
    "turns",
    "",
    "whole turns about any axis after the push",
    formula="floor of the integral of |omega| / 2 pi",
    shows="a push by an event, a knockback or a sling",
    ledger=True,
)
def launch_turns(run: Run) -> float | None:
    return of_flight("turns")(run)


@measured(
    "settling time",
    "s",
    "from the push until a block rests, or a craft is under control again",
    formula="t settled - t of the push",
    shows="a push by an event, a knockback or a sling, and rest after it",
    better="low",
    ledger=True,
)
def settling_time(run: Run) -> float | None:
    return of_flight("settled")(run)
