"""Yard files of older formats, brought to the present one in memory.

Format 1 (to 2): a craft said of itself that it is driven beside the others, and how far to the left of the start it
begins (`beside`, `lane`). In format 2 a drill names its cast: the crafts that take part, and where each begins. Twins,
which run a drill each in a world of its own, stand a `twin_gap` apart.

Format 2 (to 3): a sprung wheel said itself how it holds its craft down (`reach_below`, `hold_down`). In format 3 a part
does that, an aid with a switch of its own.

Format 3 (to 4): fields have the standard terms of the field for their names, such as `drag_coefficient`; every document
says what they were called before (`Frozen.WAS`).
"""

from __future__ import annotations

import math
from typing import Any

from oak_sled.core.base import renames
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.yard import FORMAT, Yard

Data = dict[str, Any]
_MOST_CAST = 7
_DRY_FRICTION = ("runner", "wheel", "brake")
"""Kinds before which what pushes stands."""


def migrate(data: Data, number: int) -> Data:
    """A yard of an older format as one of the present; what is not there or not right is left as it is, and is refused
    by the validation that follows."""
    if number < 2:
        data = _cast_of_lanes(data)
    if number < 3 and isinstance(data.get("crafts"), list):
        crafts = [_with_hold_downs(one) if isinstance(one, dict) else one for one in data["crafts"]]
        data = {**data, "crafts": crafts}
    renamed: Data = renames.renamed_data(Yard, _with_new_paths(data))
    return {**renamed, "format": FORMAT}


def _with_new_paths(data: Data) -> Data:
    """Spreads with the paths that they vary by the names that fields have now."""
    if not isinstance(data.get("spreads"), list):
        return data
    spreads = []
    for one in data["spreads"]:
        axes = one.get("axes") if isinstance(one, dict) else None
        if isinstance(axes, list):
            one = {**one, "axes": [_with_new_path(axis, data) for axis in axes]}
        spreads.append(one)
    return {**data, "spreads": spreads}


def _with_new_path(axis: Any, data: Data) -> Any:
    if not isinstance(axis, dict) or not isinstance(axis.get("path"), str):
        return axis
    return {**axis, "path": renames.renamed_path(Yard, data, axis["path"])}


def migrate_card(craft: Data, drill: Data) -> tuple[Data, Data]:
    """The craft and the drill of a kept run of an older format, or of the present one: the lane of the craft becomes a
    part of its start, what its wheels hold down a part of its own, and fields have the names of now."""
    craft = renames.renamed_data(Craft, _with_hold_downs(craft))
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


def _with_hold_downs(craft: Data) -> Data:
    if not isinstance(craft.get("parts"), list):
        return craft
    parts: list[Any] = []
    holds: list[Data] = []
    taken = {str(one.get("id")) for one in craft["parts"] if isinstance(one, dict)}
    for part in craft["parts"]:
        if not isinstance(part, dict) or part.get("kind") != "wheel":
            parts.append(part)
            continue
        reach, pull = (_number(part.get(name)) for name in ("reach_below", "hold_down"))
        parts.append({name: value for name, value in part.items() if name not in ("reach_below", "hold_down")})
        if reach > 0.0 and pull > 0.0:
            wheels = str(part.get("id"))
            name = next(one for k in range(len(taken) + 1) if (one := f"{wheels[:30]}_hold{k or ''}") not in taken)
            taken.add(name)
            more = {one: part[one] for one in ("mute", "solo", "trim") if one in part}
            hold = {"kind": "hold_down", "id": name, "wheels": wheels, "pull": pull, "reach": max(reach, 1e-3)}
            holds.append({**hold, **more})
    kinds = [part.get("kind") if isinstance(part, dict) else "" for part in parts]
    at = next((place for place, kind in enumerate(kinds) if kind in _DRY_FRICTION), 0)
    return {**craft, "parts": [*parts[:at], *holds, *parts[at:]]}


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
