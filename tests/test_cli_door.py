"""The command line as a newcomer meets it: help, version, new yards, checks of many files, JSON, completion."""

from __future__ import annotations

import inspect
import json
import os
import pty
import re
import runpy
import select
import shutil
import subprocess
import sys
import time
from pathlib import Path
from xml.etree import ElementTree

import pytest
import typer
from test_cli import call

from oak_sled import __version__, cli
from oak_sled.core.files import yard_json
from oak_sled.core.project import demos, families
from oak_sled.core.yard.yard import FORMAT

COMMANDS = typer.main.get_command(cli.app).commands
SHOWN = {name: one for name, one in COMMANDS.items() if not one.hidden and name != "dev"}
PROGRAM = str(Path(sys.executable).with_name("oak-sled"))


def test_version_and_help_are_where_one_looks():
    assert call("--version").stdout == f"oak-sled {__version__}\n"
    assert call("-h").stdout == call("--help").stdout
    assert "..." not in call("-h").stdout.split("Commands:")[1]
    assert list(SHOWN)[:3] == ["open", "new", "copy"]
    assert set(SHOWN) == set(cli.IN_ORDER)


@pytest.mark.parametrize("name", [*SHOWN, *(f"dev {name}" for name in COMMANDS["dev"].commands)])
def test_every_command_says_in_a_short_line_what_it_does(name):
    told = call(*name.split(), "-h").stdout
    first = told.strip().splitlines()[2].strip()
    assert first.endswith("."), first
    assert len(first) <= 62
    assert re.match("[A-Z][a-z]+ ", first), "an imperative"
    assert "--help" in told


@pytest.mark.parametrize("name", list(COMMANDS["dev"].commands))
def test_a_command_for_developers_is_called_without_the_word_too(name):
    assert COMMANDS[name].hidden
    assert COMMANDS[name].callback.__name__ == COMMANDS["dev"].commands[name].callback.__name__


PRINTS_NO_DATA = {"export", "link", "open", "new", "copy", "upgrade", "schema", "docs", "desktop"}


def test_everything_that_prints_data_prints_it_as_json_too():
    for name, command in SHOWN.items():
        has = any("--json" in one.opts for one in command.params)
        assert has != (name in PRINTS_NO_DATA), name


SUMMARY = {"version", "craft", "ground", "drill", "ticks", "diverged"}


def test_json_says_what_it_is_of(tmp_path):
    file = tmp_path / "out.json"
    call("run", "demo:puck", "--json", file)
    assert set(json.loads(file.read_text())) >= {*SUMMARY, "status", "measures", "targets", "cautions", "digest"}
    call("run", "demo:puck", "--ticks", "60,120", "--json", file)
    assert [one["ticks"] for one in json.loads(file.read_text())["runs"]] == [60, 120]
    call("tickcheck", "demo:puck", "--json", file)
    told = json.loads(file.read_text())
    assert set(told["measures"]["top_speed"]["rates"]) == {"30", "60", "120", "240"}
    assert "top_speed" in call("tickcheck", "demo:puck").stdout
    call("sensitivity", "demo:puck", "--drill", "full_pull", "--json", file)
    assert json.loads(file.read_text())["dials"][0]["dial"].startswith("crafts.puck.")
    for command in ("demos", "measures", "cautions"):
        assert isinstance(json.loads(call(command, "--json").stdout), list)
    listed = json.loads(call("list", "demo:puck", "--json").stdout)
    assert listed["crafts"] == [{"id": "puck", "title": listed["crafts"][0]["title"]}]
    assert {"path", "value", "unit"} == set(listed["dials"][0])


def test_json_on_standard_output_stands_alone():
    done = call("run", "demo:puck", "--json", "-")
    assert json.loads(done.stdout)["drill"] == "three_cushions"
    assert "top_speed" in done.stderr


@pytest.mark.parametrize("name", [one.name for one in families.FAMILIES])
def test_a_new_yard_of_every_family_is_written_and_driven(name, tmp_path):
    file = tmp_path / "mine.json"
    call("new", name, file)
    assert f"right  {file}" in call("validate", file).stdout
    assert "digest" in call("run", file).stdout
    before = file.read_bytes()
    assert "is there already" in call("new", name, file, status=2).stderr
    assert file.read_bytes() == before
    call("new", "body", file, "--force")
    assert file.read_bytes() != before or name == "body"


def test_new_lists_the_families_and_refuses_another():
    assert [line.split("\t")[0] for line in call("new").stdout.splitlines()] == [one.name for one in families.FAMILIES]
    assert "hovercraft" in call("new", "hovercaft", "x.json", status=2).stderr
    assert "no file is named" in call("new", "car", status=2).stderr
    assert json.loads(call("new", "car", "-").stdout)["title"] == "New car"


@pytest.mark.parametrize("name", list(demos.DEMOS))
def test_every_demo_is_copied_and_is_the_same_elsewhere(name, tmp_path):
    file = tmp_path / "copy.json"
    call("copy", f"demo:{name}", file)
    assert yard_json.load(file) == demos.load(name)


def test_validate_tells_all_files_and_all_faults(tmp_path):
    wrong, old = tmp_path / "wrong.json", tmp_path / "old.json"
    data = json.loads(yard_json.dumps(demos.load("puck")))
    old.write_text(json.dumps({**data, "format": FORMAT - 1}))
    data["crafts"][0]["body"] |= {"mass": -1.0, "length": 0.0}
    wrong.write_text(json.dumps(data))
    done = call("validate", "demo:puck", wrong, old, tmp_path / "none.json", status=2)
    assert done.stdout.count("right  ") == 2
    assert "crafts.puck.body.mass" in done.stdout
    assert "crafts.puck.body.length" in done.stdout
    assert "there is no such file" in done.stdout
    assert f"saved as format {FORMAT}" in done.stdout
    lines = [json.loads(line) for line in call("validate", wrong, "demo:puck", "--json", status=2).stdout.splitlines()]
    assert [one["valid"] for one in lines] == [False, True]
    assert lines[0]["faults"][0]["where"] == "crafts.puck.body.mass"


def test_upgrade_keeps_the_old_file(tmp_path):
    file = tmp_path / "old.json"
    data = {**json.loads(yard_json.dumps(demos.load("puck"))), "format": FORMAT - 1}
    file.write_text(json.dumps(data))
    call("upgrade", file)
    assert json.loads(file.read_text())["format"] == FORMAT
    kept = Path(f"{file}.format-{FORMAT - 1}")
    assert json.loads(kept.read_text()) == data
    assert "of this format already" in call("upgrade", file).stdout
    file.write_text(json.dumps(data))
    assert "is there already" in call("upgrade", file, status=2).stderr
    assert json.loads(file.read_text()) == data
    call("upgrade", file, "--out", tmp_path / "new.json")
    assert yard_json.load(tmp_path / "new.json") == demos.load("puck")


def test_check_takes_many_yards_rates_drills_and_changes(tmp_path):
    report, lines = tmp_path / "report.xml", tmp_path / "lines.json"
    done = call("check", "demo:puck", "demo:puck", "--drill", "full_pull", "--ticks", "60,240",
                "--junit", report, "--json", lines)  # fmt: skip
    assert done.stdout.count("met     demo:puck full_pull at ") == 4
    told = [json.loads(line) for line in lines.read_text().splitlines()]
    assert [one["ticks"] for one in told] == [60, 240, 60, 240]
    assert set(told[0]) >= {*SUMMARY, "targets", "yard"}
    suites = ElementTree.parse(report).getroot()
    assert [one.get("tests") for one in suites] == ["4"]
    missed = call("check", "demo:puck", "--set", "crafts.puck.body.mass=400", "--junit", report, status=1)
    suite = ElementTree.parse(report).getroot()[0]
    assert int(suite.get("failures")) == missed.stdout.count("missed")
    assert suite.find("testcase/failure").get("message")
    new = tmp_path / "new.json"
    call("new", "car", new)
    assert "has no targets" in call("check", new, "--drill", "pull", status=2).stderr
    assert "nothing to check" in call("check", new).stderr


def test_a_spread_over_three_axes_is_a_table_of_all_and_lines_of_json(tmp_path):
    file = tmp_path / "lines.json"
    done = call(
        "spread", "demo:puck", "--drill", "full_pull", "--vary", "crafts.puck.body.mass=10:20:2", "--vary",
        "ticks=60,120", "--vary", "crafts.puck.parts.air.drag_coefficient=0.5,1,2", "--measure", "top_speed",
        "--json", file,
    )  # fmt: skip
    rows, told = done.stdout.splitlines(), [json.loads(line) for line in file.read_text().splitlines()]
    assert len(rows) == 1 + 12 == 1 + len(told)
    for row, one in zip(rows[1:], told, strict=True):
        assert float(row.split(",")[-1]) == one["measures"]["top_speed"]["value"]
        assert [float(cell) for cell in row.split(",")[:3]] == list(one["values"].values())
    assert "a map shows two axes" in call(
        "spread", "demo:puck", "--drill", "full_pull", *("--vary", "ticks=60,120") * 3, "--measure", "top_speed",
        "--picture", tmp_path / "map.png", status=2,
    ).stderr  # fmt: skip


def test_laws_outlook_and_why_explain_a_yard():
    laws = [line.split("\t") for line in call("laws", "demo:ice-truck").stdout.splitlines()]
    assert ["wheels", "wheel_spring", "built in"] in [row[:3] for row in laws]
    own = json.loads(call("laws", "demo:crate-drop", "--craft", "own_law", "--json").stdout)["laws"]
    assert any(row["formula"] for row in own)
    told = call("outlook", "demo:fan-sled").stdout
    assert re.search(r"^fan\t.*m/s", told, re.M)
    more = json.loads(
        call("outlook", "demo:fan-sled", "--set", "crafts.fan_sled.parts.fan.thrust=2kN", "--json").stdout
    )
    assert more["outlook"][0]["part"] == "body"
    why = call("why", "demo:fan-sled", "--drill", "slalom", "--at", "8 s").stdout
    assert "speed: " in why
    assert "fan" in why
    data = json.loads(call("why", "demo:fan-sled", "--drill", "slalom", "--at", "8 s", "--json").stdout)
    for one in data["why"]:
        given = sum(each["amount"] for each in one["reasons"])
        assert given == pytest.approx(one["total"], abs=0.02 * max(abs(one["total"]), 1.0) + 0.5)
    assert "is not in the drill" in call("why", "demo:fan-sled", "--at", "1 h", status=2).stderr


def test_quiet_leaves_out_progress_and_notices(tmp_path):
    old = tmp_path / "old.json"
    old.write_text(json.dumps({**json.loads(yard_json.dumps(demos.load("puck"))), "format": FORMAT - 1}))
    assert f"format {FORMAT - 1} was read" in call("list", old).stderr
    assert call("--quiet", "list", old).stderr == ""
    call("list", old)


def asked_of(shell, words, environment):
    done = subprocess.run(
        [PROGRAM], env={**os.environ, "_OAK_SLED_COMPLETE": f"complete_{shell}", **environment(words)},
        capture_output=True, text=True, timeout=60,
    )  # fmt: skip
    return done.stdout


SHELLS = {
    "bash": lambda words: {"COMP_WORDS": words, "COMP_CWORD": str(len(words.split()) - 1)},
    "zsh": lambda words: {"_TYPER_COMPLETE_ARGS": words},
    "fish": lambda words: {"_TYPER_COMPLETE_ARGS": words, "_TYPER_COMPLETE_FISH_ACTION": "get-args"},
}
BEGUN = (
    ("oak-sled run demo:fan", "demo:fan-sled"),
    ("oak-sled run demo:fan-sled --drill sla", "slalom"),
    ("oak-sled run demo:quay --craft sled_d", "sled_dead"),
    ("oak-sled spread demo:puck --drill full_pull --measure top_s", "top_speed"),
    ("oak-sled run demo:puck --set crafts.puck.body.mas", "crafts.puck.body.mass"),
    ("oak-sled new hover", "hovercraft"),
)


@pytest.mark.parametrize("shell", list(SHELLS))
def test_every_shell_completes_yards_drills_crafts_measures_and_dials(shell):
    for words, wanted in BEGUN:
        assert wanted in asked_of(shell, words, SHELLS[shell]).replace("\\\\:", ":"), words


@pytest.mark.skipif(shutil.which("bash") is None, reason="no bash here")
def test_tab_completes_in_a_terminal(tmp_path):
    """A real bash on a pseudo terminal, with the completion that the program gives it."""
    script = subprocess.run([PROGRAM, "--show-completion", "bash"], capture_output=True, text=True, timeout=60).stdout
    (tmp_path / "rc").write_text(f"export PATH={Path(PROGRAM).parent}:$PATH\nPS1=ready:\n{script}\n")
    pid, end = pty.fork()
    if pid == 0:
        os.execvp("bash", ["bash", "--noprofile", "--rcfile", str(tmp_path / "rc"), "-i"])
    seen = ""

    def until(words):
        nonlocal seen
        goal = time.monotonic() + 60.0
        while words not in seen and time.monotonic() < goal:
            if select.select([end], [], [], 1.0)[0]:
                seen += os.read(end, 4096).decode(errors="replace")
        assert words in seen, seen

    until("ready:")
    os.write(end, b"oak-sled run demo:fan-s\t --drill sla\t")
    until("demo:fan-sled ")
    until("slalom")
    os.write(end, b"\x15exit\n")
    os.waitpid(pid, 0)
    os.close(end)


def test_the_manual_page_is_that_of_the_commands():
    from oak_sled.commands import manpage

    page = Path(cli.__file__).with_name("man") / "oak-sled.1"
    assert page.read_text(encoding="utf-8") == manpage.page(cli.app)
    for name in SHOWN:
        assert f"oak\\-sled {name}" in page.read_text(encoding="utf-8")
    if shutil.which("man"):
        done = subprocess.run(["man", "--warnings", "-l", str(page)], capture_output=True, text=True, timeout=60)
        assert done.stderr == ""


def test_docs_lists_and_prints_the_pages():
    lines = call("docs").stdout.splitlines()
    names = [line.split("\t")[0] for line in lines[:-1]]
    assert {"physics", "yard-format", "command-line", "glossary"} <= set(names)
    for name in names:
        assert call("docs", name).stdout.startswith("# "), name
    assert "physics" in call("docs", "fysics", status=2).stderr


def test_that_something_is_compiled_is_said_once(tmp_path):
    env = {**os.environ, "OAK_SLED_CACHE": str(tmp_path), "OAK_SLED_STATE": str(tmp_path / "state")}

    def said(demo):
        whole = [sys.executable, "-m", "oak_sled", "run", demo]
        done = subprocess.run(whole, capture_output=True, text=True, env=env, check=True, timeout=300)
        return "compiling" in done.stderr

    assert said("demo:puck")
    assert not said("demo:puck")
    assert not said("demo:crate-drop"), "though its pads are compiled only now"


def test_twins_stand_in_one_table_and_as_json(tmp_path):
    file = tmp_path / "twins.json"
    told = call("twins", "demo:lamp-truck", "--drill", "tip", "--ticks", "60,120", "--json", file).stdout
    lines = told.splitlines()
    assert lines[0].split()[-2:] == ["Held", "down"]
    assert [line.split()[-3] for line in lines if "cost of a tick" in line] == ["60"]
    data = json.loads(file.read_text())
    assert data["crafts"] == ["truck", "held_down"]
    assert data["ticks"] == [60, 120]
    row = data["rows"][0]
    assert set(row["values"]) == set(row["met"]) == set(data["crafts"])
    assert set(row["values"]["truck"]) == {"60", "120"}
    assert all(cost > 0.0 for of in data["tick_s"].values() for cost in of.values())
    assert "has no twins" in call("twins", "demo:fan-sled", status=2).stderr
    assert "ticks" in call("twins", "demo:lamp-truck", "--drill", "tip", "--ticks", "7", status=2).stderr


LAKE = Path(__file__).parent / "data" / "lake_drive.csv"
"""What a game did in which the fan pushes with 540 N."""
PRINTING = [
    ("demos",), ("measures", "--json"), ("cautions",), ("list", "demo:puck"), ("docs", "faq"), ("schema",),
    ("laws", "demo:crate-drop"), ("outlook", "demo:puck", "--json"), ("why", "demo:lamp-truck", "--drill", "brake"),
    ("run", "demo:puck"), ("check", "demo:puck"), ("twins", "demo:lamp-truck", "--drill", "tip", "--ticks", "60"),
    ("tickcheck", "demo:puck"), ("sensitivity", "demo:puck", "--drill", "full_pull"),
    ("spread", "demo:puck", "--drill", "full_pull", "--measure", "top_speed", "--vary", "ticks=60,120"),
    ("sway", "demo:sledge-train", "--drill", "rear_heavy", "--speeds", "6,8"),
    ("fit", "demo:fan-sled", "--to", str(LAKE), "--dial", "crafts.fan_sled.parts.fan.thrust"),
    ("character", "demo:fan-sled", "--wish", "icy"),
    ("tune", "demo:fan-sled", "--drill", "slalom"), ("network", "demo:fan-sled", "--delay", "0ms,120ms"),
]  # fmt: skip


@pytest.mark.parametrize("given", PRINTING, ids=lambda given: given[0])
def test_what_is_printed_goes_to_a_file_instead(given, tmp_path):
    file = tmp_path / "out"
    assert call(*given, "-o", file).stdout == ""
    printed = file.read_text()
    assert printed.count("\n") >= 1
    if given[0] != "twins":  # its last lines are times
        assert printed == call(*given).stdout
    nowhere = call(*given, "-o", tmp_path / "none" / "out", status=2)
    assert "there is no folder" in nowhere.stderr


def test_a_fit_finds_what_the_game_has_says_what_was_guessed_and_saves_it(tmp_path):
    thrust, saved = "crafts.fan_sled.parts.fan.thrust", tmp_path / "fitted.json"
    done = call("fit", "demo:fan-sled", "--to", LAKE, "--dial", thrust, "--save", saved, "--json", "-")
    told = json.loads(done.stdout)
    assert told["dials"][thrust]["value"] == {"value": pytest.approx(540.0, rel=0.02), "unit": "N"}
    assert told["errors"]["place"]["after"] < 0.2 * told["errors"]["place"]["before"]
    assert "length m: the header says m" in done.stderr
    again = call("fit", saved, "--drill", told["drill"], "--dial", thrust).stdout
    assert "rms of place" in again
    listed = json.loads(call("list", saved, "--json").stdout)
    value = next(one["value"] for one in listed["dials"] if one["path"] == thrust)
    assert value == pytest.approx(told["dials"][thrust]["value"]["value"])


@pytest.mark.parametrize(
    ("given", "what"),
    [
        (("demo:fan-sled",), "has no recording"),
        (("demo:fan-sled", "--to", LAKE, "--dial", "crafts.fan_sled.parts.fan.push"), "is no dial"),
        (("demo:fan-sled", "--to", LAKE, "--dial", "crafts.fan_sled.parts.fan.thrust", "--lock",
          "crafts.fan_sled.parts.fan.thrust"), "all locked"),
        (("demo:fan-sled", "--to", Path(__file__)), "is not CSV"),
    ],
)  # fmt: skip
def test_a_fit_that_cannot_be_is_one_line_with_what_would_be_right(given, what):
    assert what in call("fit", *given, status=2).stderr


def test_character_tells_every_word_and_keeps_a_new_one_of_the_craft(tmp_path):
    saved = tmp_path / "worded.json"
    done = call("character", "demo:fan-sled", "--keep", "as_it_was", "--save", saved, "--json", "-")
    told = json.loads(done.stdout)
    assert told["channels"] == {"drive": "throttle", "turn": "steer", "brake": "brake"}
    assert 0.5 < told["words"]["icy"]["score"] < 0.95
    assert told["words"]["icy"]["bands"]["follows"]["speaks"] < 1.0
    lines = call("character", "demo:fan-sled").stdout
    assert "icy" in lines
    assert "against: " in lines
    again = json.loads(call("character", saved, "--wish", "as_it_was", "--json", "-").stdout)
    assert again["words"]["as_it_was"]["score"] == 1.0
    slower = ("--set", "crafts.fan_sled.parts.fan.thrust=200")
    assert (
        json.loads(call("character", saved, "--wish", "as_it_was", *slower, "--json", "-").stdout)["words"][
            "as_it_was"
        ]["score"]
        < 0.95
    )


@pytest.mark.parametrize(
    ("given", "what"),
    [
        (("--wish", "icyy"), "icy"), (("--craft", "fan_sledd"), "fan_sled"), (("--keep", "mine"), "--save"),
        (("--keep", "Not a name", "--save", "there.json"), "name"),
    ],
)  # fmt: skip
def test_a_character_that_cannot_be_told_is_one_line_with_what_would_be_right(given, what):
    assert what in call("character", "demo:fan-sled", *given, status=2).stderr


def test_tune_makes_the_sled_icy_but_forgiving_and_saves_the_fewest_moves(tmp_path):
    saved = tmp_path / "tuned.json"
    given = ("tune", "demo:fan-sled", "--wish", "icy", "--wish", "forgiving", "--weight", "icy=2", "--seed", "1")
    told = json.loads(call(*given, "--save", saved, "--fewest", "--json", "-").stdout)
    assert told["met"]
    assert told["ended"] == "met"
    assert all(one["met"] for one in told["terms"])
    met = [one for one in told["fewest"] if one["met"] == len(told["terms"])]
    assert set(met[-1]["moves"]) <= set(told["moves"])
    shown = json.loads(call("character", saved, "--wish", "icy", "--wish", "forgiving", "--json", "-").stdout)
    assert shown["words"]["icy"]["score"] == pytest.approx(1.0)
    assert shown["words"]["forgiving"]["score"] == pytest.approx(1.0)
    again = json.loads(call(*given, "--json", "-", "--no-explain").stdout)
    assert again["moves"] == told["moves"], "the same seed gives the same answer"


def test_what_cannot_be_met_is_told_with_what_stands_against_it_and_status_1():
    thrust = "crafts.fan_sled.parts.fan.thrust"
    said = call("tune", "demo:fan-sled", "--wish", "snappy", "--dial", thrust, "--tries", "20", status=1).stdout
    assert "missed  snappy" in said
    assert "cost each other" in said or "would help" in said


@pytest.mark.parametrize(
    ("given", "what"),
    [
        (("--wish", "icyy"), "icy"), (("--wish", "icy", "--wish", "crisp"), "at most 1.2"),
        (("--drill", "throttle_pulses"), "has no targets"), (("--wish", "icy", "--weight", "icy"), "NAME=WEIGHT"),
        (("--wish", "icy", "--weight", "crisp=2"), "icy"), (("--wish", "icy", "--tries", "0"), "1 to"),
        (("--wish", "icy", "--bound", "crafts.fan_sled.parts.fan.thrust=9"), "PATH=LO:HI"),
        (("--wish", "icy", "--dial", "crafts.fan_sled.parts.fan.push"), "is no dial"),
        (("--wish", "icy", "--fewest"), "--save"),
    ],
)  # fmt: skip
def test_a_tuning_that_cannot_be_is_one_line_with_what_would_be_right(given, what):
    assert what in call("tune", "demo:fan-sled", *given, status=2).stderr


def test_fit_builds_a_craft_of_the_laws_of_a_loop_of_ones_own(tmp_path):
    table, own = tmp_path / "own_loop.csv", tmp_path / "own.json"
    runpy.run_path(str(Path(__file__).parents[1] / "examples" / "own_loop.py"))["main"](str(table))
    made = call("fit", "demo:fan-sled", "--to", table, "--build", "own", "--save", own, "--json", "-")
    told = json.loads(made.stdout)
    best = told["laws"]["drive"]["laws"][0]
    assert best["law"] == "a share kept in each frame"
    assert best["numbers"]["kept"]["value"] == pytest.approx(0.985, abs=1e-4)
    assert told["laws"]["drive"]["is_told_apart"]
    assert told["missing"]["rms"]["value"] < 1.0
    far = json.loads(call("network", own, "--delay", "150ms", "--loss", "2%", "--json", "-").stdout)["delays"][0]
    assert 0.0 < far["largest_jump"]["value"] < 0.3
    taken = call("fit", "demo:fan-sled", "--to", table, "--build", "fan_sled", status=2)
    assert "is taken" in taken.stderr


def test_network_tells_how_far_off_a_copy_is_and_ends_as_check_does(tmp_path):
    table = tmp_path / "seen.csv"
    given = ("network", "demo:fan-sled", "--delay", "150ms", "--loss", "2%", "--jitter", "30ms")
    told = json.loads(call(*given, "--json", "-").stdout)["delays"][0]
    assert told["network"]["loss"] == 0.02
    assert told["lost"] > 0
    assert 0.0 < told["error_rms"]["value"] < told["error_most"]["value"]
    assert "inputs come late" in call(*given, "--csv", table).stdout
    rows = table.read_text().splitlines()
    assert rows[0].startswith("t [s],truth.x [m]")
    worst = max(float(row.split(",")[7]) for row in rows[1:])
    assert worst == pytest.approx(told["error_most"]["value"], rel=1e-6)
    call(*given, "--most-jump", "1mm", status=1)
    call(*given, "--most-jump", "5m", "--most-error", "20m", status=0)
    again = call("network", "demo:fan-sled", "--delay", "0ms,150ms", "--correct", "rollback", "--seen-by", "driver")
    assert "a rollback is of" in again.stdout or "0.0 1/s" in again.stdout


@pytest.mark.parametrize(
    ("given", "what"),
    [
        (("--delay", "soon"), "--delay"), (("--loss", "200%"), "--loss"), (("--correct", "hope"), "snap"),
        (("--seen-by", "nobody"), "--seen-by"), (("--most-jump", "0m"), "above 0"), (("--rate", "0"), "--rate"),
        (("--delay", "0ms,9ms", "--csv", "-"), "one delay"), (("--drill", "slalomm"), "slalom"),
    ],
)  # fmt: skip
def test_a_connection_that_cannot_be_is_one_line_with_what_would_be_right(given, what):
    assert what in call("network", "demo:fan-sled", *given, status=2).stderr


def test_every_command_that_prints_has_it():
    own = {"open", "new", "copy", "validate", "upgrade", "trim", "export", "link", "desktop"}
    for command in cli.app.registered_commands:
        name = cli.name_of(command)
        if name not in own and not command.hidden:
            assert "out" in inspect.signature(command.callback).parameters, name
            assert name in {given[0] for given in PRINTING}, name


def test_an_output_takes_the_place_of_nothing_else(tmp_path):
    file = tmp_path / "mine.json"
    call("new", "body", file)
    before = file.read_bytes()
    assert "is the yard as well" in call("list", file, "-o", file, status=2).stderr
    assert "is the yard as well" in call("check", file, "-o", file, status=2).stderr
    same = tmp_path / "same"
    assert "is --csv as well" in call("run", file, "-o", same, "--csv", same, status=2).stderr
    assert file.read_bytes() == before
