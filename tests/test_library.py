"""The library, as a script uses it: its page and its examples are run, and its numbers are those of the core."""

from __future__ import annotations

import ast
import re
import runpy
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

import oak_sled
from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.project import demos, families
from oak_sled.core.results import measures, run, traces

ROOT = Path(__file__).parents[1]
PAGE = (ROOT / "docs" / "library.md").read_text(encoding="utf-8")
THRUST = "crafts.fan_sled.parts.fan.thrust"


def test_every_example_of_its_page_runs_one_after_another(tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)
    names: dict[str, object] = {}
    blocks = re.findall(r"```python\n(.*?)```", PAGE, re.DOTALL)
    assert len(blocks) >= 5
    for block in blocks:
        exec(compile(block, "docs/library.md", "exec"), names)
    said = capsys.readouterr().out
    assert "did you mean thrust" in said
    assert "(2, 3, 1)" in said
    assert (tmp_path / "heavier.json").is_file()
    assert (tmp_path / "turn.csv").read_text().startswith("t [s],")


def test_the_page_tells_every_name_of_the_door():
    for name in ("demos", "families", "new", "open", "Refused"):
        assert f"oak_sled.{name}" in PAGE
    for kind in (oak_sled.Yard, oak_sled.Run):
        for name in vars(kind):
            if not name.startswith("_") and name != "save_parquet":
                assert re.search(rf"\b{name}\b", PAGE), f"{kind.__name__}.{name}"


def test_the_door_is_small_typed_and_told():
    assert set(oak_sled.__all__) <= set(dir(oak_sled))
    assert len(oak_sled.__all__) <= 12
    assert (Path(oak_sled.__file__).with_name("py.typed")).is_file()
    for name in oak_sled.__all__:
        assert getattr(oak_sled, name).__doc__
    with pytest.raises(AttributeError, match="no attribute 'opne'"):
        _ = oak_sled.opne
    for file in (ROOT / "src" / "oak_sled" / "library").glob("*.py"):
        tree = ast.parse(file.read_text(encoding="utf-8"))
        for node in ast.walk(tree):
            if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_"):
                assert ast.get_docstring(node), f"{file.name} {node.name}"


def test_it_loads_no_screen_and_nothing_of_itself_before_it_is_asked():
    code = (
        "import sys, oak_sled; print(any(m.startswith('oak_sled.') for m in sys.modules));"
        "oak_sled.open('demo:puck').run(); print(any(m.startswith('PyQt') for m in sys.modules))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=120)
    assert done.stdout.split() == ["False", "False"], done.stderr


@pytest.mark.parametrize("name", list(demos.DEMOS))
def test_every_demo_is_run_as_the_core_runs_it(name):
    yard, made = oak_sled.open(f"demo:{name}"), demos.load(name)
    wanted = run.execute(job_of(made))
    found = yard.run()
    assert found.digest == wanted.digest
    assert dict(found.measures) == measures.read_all(wanted)
    for trace in found.traces:
        one = found.trace(trace)
        assert np.array_equal(one.values, traces.values(wanted, trace), equal_nan=True)
        assert one.unit == traces.describe(wanted, trace).unit
        assert len(one.t) == len(one.values)
    for column in found.columns:
        assert np.array_equal(found.trace(column).values, wanted.column(column), equal_nan=True)
    assert len(repr(yard)) < 120
    assert len(repr(found)) < 120


def test_a_run_keeps_what_it_was_made_of_and_a_refused_change_changes_nothing():
    yard = oak_sled.open("demo:fan-sled")
    first = yard.run("straight_pull")
    before = first.measures["top_speed"]
    assert yard.set(THRUST, "0.9 kN") is yard
    assert yard.get(THRUST) == 900.0
    assert yard.run("straight_pull").measures["top_speed"] > before
    assert first.measures["top_speed"] == before
    for change in ((THRUST, -1), ("crafts.fan_sled.parts.fan.thrst", 1), (THRUST, "3 m")):
        with pytest.raises(oak_sled.Refused):
            yard.set(*change)
    with pytest.raises(oak_sled.Refused):
        yard.set_all({THRUST: 500, "ticks": 3})
    assert yard.get(THRUST) == 900.0
    other = yard.copy().set(THRUST, 100)
    assert (yard.get(THRUST), other.get(THRUST)) == (900.0, 100.0)


def test_what_is_not_there_is_refused_with_what_was_meant():
    yard = oak_sled.open("demo:fan-sled")
    made = yard.run("straight_pull")
    for ask, meant in (
        (lambda: made.measures["top_sped"], "top_speed"), (lambda: made.trace("spede"), "speed"),
        (lambda: yard.run("slalm"), "slalom"), (lambda: oak_sled.open("demo:fan-sledd"), "fan-sled"),
        (lambda: oak_sled.new("hovercaft"), "hovercraft"), (lambda: made.ledger("1 h"), "0 to"),
        (lambda: yard.run_many([{}], ["top_sped"]), "top_speed"),
    ):  # fmt: skip
        with pytest.raises(oak_sled.Refused) as refused:
            ask()
        assert meant in str(refused.value.faults[0])


@pytest.mark.parametrize("threads", [1, 3])
def test_many_runs_are_those_one_by_one_in_their_order(threads):
    yard = oak_sled.open("demo:fan-sled")
    changes = [
        {THRUST: thrust, "crafts.fan_sled.body.mass": 200.0 + k} for k, thrust in enumerate((500, 900, 650, 700))
    ]
    changes.append({"crafts.fan_sled.parts.air.mute": True})  # another build
    asked = ("top_speed", "drive_energy", "time_to_90")
    found = yard.run_many(changes, asked, "straight_pull", threads=threads)
    for one, change in zip(found, changes, strict=True):
        alone = yard.copy().set_all(change).run("straight_pull").measures
        assert one.changes == change
        assert one.measures == {name: alone[name] for name in asked}
        assert not one.diverged
    assert yard.run_many([], asked) == []
    with pytest.raises(oak_sled.Refused):
        yard.run_many([{THRUST: -1}], asked)


def test_a_spread_is_the_grid_of_its_runs():
    yard = oak_sled.open("demo:fan-sled")
    found = yard.spread({THRUST: [500, 900], "ticks": [60, 120]}, ["top_speed", "distance"], "straight_pull", repeats=2)
    assert found.values["distance"].shape == (2, 2, 3)
    alone = yard.copy().set(THRUST, 900).run("straight_pull", ticks=60).measures["top_speed"]
    assert found.values["top_speed"][1, 0, 0] == alone
    assert len(np.unique(found.values["top_speed"][0, 0])) == 3, "repeats are disturbed"


def test_ledger_and_why_sum_to_what_happens():
    yard = oak_sled.open("demo:fan-sled")
    made = yard.run("straight_pull")
    lines = made.ledger(3.0)
    force = np.sum([one.force for one in lines.values()], axis=0)
    row = 3 * 120
    change = np.diff(made.trace("velocity.x").values)[row - 1] * 120
    assert force[0] == pytest.approx(240.0 * change, rel=1e-6)
    assert made.why("3 s")["speed"][0][0] == "fan"


@pytest.mark.parametrize("name", [one.name for one in families.FAMILIES])
def test_a_new_yard_is_saved_and_opened(name, tmp_path):
    file = tmp_path / "new.json"
    oak_sled.new(name).save(file)
    assert oak_sled.open(file).run().digest == oak_sled.new(name).run().digest


def test_the_example_that_tunes_finds_its_bite():
    bite = runpy.run_path(str(ROOT / "examples" / "tune_brake.py"))["main"]()
    stop = oak_sled.open("demo:fan-sled").set("crafts.fan_sled.parts.brake.bite", bite).run("brake_to_stop")
    assert stop.measures["stop_distance"] == pytest.approx(20.0, abs=0.05)


def test_the_example_that_plots_writes_its_picture(tmp_path):
    file = tmp_path / "slalom.png"
    example = ROOT / "examples" / "plot_slalom.py"
    done = subprocess.run([sys.executable, str(example), str(file)], capture_output=True, text=True, timeout=240)
    assert done.returncode == 0, done.stderr
    assert file.read_bytes()[:4] == b"\x89PNG"
    assert done.stdout.count("gates missed") == 3
