"""Frozen documents: validated values that an edit replaces and never changes.

A path names a place: "crafts.fan_sled.parts.fan.thrust". A name after a tuple is the `id` of one
of its members. `edit` rebuilds every document on the way down through its validation, so that a
document that exists is a document that is right.

Files that declare documents do without `from __future__ import annotations`: annotations that are texts are read anew
for every class that inherits them, which made the start of the program longer.
"""

import difflib
import re
import weakref
from collections.abc import Iterator, Mapping, Sequence
from functools import cache
from typing import Any, ClassVar, Self, get_args

from pydantic import BaseModel, ConfigDict, Field, ValidationError, ValidationInfo, model_validator

from oak_sled.core.base import dial as dial_module
from oak_sled.core.base import units
from oak_sled.core.base.dial import Dial
from oak_sled.core.base.faults import Fault, Refused, close_match, refuse

_NAMED = re.compile(r"([a-z][a-z0-9_.]*): (.*)", re.DOTALL)
ID_PATTERN = r"^[a-z][a-z0-9_]{0,39}$"


_WANTED = {
    "model_type": "an object with named values",
    "model_attributes_type": "an object with named values",
    "dict_type": "an object with named values",
    "tuple_type": "a list",
    "list_type": "a list",
    "string_type": "a text",
    "string_unicode": "a text of whole characters",
    "float_type": "a number",
    "float_parsing": "a number",
    "int_type": "a whole number",
    "int_parsing": "a whole number",
    "int_from_float": "a whole number",
    "bool_type": "true or false",
    "bool_parsing": "true or false",
    "union_tag_not_found": "an object with a kind",
    "string_too_long": "a text as short as is allowed",
    "too_short": "a list with at least one entry",
}
"""The right input, by the kind of fault; the words of the library are no user's."""


FROM_FILE = "file"
"""The context of a validation whose data were read from a file."""


@cache
def _plain_kinds(model: type[BaseModel]) -> dict[str, tuple[type, str]]:
    """The fields that are numbers or switches and no dials, and what a file has to give for them."""
    words = {int: "a whole number", float: "a number", bool: "true or false"}
    found = {}
    for name, field in model.model_fields.items():
        kinds = {field.annotation, *get_args(field.annotation)} & set(words)
        if len(kinds) == 1 and dial_module.unit_of(model, name, {}) is None:
            kind = kinds.pop()
            found[name] = (kind, words[kind])
    return found


def _check_kinds(model: type[BaseModel], data: dict[str, Any]) -> None:
    """Refuses a text where a number or a switch is wanted, and the one in the place of the other."""
    for name, (kind, words) in _plain_kinds(model).items():
        value = data.get(name)
        if isinstance(value, str) or (value is not None and isinstance(value, bool) != (kind is bool)):
            shown = str(value).lower() if isinstance(value, bool) else repr(value)[:40]
            raise ValueError(f"{name}: {shown} is not {words} ({words})")


def name_field(says: str) -> Any:
    """A field for the short name by which paths refer to a document."""
    return Field(pattern=ID_PATTERN, description=says)


def reference(what: str, says: str, default: Any = "") -> Any:
    """A field that holds the `id` of a thing of a ground. what : a block, material or layer; see `renaming`.

    default : "" where it may name nothing, ... where it must name one.
    """
    return Field(default, max_length=60, description=says, json_schema_extra={"names": what})


_WHOLE: "weakref.WeakValueDictionary[int, Frozen]" = weakref.WeakValueDictionary()
"""Documents whose validators of the whole found nothing wrong, by their ids. They are frozen: they stay so."""


class Frozen(BaseModel):
    """The base of every document: frozen, closed to unknown fields, numbers read with units."""

    model_config = ConfigDict(frozen=True, extra="forbid", validate_default=False, defer_build=True)

    WAS: ClassVar[Mapping[str, str]] = {}
    """Fields that had another name in an older format of the yard file, by that name: see `renamed_data`."""

    @model_validator(mode="before")
    @classmethod
    def _read_units(cls, data: Any, info: ValidationInfo) -> Any:
        """A dial may be given as text with its unit: "0.62 kN" is 620 where N is wanted.

        Any other number may be given as text on the command line, where all is text, but not in a file.
        """
        if info.context is FROM_FILE and isinstance(data, dict):
            _check_kinds(cls, data)
        if not isinstance(data, dict) or not any(isinstance(value, str | bool) for value in data.values()):
            return data
        for name, value in data.items():
            if isinstance(value, bool) and dial_module.unit_of(cls, name, data) is not None:
                raise ValueError(f"{name}: {str(value).lower()} is not a number (a number)")
        read = dict(data)
        for name, value in data.items():
            if not isinstance(value, str) or name not in cls.model_fields:
                continue
            unit = dial_module.unit_of(cls, name, data)
            if unit is not None:
                try:
                    read[name] = units.read(value, unit, in_file=info.context is FROM_FILE)
                except Refused as refused:
                    fault = refused.faults[0]
                    raise ValueError(f"{name}: {fault.what} ({fault.right})") from None
        return read

    def is_known_whole(self) -> bool:
        """True if `found_whole` was said of this very document: a validator of the whole need not look again at what
        another document takes over as it is."""
        return _WHOLE.get(id(self)) is self

    def found_whole(self) -> Self:
        """The same document, remembered as whole."""
        _WHOLE[id(self)] = self
        return self

    def replace(self, **changes: Any) -> Self:
        """The same document with some fields changed, validated again."""
        fields = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self).model_validate({**fields, **changes})


def faults_of(error: ValidationError, where: str = "", data: Any = None) -> list[Fault]:
    """The faults of a validation, each with its path in our own notation."""
    items = error.errors(include_url=False)
    places = [item["loc"] for item in items]
    # a list that lost its wrong entries counts as too short as well: that is no fault of its own
    found = [
        item
        for item in items
        if item["type"] != "too_short"
        or not any(len(place) > len(item["loc"]) and place[: len(item["loc"])] == item["loc"] for place in places)
    ]
    return [_fault(item, where, data) for item in found]


def _meant(name: str) -> str:
    """The field of any document that a name is near, as a question; else where fields are listed."""
    kinds, known = [Frozen], set()
    for kind in kinds:
        kinds += kind.__subclasses__()
        known |= set(kind.model_fields)
        if name in was(kind):
            return f"did you mean {was(kind)[name]}?"
    near = difflib.get_close_matches(name, sorted(known), n=1)
    return f"did you mean {near[0]}?" if near else "remove it; `oak-sled schema` lists every field"


def _fault(item: Any, where: str, data: Any) -> Fault:
    path = _path_of(item["loc"], data)
    place = ".".join(piece for piece in (where, path) if piece) or "yard"
    context = item.get("ctx", {})
    value = item.get("input")
    kind = item["type"]
    shown = repr(value)[:60] if not isinstance(value, dict | list | tuple) else f"a {type(value).__name__}"
    if kind in ("greater_than_equal", "less_than_equal"):
        bound = context.get("ge", context.get("le"))
        word = "at least" if "ge" in context else "at most"
        return Fault(place, f"must be {word} {bound:g}, got {shown}")
    if kind == "finite_number":
        return Fault(place, f"{shown} is not a finite number", "a finite number")
    if kind == "too_short" and isinstance(value, list | tuple):
        least = context.get("min_length", 1)
        has = f"only {len(value)} of at least {least} entries are there" if value else "it is an empty list"
        return Fault(place, has, f"at least {least} entr{'y' if least == 1 else 'ies'}")
    if kind == "extra_forbidden":
        return Fault(place, "unknown field", _meant(str(item["loc"][-1])))
    if kind == "missing":
        return Fault(place, "is missing", "give it a value")
    if kind == "union_tag_invalid":
        tag = context.get("tag", "?")
        known = [piece.strip(" '") for piece in str(context.get("expected_tags", "")).split(",")]
        return Fault(place, f"{tag!r} is not a kind of part", close_match(str(tag), known))
    if kind == "literal_error":
        return Fault(place, f"{shown} is not a choice", f"one of {context.get('expected')}")
    if kind == "value_error":
        what = str(context.get("error", item["msg"]))
        head, _, right = what.partition(" (")
        named = _NAMED.match(head)  # a validator of the whole names the field it means
        if named:
            place = ".".join(piece for piece in (where, path, named[1]) if piece)
            head = named[2]
        return Fault(place, head, right.removesuffix(")"))
    if kind == "string_pattern_mismatch":
        return Fault(place, f"{shown} cannot be a name", "a lower-case letter, then letters, digits and _")
    if kind == "too_long":
        return Fault(place, "has too many entries", f"at most {context.get('max_length')}")
    return Fault(place, f"{shown} is not {_WANTED.get(kind, 'what stands here')}", _WANTED.get(kind, "see the schema"))


def _path_of(location: tuple[Any, ...], data: Any) -> str:
    """The location of a validation error with ids in the place of positions."""
    pieces: list[str] = []
    for step in location:
        if isinstance(step, int) and isinstance(data, list | tuple):
            data = data[step] if step < len(data) else None
            name = data.get("id") if isinstance(data, dict) else getattr(data, "id", None)
            pieces.append(str(name) if name else str(step))
        elif isinstance(data, dict) and step in data:
            data = data[step]
            pieces.append(str(step))
        elif isinstance(data, BaseModel) and hasattr(data, str(step)):
            data = getattr(data, str(step))
            pieces.append(str(step))
        elif isinstance(data, dict) and data.get("kind") == step:
            continue  # the tag of a union is no place of its own
        elif isinstance(data, BaseModel) and getattr(data, "kind", None) == step:
            continue
        else:
            pieces.append(str(step))
    return ".".join(pieces)


def checked(model: type[Frozen], data: Any, where: str = "", context: object = FROM_FILE) -> Any:
    """`data` validated as `model`; raises `Refused` with every fault. context : None for what is in no file's terms."""
    try:
        return model.model_validate(data, context=context)
    except ValidationError as error:
        raise Refused(faults_of(error, where, data)) from error


def member(items: tuple[Any, ...], name: str, where: str) -> Any:
    """The member of a tuple whose id is `name`."""
    for item in items:
        if item.id == name:
            return item
    raise refuse(where, f"there is no {name!r}", close_match(name, [item.id for item in items]))


def _step(document: Any, piece: str, where: str) -> Any:
    if isinstance(document, tuple):
        if document and not hasattr(document[0], "id"):
            if re.fullmatch("[0-9]{1,9}", piece) and int(piece) < len(document):
                return document[int(piece)]
            raise refuse(where, f"{piece!r} is not a place in a list of {len(document)}", "a position from 0")
        return member(document, piece, where)
    if isinstance(document, BaseModel) and piece in type(document).model_fields:
        return getattr(document, piece)
    known = list(type(document).model_fields) if isinstance(document, BaseModel) else []
    now = was(type(document)).get(piece) if isinstance(document, Frozen) else None
    raise refuse(where, f"there is no {piece!r}", f"it is called {now} now" if now else close_match(piece, known))


def get(document: Any, path: str) -> Any:
    """The value at `path` below `document`; raises `Refused` when nothing does."""
    for piece in path.split("."):
        document = _step(document, piece, path)
    return document


def dial_at(document: Any, path: str) -> Dial | None:
    """The declaration of the dial at a path; None where none stands there."""
    owner, _, name = path.rpartition(".")
    try:
        holder = get(document, owner) if owner else document
    except Refused:
        return None
    if not isinstance(holder, BaseModel):
        return None
    return next((one for one in dial_module.dials(holder) if one.name == name), None)


def read_at(document: Any, path: str, text: str) -> float:
    """The number written as `text` for the dial at a path, in its unit: as `units.read` reads it everywhere. A force of
    a craft may be given in g, as so many times its weight. Raises `Refused`, with the path."""
    known, mass = dial_at(document, path), _mass_at(document, path)
    try:
        return units.read(text, "", mass=mass) if known is None else known.read(text, mass)
    except Refused as refused:
        raise Refused([Fault(path, one.what, one.right) for one in refused.faults]) from None


def _mass_at(document: Any, path: str) -> float | None:
    """kg of the craft below which a path lies; None where it lies below none."""
    pieces = path.split(".")
    if len(pieces) < 3 or pieces[0] != "crafts":
        return None
    try:
        craft = get(document, ".".join(pieces[:2]))
        return float(sum(body.true_mass() for body in (craft.body, *craft.bodies)))
    except Refused:
        return None


def edit(document: Any, path: str, value: Any) -> Any:
    """`document` with `value` at `path`; raises `Refused` when the place or the value is wrong."""
    return edit_all(document, [(path, value)])


def edit_all(document: Any, changes: Sequence[tuple[str, Any]]) -> Any:
    """`document` with every value at its path, validated together: what one rules out, another may allow, in any order.

    Raises `Refused` with every fault.
    """
    return _edit_all(document, [(path.split("."), value, path) for path, value in changes], "")


def _edit_all(document: Any, changes: list[tuple[list[str], Any, str]], where: str) -> Any:
    """The same for paths below `where`: what is left of each, its value, and the whole path."""
    grouped: dict[str, list[tuple[list[str], Any, str]]] = {}
    for pieces, value, path in changes:
        grouped.setdefault(pieces[0], []).append((pieces[1:], value, path))
    made: dict[str, Any] = {}
    faults: list[Fault] = []
    for piece, group in grouped.items():
        try:
            old = _step(document, piece, group[0][2])
            whole = [value for pieces, value, _ in group if not pieces]
            deeper = [one for one in group if one[0]]
            new = whole[-1] if whole else old
            made[piece] = _edit_all(new, deeper, joined(where, piece)) if deeper else new
        except Refused as refused:
            faults.extend(refused.faults)
    found: Any = None
    if isinstance(document, tuple):
        items = list(document)
        for piece, new in made.items():
            items[_place_of(document, piece)] = new
        found = tuple(items)
    elif made:
        try:
            found = document.replace(**made)
        except ValidationError as error:
            faults += faults_of(error, where, document)
    if faults:
        raise Refused(faults)
    return found


def _place_of(items: tuple[Any, ...], piece: str) -> int:
    """The index in a list of the member that a piece of a path names: by its id, or by its position."""
    if not hasattr(items[0], "id"):
        return int(piece)
    return next(place for place, item in enumerate(items) if item.id == piece)


def all_dials(document: Any, path: str = "") -> Iterator[tuple[str, Dial, float]]:
    """Every dial below `document` as (path, declaration, value), in document order."""
    if isinstance(document, tuple):
        for position, item in enumerate(document):
            if isinstance(item, BaseModel):
                yield from all_dials(item, joined(path, getattr(item, "id", str(position))))
    elif isinstance(document, BaseModel):
        for declared in dial_module.dials(document):
            yield joined(path, declared.name), declared, getattr(document, declared.name)
        for name in type(document).model_fields:
            inner = getattr(document, name)
            if isinstance(inner, BaseModel | tuple):
                yield from all_dials(inner, joined(path, name))


@cache
def was(model: type[Frozen]) -> Mapping[str, str]:
    """The fields of a document that had another name before, by that name: its own and those of its bases."""
    found: dict[str, str] = {}
    for base in reversed(model.__mro__):
        found.update(base.__dict__.get("WAS", {}))
    return found


def joined(path: str, name: str) -> str:
    """The path of a field below a path."""
    return f"{path}.{name}" if path else name


def differences(old: Any, new: Any, path: str = "") -> Iterator[tuple[str, Any, Any]]:
    """The differences of two documents, as (path, old, new); what only one has gives None for the other."""
    if old == new:
        return
    if isinstance(old, tuple) and isinstance(new, tuple) and all(hasattr(item, "id") for item in old + new):
        names = {item.id: item for item in old}, {item.id: item for item in new}
        for name in list(names[0]) + [name for name in names[1] if name not in names[0]]:
            yield from differences(names[0].get(name), names[1].get(name), joined(path, name))
    elif isinstance(old, BaseModel) and type(old) is type(new):
        for name in type(old).model_fields:
            yield from differences(getattr(old, name), getattr(new, name), joined(path, name))
    else:
        yield path, old, new
