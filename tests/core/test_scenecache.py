"""Contact scenes that are kept between runs: after any edit equal to one built anew, and never touched by a run."""

import numpy as np
import pytest

from oak_sled.core.assembly import scenecache, scenes
from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base import document
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.yard.event import Event


def assert_equal(one, other):
    for name, array in one._asdict().items():
        assert array.tobytes() == getattr(other, name).tobytes(), name


def edits_of(yard, job):
    """Every dial of the crafts of a job, of its ground and its drill, each set to something else; and every mute."""
    for path, declared, value in document.all_dials(yard):
        if not path.startswith((f"grounds.{job.ground.id}", f"drills.{job.drill.id}", "crafts")):
            continue
        for other in (0.75 * value + 0.01, 1.5 * value + 0.3, declared.default):
            try:
                yield path, yard.edit(path, declared.clamp(other))
                break
            except Refused:
                continue
    for craft in yard.crafts:
        for part in craft.parts:
            yield part.id, yard.edit(f"crafts.{craft.id}.parts.{part.id}.mute", not part.mute)


@pytest.mark.parametrize("name", demos.DEMOS)
def test_after_any_edit_a_kept_scene_is_as_one_built_anew(name):
    yard = demos.load(name)
    job = job_of(yard)
    for number, (path, edited) in enumerate(edits_of(yard, job)):
        if number % (31 if ".blocks." in path else 3) == 0:
            scenecache.scene_of(job)  # it is the last that was kept
            assert_equal(scenecache.scene_of(job_of(edited)), scenes.build(job_of(edited)))


@pytest.mark.parametrize("name", ["shunting", "mortar", "ferry"])
def test_a_run_leaves_what_was_kept_as_it_was(name):
    job = job_of(demos.load(name))
    first = run.execute(job)
    assert run.execute(job).digest == first.digest
    assert_equal(scenecache.scene_of(job), scenes.build(job))


def test_two_runs_share_no_array_that_they_write():
    job = job_of(demos.load("quay"))
    one, other = scenecache.scene_of(job), scenecache.scene_of(job)
    for name, array in one._asdict().items():
        assert name in scenecache.SHARED or not np.shares_memory(array, getattr(other, name)), name


def test_what_an_event_drops_hangs_and_other_events_build_nothing_anew():
    yard = demos.load("quay")
    drill = yard.drill()
    crate = next(block.id for block in yard.ground().blocks if block.moves == "free")
    poke, drop = (Event(id="one", what=what, target=crate, t=1.0) for what in ("poke", "drop"))
    jobs = [job_of(yard.edit(f"drills.{drill.id}.events", events)) for events in ((), (poke,), (drop,))]
    for job in jobs:
        assert_equal(scenecache.scene_of(job), scenes.build(job))
    assert scenecache.key_of(jobs[0]) == scenecache.key_of(jobs[1]) != scenecache.key_of(jobs[2])
