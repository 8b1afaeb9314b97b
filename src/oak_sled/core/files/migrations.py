"""Yard files of older formats, brought to the present one in memory.

Format 1 (to 2): a craft said of itself that it is driven beside the others, and how far to the left of the start it
begins (`beside`, `lane`). In format 2 a drill names its cast: the crafts that take part, and where each begins. Twins,
which run a drill each in a world of its own, stand a `twin_gap` apart.
"""

from __future__ import annotations

import math
from typing import Any

Data = dict[str, Any]
_MOST_CAST = 7


def migrate(data: Data, number: int) -> Data:
    """A yard of an older format as one of the present; what is not there or not right is left as it is, and is refused
    by the validation that follows."""
    if number < 2:
        data = _cast_of_lanes(data)
    return data


def migrate_card(craft: Data, drill: Data) -> tuple[Data, Data]:
    """The craft and the drill of a kept run of format 1: the lane of the craft becomes a part of its start."""
    lane = _number(craft.get("lane"))
    if "lane" not in craft and "beside" not in craft:
        return craft, drill
    craft = {name: value for name, value in craft.items() if name not in ("lane", "beside")}
    return craft, {**drill, "start": _aside(drill.get("start"), lane)} if lane else drill


def _cast_of_lanes(data: Data) -> Data:
    crafts = [one for one in _list(data.get("crafts")) if isinstance(one, dict)]
    lanes = {str(one.get("id")): _number(one.get("lane")) for one in crafts}
    beside = [str(one.get("id")) for one in crafts if one.get("beside") is True]
    bench = data.get("bench")
    chosen = str(bench.get("craft")) if isinstance(bench, dict) else ""
    lead = chosen if chosen not in beside else next((name for name in lanes if name not in beside), chosen)
    others = [name for name in beside if name != lead][:_MOST_CAST]
    drills = []
    for drill in _list(data.get("drills")):
        if not isinstance(drill, dict):
            drills.append(drill)
            continue
        twins = [name for name in _list(drill.get("twins")) if isinstance(name, str)]
        gap = max((abs(lanes.get(name, 0.0) - lanes.get(lead, 0.0)) for name in twins), default=0.0)
        more: Data = {"twin_gap": gap} if gap else {}
        if others and not drill.get("recorded"):
            start = drill.get("start")
            cast = [{"id": name, "start": _aside(start, lanes[name] - lanes.get(lead, 0.0))} for name in others]
            more |= {"craft": lead, "cast": cast}
        drills.append({**drill, **more})
    kept = [
        {name: value for name, value in one.items() if name not in ("lane", "beside")} if isinstance(one, dict) else one
        for one in _list(data.get("crafts"))
    ]
    changed: Data = {"format": 2}
    if "crafts" in data:
        changed["crafts"] = kept if isinstance(data["crafts"], list) else data["crafts"]
    if "drills" in data:
        changed["drills"] = drills if isinstance(data["drills"], list) else data["drills"]
    return {**data, **changed}


def _aside(start: Any, lane: float) -> Data:
    """A start so many metres farther to the left."""
    found = dict(start) if isinstance(start, dict) else {}
    angle = math.radians(_number(found.get("heading_deg")))
    found["x"] = _number(found.get("x")) - math.sin(angle) * lane
    found["y"] = _number(found.get("y")) + math.cos(angle) * lane
    return found


def _list(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []


def _number(value: Any) -> float:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else 0.0
