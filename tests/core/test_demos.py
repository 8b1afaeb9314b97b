"""Every drill of every shipped yard meets the targets that it sets."""

from __future__ import annotations

import pytest

from oak_sled.core.build import jobs
from oak_sled.core.project import demos
from oak_sled.core.results import measures, run

DRILLS = [(name, drill.id) for name in demos.DEMOS for drill in demos.load(name).drills]


@pytest.mark.parametrize(("name", "drill_id"), DRILLS, ids=[f"{name}-{drill}" for name, drill in DRILLS])
def test_a_drill_of_a_demo_meets_its_targets(name, drill_id):
    yard = demos.load(name)
    drill = next(one for one in yard.drills if one.id == drill_id)
    verdicts = measures.judge(drill, measures.Readings(run.execute(jobs.job_of(yard, drill))))
    assert not [verdict.words() for verdict in verdicts if not verdict.met]
