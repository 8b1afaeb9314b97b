"""Every drill of every shipped yard leaves: as CSV, as Parquet, as JSON and as a record, and comes back the same."""

from __future__ import annotations

import io
import json
from pathlib import Path

import numpy as np
import pyarrow.csv as pc
import pyarrow.parquet as pq
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.base import disk
from oak_sled.core.files import records, run_table
from oak_sled.core.project import demos
from oak_sled.core.results import run, traces
from oak_sled.core.tick import rowlayout

DRILLS = [(name, drill.id) for name in demos.DEMOS for drill in demos.load(name).drills]
EVERY = pytest.mark.parametrize(("name", "drill_id"), DRILLS, ids=[f"{name}-{drill}" for name, drill in DRILLS])
SHORT = 150
"""Ticks of a drill that are exported: the columns are those of the whole."""


def short_run(name, drill_id):
    yard = demos.load(name)
    seconds = min(yard.drill(drill_id).duration, SHORT / yard.ticks)
    yard = yard.edit(f"drills.{drill_id}.duration", seconds)
    return run.execute(jobs.job_of(yard, yard.drill(drill_id)))


@EVERY
def test_every_drill_leaves_and_comes_back_the_same(name, drill_id, tmp_path):
    made = short_run(name, drill_id)
    wanted = np.concatenate(list(run_table.rows_of(made)))
    labels = run_table.labels(made)
    assert len(set(labels)) == len(labels) == wanted.shape[1]

    table = pc.read_csv(io.BytesIO(run_table.dumps(made).encode()))
    assert table.column_names == labels
    assert np.array_equal(np.stack([column.to_numpy() for column in table.columns], axis=1), wanted), "exactly"

    file = tmp_path / "run.parquet"
    run_table.save_parquet(made, file)
    table = pq.read_table(file)
    assert table.column_names == labels
    assert np.array_equal(np.stack([column.to_numpy() for column in table.columns], axis=1), wanted)

    records.save(made.record, file)
    back = pq.read_table(file)
    assert tuple(back.column_names) == made.layout.stored
    assert np.array_equal(
        np.stack([c.to_numpy() for c in back.columns], axis=1), np.concatenate([*made.record.chunks(999)])
    )


@EVERY
def test_every_column_has_the_unit_of_its_quantity(name, drill_id):
    made = short_run(name, drill_id)
    bare = {
        *(name for name in rowlayout.HEAD_UNITS if not rowlayout.HEAD_UNITS[name]), "slip_ratio", "slip", "activity",
        "closed",
        "inside", "broken", "rail", "phase", "wraps",
    }  # fmt: skip
    for label in run_table.labels(made):
        if not label.endswith("]"):
            last = label.rpartition(".")[2]
            assert last in bare or any(f".{kind}." in label for kind in ("channel", "input", "rotation")), label
    for craft in made.layout.crafts:
        assert len(craft.names) == rowlayout.craft_width(
            len(craft.parts), len(craft.channels), len(craft.rays), len(craft.tires)
        )


def test_a_ray_and_a_tire_are_exported_as_they_are_traced():
    made = short_run("ice-truck", next(drill for name, drill in DRILLS if name == "ice-truck"))
    table = pc.read_csv(io.BytesIO(run_table.dumps(made).encode()))
    craft = made.job.craft.id
    for ray in made.layout.own.rays:
        assert np.array_equal(table[f"{craft}.{ray}.force [N]"].to_numpy(), made.column(f"{ray}.force"))
    for tire in made.layout.own.tires:
        angle = np.degrees(table[f"{craft}.{tire}.slip_angle [rad]"].to_numpy())
        assert np.array_equal(angle, traces.values(made, f"tire.{tire}.slip_angle"))


@pytest.mark.parametrize("other", ["input", "output", "link", "name"])
def test_an_output_never_takes_the_place_of_another_file(tmp_path, other):
    yard, out = tmp_path / "yard.json", tmp_path / "out.csv"
    yard.write_text(json.dumps({}))
    (tmp_path / "link.csv").symlink_to(yard)
    (tmp_path / "deep").mkdir()
    wrong = {
        "input": yard,
        "output": out,
        "link": tmp_path / "link.csv",
        "name": tmp_path / "deep" / ".." / "yard.json",
    }
    with pytest.raises(disk.Refused, match=r"--csv: .* as well"):
        disk.check_outputs({"--json": out, "--csv": wrong[other]}, {"the yard": yard})


def test_the_page_on_the_command_line_lists_the_columns_that_there_are():
    page = (Path(__file__).parents[2] / "docs" / "command-line.md").read_text(encoding="utf-8")
    assert run_table.columns_page() in page, "run scripts/write_pages.py"
