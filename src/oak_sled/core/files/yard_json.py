"""The yard file: JSON in the order of the declarations, written whole or not at all."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from oak_sled.core import document, measures
from oak_sled.core.faults import Fault, Refused, refuse
from oak_sled.core.yard import FORMAT, Yard

MOST_BYTES = 64_000_000
"""A yard file larger than this is refused before it is read."""


def dumps(yard: Yard) -> str:
    """The yard as text: stable order, one value a line, so that it diffs well."""
    return json.dumps(yard.model_dump(mode="json"), indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def loads(text: str, where: str = "") -> Yard:
    """The yard written as `text`; raises `Refused` with one fault for each thing that is wrong."""
    try:
        data = json.loads(text, parse_constant=_no_constant)
    except json.JSONDecodeError as error:
        place = f"{where or 'yard'} line {error.lineno}, column {error.colno}"
        raise refuse(place, f"is not JSON: {error.msg.lower()}", "a yard file as this program writes it") from None
    except RecursionError:
        raise refuse(where or "yard", "is nested too deeply", "a yard file as this program writes it") from None
    if not isinstance(data, dict):
        raise refuse(where or "yard", "is not a yard", "an object with crafts, grounds and drills")
    number = data.get("format", FORMAT)
    if isinstance(number, int) and number > FORMAT:
        raise refuse("format", f"{number} was written by a newer version", f"this version reads formats up to {FORMAT}")
    yard: Yard = document.checked(Yard, data)
    faults = list(_unknown_measures(yard))
    if faults:
        raise Refused(faults)
    return yard


def _unknown_measures(yard: Yard) -> Iterator[Fault]:
    """Targets that ask for a measure that there is not: documents know no measures, so that it is asked here."""
    for drill in yard.drills:
        for place, target in enumerate(drill.targets):
            try:
                measures.measure(target.measure)
            except Refused as refused:
                fault = refused.faults[0]
                yield Fault(f"drills.{drill.id}.targets.{place}.measure", fault.what, fault.right)


def _no_constant(name: str) -> float:
    raise Refused([Fault("yard", f"{name} stands where a number should", "a finite number")])


def load(path: Path) -> Yard:
    """The yard in a file; raises `Refused` when there is none or it is not right."""
    try:
        if path.stat().st_size > MOST_BYTES:
            raise refuse(str(path), "is too large for a yard", f"at most {MOST_BYTES // 1_000_000} MB")
        text = path.read_text(encoding="utf-8")
    except UnicodeDecodeError:
        raise refuse(str(path), "is not text", "a yard file in UTF-8") from None
    except OSError as error:
        raise refuse(str(path), f"cannot be read: {_words(error)}", "a file you may read") from None
    return loads(text, str(path))


def save(yard: Yard, path: Path) -> None:
    """Writes the yard; the old file stays whole until the new one is."""
    write_whole(path, dumps(yard).encode())


def write_whole(path: Path, content: bytes) -> None:
    """Writes a file beside its place, to disk, and then puts it there in one step."""
    handle, name = -1, ""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(name, path.stat().st_mode & 0o777 if path.exists() else 0o644)
        os.replace(name, path)
    except OSError as error:
        if name and os.path.exists(name):
            os.unlink(name)
        raise refuse(
            str(path), f"cannot be written: {_words(error)}", "a folder with room that you may write to"
        ) from None


def _words(error: OSError) -> str:
    return (error.strerror or str(error)).lower()


def schema() -> dict[str, Any]:
    """The JSON Schema of the yard file."""
    made = Yard.model_json_schema()
    made["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    made["title"] = "Oak Sled yard"
    return made
