"""The state of a world in one call: every demo drill goes on from where it was saved, in other arrays, to the bit."""

from __future__ import annotations

import zlib

import numpy as np
import pytest

from oak_sled.core.assembly import jobs, tracks, world
from oak_sled.core.assembly.machine import STAYS, Machine
from oak_sled.core.project import demos
from oak_sled.core.results.record import Layout

DRILLS = [(name, drill.id) for name in demos.DEMOS for drill in demos.load(name).drills]


def arrays_of(machine):
    named = {**machine.world._asdict(), **machine.scene._asdict(), **machine.shot_memory._asdict()}
    return {name: array for name, array in named.items() if name in STAYS}


@pytest.mark.parametrize(("name", "drill"), DRILLS)
def test_a_drill_goes_on_from_a_saved_tick(name, drill):
    yard = demos.load(name)
    job = jobs.job_of(yard, yard.drill(drill))
    inputs = tracks.inputs(job, world.check_size(job))
    width = Layout.of(job).width
    whole = np.empty((len(inputs), width))
    machine = Machine.of(job)
    stays = {key: array.tobytes() for key, array in arrays_of(machine).items()}
    _, done = machine.advance(inputs, whole, job.substeps)
    assert {key: array.tobytes() for key, array in arrays_of(machine).items()} == stays, "no tick writes to these"
    at = 1 + zlib.crc32(f"{name} {drill}".encode()) % (done - 1)
    first = Machine.of(job)
    first.advance(inputs[:at], np.empty((at, width)), job.substeps)
    kept = first.save()
    first.advance(inputs[at:], np.empty((len(inputs) - at, width)), job.substeps)  # what was kept stays as it was
    other = Machine.of(job)
    other.load(kept)
    assert not other.save().differs(kept)
    rest = np.empty((len(inputs) - at, width))
    _, went_on = other.advance(inputs[at:], rest, job.substeps)
    assert at + went_on == done
    assert rest[:went_on].tobytes() == whole[at:done].tobytes()
    assert not other.save().differs(machine.save())


def test_a_state_tells_what_differs_and_fits_its_own_world_only():
    yard = demos.load("fan-sled")
    machine = Machine.of(jobs.job_of(yard))
    start = machine.save()
    machine.nows[0]["time"] = 3.0
    assert machine.save().differs(start) == ["nows"]
    machine.load(start)
    assert not machine.save().differs(start)
    quay = demos.load("quay")
    with pytest.raises(ValueError, match="is not of this world"):
        Machine.of(jobs.job_of(quay, quay.drill("topple_stack"))).load(start)
