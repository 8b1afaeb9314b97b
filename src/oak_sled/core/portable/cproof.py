"""The test that travels with exported C and C++: the run to the bit, and what goes out of the door of a game and in."""

from __future__ import annotations

from oak_sled.core.portable.code import Program
from oak_sled.core.portable.gamedoor import GameDoor
from oak_sled.core.portable.proof import Proof
from oak_sled.core.portable.words import record_name

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


def _hits(program: Program, rays: range) -> str:
    """Takes what the rays met in a tick."""
    if not len(rays) or "foot_hit" not in program.kept:
        return ""
    return f"""
        for (int k = 0; k < {len(rays)}; k++) {{
            for (int i = 0; i < 10; i++) {{
                craft.foot_hit[{rays.start} + k][i] = number(&hits);
            }}
        }}"""


def _hits_in(program: Program, rays: range, own: str, hand: str) -> str:
    """Compares them with what comes in from a game."""
    record, name = record_name(program), program.name
    return f"""
        for (int k = 0; k < {len(rays)}; k++) {{
            double given[10];
            for (int i = 0; i < 10; i++) {{
                given[i] = number(&met);
            }}
            static {own}{record} struck;
            {own}{name}_hit_from_game({hand}struck, k, given[0], given + 1, given + 4, given + 7);
            for (int i = 0; i < 10; i++) {{
                double wanted = craft.foot_hit[{rays.start} + k][i];
                if (!(fabs(struck.foot_hit[{rays.start} + k][i] - wanted) <= 1e-9 * (1.0 + fabs(wanted)))) {{
                    fprintf(stderr, "tick %d: what ray %d met does not come in from the game\\n", tick, k);
                    return 1;
                }}
            }}
        }}"""


def _out_and_in(program: Program, own: str, hand: str) -> str:
    """Compares the motion that goes out to a game with the one that is wanted, and has it come in again."""
    record, name = record_name(program), program.name
    return f"""
        double there[13];
        {own}{name}_to_game({hand}craft, there, there + 3, there + 7, there + 10);
        static {own}{record} back;
        back = craft;
        memset(back.position, 0, sizeof back.position);
        memset(back.momentum, 0, sizeof back.momentum);
        {own}{name}_from_game({hand}back, there, there + 3, there + 7, there + 10);
        for (int k = 0; k < 13; k++) {{
            double wanted = number(&game);
            if (!(fabs(there[k] - wanted) <= 1e-9 * (1.0 + fabs(wanted)))) {{
                fprintf(stderr, "tick %d: %.17g in place of %.17g as the game has it\\n", tick, there[k], wanted);
                return 1;
            }}
        }}
        for (int k = 0; k < 3; k++) {{
            if (!(fabs(back.position[k] - craft.position[k]) <= 1e-9 * (1.0 + fabs(craft.position[k])))
                || !(fabs(back.momentum[k] - craft.momentum[k]) <= 1e-6 * (1.0 + fabs(craft.momentum[k])))) {{
                fprintf(stderr, "tick %d, axis %d does not come back from the game\\n", tick, k);
                return 1;
            }}
        }}"""


def _of_c(program: Program, rays: range, plus: bool, door: GameDoor | None) -> str:
    name, record, count = program.name, record_name(program), len(program.inputs)
    own = f"{name}::" if plus else ""
    hand = "" if plus else "&"
    hits = _hits(program, rays)
    head = f'#include "{name}.hpp"\n#include "numbers.hpp"' if plus else f'#include "{name}.c"\n#include "numbers.c"'
    told, seen = "", ""
    if door is not None:
        told = ', *game = behind("\\"in_game\\":")'
        if len(door.rays):
            told += ', *met = behind("\\"hits_in_game\\":")'
            hits += _hits_in(program, rays, own, hand)
        seen = _out_and_in(program, own, hand)
    return f"""/* Repeats the run in vectors.json, and compares every number of the motion, to the bit. */
{head}

#include <math.h>
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
    char *inputs = behind("\\"inputs\\":"), *hits = behind("\\"hits\\":"), *motion = behind("\\"motion\\":"){told};
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
        }}{seen}
    }}
    (void)hits;
    static {own}{record} loaded;
    {own}{name}_begin({hand}loaded);
    memset(&loaded.n, 0, sizeof loaded.n);
    if ({own}{name}_load({hand}loaded, "numbers.json") <= 0 || memcmp(&loaded.n, &craft.n, sizeof craft.n) != 0) {{
        fprintf(stderr, "numbers.json does not give the numbers of the file\\n");
        return 1;
    }}
    printf("%d ticks repeated to the bit\\n", ticks);
    return 0;
}}
"""


def _script(program: Program, build: str) -> str:
    """Builds and runs the test. build : what stands behind the compiler's output."""
    return f"""#!/bin/sh
# Builds and runs the test; status 0 if the code repeats the run in vectors.json.
set -e
cd "$(dirname "$0")"
out="${{TMPDIR:-/tmp}}/{program.name}_test.$$"
trap 'rm -f "$out"' EXIT
{build}
"$out"
"""


def of_c(program: Program, rays: range, door: GameDoor | None) -> Proof:
    """The test of C."""
    file = f"{program.name}_test.c"
    build = f'${{CC:-cc}} -std=c99 -Wall -Werror -O2 -ffp-contract=off -o "$out" {file} -lm'
    return Proof(file, _of_c(program, rays, False, door), _script(program, build))


def of_cpp(program: Program, rays: range, door: GameDoor | None) -> Proof:
    """The test of C++."""
    file = f"{program.name}_test.cpp"
    build = f'${{CXX:-c++}} -std=c++17 -Wall -Werror -O2 -ffp-contract=off -o "$out" {file}'
    return Proof(file, _of_c(program, rays, True, door), _script(program, build))
