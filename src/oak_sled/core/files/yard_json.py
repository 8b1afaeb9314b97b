"""The yard file: JSON in the order of the declarations, written whole or not at all."""

from __future__ import annotations

import json
import math
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from oak_sled.core.base import disk, document
from oak_sled.core.base.faults import Fault, Refused, refuse
from oak_sled.core.base.json_text import text_of
from oak_sled.core.files import migrations
from oak_sled.core.yard.yard import FORMAT, Yard

MOST_BYTES = 64_000_000
"""A yard file larger than this is refused before it is read."""


def dumps(yard: Yard) -> str:
    """The yard as text: stable order, one value a line, so that it diffs well."""
    return text_of(yard.model_dump(mode="json"))


def encoded(yard: Yard) -> bytes:
    """The yard as the bytes of a file; raises `Refused` with the place of what no file can hold."""
    try:
        made = dumps(yard).encode()
        if len(made) <= MOST_BYTES:
            return made
        what = f"is too large to be opened again: {len(made) / 1e6:.0f} MB"
    except (ValueError, TypeError, RecursionError) as error:
        place = unwritable(yard.model_dump()) or "yard"
        raise refuse(place, f"cannot be written: {error}", "finite numbers and whole characters") from None
    raise refuse("yard", what, f"at most {MOST_BYTES // 1_000_000} MB: fewer knots, meshes or spreads")


def unwritable(data: Any, path: str = "") -> str:
    """The place of the first value that JSON cannot hold, "" if there is none."""
    if isinstance(data, dict | list | tuple):
        pairs = data.items() if isinstance(data, dict) else enumerate(data)
        found = (
            unwritable(inner, f"{path}.{_name_of(key, inner)}" if path else _name_of(key, inner))
            for key, inner in pairs
        )
        return next((one for one in found if one), "")
    if isinstance(data, str):
        return "" if _is_text(data) else path
    fine = data is None or isinstance(data, int) or (isinstance(data, float) and math.isfinite(data))
    return "" if fine else path


def _name_of(key: Any, value: Any) -> str:
    """The name of a member of a list: its id."""
    return str(value["id"]) if isinstance(key, int) and isinstance(value, dict) and "id" in value else str(key)


def _is_text(text: str) -> bool:
    """True if a text is of whole characters: JSON can name half of one, which no file can hold."""
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


def loads(text: str, where: str = "") -> Yard:
    """The yard written as `text`; raises `Refused` with one fault for everything that is wrong."""
    return of(parse(text, where or "yard"), where)


def load_bytes(content: bytes, where: str) -> Yard:
    """The yard in the bytes of a file; raises `Refused`."""
    return of(parse(content, where), where)


def of(data: Any, where: str = "") -> Yard:
    """The yard in what was read from JSON; raises `Refused`."""
    if not isinstance(data, dict):
        raise refuse(where or "yard", f"is {_kind(data)}, not a yard", "an object with crafts, grounds and drills")
    number = data.get("format", FORMAT)
    if isinstance(number, float):
        raise refuse("format", f"{number} is not a whole number", f"a whole number up to {FORMAT}")
    if isinstance(number, int) and number > FORMAT:
        raise refuse("format", f"{number} was written by a newer version", f"this version reads formats up to {FORMAT}")
    if isinstance(number, int) and not isinstance(number, bool) and 1 <= number < FORMAT:
        data = migrations.migrate(data, number)
    yard: Yard = document.checked(Yard, data)
    faults = list(_unknown_measures(yard))
    if faults:
        raise Refused(faults)
    return yard


def told_of(data: Any) -> str:
    """A line for the user where the data are of an older format, else ""."""
    number = data.get("format", FORMAT) if isinstance(data, dict) else FORMAT
    if not isinstance(number, int) or isinstance(number, bool) or number >= FORMAT:
        return ""
    return f"format {number} was read; it is saved as format {FORMAT}, which older versions cannot open"


def _kind(data: Any) -> str:
    kinds = {list: "a list", str: "a text", bool: "true or false", int: "a number", float: "a number"}
    return kinds.get(type(data), "nothing")


def parse(content: str | bytes, where: str) -> Any:
    """The values of a JSON text; raises `Refused` with the place of the error.

    Stricter than the standard asks: a name that stands twice in an object, NaN and Infinity, and numbers beyond any
    float are refused, since reading them would drop or bend something in silence.
    """
    if isinstance(content, bytes):
        content = _decoded(content, where)
    right = "JSON as this program writes it"
    try:
        return _Strict(where).decode(content)
    except json.JSONDecodeError as error:
        place = f"{where} line {error.lineno}, column {error.colno}"
        raise refuse(place, f"is not JSON: {error.msg[:1].lower()}{error.msg[1:]}", right) from None
    except RecursionError:
        raise refuse(where, "is nested too deeply", right) from None


def _decoded(content: bytes, where: str) -> str:
    if content.startswith(b"\xef\xbb\xbf"):
        raise refuse(where, "begins with a byte order mark", "save it as UTF-8 without BOM")
    try:
        return content.decode("utf-8")
    except UnicodeDecodeError as error:
        line = content.count(b"\n", 0, error.start) + 1
        raise refuse(
            f"{where} line {line}", f"byte {content[error.start]:#04x} is not text", "a file in UTF-8"
        ) from None


class _Strict(json.JSONDecoder):
    """A decoder that says where in the tree something is wrong that JSON's grammar lets pass."""

    def __init__(self, where: str):
        self.where = where
        super().__init__(
            object_pairs_hook=self._object,
            parse_constant=self._constant,
            parse_int=self._whole,
            parse_float=self._number,
        )

    def _object(self, pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        made = dict(pairs)
        if len(made) < len(pairs):
            names = [name for name, _ in pairs]
            twice = next(name for name in names if names.count(name) > 1)
            inside = made.get("id")
            place = f"{self.where}, in {inside!r}" if isinstance(inside, str) else self.where
            raise refuse(place, f"duplicate key {twice!r}", "each key once")
        for name, value in pairs:
            if not _is_text(name) or (isinstance(value, str) and not _is_text(value)):
                place = f"{self.where}, at {name.encode(errors='replace').decode()!r}"
                raise refuse(place, "half a character stands in a text (a lone surrogate)", "whole characters")
            if isinstance(value, _Wrong):
                raise refuse(f"{self.where}, at {name!r}", value.says, "a finite number of usual size")
            wrong = _wrong_in(value)
            if wrong is not None:
                raise refuse(f"{self.where}, in {name!r}", wrong.says, "a finite number of usual size")
        return made

    @staticmethod
    def _constant(name: str) -> Any:
        return _Wrong(f"expected a number, got {name}")

    @staticmethod
    def _whole(text: str) -> Any:
        if len(text) > 30:
            return _Wrong(f"a whole number of {len(text)} digits")
        return int(text)

    @staticmethod
    def _number(text: str) -> Any:
        value = float(text)
        if value in (float("inf"), float("-inf")):
            return _Wrong(f"{text[:20]} is too large for a number")
        return value


class _Wrong:
    """A number that cannot stand; its object says where it is."""

    def __init__(self, says: str):
        self.says = says


def _wrong_in(value: Any) -> _Wrong | None:
    """The first number in lists of lists that cannot stand; objects were looked through when they were made."""
    if isinstance(value, str) and not _is_text(value):
        return _Wrong("half a character stands in a text (a lone surrogate)")
    if not isinstance(value, list):
        return None
    found = (one if isinstance(one, _Wrong) else _wrong_in(one) for one in value)
    return next((one for one in found if one is not None), None)


def _unknown_measures(yard: Yard) -> Iterator[Fault]:
    """Targets that ask for a measure that there is not: documents know no measures, so that it is asked here."""
    from oak_sled.core.results import measures  # heavy: all that makes a run

    crafts = [one.id for craft in yard.crafts for one in craft.singles]
    for drill in yard.drills:
        for place, target in enumerate(drill.targets):
            try:
                measures.measure(target.measure, crafts)
            except Refused as refused:
                fault = refused.faults[0]
                yield Fault(f"drills.{drill.id}.targets.{place}.measure", fault.what, fault.right)


def read(path: Path) -> Any:
    """The values of a yard file, as JSON has them; raises `Refused` when there is none or it is no JSON."""
    return parse(disk.read_whole(path, MOST_BYTES, "a yard file as this program writes it"), str(path))


def read_stdin() -> Any:
    """The values of a yard on standard input, as JSON has them; raises `Refused`."""
    content = sys.stdin.buffer.read(MOST_BYTES + 1)
    if len(content) > MOST_BYTES:
        raise refuse("standard input", "is too large", f"at most {MOST_BYTES // 1_000_000} MB")
    return parse(content, "standard input")


def load(path: Path) -> Yard:
    """The yard in a file; raises `Refused` when there is none or it is not right."""
    return of(read(path), str(path))


def save(yard: Yard, path: Path) -> None:
    """Writes the yard; the old file stays whole until the new one is."""
    disk.write_whole(path, encoded(yard))


def schema() -> dict[str, Any]:
    """The JSON Schema of the yard file."""
    from oak_sled.core.results import measures  # heavy: all that makes a run

    made = Yard.model_json_schema()
    known = "|".join(one.name for one in measures.MEASURES)
    for model in (made, *made.get("$defs", {}).values()):
        for name, field in model.get("properties", {}).items():
            _widen(field)
            if name == "measure":
                field["pattern"] = f"^({known})(@[a-z][a-z0-9_.]*)?$"
            elif name == "measures":
                field["items"] = {**field.get("items", {}), "pattern": f"^({known})(@[a-z][a-z0-9_.]*)?$"}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": f"urn:oak-sled:yard:{FORMAT}",
        **made,
        "title": "Oak Sled yard",
    }


def _widen(field: dict[str, Any]) -> None:
    """Lets a dial be a text with a unit too, as the program reads it."""
    if "dial" not in field or field.get("type") != "number":
        return
    number = {key: field.pop(key) for key in ("type", "minimum", "maximum") if key in field}
    unit = field["dial"].get("unit") or "no unit"
    field["anyOf"] = [
        number,
        {"type": "string", "minLength": 1, "description": f"a number in {unit}, or with its unit"},
    ]


def schema_text() -> str:
    """The JSON Schema as the package carries it, so that it is there without the documents: see `cli.schema`."""
    return json.dumps(schema(), indent=1, ensure_ascii=False) + "\n"
