"""Tests that travel with exported code, in its own language, and the script that builds and runs them."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from oak_sled.core.portable.code import Program
from oak_sled.core.portable.words import record_name


@dataclass(frozen=True)
class Proof:
    """A test: its file and text, and the script that runs it."""

    file: str
    text: str
    script: str


_READ = """/* The numbers behind a key of vectors.json, one after another. */
static char *text;

static char *behind(const char *key)
{
    char *found = strstr(text, key);
    if (found == NULL) {
        fprintf(stderr, "vectors.json has no %s\\n", key);
        exit(1);
    }
    return found + strlen(key);
}

static double number(char **at)
{
    while (**at != '-' && !(**at >= '0' && **at <= '9')) {
        (*at)++;
    }
    return strtod(*at, at);
}

static void read_all(const char *name)
{
    FILE *file = fopen(name, "rb");
    if (file == NULL) {
        perror(name);
        exit(1);
    }
    fseek(file, 0, SEEK_END);
    long size = ftell(file);
    rewind(file);
    text = (char *)malloc((size_t)size + 1);
    if (text == NULL || fread(text, 1, (size_t)size, file) != (size_t)size) {
        exit(1);
    }
    text[size] = 0;
    fclose(file);
}
"""


def _of_c(program: Program, rays: range, plus: bool) -> str:
    name, record, count = program.name, record_name(program), len(program.inputs)
    own = f"{name}::" if plus else ""
    hand = "" if plus else "&"
    hits = ""
    if len(rays) and "foot_hit" in program.kept:
        hits = f"""
        for (int k = 0; k < {len(rays)}; k++) {{
            for (int i = 0; i < 10; i++) {{
                craft.foot_hit[{rays.start} + k][i] = number(&hits);
            }}
        }}"""
    head = f'#include "{name}.hpp"' if plus else f'#include "{name}.c"'
    return f"""/* Repeats the run in vectors.json, and compares every number of the motion, to the bit. */
{head}

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

{_READ}
int main(void)
{{
    static {own}{record} craft;
    read_all("vectors.json");
    char *at = behind("\\"ticks\\":");
    int ticks = (int)number(&at);
    char *inputs = behind("\\"inputs\\":"), *hits = behind("\\"hits\\":"), *motion = behind("\\"motion\\":");
    {own}{name}_begin({hand}craft);
    for (int tick = 0; tick < ticks; tick++) {{
        double given[{max(count, 1)}];
        for (int k = 0; k < {count}; k++) {{
            given[k] = number(&inputs);
        }}{hits}
        {own}{name}_tick({hand}craft, given);
        double found[13];
        memcpy(found, craft.position, sizeof craft.position);
        memcpy(found + 3, craft.attitude, sizeof craft.attitude);
        memcpy(found + 7, craft.velocity, sizeof craft.velocity);
        memcpy(found + 10, craft.spin, sizeof craft.spin);
        for (int k = 0; k < 13; k++) {{
            double wanted = number(&motion);
            if (found[k] != wanted) {{
                fprintf(stderr, "tick %d, number %d: %.17g in place of %.17g\\n", tick, k, found[k], wanted);
                return 1;
            }}
        }}
    }}
    (void)hits;
    printf("%d ticks repeated to the bit\\n", ticks);
    return 0;
}}
"""


def _c(program: Program, rays: range) -> Proof:
    script = f"""#!/bin/sh
# Builds and runs the test; status 0 if the code repeats the run in vectors.json.
set -e
cd "$(dirname "$0")"
out="${{TMPDIR:-/tmp}}/{program.name}_test.$$"
trap 'rm -f "$out"' EXIT
${{CC:-cc}} -std=c99 -Wall -Werror -O2 -ffp-contract=off -o "$out" {program.name}_test.c -lm
"$out"
"""
    return Proof(f"{program.name}_test.c", _of_c(program, rays, False), script)


def _cpp(program: Program, rays: range) -> Proof:
    script = f"""#!/bin/sh
# Builds and runs the test; status 0 if the code repeats the run in vectors.json.
set -e
cd "$(dirname "$0")"
out="${{TMPDIR:-/tmp}}/{program.name}_test.$$"
trap 'rm -f "$out"' EXIT
${{CXX:-c++}} -std=c++17 -Wall -Werror -O2 -ffp-contract=off -o "$out" {program.name}_test.cpp
"$out"
"""
    return Proof(f"{program.name}_test.cpp", _of_c(program, rays, True), script)


WITHIN = "1e-12"
"""Of a tick from a stored state, where the functions of floats are not those of the C library."""


def _js(program: Program, rays: range) -> Proof:
    record = record_name(program)
    hits = f"craft.foot_hit.splice({rays.start}, {len(rays)}, ...told.hits[tick].map((hit) => [...hit]));"
    text = f"""// Runs single ticks from the states in vectors.json: within {WITHIN} of the motion there, since
// sines are not the same in every engine. Then the whole run: how far it ends up from that is printed.
import fs from "node:fs";
import {{ {record} }} from "./{program.name}.mjs";

const told = JSON.parse(fs.readFileSync(new URL("vectors.json", import.meta.url)));
const within = {WITHIN};

const motion = (craft) => [...craft.position, ...craft.attitude, ...craft.velocity, ...craft.spin];
const apart = (x, wanted) => Math.abs(x - wanted) / Math.max(1, Math.abs(wanted));
const off = (found, wanted) => Math.max(...found.map((x, k) => apart(x, wanted[k])));
const see = (craft, tick) => {{
  {hits if len(rays) and "foot_hit" in program.kept else ""}
}};

let most = 0;
for (const {{ tick, kept }} of told.states) {{
  const craft = new {record}();
  Object.assign(craft, structuredClone(kept));
  see(craft, tick);
  craft.tick(told.inputs[tick]);
  most = Math.max(most, off(motion(craft), told.motion[tick]));
}}
if (!(most <= within)) {{
  console.error(`a tick is off by ${{most}}, more than ${{within}}`);
  process.exit(1);
}}
const craft = new {record}();
for (let tick = 0; tick < told.ticks; tick++) {{
  see(craft, tick);
  craft.tick(told.inputs[tick]);
}}
const end = told.ticks ? off(motion(craft), told.motion[told.ticks - 1]) : 0;
console.log(`${{told.states.length}} ticks within ${{most}}; after all ${{told.ticks}} off by ${{end}}`);
"""
    script = f"""#!/bin/sh
# Runs the test; status 0 if the code repeats ticks of the run in vectors.json.
set -e
cd "$(dirname "$0")"
exec ${{NODE:-node}} {program.name}_test.mjs
"""
    return Proof(f"{program.name}_test.mjs", text, script)


_OF_CSHARP = """// Runs single ticks from the states in vectors.json: within {within} of the motion there. Then the
// whole run: how far it ends up from that is printed.
using System;
using System.Collections.Generic;
using System.Globalization;
using System.IO;
using System.Text.RegularExpressions;

public static class Test
{{
    static string text;

    static List<double> Numbers(string key, string until)
    {{
        int from = text.IndexOf("\\"" + key + "\\":") + key.Length + 3;
        int to = until == null ? text.Length : text.IndexOf("\\"" + until + "\\":");
        var found = new List<double>();
        string part = Regex.Replace(text.Substring(from, to - from), "\\"[a-z_0-9]*\\":", " ");
        foreach (Match one in Regex.Matches(part, @"-?[0-9][0-9.eE+-]*"))
            found.Add(double.Parse(one.Value, CultureInfo.InvariantCulture));
        return found;
    }}

    static double Off({record} craft, List<double> motion, int tick)
    {{
        double most = 0.0;
        for (int k = 0; k < 13; k++) {{
            double found = k < 3 ? craft.position[k] : k < 7 ? craft.attitude[k - 3]
                : k < 10 ? craft.velocity[k - 7] : craft.spin[k - 10];
            double wanted = motion[tick * 13 + k];
            double off = Math.Abs(found - wanted) / Math.Max(1.0, Math.Abs(wanted));
            if (!(off <= most)) most = off;
        }}
        return most;
    }}

    static void Tick({record} craft, int tick, List<double> inputs, List<double> hits)
    {{
        var given = new double[{count}];
        for (int k = 0; k < {count}; k++) given[k] = inputs[tick * {count} + k];{hits}
        craft.Tick(given);
    }}

    static void Fill({record} craft, List<double> state, int at)
    {{
        {filled}
    }}

    public static int Main()
    {{
        text = File.ReadAllText("vectors.json");
        int ticks = (int)Numbers("ticks", "rays")[0];
        var inputs = Numbers("inputs", "hits");
        var hits = Numbers("hits", "motion");
        var motion = Numbers("motion", "states");
        var states = Numbers("states", null);
        double most = 0.0;
        int count = states.Count / {each};
        for (int k = 0; k < count; k++) {{
            var one = new {record}();
            int tick = (int)states[k * {each}];
            Fill(one, states, k * {each} + 1);
            Tick(one, tick, inputs, hits);
            double off = Off(one, motion, tick);
            if (!(off <= most)) most = off;
        }}
        if (!(most <= {within})) {{
            Console.Error.WriteLine("a tick is off by " + most);
            return 1;
        }}
        var craft = new {record}();
        for (int tick = 0; tick < ticks; tick++) Tick(craft, tick, inputs, hits);
        double end = ticks > 0 ? Off(craft, motion, ticks - 1) : 0.0;
        Console.WriteLine(count + " ticks within " + most + "; after all " + ticks + " off by " + end);
        return 0;
    }}
}}
"""


def _csharp(program: Program, rays: range) -> Proof:
    record, count = record_name(program), len(program.inputs)
    seen = "foot_hit" in program.kept and len(rays) > 0
    hits = (
        f"""
        for (int k = 0; k < {len(rays)}; k++)
            for (int i = 0; i < 10; i++)
                craft.foot_hit[{rays.start} + k][i] = hits[(tick * {len(rays)} + k) * 10 + i];"""
        if seen
        else ""
    )
    fills = []
    for name, one in program.kept.items():
        cast = "(int)" if one.type.name == "int" else ""  # type: ignore[union-attr]
        if not one.shape:
            fills.append(f"craft.{name} = {cast}state[at++];")
        elif len(one.shape) == 1:
            fills.append(f"for (int i = 0; i < {one.shape[0]}; i++) craft.{name}[i] = {cast}state[at++];")
        else:
            fills.append(
                f"for (int i = 0; i < {one.shape[0]}; i++) for (int j = 0; j < {one.shape[1]}; j++) "
                f"craft.{name}[i][j] = {cast}state[at++];"
            )
    filled = "\n        ".join(fills)
    text = _OF_CSHARP.format(
        within=WITHIN, record=record, count=count, hits=hits, filled=filled,
        each=1 + sum(math.prod(one.shape) for one in program.kept.values()),
    )  # fmt: skip
    script = f"""#!/bin/sh
# Builds and runs the test; status 0 if the code repeats ticks of the run in vectors.json.
set -e
cd "$(dirname "$0")"
out="${{TMPDIR:-/tmp}}/{program.name}_test.$$.exe"
trap 'rm -f "$out"' EXIT
${{MCS:-mcs}} -out:"$out" {program.name}.cs {program.name}_test.cs
${{MONO:-mono}} "$out"
"""
    return Proof(f"{program.name}_test.cs", text, script)


PROOFS: dict[str, Callable[[Program, range], Proof]] = {"c": _c, "cpp": _cpp, "csharp": _csharp, "js": _js}
"""Makers of the tests, by the word of the language."""
