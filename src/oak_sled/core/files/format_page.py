"""The page on the yard format, made from the declarations."""

from __future__ import annotations

from typing import Any, get_args, get_origin

from pydantic import BaseModel
from pydantic.fields import FieldInfo

from oak_sled.core.base import dial
from oak_sled.core.geometry import terrain
from oak_sled.core.parts import layer, register, runner
from oak_sled.core.yard import (
    block,
    body,
    channel,
    craft,
    drill,
    event,
    game,
    ground,
    joint,
    law,
    recording,
    ties,
    wish,
    yard,
)  # fmt: skip

_HEAD = """# The yard file

A yard is one JSON file, written in the order below with one value a line, so that it diffs well under
version control. `oak-sled schema` prints its JSON Schema. This page is made from the declarations by
`scripts/write_pages.py`.

Every number stands in its SI unit (angles in degrees, as the names ending in `_deg` say). It may also be
given as text with a unit, such as `"0.62 kN"`. Members of a list are found by their `id`, and a path such
as `crafts.fan_sled.parts.fan.thrust` names a place, for `--set` and in every message.

Kept runs lie beside the file in a folder `FILE.runs` (`yard.json.runs` for `yard.json`): an index named after the
content of the yard it belongs to, a file for each card with the documents it was made of, its measures and its path,
and for a live drive its record: a Parquet file with a column a trace by its name. A drill is run again from its
documents when someone looks at it. Folders `NAME.runs` of the first version are read.

JSON is read strictly: a name that stands twice in an object, NaN, and numbers beyond any float are refused.
"""


def page() -> str:
    """The page as Markdown."""
    sections = [_HEAD]
    first: tuple[type[BaseModel], ...] = (
        yard.Yard, yard.Bench, game.Game, craft.Craft, body.Body, channel.Channel, law.Number, law.Law,
    )  # fmt: skip
    sections += [_section(model, model.__name__) for model in first]
    for document in (kind.document for kind in register.KINDS):
        sections.append(
            _section(document, f"Part: {document.TITLE.lower()} (`{document.model_fields['kind'].default}`)")
        )
        if document is runner.Runner:
            sections.append(_section(runner.GripKnot, "Knot of a grip curve"))
    last: tuple[type[BaseModel], ...] = (ground.Ground, ground.Wall, block.Block, block.Material, block.Pair)
    last += (layer.Layer, layer.LayerPair, joint.Joint, *ties.TIES, ground.Gate, terrain.Patch, terrain.Relief)
    last += (drill.Drill, drill.Start, drill.Member, drill.Track, drill.Knot, event.Event, drill.Target)
    last += (recording.Recording, recording.Column, wish.Wish, wish.Band)
    sections += [_section(model, model.__name__) for model in last]
    return "\n".join(sections)


def _section(model: type[BaseModel], title: str) -> str:
    says = " ".join((model.__doc__ or "").strip().partition("\n\n")[0].split())  # its first paragraph, whole
    lines = [f"## {title}", "", says, "", "| name | value | default | meaning |", "| --- | --- | --- | --- |"]
    lines += [_row(model, name, field) for name, field in model.model_fields.items()]
    return "\n".join(lines) + "\n"


def _row(model: type[BaseModel], name: str, field: FieldInfo) -> str:
    unit = dial.unit_of(model, name, {})
    if unit is not None:
        low = next(mark.ge for mark in field.metadata if hasattr(mark, "ge"))
        high = next(mark.le for mark in field.metadata if hasattr(mark, "le"))
        value = f"{low:g} to {high:g} {unit}".strip()
        extra = field.json_schema_extra
        declared: Any = extra.get("dial") if isinstance(extra, dict) else {}
        if declared.get("unit_by"):
            value += f" (by {declared['unit_by']['field']})"
    else:
        value = _kind(field.annotation)
    default = "" if field.is_required() else _default(field)
    return f"| `{name}` | {value} | {default} | {field.description or ''} |"


def _kind(annotation: Any) -> str:
    if get_args(annotation) and str(get_origin(annotation)).endswith("Literal"):
        return ", ".join(f"`{choice}`" for choice in get_args(annotation))
    if get_origin(annotation) is tuple:
        inner = get_args(annotation)[0]
        return f"list of {_kind(inner)}"
    if isinstance(annotation, type):
        return {"str": "text", "bool": "true or false", "int": "whole number", "float": "number"}.get(
            annotation.__name__, annotation.__name__
        )
    if "AnyPart" in str(annotation) or "discriminator" in str(annotation):
        return "part"
    return "number or null" if "float" in str(annotation) else "text"


def _default(field: FieldInfo) -> str:
    if field.default_factory is not None:
        return "as declared"
    value = field.default
    if isinstance(value, tuple):
        return "none" if not value else "as drawn"
    if isinstance(value, BaseModel):
        return "as declared"
    if isinstance(value, bool):
        return str(value).lower()
    return f"{value:g}" if isinstance(value, float | int) else f"{value}"
