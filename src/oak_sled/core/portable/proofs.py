"""Tests that travel with exported code, in its own language, and the script that builds and runs them."""

from __future__ import annotations

import math
from collections.abc import Callable

from oak_sled.core.portable import cproof
from oak_sled.core.portable.code import Program
from oak_sled.core.portable.gamedoor import GameDoor
from oak_sled.core.portable.proof import Proof
from oak_sled.core.portable.words import record_name

WITHIN = "1e-12"
"""Of a tick from a stored state, where the functions of floats are not those of the C library."""


_JS_DOOR = """
  const back = Object.assign(Object.create(Object.getPrototypeOf(craft)), structuredClone({ ...craft }));
  back.fromGame(craft.toGame());
  if (!(off([...motion(back), ...back.momentum], [...motion(craft), ...craft.momentum]) <= 1e-6)) {
    console.error(`tick ${tick} does not come back from the game`);
    process.exit(1);
  }
  const there = craft.toGame(), rows = [...there.position, ...there.attitude, ...there.velocity, ...there.spin];
  if (tick === 0 && !(off(rows, told.in_game[0]) <= 1e-9)) {
    console.error("the motion is not as the game has it");
    process.exit(1);
  }"""


def _js(program: Program, rays: range, door: GameDoor | None) -> Proof:
    seen = _JS_DOOR if door is not None else ""
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
  craft.tick(told.inputs[tick]);{seen}
}}
const numbers = JSON.parse(fs.readFileSync(new URL("numbers.json", import.meta.url))).numbers;
if (JSON.stringify(new {record}(numbers).n) !== JSON.stringify(craft.n)) {{
  console.error("numbers.json does not give the numbers of the file");
  process.exit(1);
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
        var states = Numbers("states", {until});
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
        var craft = new {record}();{there}
        for (int tick = 0; tick < ticks; tick++) {{
            Tick(craft, tick, inputs, hits);{seen}
        }}
        double end = ticks > 0 ? Off(craft, motion, ticks - 1) : 0.0;
        var loaded = new {record}();
        loaded.n.dt = 0.0;
        if (LoadNumbers.Of(loaded, "numbers.json") <= 0 || loaded.n.dt != craft.n.dt) {{
            Console.Error.WriteLine("numbers.json does not give the numbers of the file");
            return 1;
        }}
        Console.WriteLine(count + " ticks within " + most + "; after all " + ticks + " off by " + end);
        return 0;
    }}
}}
"""


_CSHARP_DOOR = """
            double[] p = new double[3], a = new double[4], v = new double[3], s = new double[3];
            craft.ToGame(p, a, v, s);
            var back = craft.Copy();
            back.position[0] = back.momentum[0] = double.NaN;
            back.FromGame(p, a, v, s);
            for (int k = 0; k < 3; k++) {
                double x = craft.position[k], l = craft.momentum[k];
                if (Math.Abs(back.position[k] - x) <= 1e-9 * (1.0 + Math.Abs(x))
                    && Math.Abs(back.momentum[k] - l) <= 1e-6 * (1.0 + Math.Abs(l))) continue;
                Console.Error.WriteLine("tick " + tick + " does not come back from the game");
                return 1;
            }
            for (int k = 0; k < 13; k++) {
                double found = k < 3 ? p[k] : k < 7 ? a[k - 3] : k < 10 ? v[k - 7] : s[k - 10];
                if (!(Math.Abs(found - there[13 * tick + k]) <= 1e-9 * (1.0 + Math.Abs(there[13 * tick + k])))) {
                    Console.Error.WriteLine("the motion is not as the game has it");
                    return 1;
                }
            }"""


def _csharp(program: Program, rays: range, door: GameDoor | None) -> Proof:
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
    there = ""
    if door is not None:
        behind = '"hits_in_game"' if len(door.rays) else "null"
        there = f'\n        var there = Numbers("in_game", {behind});'
    text = _OF_CSHARP.format(
        there=there, seen=_CSHARP_DOOR.replace("RECORD", record) if door is not None else "",
        until='"in_game"' if door is not None else "null", within=WITHIN, record=record, count=count, hits=hits,
        filled=filled, each=1 + sum(math.prod(one.shape) for one in program.kept.values()),
    )  # fmt: skip
    script = f"""#!/bin/sh
# Builds and runs the test; status 0 if the code repeats ticks of the run in vectors.json.
set -e
cd "$(dirname "$0")"
out="${{TMPDIR:-/tmp}}/{program.name}_test.$$.exe"
trap 'rm -f "$out"' EXIT
${{MCS:-mcs}} -out:"$out" {program.name}.cs LoadNumbers.cs {program.name}_test.cs
${{MONO:-mono}} "$out"
"""
    return Proof(f"{program.name}_test.cs", text, script)


PROOFS: dict[str, Callable[[Program, range, GameDoor | None], Proof]] = {
    "c": cproof.of_c,
    "cpp": cproof.of_cpp,
    "csharp": _csharp,
    "js": _js,
}
"""Makers of the tests, by the word of the language."""
