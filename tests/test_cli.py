"""The command line, as scripts call it."""

from __future__ import annotations

import contextlib
import csv
import io
import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

from oak_sled import cli
from oak_sled.core.assembly import jobs
from oak_sled.core.project import demos, shelf, shelf_store
from oak_sled.core.results import run


def call(*arguments, status=0):
    """The program in this process, as `main` runs it; in one of its own where a file is a stream of the process."""
    given = [str(one) for one in arguments]
    if "-" in given:
        done = subprocess.run([sys.executable, "-m", "oak_sled", *given], capture_output=True, text=True)
    else:
        out, errors = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(errors):
            code = cli._status(given)
        done = subprocess.CompletedProcess(given, code, out.getvalue(), errors.getvalue())
    assert done.returncode == status, done.stdout + done.stderr
    assert "Traceback" not in done.stderr
    return done


def test_demos_and_list():
    assert "demo:fan-sled" in call("demos").stdout
    lines = call("list", "demo:fan-sled").stdout.splitlines()
    assert "dial\tcrafts.fan_sled.parts.fan.thrust\t620\tN" in lines
    assert any(line.startswith("drill\tslalom") for line in lines)


@pytest.mark.parametrize("command", ["measures", "cautions"])
def test_what_is_declared_is_listed_in_lines_and_as_json(command):
    lines = call(command).stdout.splitlines()
    data = json.loads(call(command, "--json").stdout)
    assert [line.split("\t")[0] for line in lines] == [one["name"] for one in data]
    assert all(len(line.split("\t")) == 3 for line in lines)
    page = (Path(__file__).parents[1] / "docs" / f"{command}.md").read_text(encoding="utf-8")
    assert all(f"`{one['name']}`" in page for one in data)


def test_run_writes_csv_that_round_trips_and_json(tmp_path):
    out, data = tmp_path / "run.csv", tmp_path / "run.json"
    told = call(
        "run",
        "demo:fan-sled",
        "--drill",
        "brake_to_stop",
        "--ticks",
        "60",
        "--set",
        "crafts.fan_sled.parts.brake.bite=0.5",
        "--csv",
        str(out),
        "--json",
        str(data),
    ).stdout
    assert "stop_distance" in told
    with out.open() as file:
        rows = list(csv.reader(file))
    yard = demos.load("fan-sled").edit("crafts.fan_sled.parts.brake.bite", 0.5)
    drill = yard.drill("brake_to_stop")
    made = run.execute(jobs.Job(yard.craft(), yard.ground_of(drill), drill, 60))
    head = rows[0]
    assert head[0] == "t [s]"
    for name in (
        "fan_sled.position.x [m]",
        "fan_sled.velocity.x [m/s]",
        "fan_sled.speed [m/s]",
        "fan_sled.rotation.w",
        "fan_sled.spin.z [rad/s]",
        "fan_sled.channel.brake",
        "fan_sled.brake.force.x [N]",
    ):
        assert name in head
    place = head.index("fan_sled.position.x [m]")
    assert [float(row[place]) for row in rows[1:]] == made.column("position.x").tolist(), "exactly"
    found = json.loads(data.read_text())
    assert found["digest"] == made.digest
    assert found["measures"]["stop_distance"]["unit"] == "m"
    assert found["measures"]["gates_missed"]["value"] is None
    assert {"name", "where", "says", "helps"} == set(found["cautions"][0])


def test_check_tells_by_its_exit_status(tmp_path):
    assert "met" in call("check", "demo:fan-sled").stdout
    from oak_sled.core.files import yard_json

    file = tmp_path / "weak.json"
    yard_json.save(demos.load("fan-sled").edit("crafts.fan_sled.parts.fan.thrust", 60.0), file)
    assert "missed  straight_pull" in call("check", str(file), status=1).stdout


def test_spread_prints_a_grid(tmp_path):
    out = tmp_path / "grid.csv"
    call(
        "spread",
        "demo:fan-sled",
        "--drill",
        "brake_to_stop",
        "--measure",
        "stop_distance",
        "--vary",
        "crafts.fan_sled.parts.brake.bite=0.2:0.6:3",
        "--vary",
        "grounds.long_reach.grip=0.5:1:2",
        "--csv",
        str(out),
    )
    rows = out.read_text().splitlines()
    assert len(rows) == 1 + 6
    distances = [float(row.split(",")[-1]) for row in rows[1:]]
    assert distances[1] > distances[3] > distances[5]


def test_spread_scatters_lists_draws_and_tells_of_several_measures(tmp_path):
    picture = tmp_path / "map.png"
    told = call(
        "spread", "demo:fan-sled", "--drill", "brake_to_stop", "--measure", "stop_distance", "--measure", "top_speed",
        "--vary", "crafts.fan_sled.parts.brake.bite=0.2,0.4", "--vary", "grounds.long_reach.grip=0.4:0.8:3:log",
        "--scatter", "2", "--threads", "1", "--picture", str(picture),
    ).stdout  # fmt: skip
    rows = told.splitlines()
    assert rows[0].endswith("repeat,status,stop_distance [m],top_speed [m/s]")
    assert len(rows) == 1 + 2 * 3 * 3
    assert picture.read_bytes().startswith(b"\x89PNG")


@pytest.mark.parametrize("option", ["--csv", "--picture"])
def test_a_full_disk_is_said_and_what_was_computed_is_there(option):
    given = ("spread", "demo:fan-sled", "--drill", "straight_pull", "--measure", "top_speed")
    path = "crafts.fan_sled.parts.fan.thrust"
    told = call(*given, "--vary", f"{path}=400:700:2", option, "/dev/full", status=2)
    assert "/dev/full: cannot be written: no space left on device" in told.stderr
    assert len(told.stdout.splitlines()) == 3


def test_spread_compares_cards_of_the_shelf_beside_a_yard(tmp_path):
    file, yard = tmp_path / "yard.json", demos.load("fan-sled").edit("drills.straight_pull.duration", 2.0)
    cards = []
    for thrust in (400.0, 700.0, 900.0):
        changed = yard.edit("crafts.fan_sled.parts.fan.thrust", thrust)
        made = run.execute(jobs.job_of(changed, changed.drill("straight_pull")))
        card = shelf.card_of(made, f"thrust to {thrust:g}").changed(starred=thrust > 500.0)
        cards = [card, *cards]
    shelf_store.save_all(yard, tuple(cards), file)
    given = ("spread", str(file), "--drill", "straight_pull", "--measure", "top_speed", "--vary")
    rows = list(csv.reader(call(*given, "card=all").stdout.splitlines()))
    assert [row[0] for row in rows[1:]] == ["thrust to 400", "thrust to 700", "thrust to 900"]
    assert float(rows[1][-1]) < float(rows[2][-1]) < float(rows[3][-1])
    assert len(call(*given, "card=starred").stdout.splitlines()) == 3
    told = call(*given, "card=starred,thrust to 440", status=2)
    assert "there is no card 'thrust to 440'" in told.stderr
    assert "'thrust to 400'" in told.stderr
    told = call("spread", "demo:ferry", "--drill", "settle", "--measure", "top_speed", "--vary", "card=all", status=2)
    assert "0 of the cards differ" in told.stderr


def test_sensitivity_prints_a_row_a_dial_that_matters():
    given = ("sensitivity", "demo:fan-sled", "--drill", "brake_to_stop")
    rows = call(*given).stdout.splitlines()
    assert rows[0].split()[4:] == ["stop_distance"], "that of its target"
    bite = next(row for row in rows if row.startswith("crafts.fan_sled.parts.brake.bite "))
    assert -1.0 < float(bite.split()[1].rstrip("?")) < -0.5
    assert any(row.endswith("dials do not matter to these") for row in rows)
    timed = call(*given, "--measure", "stop_time").stdout.splitlines()
    assert timed[0].split()[-1] == "stop_time"
    assert "stop_distance" in call(*given, "--measure", "stop_distanc", status=2).stderr


def test_the_whole_sensitivity_is_a_csv():
    rows = call("sensitivity", "demo:fan-sled", "--drill", "brake_to_stop", "--csv", "-").stdout.splitlines()
    assert rows[0].startswith("dial,")
    assert any(row.startswith("crafts.fan_sled.parts.brake.bite,") for row in rows)


def test_schema_is_json():
    schema = json.loads(call("schema").stdout)
    assert schema["properties"]["crafts"]


def test_tick_check():
    told = call("tickcheck", "demo:fan-sled", "--drill", "step_steer").stdout
    assert "reference" in told
    assert "substeps a tick" in told


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("run", "demo:fan-sleds"), "did you mean fan-sled"),
        (("run", "nowhere.json"), "cannot be read"),
        (("run", "demo:fan-sled", "--drill", "slalm"), "did you mean slalom"),
        (("run", "demo:fan-sled", "--ticks", "7"), "at least 20"),
        (("run", "demo:fan-sled", "--set", "crafts.fan_sled.parts.fan.thrust=3 m"), "give it in N"),
        (("run", "demo:fan-sled", "--set", "nothing"), "has no value"),
        (
            ("spread", "demo:fan-sled", "--drill", "slalom", "--measure", "fun", "--vary", "ticks=60:120:2"),
            "there is no 'fun'",
        ),
        (("spread", "demo:fan-sled", "--drill", "slalom", "--measure", "hits", "--vary", "ticks"), "PATH=LO:HI:N"),
        (("run",), "yard"),
        (("run", "demo:fan-sled", "--bogus"), "bogus"),
        (("run", "demo:fan-sled", "--csv", "/proc/none/x.csv"), "there is no folder /proc/none"),
    ],
)
def test_bad_input_is_one_clear_line_and_status_2(arguments, words):
    told = call(*arguments, status=2).stderr
    assert words in told
    assert len(told.strip().splitlines()) == 1


def test_several_faults_are_a_line_each():
    told = call("run", "demo:fan-sled", "--set", "ticks=3", "--set", "crafts.fan_sled.body.mass=-2", status=2).stderr
    assert len(told.strip().splitlines()) == 2


def test_the_quay_runs_lists_and_meets_its_targets(tmp_path):
    assert "demo:quay" in call("demos").stdout
    lines = call("list", "demo:quay").stdout.splitlines()
    assert "dial\tgrounds.quay.blocks.crate_1.mass\t25\tkg" in lines
    out, data = tmp_path / "run.csv", tmp_path / "run.json"
    heavy = "grounds.quay.blocks.crate_1.mass=2500"
    given = ("run", "demo:quay", "--drill", "push_freight", "--set", heavy, "--csv", str(out), "--json", str(data))
    told = call(*given, status=1)
    assert "target missed blocks moved" in told.stdout
    assert "blocks_moved" in told.stdout
    found = json.loads(data.read_text())["measures"]
    assert found["air_time"] == {"value": 0.0, "unit": "s"}
    with out.open() as file:
        rows = list(csv.reader(file))
    for name in ("fan_sled.contact.force.z [N]", "block.crate_1.position.x [m]", "block.crate_1.rotation.w"):
        assert name in rows[0]
    crate = [float(row[rows[0].index("block.crate_1.position.x [m]")]) for row in rows[1:]]
    sled = [float(row[rows[0].index("fan_sled.position.x [m]")]) for row in rows[1:]]
    assert crate[0] == 14.0
    assert max(sled) < max(crate) - 0.4, "the sled stays behind what it pushes"
    inside = [float(row[rows[0].index("block.landing.inside")]) for row in rows[1:]]
    assert max(inside) == 0.0
    checked = call("check", "demo:quay").stdout.splitlines()
    drills = [drill.id for drill in demos.load("quay").drills]
    assert [line.split()[1].rstrip(":") for line in checked] == drills
    assert all(line.startswith("met") for line in checked)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ("grounds.quay.blocks.crate_1.mass=-4", "mass"),
        ("grounds.quay.blocks.crate_9.mass=4", "crate_9"),
        ("grounds.quay.blocks.crate_1.length=0", "length"),
        ("grounds.quay.blocks.crate_1.mass=4 m", "kg"),
    ],
)
def test_bad_freight_is_one_clear_line(change, said):
    done = call("run", "demo:quay", "--set", change, status=2)
    assert said in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_what_was_flung_is_measured_on_the_command_line(tmp_path):
    out = tmp_path / "out.json"
    assert "launch_speed@light" in call("run", "demo:shove", "--json", str(out)).stdout
    found = json.loads(out.read_text())["measures"]
    assert found["launch_speed@light"]["unit"] == "m/s"
    assert found["launch_speed@light"]["value"] > found["launch_speed@heavy"]["value"]


@pytest.mark.parametrize("name", ["mortar", "shove", "puck", "shunting", "ferry"])
def test_check_finds_the_targets_of_a_demo_met(name):
    assert "missed" not in call("check", f"demo:{name}").stdout


def test_a_shot_of_no_mass_is_one_clear_line():
    said = call("run", "demo:mortar", "--set", "crafts.mortar.parts.barrel.shot_mass=0", status=2).stderr.strip()
    assert len(said.splitlines()) == 1
    assert "parts.barrel.shot_mass" in said
    assert "at least 0.0001" in said


def test_a_target_of_a_watched_block_may_ask_for_a_measure_that_blocks_have():
    call("spread", "demo:shove", "--drill", "one_gust", "--vary", "crafts.anchored.parts.gust.size=2000:6000:2",
         "--measure", "launch_speed@light")  # fmt: skip
    call("spread", "demo:shove", "--drill", "one_gust", "--vary", "crafts.anchored.parts.gust.size=2000:6000:2",
         "--measure", "top_speed@light", status=2)  # fmt: skip


def test_a_misspelt_command_is_told_of_the_one_that_is_near():
    told = call("rnu", "demo:fan-sled", status=2).stderr
    assert "rnu: no such command or file (did you mean run?" in told
    assert len(told.splitlines()) == 1


def test_several_settings_are_checked_together_in_any_order():
    low = "crafts.fan_sled.parts.runners.grips_below_deg=50"
    high = "crafts.fan_sled.parts.runners.slides_past_deg=60"
    assert "above slides_past_deg" in call("run", "demo:fan-sled", "--set", low, status=2).stderr
    one, other = (
        call("run", "demo:fan-sled", "--set", first, "--set", second) for first, second in ((low, high), (high, low))
    )
    assert one.stdout == other.stdout
    share = call("run", "demo:fan-sled", "--set", "crafts.fan_sled.body.damping_law=per_tick", status=2).stderr
    assert "crafts.fan_sled.body.spin_damping: a share per tick above 1" in share  # the whole path of what is wrong


def test_a_setting_may_be_a_list():
    held = 'crafts.fan_sled.body.held=["z"]'
    free = call("run", "demo:fan-sled", "--drill", "straight_pull", "--set", held, status=1)
    assert "digest" in free.stdout
    told = call("run", "demo:fan-sled", "--set", "crafts.fan_sled.body.held=[z", status=2).stderr
    assert "is not a list" in told


def test_several_tick_rates_stand_side_by_side(tmp_path):
    out = tmp_path / "rates.json"
    said = call("run", "demo:fan-sled", "--drill", "step_steer", "--ticks", "60,120", "--json", str(out)).stdout
    assert said.splitlines()[1].split() == ["ticks/s", "60", "120"]
    found = json.loads(out.read_text())["runs"]
    assert [one["ticks"] for one in found] == [60, 120]
    alone = call("run", "demo:fan-sled", "--drill", "step_steer", "--ticks", "120").stdout
    assert f"digest {found[1]['digest']}" in alone
    assert "one tick rate" in call("run", "demo:fan-sled", "--ticks", "60,120", "--csv", "x.csv", status=2).stderr
    assert "is not a tick rate" in call("run", "demo:fan-sled", "--ticks", "60,fast", status=2).stderr


def test_no_folder_is_made_for_a_slip_of_the_pen(tmp_path):
    target = tmp_path / "not_there" / "run.csv"
    told = call("run", "demo:fan-sled", "--csv", str(target), status=2)
    assert "there is no folder" in told.stderr
    assert told.stdout == ""  # it is said before anything is run
    assert not target.parent.exists()


def test_a_shell_completes_yards():
    """What the shell asks of the program when Tab is pressed."""
    asked = {"_OAK_SLED_COMPLETE": "complete_bash", "COMP_WORDS": "oak-sled run demo:s", "COMP_CWORD": "2"}
    done = subprocess.run(
        [str(Path(sys.executable).with_name("oak-sled")), "run"],
        env={**os.environ, **asked},
        capture_output=True,
        text=True,
        timeout=60,
    )
    assert done.stdout.split() == [f"demo:{name}" for name in demos.DEMOS if name.startswith("s")]
    assert "demo:shove" in done.stdout


def test_a_run_seen_from_another_craft_judges_the_targets_of_the_drill():
    for craft in ("spring", "own_law"):
        made = call("run", "demo:crate-drop", "--drill", "soft_landing", "--craft", craft)
        assert made.stdout.count("target met") == 3, made.stdout


def piped(*arguments, to, environment=None):
    """The program with its standard output led somewhere."""
    return subprocess.run(
        [sys.executable, "-m", "oak_sled", *arguments], stdout=to, stderr=subprocess.PIPE, text=True, timeout=120,
        env={**os.environ, **(environment or {})},
    )  # fmt: skip


ANY_COMMAND = [
    ("demos",), ("list", "demo:fan-sled"), ("schema",), ("check", "demo:puck"),
    ("run", "demo:fan-sled", "--drill", "brake_to_stop"),
    ("run", "demo:fan-sled", "--drill", "brake_to_stop", "--csv", "-"),
    ("tickcheck", "demo:fan-sled", "--drill", "brake_to_stop"), ("trim", "demo:bush-plane", "--speed", "30"),
]  # fmt: skip


def faults_of(done):
    """What was said, without how far a slow machine was: that is told after a second."""
    return [line for line in done.stderr.splitlines() if not re.search(r"\d+ of \d+ [\w ]+, about \d+ s left", line)]


@pytest.mark.parametrize("arguments", ANY_COMMAND, ids=[" ".join(one[:1] + one[-2:]) for one in ANY_COMMAND])
def test_a_closed_pipe_is_quiet(arguments):
    reads, writes = os.pipe()
    os.close(reads)
    try:
        done = piped(*arguments, to=writes)
    finally:
        os.close(writes)
    assert done.returncode in (0, 1)
    assert faults_of(done) == [] or ("-" in arguments and "written" not in done.stderr)


@pytest.mark.parametrize("arguments", ANY_COMMAND, ids=[" ".join(one[:1] + one[-2:]) for one in ANY_COMMAND])
def test_a_full_disk_under_the_output_is_one_line(arguments):
    with open("/dev/full", "w") as full:
        done = piped(*arguments, to=full)
    assert done.returncode == 2
    assert "cannot be written: no space left on device" in done.stderr.splitlines()[-1]
    assert "-" in arguments or len(faults_of(done)) == 1, "with -, the table is there as well"


def test_a_terminal_that_cannot_print_a_character_prints_another(tmp_path):
    with open(tmp_path / "out", "w") as file:
        done = piped(
            "run", "demo:fan-sled", "--drill", "step_steer", to=file, environment={"PYTHONIOENCODING": "ascii"}
        )
    assert (done.returncode, done.stderr) == (0, "")
    assert "Fan sled ? Step steer" in (tmp_path / "out").read_text()


@pytest.mark.parametrize("option", ["--csv", "--json", "--parquet"])
def test_a_yard_is_not_overwritten_by_what_is_written_about_it(tmp_path, option):
    from oak_sled.core.files import yard_json

    file = tmp_path / "yard.json"
    yard_json.save(demos.load("fan-sled"), file)
    before = file.read_bytes()
    told = call("run", str(file), option, str(file), status=2)
    assert f"{option}: {file} is the yard as well" in told.stderr
    assert file.read_bytes() == before
    told = call("run", str(file), "--csv", str(tmp_path / "x"), "--json", str(tmp_path / "." / "x"), status=2)
    assert "--json: " in told.stderr
    assert "is --csv as well" in told.stderr
    given = ("--drill", "brake_to_stop", "--measure", "stop_distance", "--vary", "crafts.fan_sled.body.mass=200,300")
    for other in (option, "--picture"):
        if other in ("--csv", "--picture"):
            call("spread", str(file), *given, other, str(file), status=2)
    call("sensitivity", str(file), "--drill", "brake_to_stop", "--csv", str(file), status=2)
    assert file.read_bytes() == before


def test_standard_input_and_output_stand_in_the_place_of_files():
    from oak_sled.core.files import yard_json

    text = yard_json.dumps(demos.load("fan-sled"))
    given = [sys.executable, "-m", "oak_sled", "run", "-", "--drill", "brake_to_stop", "--ticks", "60", "--csv", "-"]
    done = subprocess.run(given, input=text, capture_output=True, text=True, timeout=60)
    rows = list(csv.reader(done.stdout.splitlines()))
    assert rows[0][0] == "t [s]"
    assert len({len(row) for row in rows}) == 1, "the file alone"
    assert "stop_distance" in done.stderr
    assert done.returncode == 0


def test_a_picture_of_another_kind_is_refused_before_anything_is_run():
    given = ("spread", "demo:fan-sled", "--drill", "brake_to_stop", "--measure", "stop_distance")
    told = call(*given, "--vary", "crafts.fan_sled.body.mass=200,300", "--picture", "x.svg", status=2)
    assert "--picture: a map is written as PNG, not as .svg" in told.stderr
    assert told.stdout == ""


def wild(tmp_path):
    """A yard whose drill diverges at most of its tick rates: damping that turns motion round."""
    from oak_sled.core.files import yard_json

    yard = demos.load("fan-sled").edit_all(
        [("crafts.fan_sled.body.damping_law", "explicit"), ("crafts.fan_sled.body.damping", 400.0)]
    )
    yard_json.save(yard, tmp_path / "wild.json")
    return str(tmp_path / "wild.json")


def test_a_run_that_diverges_says_so_everywhere(tmp_path):
    file, data = wild(tmp_path), tmp_path / "run.json"
    told = call("run", file, "--drill", "straight_pull", "--json", str(data), status=4)
    assert "status diverged" in told.stdout
    assert "top_speed" not in told.stdout
    assert told.stderr.startswith("oak-sled: diverged at tick ")
    found = json.loads(data.read_text())
    assert found["status"] == "diverged"
    assert found["message"].startswith("diverged at tick ")
    assert all(one["value"] is None for one in found["measures"].values())
    assert "\ndiverged  straight_pull: diverged at tick " in "\n" + call("check", file, status=4).stdout
    both = call("run", file, "--drill", "straight_pull", "--ticks", "120,2000", status=4)
    assert both.stdout.splitlines()[2].split() == ["status", "diverged", "finished"]
    rows = call(
        "spread", file, "--drill", "straight_pull", "--measure", "top_speed",
        "--vary", "crafts.fan_sled.body.damping=1,400",
    ).stdout.splitlines()  # fmt: skip
    assert rows[0].split(",")[1] == "status"
    assert rows[1].split(",")[1] == ""
    assert rows[2].split(",")[1:] == ["diverged", ""]
    table = call("tickcheck", file, "--drill", "straight_pull").stdout.splitlines()
    assert table[1].split()[:2] == ["status", "diverged"]


def test_a_spread_that_is_stopped_keeps_what_is_finished():
    import signal
    import time

    given = [sys.executable, "-m", "oak_sled", "spread", "demo:mortar", "--drill", "walk_the_fire", "--measure",
             "top_speed", "--vary", "crafts.mortar.body.mass=500:900:600"]  # fmt: skip
    began = subprocess.Popen(
        given, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),  # what runs in the background may ignore it
    )  # fmt: skip
    try:
        while (line := began.stderr.readline()) and "runs, about" not in line:
            pass  # until it says how far it is: by then some are done
        began.send_signal(signal.SIGINT)
        stopped = time.perf_counter()
        out, errors = began.communicate(timeout=60)
    finally:
        began.kill()
    assert time.perf_counter() - stopped < 20.0, "it does not go on to the end, which takes minutes"
    assert began.returncode == 130
    assert "Traceback" not in errors
    assert "stopped after" in errors
    rows = out.splitlines()
    assert rows[0] == "crafts.mortar.body.mass,status,top_speed [m/s]"
    assert 2 <= len(rows) < 600
    assert all(float(row.split(",")[-1]) >= 0.0 for row in rows[1:])


def test_numbers_are_read_with_units_everywhere():
    thrust = "crafts.fan_sled.parts.fan.thrust"
    by_weight = call("run", "demo:fan-sled", "--drill", "straight_pull", "--set", f"{thrust}=0.4 g").stdout
    mass = demos.load("fan-sled").craft("fan_sled").body.true_mass()
    in_newtons = call("run", "demo:fan-sled", "--drill", "straight_pull", "--set", f"{thrust}={0.4 * 9.80665 * mass}")
    assert by_weight.splitlines()[-1] == in_newtons.stdout.splitlines()[-1]
    spread = ("spread", "demo:fan-sled", "--drill", "straight_pull", "--measure", "top_speed", "--vary")
    rows = call(*spread, f"{thrust}=0.5kN:0.7kN:3").stdout.splitlines()
    assert [float(row.split(",")[0]) for row in rows[1:]] == [500.0, 600.0, 700.0]
    rows = call(*spread, f"{thrust}=0.5kN,650").stdout.splitlines()
    assert [float(row.split(",")[0]) for row in rows[1:]] == [500.0, 650.0]
    assert "no decimal point" in call("run", "demo:fan-sled", "--set", f"{thrust}=1,500", status=2).stderr
    assert "give it in N" in call(*spread, f"{thrust}=1 m:3 m:3", status=2).stderr


DIGITS = "9" * 5000
THRUST = "crafts.fan_sled.parts.fan.thrust"
GRID = ("spread", "demo:fan-sled", "--drill", "slalom", "--measure", "top_speed", "--vary")
HOSTILE = [
    *[("run", "demo:fan-sled", "--ticks", word) for word in (DIGITS, "²", "٣", "-60", "1e3", "\udcff")],
    *[("tickcheck", "demo:fan-sled", "--ticks", word) for word in (DIGITS, "²", "60,²", ",")],
    *[("run", "demo:fan-sled", "--set", f"drills.slalom.tracks.{word}=3") for word in ("²", DIGITS, "0.knots.²", "-1")],
    *[("run", "demo:fan-sled", "--set", f"drills.slalom.tracks.0.knots={word}")
      for word in ("[[", "[" * 100_000, "[NaN]", '["\\ud800"]', "[1e999]", "[" + DIGITS + "]")],
    *[("run", "demo:fan-sled", "--set", f"{THRUST}={word}") for word in (DIGITS, "1e" + DIGITS, "nan", "²", "\udcff")],
    *[("run", "demo:fan-sled", "--set", word) for word in ("a" * 5000, "=", "=3", "\udcff=3", "title=\udcff")],
    *[("run", word) for word in ("\udcff", "\udcff.json", "x" * 5000 + ".json", "\0.json", ".", "/dev/zero")],
    *[("run", "demo:fan-sled", "--csv", word) for word in ("x" * 5000, "\0", "no/where/a.csv", "/")],
    *[(*GRID, word) for word in (f"{THRUST}=1:2:²", f"{THRUST}=1:2:{DIGITS}", "ticks=²", f"ticks={DIGITS}", "=1")],
    *[(*GRID, "ticks=60", option, DIGITS) for option in ("--seed", "--scatter", "--threads")],
    *[(*GRID, "ticks=60", "--on", word) for word in ("tcp://a..b:80", "tcp://\udcff:80", "x" * 5000, "tcp://h:²")],
    (*GRID, "ticks=60", "--tls-key", "nowhere.pem"),
    (*GRID, "ticks=60", "--on", "tls://127.0.0.1:1", "--tls-key", "nowhere.pem", "--tls-cert", "\udcff"),
]  # fmt: skip


@pytest.mark.parametrize(
    "arguments", HOSTILE, ids=lambda given: " ".join(given)[:60].encode("ascii", "replace").decode()
)
def test_a_hostile_line_is_refused_in_short_lines(tmp_path, monkeypatch, arguments):
    """Words that no shell would hide from a program: digits that are none, halves of characters, endless numbers."""
    monkeypatch.chdir(tmp_path)
    told = call(*arguments, status=2)
    lines = told.stderr.splitlines()
    assert lines
    assert all(len(line) <= 340 and line.isprintable() for line in lines)
    assert "itself" not in told.stderr
    assert list(tmp_path.iterdir()) == []


def test_a_trim_tells_its_modes_and_writes_a_yard_that_begins_so(tmp_path):
    file, data = tmp_path / "trimmed.json", tmp_path / "trim.json"
    made = call("trim", "demo:bush-plane", "--speed", "32", "--modes", "--out", str(file), "--drill", "glide",
                "--json", str(data))  # fmt: skip
    assert "phugoid" in made.stdout
    told = json.loads(data.read_text())
    assert {one["name"] for one in told["modes"]} >= {"phugoid", "short period", "Dutch roll"}
    begun = json.loads(file.read_text())
    glide = next(one for one in begun["drills"] if one["id"] == "glide")
    assert glide["start"]["speed"] == pytest.approx(32.0, abs=0.1)


def test_a_body_of_a_craft_is_looked_at_by_its_name():
    tow = ("demo:sledge-train", "--drill", "rear_heavy", "--craft", "rear_heavy.trailer")
    told = json.loads(call("run", *tow, "--json", "-").stdout)
    whole = json.loads(call("run", *tow[:-1], "rear_heavy", "--json", "-").stdout)
    assert (told["craft"], whole["craft"]) == ("rear_heavy.trailer", "rear_heavy")
    assert told["measures"]["top_speed"] == whole["measures"]["top_speed@rear_heavy.trailer"]
    assert "slows it: trailer runners" in call("why", *tow).stdout
    assert "there is no 'wagon'" in call("run", *tow[:-1], "rear_heavy.wagon", status=2).stderr


def test_sway_is_told_and_written(tmp_path):
    file = tmp_path / "sway.json"
    tow = ("sway", "demo:sledge-train", "--drill", "rear_heavy")
    printed = call(*tow, "--speeds", "6,40 km/h", "--json", file).stdout
    assert "sways past" in printed
    assert "Hz" in printed
    told = json.loads(file.read_text(encoding="utf-8"))
    assert [round(one["speed"], 2) for one in told["swings"]] == [6.0, 11.11]
    assert told["critical_speed"] == pytest.approx(9.6, abs=0.3)
    assert "nothing hangs" in call("sway", "demo:fan-sled", status=2).stderr
    assert "speeds above 0" in call(*tow, "--speeds", "0", status=2).stderr
