"""Measures of a craft as it is seen over the network of its drill."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from oak_sled.core.results import copies, recorded
from oak_sled.core.results.copying import Seen
from oak_sled.core.results.measure import measured
from oak_sled.core.results.run import Run

NETWORK = "a drill with a network"


def _told(run: Run, value: Callable[[Seen], float | None]) -> float | None:
    """A number of the copy; None where there is none."""
    found = copies.beside(run)
    return None if found is None else value(found)


@measured(
    "copy off, rms",
    "m",
    "distance between the craft and its copy over the network, root mean square of all ticks",
    formula="sqrt(mean(|copy - craft|^2))",
    shows=NETWORK,
    better="low",
)
def copy_off(run: Run) -> float | None:
    """m."""
    return _told(run, lambda seen: seen.rms)


@measured("copy off at most", "m", "largest distance between the craft and its copy", shows=NETWORK, better="low")
def copy_off_most(run: Run) -> float | None:
    """m."""
    return _told(run, lambda seen: seen.most)


@measured(
    "largest jump",
    "m",
    "largest distance by which the copy moves in a tick otherwise than the craft does",
    shows=NETWORK,
    better="low",
)
def largest_jump(run: Run) -> float | None:
    """m."""
    return _told(run, lambda seen: seen.largest_jump)


@measured(
    "corrections",
    "1/s",
    "packets a second that put the copy elsewhere by more than a millimetre",
    shows=NETWORK,
    better="low",
)
def corrections(run: Run) -> float | None:
    """1/s."""
    return _told(run, lambda seen: seen.corrections)


@measured(
    "longest rollback",
    "",
    "ticks that are simulated again for a packet, at most",
    shows="a drill with a network and rollback",
    better="low",
)
def rollback_ticks(run: Run) -> float | None:
    """Ticks."""
    return _told(run, lambda seen: float(seen.rolled.max()) if len(seen.rolled) else None)


@measured("late inputs", "%", "share of inputs that a server does not have in their tick", shows=NETWORK, better="low")
def late_inputs(run: Run) -> float | None:
    """Percent."""
    return _told(run, lambda seen: 100.0 * seen.late_inputs)


@measured(
    "off the game, rms",
    "m",
    "distance between the craft and where a recorded game had it, root mean square while it told",
    formula="sqrt(mean(|craft - game|^2))",
    shows="a drill with a recording",
    better="low",
)
def off_recording(run: Run) -> float | None:
    """m."""
    if recorded.beside(run) is None:
        return None
    told = recorded.off(run, "place")
    told = told[np.isfinite(told)]
    return float(np.sqrt(np.mean(told**2))) if len(told) else None
