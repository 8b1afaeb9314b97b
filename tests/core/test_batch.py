"""Runs from patched arrays are those from arrays that were built anew, to the bit: every dial of every demo."""

from __future__ import annotations

import pytest

from oak_sled.core.assembly import jobs, world
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.dial import dials
from oak_sled.core.base.faults import Refused
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.study import batch
from oak_sled.core.study.variantbuild import VariantBuild

TICKS = 60


def short(name):
    """A demo yard whose drills last half a second, so that all dials are tried in little time."""
    yard = demos.load(name).edit("ticks", TICKS)
    return yard.edit_all([(f"drills.{drill.id}.duration", 0.5) for drill in yard.drills])


def nudged(yard, path, dial, document):
    """The yard with a dial a little elsewhere; None where that is refused."""
    value = float(getattr(document, dial.name))
    for factor, more in ((0.9, 0.0), (1.1, 0.01), (1.0, -0.01), (1.0, 1.0)):
        try:
            made = yard.edit(path, value * factor + more)
        except Refused:
            continue
        if made != yard:
            return made
    return None


@pytest.mark.parametrize("name", list(demos.DEMOS))
def test_every_dial_of_a_craft_gives_the_same_bits_both_ways(name):
    yard = short(name)
    drill = yard.drill()
    job = jobs.job_of(yard, drill)
    build = VariantBuild(job)
    bench = batch.Bench(build)
    craft = job.craft
    patched = tried = 0
    for part in craft.parts:
        for dial in dials(part):
            made = nudged(yard, f"crafts.{craft.id}.parts.{part.id}.{dial.name}", dial, part)
            if made is None:
                continue
            other = jobs.job_of(made, made.drill(drill.id), craft.id)
            tried += 1
            patched += build.fits(other)
            assert bench.execute(other).digest == run.execute(other).digest, (part.id, dial.name)
    assert bench.execute(job).digest == run.execute(job).digest, "nothing is left of the runs before"
    assert patched > 0.4 * tried or tried == 0, "most dials are patched"


@pytest.mark.parametrize("name", list(demos.DEMOS))
def test_every_start_of_a_drill_gives_the_same_bits_both_ways(name):
    yard = short(name)
    drill = yard.drill()
    bench = batch.Bench(VariantBuild(jobs.job_of(yard, drill)))
    for dial in dials(drill.start):
        made = nudged(yard, f"drills.{drill.id}.start.{dial.name}", dial, drill.start)
        if made is not None:
            other = jobs.job_of(made, made.drill(drill.id))
            assert bench.execute(other).digest == run.execute(other).digest, dial.name


TIED = [
    (name, drill.id)
    for name in demos.DEMOS
    for drill in demos.load(name).drills
    if demos.load(name).ground_of(drill).ties or demos.load(name).ground_of(drill).joints
]


@pytest.mark.parametrize(("name", "drill"), TIED)
def test_what_is_tied_is_tied_where_the_craft_starts(name, drill):
    """A spread over where a craft starts: ropes, couplings and joints hold it where it stands then."""
    yard = short(name)
    bench = batch.Bench(VariantBuild(jobs.job_of(yard, yard.drill(drill))))
    for field, value in (("x", 0.05), ("y", -0.04), ("heading_deg", 3.0)):
        path = f"drills.{drill}.start.{field}"
        made = yard.edit(path, getattr(yard.drill(drill).start, field) + value)
        other = jobs.job_of(made, made.drill(drill))
        assert bench.execute(other).digest == run.execute(other).digest, field


def test_numbers_of_body_ground_and_ticks_are_built_anew_and_so_right():
    yard = short("fan-sled")
    build = VariantBuild(jobs.job_of(yard))
    bench = batch.Bench(build)
    for path, value in (
        ("crafts.fan_sled.body.mass", 300.0), ("ticks", 90), (f"grounds.{yard.bench.ground}.grip", 0.7),
        (f"drills.{yard.bench.drill}.duration", 0.7), ("integrator", "explicit"),
    ):  # fmt: skip
        other = jobs.job_of(yard.edit(path, value))
        assert not build.fits(other), path
        assert bench.execute(other).digest == run.execute(other).digest, path


def test_a_late_input_is_that_of_before_so_many_ticks_later(make):
    push = Thruster(id="push", channel="throttle", thrust=300.0)
    job = make.job([push], ticks=120, seconds=2.0, inputs={"throttle": [(0.0, 0.0), (0.5, 1.0), (1.0, 0.0)]})
    bench = batch.Bench(VariantBuild(job))
    prompt = bench.execute(job).column("velocity.x").copy()
    late = bench.execute(job, late=batch.late_ticks(0.1, job)).column("velocity.x").copy()
    assert batch.late_ticks(0.1, job) == 12
    assert late[:12] == pytest.approx(0.0, abs=1e-12)
    assert late[12:] == pytest.approx(prompt[:-12], rel=1e-12, abs=1e-12)
    heavy = Job(job.craft.replace(body=job.craft.body.replace(mass=500.0)), job.ground, job.drill, job.ticks)
    slow = bench.execute(heavy, late=12).column("velocity.x")
    assert slow[12:] == pytest.approx(run.execute(heavy).column("velocity.x")[:-12], rel=1e-12, abs=1e-12)


def test_a_run_that_diverges_leaves_nothing_behind():
    yard = short("crate-drop")
    craft = yard.bench.craft
    job = jobs.job_of(yard)
    bench = batch.Bench(VariantBuild(job))
    pad = next(part for part in job.craft.parts if part.kind == "pad")
    wild = jobs.job_of(yard.edit(f"crafts.{craft}.parts.{pad.id}.stiffness", 1e8))
    assert bench.execute(wild).status == run.execute(wild).status
    assert bench.execute(job).digest == run.execute(job).digest


def test_runs_one_after_another_are_kept_as_they_were_and_are_those_of_arrays_built_anew():
    """A drag: dials of parts, then a mass, a start, another drill, and back; each run stays what it was."""
    yard = demos.load("ferry").edit("ticks", TICKS)
    edits = [
        ("crafts.ferry.parts.fan.thrust", 5000.0),
        ("crafts.ferry.parts.fan.thrust", 5100.0),
        ("crafts.ferry.parts.pads.stiffness", 47000.0),
        ("crafts.ferry.body.mass", 2600.0),
        ("crafts.ferry.body.mass", 2610.0),
        ("drills.ridges.start.x", 3.0),
        ("drills.ridges.duration", 2.0),
        ("drills.ridges.duration", 3.0),
        ("crafts.ferry.parts.fan.thrust", 5200.0),
        ("crafts.ferry.parts.fan.thrust", 5300.0),
    ]
    repeater, kept = batch.Repeater(), []
    for path, value in edits:
        yard = yard.edit(path, value)
        job = jobs.job_of(yard, yard.drill("ridges"))
        made = repeater.execute(job)
        repeater.prepare()
        kept.append((job, made, made.digest, None if made.notes is None else made.notes.tolist()))
    for job, made, digest, notes in kept:
        anew = run.execute(job)
        del made.__dict__["digest"]
        assert made.digest == digest == anew.digest
        assert (None if made.notes is None else made.notes.tolist()) == notes
        assert (made.status, made.message, made.lost_contacts) == (anew.status, anew.message, anew.lost_contacts)


def test_most_steps_of_a_drag_build_nothing_anew(monkeypatch):
    yard = short("fan-sled")
    built = []
    build = run.Machine.of
    monkeypatch.setattr(run.Machine, "of", lambda job: built.append(job) or build(job))
    repeater = batch.Repeater()
    for step in range(6):
        yard = yard.edit("crafts.fan_sled.parts.fan.thrust", 500.0 + step)
        repeater.execute(jobs.job_of(yard))
        repeater.prepare()
    assert len(built) == 2, "the first run, and the arrays that are kept"


def test_a_drag_of_a_craft_with_formulas_builds_nothing_anew_once_they_are_compiled(monkeypatch):
    """Arrays are not kept that would go on interpreting a formula; one that nothing follows is in nobody's way."""
    built = []
    build = run.Machine.of
    monkeypatch.setattr(run.Machine, "of", lambda job: built.append(job) or build(job))

    def dragged(yard, path, values):
        """How many of the steps of a drag built their arrays anew; each is what it is by itself."""
        repeater, count = batch.Repeater(), 0
        for value in values:
            job = jobs.job_of(yard.edit(path, value))
            built.clear()
            made = repeater.execute(job)
            repeater.prepare()
            count += len(built)
            assert made.digest == run.execute(job).digest
        return count

    ferry = short("ferry")
    assert ferry.craft("ferry").laws
    assert dragged(ferry, "crafts.ferry.parts.fan.thrust", [5000.0, 5100.0, 5200.0, 5300.0]) == 2
    text = "29 [kN/m] * (reach - gap) * sqrt(sqrt((reach / max(gap, 0.05 [m]))^2)) + 3.6 [kN s/m] * closing"
    laws = [*ferry.craft("ferry").laws, ferry.craft("ferry").laws[1].replace(id="own", text=text)]
    follows = ferry.edit_all([("crafts.ferry.laws", laws), ("crafts.ferry.parts.pads.formula", "own")])
    path, values = "crafts.ferry.parts.fan.thrust", [6000.0, 6100.0, 6200.0, 6300.0]
    assert world.interprets(jobs.job_of(follows))
    assert dragged(follows, path, values) == 4
    world.compile_laws(jobs.job_of(follows))
    assert dragged(follows, path, values) == 2
