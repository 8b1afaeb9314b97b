"""Several runs in one call of the kernel, of which only some columns are kept: the same bits as runs by themselves."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.kernel import state
from oak_sled.core.project import demos
from oak_sled.core.results import measures, run
from oak_sled.core.results.record import Record, Watched
from oak_sled.core.study import spread, variants
from oak_sled.core.study.batch import Batch, Bench
from oak_sled.core.study.variantbuild import VariantBuild
from oak_sled.core.tick import loop
from oak_sled.core.tick.rows import Kept, NotKept
from oak_sled.core.yard.spreads import Spread, SpreadAxis

TICKS = 60


def short(name, seconds=0.8):
    """A demo yard whose drills last a moment."""
    yard = demos.load(name).edit("ticks", TICKS)
    return yard.edit_all([(f"drills.{drill.id}.duration", seconds) for drill in yard.drills])


@pytest.mark.parametrize("name", list(demos.DEMOS))
def test_all_columns_of_every_drill_are_those_of_runs_by_themselves(name):
    yard = short(name)
    for drill in yard.drills:
        job = jobs.job_of(yard, drill)
        build = VariantBuild(job)
        faster = yard.edit(f"drills.{drill.id}.start.speed", drill.start.speed + 0.5)
        moved = jobs.job_of(faster, faster.drill(drill.id))
        for ledger in (False, True):
            layout = build.layout if ledger else build.layout.without_ledger()
            batch, bench = Batch(build, range(layout.width), ledger), Bench(build)
            asked = [(job, 0), (moved, 0), (job, 3), (job, 0)]
            assert build.fits(moved)
            together = batch.execute(asked)
            for (one, late), made in zip(asked, together, strict=True):
                alone = bench.execute(one, late, ledger)
                assert (made.status, made.ticks, made.lost_contacts) == (alone.status, alone.ticks, alone.lost_contacts)
                assert (made.overlap, made.faults) == (alone.overlap, alone.faults)
                assert np.array_equal(made.record.block(0, layout.width), alone.record.block(0, layout.width)), drill.id
                assert made.notes is not None
                assert np.array_equal(made.notes, alone.notes)


def held_to_runs_by_themselves(yard, drill, axis, names):
    """Every measure of `names` over an axis, as a spread computes it and as read from runs by themselves."""
    for first in range(0, len(names), 12):
        plan = Spread(id="all", drill=drill.id, axes=(axis,), measures=tuple(names[first : first + 12]))
        made = spread.Hand(yard, plan).values_of(range(axis.count))
        assert made is not None
        wanted = variants.check(yard, plan)
        for number in range(axis.count):
            alone = run.execute(variants.job_for(yard, plan, plan.values_of(number)))
            for measure, value in zip(wanted, made[0][number, 0], strict=True):
                read = measure.read(alone)
                expected = np.nan if read is None or alone.status == state.DIVERGED else read
                assert np.array_equal(value, expected, equal_nan=True), (drill.id, measure.name, number)


@pytest.mark.parametrize("name", list(demos.DEMOS))
def test_measures_of_variants_are_those_of_runs_by_themselves(name):
    yard = short(name, 2.0)
    for drill in yard.drills[:4]:
        speed = drill.start.speed
        axis = SpreadAxis(path=f"drills.{drill.id}.start.speed", low=speed, high=speed + 3.0, count=6)
        held_to_runs_by_themselves(yard, drill, axis, measures.names_of(run.execute(jobs.job_of(yard, drill))))


def test_only_what_measures_read_is_kept_and_what_was_not_is_asked_for_again():
    yard = demos.load("fan-sled").edit("ticks", TICKS)
    job = jobs.job_of(yard, yard.drill("slalom"))
    made = run.execute(job)
    watched = Watched(made.record)
    speed = measures.measure("top_speed", [job.craft.id])
    seen = replace(made, record=Record(made.layout, [watched]))
    assert speed.read(seen) == speed.read(made)
    assert sorted(watched.read) == [made.layout.place(f"velocity.{axis}") for axis in "xyz"]
    assert watched[3].tolist() == made.record.row(3).tolist()
    assert len(watched.read) == made.layout.width, "a whole row is all of its columns"

    kept = Kept(np.arange(12.0).reshape(3, 4), [2, 5, 6, 9])
    assert kept.column(5).tolist() == [1.0, 5.0, 9.0]
    assert kept.block(5, 2).tolist() == [[1.0, 2.0], [5.0, 6.0], [9.0, 10.0]]
    for read in (lambda: kept.column(3), lambda: kept.block(6, 2), lambda: kept[1], lambda: list(kept.chunks(2))):
        with pytest.raises(NotKept):
            read()


def test_a_measure_that_reads_more_of_a_later_run_gets_it():
    yard = demos.load("fan-sled").edit("ticks", TICKS)
    axis = SpreadAxis(path="crafts.fan_sled.parts.fan.thrust", low=1.0, high=4000.0, count=9)
    plan = Spread(id="more", drill="straight_pull", axes=(axis,), measures=("top_speed",))

    def where_fast(made):
        top = float(np.max(made.column("velocity.x")))
        return float(made.column("position.x")[-1]) if top > 5.0 else top

    hand, alone = spread.Hand(yard, plan), []
    hand._wanted = [measures.Measure("odd", "odd", "m", "the place of what is fast", where_fast)]
    full = spread.Hand._run_alone
    hand._run_alone = lambda key, one: alone.append(one) or full(hand, key, one)
    made = hand.values_of(range(9))
    runs = [run.execute(variants.job_for(yard, plan, plan.values_of(number))) for number in range(9)]
    expected = [where_fast(one) for one in runs]
    assert made is not None
    assert made[0][:, 0, 0].tolist() == expected
    assert expected[0] < 5.0 < runs[-1].column("velocity.x").max(), "the first is slow, and the last is fast"
    assert 2 <= len(alone) <= 1 + Batch.SEATS, "the first, and those of the call in which it read more"


def test_a_spread_calls_the_kernel_once_for_several_variants(monkeypatch):
    yard = demos.load("fan-sled").edit("ticks", TICKS)
    fan = "crafts.fan_sled.parts.fan.thrust"
    plan = Spread(
        id="s", drill="slalom", axes=(SpreadAxis(path=fan, low=400.0, high=900.0, count=13),), measures=("top_speed",)
    )
    sizes, together = [], loop.advance_keeping.together
    monkeypatch.setattr(loop.advance_keeping, "together", lambda calls: sizes.append(len(calls)) or together(calls))
    results = spread.compute(yard, plan, 1)
    assert results is not None
    assert sum(sizes) == 12, "all but the first, of which all rows are looked at"
    assert max(sizes) == Batch.SEATS
    assert len(sizes) == 4


def test_what_is_no_number_ends_a_run_of_which_only_some_is_kept():
    yard = short("crate-drop", 2.0)
    job = jobs.job_of(yard)
    pad = next(part for part in job.craft.parts if part.kind == "pad")
    wild = jobs.job_of(yard.edit(f"crafts.{job.craft.id}.parts.{pad.id}.stiffness", 1e8))
    build = VariantBuild(job)
    assert build.fits(wild)
    made = Batch(build, [0, 2], False).execute([(job, 0), (wild, 0), (job, 0)])
    assert [one.status for one in made] == [run.execute(one).status for one in (job, wild, job)]
    assert made[0].record.column(2).tolist() == made[2].record.column(2).tolist(), "nothing is left of the one before"
