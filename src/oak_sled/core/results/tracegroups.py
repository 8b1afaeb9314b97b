"""Groups of traces that stand in one strip: forces, channels, what rays and wheels with tires show."""

from __future__ import annotations

from oak_sled.core.parts.common import SHOWN_UNITS
from oak_sled.core.results import flights, traces
from oak_sled.core.results.run import Run

DEFAULT = ("speed", "slip_angle", "forces", "yaw_rate", "channels")
RAY_GROUPS = {"gaps": "gaps", "gap rates": "gap rates", "loads": "loads", "load shares": "load shares"}
_RAY_TRACES = dict(zip(RAY_GROUPS, traces.RAY_TRACES, strict=True))
TIRE_GROUPS = {
    "slip angles": "slip_angle",
    "slip ratios": "slip_ratio",
    "grip used": "used",
    "side forces": "side",
    "forces along": "along",
    "wheel turn rates": "turn",
}
"""The groups of traces of all wheels with tires, and which trace of each they show."""
GROUPS = {
    "forces": "forces",
    "channels": "channels",
    "launch speed": "launch speed",
    "launch height": "launch height",
    **RAY_GROUPS,
    **{name: name for name in TIRE_GROUPS},
}
"""Groups by name, and what each is headed with."""


def members(run: Run, name: str) -> list[str]:
    """The traces a strip shows: itself, or those of its group."""
    craft = run.job.single
    if name == "channels":
        return [f"channel.{channel.id}" for channel in craft.channels][:4]
    if name.startswith("launch "):
        return [f"block.{block}.{name.removeprefix('launch ')}" for block in flights.watched(run)][:5]
    if name in RAY_GROUPS:
        return traces.of_rays(craft, _RAY_TRACES[name])[:8]
    if name in TIRE_GROUPS:
        return traces.of_tires(craft, TIRE_GROUPS[name])[:8]
    if name == "forces":
        pushing = [part for part in craft.parts if part.shows() not in SHOWN_UNITS and not part.ANSWERS_WALLS]
        return [f"part.{part.id}" for part in pushing][:5]
    return [name]
