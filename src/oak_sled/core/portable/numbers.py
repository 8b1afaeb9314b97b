"""The numbers of a craft as they leave: JSON with its schema, TOML, a table in Markdown, and what reads the JSON again
while a game runs."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.portable.code import Program
from oak_sled.core.portable.gamedoor import GameDoor
from oak_sled.core.portable.words import FRAMES, record_name
from oak_sled.core.yard.camera import YardCamera

VERSION = 1
_NAMES = {"type": "object", "propertyNames": {"pattern": "^[A-Za-z_][A-Za-z0-9_]*$"}}
_TEXTS = {**_NAMES, "additionalProperties": {"type": "string"}}
SCHEMA: dict[str, Any] = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    "title": "Numbers of a craft, as Oak Sled hands them over",
    "type": "object",
    "required": ["format", "version", "craft", "ticks_per_second", "units", "frames", "numbers", "unit", "says"],
    "properties": {
        "format": {"const": "oak-sled numbers"},
        "version": {"const": VERSION},
        "craft": {"type": "string", "description": "its name"},
        "title": {"type": "string"},
        "ticks_per_second": {"type": "number", "exclusiveMinimum": 0, "description": "as it was tuned"},
        "units": {"const": "SI and radians"},
        "frames": {"type": "string", "description": "axes of places, vectors and attitudes"},
        "numbers": {**_NAMES, "additionalProperties": {"type": "number"}, "description": "in SI and radians"},
        "unit": {**_TEXTS, "description": "the unit of a number, where it has one"},
        "says": {**_TEXTS, "description": "what a number is"},
        "tables": {**_NAMES, "additionalProperties": {"type": "array", "items": {"type": "number"}}},
        "cameras": {"type": "array", "items": {"type": "object"}, "description": "cameras of the yard, as it has them"},
        "states": {
            "type": "array",
            "items": {"type": "object"},
            "description": "states of motion, as the yard has them",
        },
        "in_game": {
            "type": "object",
            "description": "the same as the game has it; there where its units or axes are others",
            "required": ["as", "numbers", "unit"],
            "properties": {
                "as": {"type": "string", "description": "units and axes of the game, in words"},
                "numbers": {**_NAMES, "additionalProperties": {"type": "number"}},
                "unit": _TEXTS,
            },
            "additionalProperties": False,
        },
    },
    "additionalProperties": False,
}
"""The JSON Schema of `numbers.json`."""


def told(
    job: Job, program: Program, cameras: Sequence[YardCamera] = (), door: GameDoor | None = None
) -> dict[str, Any]:
    """The numbers of a craft as JSON, and those of the cameras that film it."""
    single = {name: one for name, one in program.numbers.items() if not one.shape}
    found = {
        "format": "oak-sled numbers",
        "version": VERSION,
        "craft": job.craft.id,
        "title": job.craft.heading,
        "ticks_per_second": job.ticks,
        "units": "SI and radians",
        "frames": FRAMES,
        "numbers": {name: one.values[0] for name, one in single.items()},
        "unit": {name: one.unit for name, one in program.numbers.items() if one.unit},
        "says": {name: one.says for name, one in program.numbers.items() if one.says},
        "tables": {name: one.values for name, one in program.numbers.items() if one.shape},
        "cameras": [camera.model_dump() for camera in cameras],
        "states": [state.model_dump() for state in job.craft.states],
    }
    if door is not None:
        shown = {name: door.display.shown(float(one.values[0]), one.unit) for name, one in single.items()}
        found["in_game"] = {
            "as": door.game.words(),
            "numbers": {name: value for name, (value, _) in shown.items()},
            "unit": {name: unit for name, (_, unit) in shown.items() if unit},
        }
    return found


def with_game(program: Program, door: GameDoor | None) -> None:
    """Writes beside each number of a program what it is in the game."""
    if door is None:
        return
    for one in program.numbers.values():
        if not one.shape and one.unit:
            value, unit = door.display.shown(float(one.values[0]), one.unit)
            one.in_game = "" if unit == one.unit else f"{value:.6g} {unit}".strip()


def files(found: dict[str, Any]) -> dict[str, str]:
    """`numbers.json` with its schema, and the same as TOML and as a table in Markdown, by name."""
    return {
        "numbers.json": json.dumps(found, indent=1) + "\n",
        "numbers.schema.json": json.dumps(SCHEMA, indent=1) + "\n",
        "numbers.toml": toml(found),
        "numbers.md": markdown(found),
    }


def toml(found: dict[str, Any]) -> str:
    """The same in TOML: what each number is stands behind it."""
    heads = ("format", "version", "craft", "title", "ticks_per_second", "units", "frames")
    lines = [f"{name} = {json.dumps(found[name], ensure_ascii=False)}" for name in heads]
    lines += ["", "[numbers]"]
    for name, value in found["numbers"].items():
        says = ", ".join(one for one in (found["unit"].get(name), found["says"].get(name)) if one)
        lines.append(f"{name} = {_toml_number(value)}" + (f"  # {says}" if says else ""))
    lines += ["", "[unit]", *(f"{name} = {json.dumps(unit)}" for name, unit in found["unit"].items())]
    lines += ["", "[tables]"]
    for name, values in found["tables"].items():
        lines.append(f"{name} = [{', '.join(_toml_number(value) for value in values)}]")
    if "in_game" in found:
        lines += ["", "[in_game]", f"as = {json.dumps(found['in_game']['as'], ensure_ascii=False)}"]
        lines += ["", "[in_game.numbers]"]
        for name, value in found["in_game"]["numbers"].items():
            unit = found["in_game"]["unit"].get(name)
            lines.append(f"{name} = {_toml_number(value)}" + (f"  # {unit}" if unit else ""))
    return "\n".join(lines) + "\n"


def _toml_number(value: float) -> str:
    return repr(value)


def markdown(found: dict[str, Any]) -> str:
    """The same as a table, for a page or a review."""
    game = found.get("in_game")
    heads = ["number", "value", "unit", *(["in the game"] if game else []), "what it is"]
    lines = [
        f"# {found['title']}: numbers at {found['ticks_per_second']} ticks/s",
        "",
        found["frames"],
        "",
        f"| {' | '.join(heads)} |",
        f"|{' --- |' * len(heads)}",
    ]
    for name, value in found["numbers"].items():
        cells = [f"`{name}`", f"{value:.6g}", found["unit"].get(name, "")]
        if game:
            unit = game["unit"].get(name, "")
            cells.append(f"{game['numbers'][name]:.6g} {unit}".strip() if unit != cells[2] else "")
        lines.append(f"| {' | '.join([*cells, found['says'].get(name, '')])} |")
    if game:
        lines += ["", f"In the game: {game['as']}."]
    return "\n".join(lines) + "\n"


def loader(program: Program, language: str) -> dict[str, str]:
    """A file that reads `numbers.json` while a game runs, by its name; JavaScript needs none."""
    made = _LOADERS.get(language)
    if made is None:
        return {}
    name, text = made
    return {name: text.replace("CRAFT", program.name).replace("RECORD", record_name(program))}


_OF_C = """/* Reads numbers.json while a game runs: each number of the craft that stands there takes its value. Gives
   how many were taken; -1 where the file cannot be read or has none. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

OWNint CRAFT_load(RECORD HANDEDc, const char *file)
{
    char name[256];
    int taken = -1;
    FILE *in = fopen(file, "rb");
    if (in == NULL) {
        return -1;
    }
    fseek(in, 0, SEEK_END);
    const long size = ftell(in);
    rewind(in);
    char *text = (char *)malloc((size_t)size + 1);
    if (text != NULL && fread(text, 1, (size_t)size, in) == (size_t)size) {
        text[size] = 0;
        char *at = strstr(text, "\\"numbers\\":");
        taken = at == NULL ? -1 : 0;
        for (at = at == NULL ? NULL : strchr(at, '{'); at != NULL && *at != '}';) {
            const size_t skipped = strcspn(at, "\\"}");
            at += skipped;
            if (*at != '"') {
                break;
            }
            const size_t length = strcspn(at + 1, "\\"");
            if (length >= sizeof name) {
                break;
            }
            memcpy(name, at + 1, length);
            name[length] = 0;
            at = strchr(at + 1 + length, ':');
            if (at == NULL) {
                break;
            }
            const double value = strtod(at + 1, &at);
            taken += CRAFT_set(c, name, value) ? 1 : 0;
        }
    }
    free(text);
    fclose(in);
    return taken;
}
"""
_LOADERS = {
    "c": ("numbers.c", _OF_C.replace("OWN", "static ").replace("HANDED", "*")),
    "cpp": (
        "numbers.hpp",
        _OF_C.replace("#include <stdio.h>", "#pragma once\n\n#include <cstdio>")
        .replace("<stdlib.h>", "<cstdlib>")
        .replace("<string.h>\n", "<cstring>\n\nnamespace CRAFT {\n")
        .replace("OWN", "inline ")
        .replace("HANDED", "&")
        + "\n}  // namespace CRAFT\n",
    ),
    "csharp": (
        "LoadNumbers.cs",
        """// Reads numbers.json while a game runs: each number of the craft that stands there takes its value.
using System.Globalization;
using System.IO;
using System.Text.RegularExpressions;

public static class LoadNumbers
{
    // How many were taken; -1 where the file has none.
    public static int Of(RECORD craft, string file)
    {
        var inner = Regex.Match(File.ReadAllText(file), "\\"numbers\\":\\\\s*{([^}]*)}");
        if (!inner.Success) return -1;
        int taken = 0;
        foreach (Match one in Regex.Matches(inner.Groups[1].Value, "\\"([A-Za-z_0-9]+)\\":\\\\s*(-?[0-9.eE+-]+)"))
            if (craft.Set(one.Groups[1].Value, double.Parse(one.Groups[2].Value, CultureInfo.InvariantCulture)))
                taken++;
        return taken;
    }
}
""",
    ),
}
