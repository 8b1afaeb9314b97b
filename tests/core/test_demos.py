"""Every drill of every shipped yard meets the targets that it sets."""

from __future__ import annotations

import zlib

import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.project import demos
from oak_sled.core.results import measures, run

DRILLS = [(name, drill.id) for name in demos.DEMOS for drill in demos.load(name).drills]


@pytest.mark.parametrize(("name", "drill_id"), DRILLS, ids=[f"{name}-{drill}" for name, drill in DRILLS])
def test_a_drill_of_a_demo_meets_its_targets(name, drill_id):
    yard = demos.load(name)
    drill = next(one for one in yard.drills if one.id == drill_id)
    verdicts = measures.judge(drill, measures.Readings(run.execute(jobs.job_of(yard, drill))))
    assert not [verdict.words() for verdict in verdicts if not verdict.met]


RATES = (30, 90, 120, 240, 480)


def other_rate(name, drill_id):
    """A tick rate beside 60, by a hash of the name: every drill has one of its own."""
    return RATES[zlib.crc32(f"{name} {drill_id}".encode()) % len(RATES)]


def runs_through(name, drill_id, ticks):
    yard = demos.load(name).edit("ticks", ticks)
    made = run.execute(jobs.job_of(yard, yard.drill(drill_id)))
    assert not made.is_diverged, made.message
    assert made.lost_contacts == 0


@pytest.mark.parametrize(("name", "drill_id"), DRILLS, ids=[f"{name}-{drill}" for name, drill in DRILLS])
def test_a_drill_of_a_demo_diverges_at_no_tick_rate(name, drill_id):
    for ticks in (60, other_rate(name, drill_id)):
        runs_through(name, drill_id, ticks)


@pytest.mark.slow
@pytest.mark.parametrize("ticks", [30, 45, 60, 90, 120, 180, 240, 360, 480])
@pytest.mark.parametrize(("name", "drill_id"), DRILLS, ids=[f"{name}-{drill}" for name, drill in DRILLS])
def test_every_drill_at_every_tick_rate(name, drill_id, ticks):
    runs_through(name, drill_id, ticks)
