"""States of motion: their hysteresis and least times against values by hand, on every demo, and as they leave."""

from __future__ import annotations

import shutil
import subprocess

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base.faults import Refused
from oak_sled.core.portable import folder
from oak_sled.core.portable import states as leaving
from oak_sled.core.project import demos
from oak_sled.core.results import measures, run, states, traces
from oak_sled.core.yard import channels
from oak_sled.core.yard.motionstate import CHANNEL, USUAL, WATCHED, Condition, MotionState


def made_with(*own, demo="fan-sled", drill=""):
    """A run of a demo whose craft has these states."""
    yard = demos.load(demo)
    yard = yard.edit(f"crafts.{yard.bench.craft}.states", own)
    return run.execute(job_of(yard, yard.drill(drill)))


def by_hand(values, begins, ends):
    """A state above a value with hysteresis, row by row."""
    found, on = [], False
    for value in values:
        on = value > (ends if on else begins)
        found.append(on)
    return np.array(found)


def test_every_trace_that_may_be_watched_is_one_with_that_unit():
    made = made_with()
    for name, unit in WATCHED.items():
        assert traces.describe(made, name).unit == unit
    assert set(leaving.SAYS) == set(WATCHED)


@pytest.mark.parametrize("hysteresis", [0.0, 2.0, 6.0])
@pytest.mark.parametrize("side", ["above", "below"])
@pytest.mark.parametrize("of", ["value", "size"])
def test_a_state_begins_at_its_value_and_ends_beyond_its_hysteresis(side, of, hysteresis):
    one = Condition(trace="slip_angle", of=of, side=side, value=8.0, hysteresis=hysteresis)
    made = made_with(MotionState(id="slide", conditions=(one,)))
    values = traces.values(made, "slip_angle")
    values = np.abs(values) if of == "size" else values
    sign = 1.0 if side == "above" else -1.0
    wanted = by_hand(sign * values, sign * 8.0, sign * one.ends)
    assert wanted.any()
    assert not wanted.all()
    assert np.array_equal(states.of(made) == 0, wanted)


def test_the_first_that_holds_counts_and_none_is_none():
    fast = MotionState(id="fast", conditions=(Condition(value=10.0),))
    moving = MotionState(id="moving", conditions=(Condition(value=5.0),))
    made = made_with(fast, moving)
    speed = traces.values(made, "speed")
    assert np.array_equal(states.of(made), np.where(speed > 10.0, 0, np.where(speed > 5.0, 1, states.NONE)))
    spells = states.spells(made)
    assert [one.state for one in spells[:3]] == [states.NONE, 1, 0]
    assert spells[0].first == 0
    assert spells[-1].last == made.ticks + 1
    assert all(one.last == other.first for one, other in zip(spells, spells[1:], strict=False))


def test_a_state_without_hysteresis_flickers_and_one_that_lasts_does_not():
    top = 0.9999 * np.abs(traces.values(made_with(), "slip_angle")).max()
    peak = MotionState(id="peak", conditions=(Condition(trace="slip_angle", of="size", value=top),))
    rough = made_with(peak)
    over = np.abs(traces.values(rough, "slip_angle")) > top
    assert len(states.spells(rough)) == 1 + np.count_nonzero(np.diff(over))
    short = states.flickers(rough)
    assert [one.state for one in short] == [0]
    assert measures.Readings(rough)["state_flickers"] == 1.0
    assert measures.Readings(rough)["state_changes"] == len(states.spells(rough)) - 1
    still = made_with(peak.replace(least=0.2), MotionState(id="rest", least=0.2))
    assert not states.flickers(still)
    least = round(0.2 * still.job.ticks)
    assert all(one.last - one.first >= least for one in states.spells(still)[:-1])


@pytest.mark.parametrize("demo", demos.DEMOS)
def test_the_usual_states_tell_every_demo_without_flicker_or_gap(demo):
    made = made_with(*USUAL, demo=demo)
    found = states.of(made)
    assert (found >= 0).all(), "idle always holds"
    assert len(states.flickers(made)) <= 1
    assert len(states.spells(made)) < 20


def test_a_crate_that_falls_is_airborne_and_a_sled_that_turns_slides():
    names = [one.id for one in USUAL]
    assert names.index("slide") in states.of(made_with(*USUAL))
    fallen = states.spells(made_with(*USUAL, demo="crate-drop"))
    assert names.index("airborne") in [one.state for one in fallen]


def test_a_craft_without_states_is_in_none_and_has_no_measure_of_them():
    made = made_with()
    assert (states.of(made) == states.NONE).all()
    assert measures.Readings(made)["state_flickers"] is None


def test_a_channel_that_is_watched_keeps_its_state_under_a_new_name_and_leaves_it():
    yard = demos.load("fan-sled")
    braking = MotionState(
        id="braking", conditions=(Condition(trace=f"{CHANNEL}brake", value=0.1), Condition(trace="speed")),
    )  # fmt: skip
    yard = yard.edit("crafts.fan_sled.states", (braking,))
    renamed = channels.renamed(yard, yard.craft(), "brake", "anchor")
    assert renamed.craft().states[0].conditions[0].trace == f"{CHANNEL}anchor"
    gone = channels.without(yard, yard.craft(), "brake")
    assert [one.trace for one in gone.craft().states[0].conditions] == ["speed"]


def test_what_cannot_be_watched_is_refused_where_it_stands():
    yard = demos.load("fan-sled")
    with pytest.raises(Refused, match=r"states\.fast\.conditions\.0\.trace: cannot watch 'sped'"):
        yard.edit("crafts.fan_sled.states", (MotionState(id="fast", conditions=(Condition(trace="sped"),)),))
    with pytest.raises(Refused, match="states"):
        yard.edit("crafts.fan_sled.states", (USUAL[0], USUAL[0]))


# as they leave

OWN = (
    MotionState(id="airborne", conditions=(Condition(trace="aloft", value=0.05),), least=0.1),
    MotionState(
        id="slide",
        conditions=(Condition(value=2.0, hysteresis=0.5), Condition(trace="slip_angle", of="size", value=9.0,
                                                                   hysteresis=5.0)),
        least=0.3,
    ),
    MotionState(id="braking", conditions=(Condition(trace=f"{CHANNEL}brake", value=0.05),)),
    MotionState(id="slow", conditions=(Condition(side="below", value=7.0, hysteresis=0.4),)),
)  # fmt: skip

DRIVERS = {
    "c": (
        "main.c",
        "#include <stdio.h>\n#include \"states.h\"\nint main(void) {{ Fan_sledStates s; fan_sled_states_begin(&s); "
        "double v[{n}]; while (1) {{ for (int k = 0; k < {n}; k++) {{ if (scanf(\"%lf\", &v[k]) != 1) return 0; }} "
        "printf(\"%d\\n\", fan_sled_states_tick(&s{args})); }} }}\n",
        ("cc", "-std=c99", "-Wall", "-Wextra", "-Werror", "-o", "game", "main.c", "-lm"), ("./game",),
    ),
    "cpp": (
        "main.cpp",
        "#include <cstdio>\n#include \"states.hpp\"\nint main() {{ Fan_sledStates s; fan_sled_states_begin(&s); "
        "double v[{n}]; while (true) {{ for (int k = 0; k < {n}; k++) {{ if (std::scanf(\"%lf\", &v[k]) != 1) "
        "return 0; }} std::printf(\"%d\\n\", fan_sled_states_tick(&s{args})); }} }}\n",
        ("c++", "-std=c++17", "-Wall", "-Wextra", "-Werror", "-o", "game", "main.cpp"), ("./game",),
    ),
    "csharp": (
        "Game.cs",
        "public static class Game {{ public static void Main() {{ var s = new Fan_sledStates(); string row; "
        "while ((row = System.Console.ReadLine()) != null) {{ var v = System.Array.ConvertAll(row.Split(' '), "
        "x => double.Parse(x, System.Globalization.CultureInfo.InvariantCulture)); "
        "System.Console.WriteLine(s.Tick({args})); }} }} }}\n",
        ("mcs", "-out:game.exe", "Game.cs", "States.cs"), ("mono", "game.exe"),
    ),
    "js": (
        "main.js",
        "const states = require(\"./states.js\"); const s = states.begin(); "
        "const rows = require(\"fs\").readFileSync(0, \"utf8\").trim().split(\"\\n\"); "
        "for (const row of rows) {{ const v = row.split(\" \").map(Number); console.log(states.tick(s{args})); }}\n",
        (), ("node", "main.js"),
    ),
}  # fmt: skip
"""A game in each language that tells the state of each row of values."""


@pytest.mark.parametrize("language", DRIVERS)
def test_the_code_that_leaves_goes_through_the_same_states(language, tmp_path):
    made = made_with(*OWN)
    files = folder.files_of(made.job, language)
    name, text, build, call = DRIVERS[language]
    if not shutil.which((build or call)[0]):
        pytest.skip(f"{(build or call)[0]} is missing")
    for file in [one for one in files if one.lower().startswith("states")]:
        (tmp_path / file).write_text(files[file])
    watched = leaving.watches(made.job.craft)
    args = "".join(f", v[{k}]" for k in range(len(watched)))
    record = next(word for word in files["README.md"].split("`") if word.endswith("Sled"))
    text = text.format(n=len(watched), args=args.removeprefix(", ") if language == "csharp" else args)
    text = text.replace("Fan_sled", record)
    (tmp_path / name).write_text(text)
    if build:
        subprocess.run(build, cwd=tmp_path, check=True, capture_output=True, timeout=120)
    table = np.stack([traces.values(made, one) for one in watched], axis=1)
    rows = "\n".join(" ".join(repr(float(value)) for value in row) for row in table) + "\n"
    told = subprocess.run(call, cwd=tmp_path, input=rows, capture_output=True, text=True, check=True, timeout=120)
    assert np.array_equal(np.array(told.stdout.split(), int), states.of(made))
    assert len(set(states.of(made).tolist())) >= 3


@pytest.mark.parametrize("language", folder.LANGUAGES)
def test_every_language_has_a_file_of_states_and_a_craft_without_them_has_none(language):
    job = made_with(*OWN).job
    files = folder.files_of(job, language)
    [own] = [one for one in files if one.lower().startswith("states")]
    for state in OWN:
        assert state.id in files[own]
    assert own in files["README.md"]
    plain = folder.files_of(made_with().job, language)
    assert not [one for one in plain if one.lower().startswith("states")]
