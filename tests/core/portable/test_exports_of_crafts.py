"""Crafts that leave as source code: they repeat their runs in each language, read well, and say what stays."""

from __future__ import annotations

import json
import shutil
import subprocess
import tomllib
from dataclasses import replace
from pathlib import Path

import jsonschema
import numpy as np
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.base.faults import Refused
from oak_sled.core.compiler.types import FLOAT, INT
from oak_sled.core.portable import alone, code, crafts, folder, trim, words
from oak_sled.core.portable.fold import arithmetic
from oak_sled.core.project import demos
from oak_sled.core.yard.camera import YardCamera
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.game import PRESETS, Game

BUILDS = {"c": ("cc",), "cpp": ("c++",), "csharp": ("mcs", "mono"), "js": ("node",)}
"""What has to be installed to test a language."""
CRAFTS = [(name, craft.id) for name in demos.DEMOS for craft in demos.load(name).crafts]
ON_BENCH = [(name, demos.load(name).bench.craft) for name in demos.DEMOS]
STAYS = {("crate-drop", "own_law"), ("sledge-train", "rear_heavy"), ("crane", "tower"), ("bollard-turn", "mail_sled")}
"""Crafts that cannot leave yet: a formula, several bodies, a line."""


SI = Game()
STRANGE = Game(
    length="px", lasts="tick", rates="tick", mass="own", kilograms=12.0, angle="turn", forward="z", up="y", hand="left",
    quaternion="xyzw",
)  # fmt: skip


def job_of(demo: str, craft: str):
    return jobs.job_of(demos.load(demo), None, craft)


def repeats(job, language: str, where: Path, game: Game = SI) -> str:
    missing = [tool for tool in BUILDS[language] if shutil.which(tool) is None]
    if missing:
        pytest.skip(f"{language} needs {' and '.join(missing)}: make test-tools installs it")
    folder.write(job, language, where, game=game)
    numbers_hold(where)
    done = subprocess.run([str(where / "run-test.sh")], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout


def numbers_hold(where: Path) -> None:
    """The numbers that go with code hold against their schema, and are the same as TOML and as a table."""
    told = json.loads((where / "numbers.json").read_text())
    jsonschema.Draft202012Validator(json.loads((where / "numbers.schema.json").read_text())).validate(told)
    read = tomllib.loads((where / "numbers.toml").read_text())
    assert [read[name] for name in ("numbers", "unit", "tables")] == [
        told[name] for name in ("numbers", "unit", "tables")
    ]
    assert read.get("in_game", {}).get("numbers") == told.get("in_game", {}).get("numbers")
    rows = [line.split(" | ") for line in (where / "numbers.md").read_text().splitlines() if line.startswith("| `")]
    assert [row[0].strip("| `") for row in rows] == list(told["numbers"])
    assert all(float(row[1]) == pytest.approx(told["numbers"][row[0].strip("| `")], rel=1e-5) for row in rows)


@pytest.mark.parametrize(("demo", "craft"), [one for one in ON_BENCH if one not in STAYS])
def test_the_craft_of_every_demo_repeats_its_run_in_c_to_the_bit(demo, craft, tmp_path):
    assert "to the bit" in repeats(job_of(demo, craft), "c", tmp_path / "out")


@pytest.mark.slow
@pytest.mark.parametrize(("demo", "craft"), [one for one in CRAFTS if one not in ON_BENCH and one not in STAYS])
def test_every_other_craft_repeats_its_run_in_c_too(demo, craft, tmp_path):
    assert "to the bit" in repeats(job_of(demo, craft), "c", tmp_path / "out")


@pytest.mark.parametrize("language", [one for one in folder.LANGUAGES if one != "c"])
@pytest.mark.parametrize(("demo", "craft"), [("fan-sled", "fan_sled"), ("ferry", "ferry"), ("ice-truck", "plain")])
def test_every_language_repeats_a_sled_a_hover_craft_and_a_truck(language, demo, craft, tmp_path):
    assert repeats(job_of(demo, craft), language, tmp_path / "out")


@pytest.mark.tools
@pytest.mark.parametrize("language", [one for one in folder.LANGUAGES if one != "c"])
@pytest.mark.parametrize(("demo", "craft"), [one for one in ON_BENCH if one not in STAYS])
def test_the_craft_of_every_demo_leaves_in_every_language(language, demo, craft, tmp_path):
    assert repeats(job_of(demo, craft), language, tmp_path / "out")


@pytest.mark.parametrize("language", folder.LANGUAGES)
@pytest.mark.parametrize(
    ("demo", "craft"),
    [("ferry", "ferry"), pytest.param("fan-sled", "fan_sled", marks=pytest.mark.tools),
     pytest.param("mail-pod", "pod", marks=pytest.mark.tools)],
)  # fmt: skip
def test_a_craft_gives_and_takes_its_motion_as_the_game_has_it(language, demo, craft, tmp_path):
    """Out, against the same turned here; and in again, with the momentum that belongs to it: see the test that goes
    with it."""
    assert repeats(job_of(demo, craft), language, tmp_path / "out", STRANGE)
    page = (tmp_path / "out" / "README.md").read_text()
    assert "px/tick" in page
    assert "y up, z forward, left-handed" in page
    told = json.loads((tmp_path / "out" / "numbers.json").read_text())
    assert told["in_game"]["numbers"]["mass"] == pytest.approx(told["numbers"]["mass"] / 12.0)
    assert told["in_game"]["unit"]["mass"] == "mu"


@pytest.mark.tools
@pytest.mark.parametrize("game", PRESETS.values(), ids=list(PRESETS))
def test_every_setting_leaves_and_comes_back(game, tmp_path):
    assert repeats(job_of("ferry", "ferry"), "c", tmp_path / "out", game)
    text = (tmp_path / "out" / "ferry.c").read_text()
    assert ("_to_game(" in text) == (game != SI)


@pytest.mark.parametrize(("demo", "craft"), sorted(STAYS))
def test_what_cannot_leave_is_refused_by_name_with_what_to_do(demo, craft):
    with pytest.raises(Refused) as refused:
        folder.files_of(job_of(demo, craft), "c")
    assert craft in str(refused.value)
    assert "(" in str(refused.value)


def test_what_stays_here_is_named_in_the_page_that_goes_with_it():
    page = folder.files_of(job_of("fan-sled", "fan_sled"), "js")["README.md"]
    assert "- bumper: what it does with other bodies (the contacts of the game)" in page
    assert "- walls of the ground mill_bay (those of the game)" in page
    assert "Inputs, in this order: throttle, steer, brake." in page
    truck = folder.files_of(job_of("ferry", "ferry"), "js")["README.md"]
    assert truck.count("- freight: what it carries, with its mass (a body of the game") == 1
    assert truck.count("- freight") == 1
    assert truck.count("| 0 |") == 1
    assert "foot_hit[" in truck


def test_an_exported_file_is_short_has_no_dependency_and_says_under_which_terms():
    files = folder.files_of(job_of("fan-sled", "fan_sled"), "c")
    text = files["fan_sled.c"]
    assert text.count("\n") < 830
    assert {line for line in text.splitlines() if line.startswith("#include")} == {
        "#include <math.h>", "#include <stdbool.h>", "#include <string.h>",
    }  # fmt: skip
    assert "section 7" in text
    for word in ("fan_thrust", "speed_limit_limit", "runners_side_grip", "void fan_sled_tick("):
        assert word in text, word
    truck = folder.files_of(job_of("lamp-truck", "truck"), "c")["truck.c"]
    assert truck.count("\n") < 1500, "one on four wheels"


def test_its_numbers_are_those_of_the_craft_and_are_found_by_name():
    job = job_of("fan-sled", "fan_sled")
    files = folder.files_of(job, "js")
    numbers = json.loads(files["numbers.json"])["numbers"]
    fan = next(part for part in job.craft.parts if part.id == "fan")
    assert numbers["fan_thrust"] == fan.thrust
    assert numbers["mass"] == job.craft.body.true_mass()
    assert numbers["dt"] == job.dt
    assert all(f"{name}:" in files["fan_sled.mjs"] for name in numbers)


def test_the_numbers_alone_have_units_descriptions_and_the_cameras_of_the_yard():
    job, camera = job_of("fan-sled", "fan_sled"), YardCamera(id="behind", place_lag=0.4)
    files = folder.files_of(job, "json", (camera,))
    assert list(files) == ["numbers.json", "numbers.schema.json", "numbers.toml", "numbers.md"]
    told = json.loads(files["numbers.json"])
    assert told["unit"]["fan_thrust"] == "N"
    assert told["unit"]["mass"] == "kg"
    assert told["unit"]["runners_slides_past"] == "rad"
    assert "limit" in told["says"]["speed_limit_limit"]
    assert [YardCamera.model_validate(one) for one in told["cameras"]] == [camera]
    assert set(told["unit"]) <= set(told["numbers"]) | set(told["tables"])


@pytest.mark.skipif(shutil.which("cc") is None, reason="there is no cc")
def test_a_number_that_is_set_while_it_runs_gives_the_run_of_a_craft_with_that_number(tmp_path):
    yard = demos.load("fan-sled")
    job = jobs.job_of(yard, yard.drill("straight_pull"))
    folder.write(job, "c", tmp_path)
    changed = jobs.job_of(yard.edit("crafts.fan_sled.parts.fan.thrust", 900.0), yard.drill("straight_pull"))
    single = alone.Alone.of(changed)
    for row in single.inputs[:240]:
        single.tick(np.ascontiguousarray(row))
    wanted = single.machine.scene.solids[single.machine.world.crafts[0]["body"]]["position"][0]
    given = ", ".join(repr(float(one)) for one in single.inputs[100])
    loop = """
#include "fan_sled.c"
#include <stdio.h>
int main(void)
{
    static FanSled sled;
    double given[3] = {GIVEN};
    fan_sled_begin(&sled);
    if (!fan_sled_set(&sled, "fan_thrust", 900.0) || fan_sled_set(&sled, "nonsense", 1.0)) return 1;
    for (int tick = 0; tick < 240; tick++) {
        double force[3], torque[3], before = sled.velocity[0];
        fan_sled_push(&sled, given, force, torque);
        fan_sled_tick(&sled, given);
        double gained = sled.n.mass * (sled.velocity[0] - before) / sled.n.dt;
        if (gained != force[0]) return 2;
    }
    printf("%.17g", sled.position[0]);
    return 0;
}
""".replace("GIVEN", given)
    assert np.all(single.inputs[:240] == single.inputs[100]), "one input throughout"
    (tmp_path / "game.c").write_text(loop)
    built = ["cc", "-std=c99", "-Wall", "-Werror", "-O1", "-ffp-contract=off", "game.c", "-o", "game", "-lm"]
    subprocess.run(built, cwd=tmp_path, check=True)
    done = subprocess.run([str(tmp_path / "game")], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.returncode
    assert float(done.stdout) == wanted


def test_a_language_that_is_not_there_and_a_folder_that_cannot_be_made_are_refused(tmp_path):
    job = job_of("puck", "puck")
    with pytest.raises(Refused, match="cannot write 'cobol'"):
        folder.files_of(job, "cobol")
    (tmp_path / "file").write_text("x")
    with pytest.raises(Refused, match="cannot be made"):
        folder.write(job, "c", tmp_path / "file" / "below")
    assert (tmp_path / "file").read_text() == "x"


def test_nothing_that_is_kept_is_unread_and_every_call_has_its_function():
    for demo, craft in ON_BENCH[:6]:
        if (demo, craft) in STAYS:
            continue
        program, places = crafts.program_of(alone.Alone.of(job_of(demo, craft)))
        names = [one.name for one in program.functions]
        assert len(names) == len(set(names))
        read = {spot[0] for one in program.functions for spot in trim.spots_read(one.body)}
        assert set(program.kept) <= read | crafts.WANTED | {"inputs", "foot_hit"}, demo
        seen: set[int] = set()
        for one in program.functions:
            assert {id(called) for called in trim.calls_of(one.body)} <= seen, "callees first"
            seen.add(id(one))
        assert set(places) == set(program.kept)


def test_arithmetic_with_nothing_and_one_is_left_out():
    x = code.Var(FLOAT, "x")
    zero, one = code.Lit(FLOAT, 0.0), code.Lit(FLOAT, 1.0)
    assert arithmetic(FLOAT, "+", x, zero) is x
    assert arithmetic(FLOAT, "*", one, x) is x
    assert arithmetic(FLOAT, "*", x, zero) == zero
    assert arithmetic(FLOAT, "-", zero, x) == code.One(FLOAT, "-", x)
    assert arithmetic(INT, "//", code.Lit(INT, 7), code.Lit(INT, 2)) == code.Lit(INT, 3)
    assert isinstance(arithmetic(FLOAT, "/", one, zero), code.Two), "left to the run"


def test_names_of_crafts_that_mean_something_else_are_changed():
    from oak_sled.core.portable.words import record_name

    craft = Craft.model_validate(demos.load("floe-probe").craft("set").model_dump())
    program, _ = crafts.program_of(alone.Alone.of(job_of("floe-probe", craft.id)))
    assert record_name(program) == "SetCraft"


@pytest.mark.parametrize("language", list(folder.LANGUAGES))
def test_parts_and_crafts_may_be_called_as_a_language_calls_its_own(language, tmp_path):
    """Also as a row of the ledger, a macro, or a channel."""
    job = job_of("fan-sled", "fan_sled")
    names = {"fan": "double", "rudder": "gravity", "air": "null", "runners": "exp", "brake": "in_throttle"}
    parts = tuple(part.replace(id=names.get(part.id, part.id)) for part in job.craft.parts)
    odd = replace(job, craft=job.craft.replace(id="class", parts=parts))
    assert repeats(odd, language, tmp_path / "out")


def test_rows_of_one_name_are_told_apart():
    rows = words.row_names(["gravity", "null", "in_left", "gravity", "poke"])
    assert len(set(rows)) == 5
    assert rows[0] == "GRAVITY"
    assert not set(rows) & words.MACROS
    assert not any(row.startswith("IN_") for row in rows)
    assert words.allowed("double", "part") == "double_part"
    assert words.allowed("fan", "part") == "fan"
