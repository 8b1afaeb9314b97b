"""What is beside the crafts is recorded only where it may have changed, and reads as if it were in every row."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from oak_sled.core.assembly import jobs, tracks, world
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import demos
from oak_sled.core.results import measures, run
from oak_sled.core.results.record import Layout, Record
from oak_sled.core.tick.rows import Rows
from oak_sled.core.yard.block import Block


def row_by_row(job):
    """The rows of a job, each of a call of its own, so that every one is written in full."""
    machine, ticks = run.Machine.of(job), world.check_size(job)
    inputs, rows = tracks.inputs(job, ticks), np.zeros((ticks + 1, Layout.of(job).width))
    machine.first_row(rows[0])
    for k in range(ticks):
        status, _ = machine.advance(inputs[k : k + 1], rows[k + 1 : k + 2], job.substeps)
        if status != 0:
            return rows[: k + 2]
    return rows


@pytest.mark.parametrize("name", list(demos.DEMOS))
def test_every_row_of_every_drill_is_as_if_written_in_full(name):
    yard = demos.load(name)
    for drill in yard.drills:
        made = run.execute(jobs.job_of(yard.edit(f"drills.{drill.id}.duration", min(drill.duration, 6.0)), drill))
        whole = np.concatenate(list(made.record.chunks(100)))
        assert np.array_equal(whole, row_by_row(made.job)[: len(whole)]), drill.id


def with_crates(*more):
    """The straight pull with four crates far beside the way."""
    yard = demos.load("fan-sled").edit("ticks", 120)
    job = jobs.job_of(yard, yard.drill("straight_pull"))
    blocks = tuple(Block(id=f"crate_{k}", x=60.0 + 3.0 * k, y=400.0, rests=True) for k in range(4))
    return replace(job, ground=job.ground.replace(blocks=(*blocks, *more)))


def test_what_sleeps_takes_one_row_until_something_wakes_it():
    made = run.execute(with_crates())
    rows = made.record.blocks[0]
    assert isinstance(rows, Rows)
    assert len(rows) == made.ticks + 1
    assert len(rows.beside) < 5
    assert made.column("block.crate_3.position.x").tolist() == [69.0] * (made.ticks + 1)
    assert made.record.block(rows.crafts.shape[1], 2)[-1].tolist() == [60.0, 400.0]
    ahead = made.record.row(made.ticks // 2)[:2]
    hit = run.execute(with_crates(Block(id="struck", x=ahead[0], y=ahead[1], rests=True)))
    moved = np.flatnonzero(np.diff(hit.column("block.struck.position.x")) != 0.0)
    rows = hit.record.blocks[0]
    assert len(moved) > 20, "it is struck"
    assert np.all(np.diff(rows.which)[moved] == 1), "a row for each tick in which it moves"
    assert rows.which[moved[0]] <= 3, "and none before"


def test_reading_pieces_of_sparse_rows():
    rows = Rows(np.arange(12.0).reshape(4, 3), np.array([[7.0, 8.0], [9.0, 10.0]]), np.array([0, 0, 1, 1]))
    whole = rows.whole()
    assert whole.tolist()[2] == [6.0, 7.0, 8.0, 9.0, 10.0]
    assert rows[3].tolist() == whole[3].tolist()
    for first in range(5):
        assert np.array_equal(rows.column(first), whole[:, first])
        for count in range(1, 6 - first):
            assert np.array_equal(rows.block(first, count), whole[:, first : first + count])
    assert np.array_equal(np.concatenate(list(rows.chunks(3))), whole)
    assert np.array_equal(rows.first(2).whole(), whole[:2])
    assert len(rows.first(2).beside) == 1
    made = Record(run.execute(jobs.job_of(demos.load("fan-sled"))).layout, [rows, whole])
    assert len(made) == 8
    assert made.row(6).tolist() == whole[2].tolist()
    assert np.array_equal(made.column(4), np.concatenate([whole[:, 4]] * 2))
    with pytest.raises(Refused, match="no such row"):
        made.row(8)


def test_a_run_that_diverges_among_sleepers_keeps_its_sound_rows():
    job = with_crates()
    body = job.craft.body.replace(damping=900.0, damping_law="explicit")
    made = run.execute(replace(job, craft=job.craft.replace(body=body)))
    assert "diverged" in made.message
    assert np.isfinite(np.concatenate(list(made.record.chunks(50)))).all()
    assert made.column("block.crate_1.position.x")[-1] == 63.0


@pytest.mark.parametrize("name", list(demos.DEMOS))
def test_measures_that_ask_for_no_ledger_are_the_same_without_it(name):
    yard = demos.load(name)
    for drill in yard.drills:
        job = jobs.job_of(yard.edit(f"drills.{drill.id}.duration", min(drill.duration, 5.0)), drill)
        full, layout = run.execute(job), Layout.of(job).without_ledger()
        brief = run.executed(job, run.Machine.of(job), tracks.inputs(job, world.check_size(job)), None, layout)
        assert (brief.status, brief.ticks) == (full.status, full.ticks)
        crafts = [one.craft.id for one in job.actors]
        for what in measures.names_of(full):
            known = measures.measure(what, crafts)
            if not known.ledger:
                assert known.read(brief) == known.read(full), (drill.id, what)
        for column in layout.names:
            assert np.array_equal(brief.column(column), full.column(column)), (drill.id, column)


def test_what_is_no_number_in_a_ledger_ends_a_run_that_does_not_keep_it():
    job = with_crates()
    machine, layout = run.Machine.of(job), Layout.of(job).without_ledger()
    inputs = tracks.inputs(job, world.check_size(job))
    place = [part.id for part in job.craft.parts].index("fan")
    machine.world.parts[place]["gain"] = np.nan
    made = run.executed(job, machine, inputs, None, layout)
    assert made.message == "diverged"
    assert made.ticks < len(inputs)


def test_a_column_that_is_read_is_copied_once_and_is_the_same():
    made = run.execute(with_crates())
    rows = made.record.blocks[0]
    for place in (0, 7, 8, rows.crafts.shape[1] - 1):
        column = made.record.column(place)
        assert column.flags.c_contiguous
        assert np.array_equal(column, rows.crafts[:, place])
        assert np.shares_memory(made.record.column(place), column), "not copied again"
    again = rows.first(100)
    assert np.array_equal(again.column(3), rows.crafts[:100, 3]), "fewer rows have copies of their own"
    assert rows.nbytes > rows.crafts.nbytes + rows.beside.nbytes + rows.which.nbytes, "what is copied is counted"
