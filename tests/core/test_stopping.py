"""Runs that are ended from outside: from any thread, at once, and without a bit of difference where they are not."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading

import pytest

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.study import batch, sensitivity, spread, tickcheck
from oak_sled.core.tick import stopping
from oak_sled.core.tick.stopping import Leash, Stopped
from oak_sled.core.yard.spreads import Spread, SpreadAxis

YARD = demos.load("fan-sled")


def long_yard(seconds):
    """The slalom, which goes on for so long."""
    drill = YARD.drill("slalom").replace(duration=seconds, end="time")
    return YARD.replace(
        drills=tuple(drill if one.id == drill.id else one for one in YARD.drills),
        bench=YARD.bench.replace(drill="slalom"),
    )


def job_of(yard):
    drill = yard.drill("slalom")
    return Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks, yard.integrator)


def stopped_soon(work, leash=None):
    """Does the work in a thread, and stops it once a run of it is under way; what it raised."""
    leash, found = leash or Leash(), []

    def hold():
        try:
            with leash:
                found.append(work())
        except BaseException as error:
            found.append(error)

    thread = threading.Thread(target=hold)
    thread.start()
    while leash.done < 100 and thread.is_alive():
        os.sched_yield()
    leash.stop()
    thread.join()
    return found[0]


def test_a_run_is_ended_from_another_thread_and_tells_how_far_it_is():
    leash = Leash()
    assert isinstance(stopped_soon(lambda: run.execute(job_of(long_yard(3600.0))), leash), Stopped)
    assert 100 <= leash.done < 432_000
    assert leash.is_stopped
    with leash, pytest.raises(Stopped):
        run.execute(job_of(YARD))
    assert leash.done == 0, "nothing is begun"


def test_a_leash_changes_no_bit_and_is_let_go():
    job = job_of(YARD)
    free = run.execute(job).digest
    with Leash() as outer:
        with Leash() as inner:
            assert run.execute(job).digest == free
            inner.stop()
            with pytest.raises(Stopped):
                run.execute(job)
        assert run.execute(job).digest == free
        assert outer.done > 0
    assert run.execute(job).digest == free


@pytest.mark.parametrize(
    "work",
    [
        lambda: tickcheck.check(job_of(long_yard(3600.0))),
        lambda: tickcheck.reference(job_of(long_yard(3600.0))),
        lambda: sensitivity.compute(long_yard(3600.0), "slalom", names=("top_speed",)),
        lambda: batch.Repeater().execute(job_of(long_yard(3600.0))),
    ],
    ids=["tick check", "reference", "sensitivity", "drag"],
)
def test_whatever_runs_is_ended(work):
    assert isinstance(stopped_soon(work), Stopped)


def test_a_repeater_goes_on_after_a_run_that_was_ended():
    hands, job = batch.Repeater(), job_of(YARD)
    made = hands.execute(job)
    hands.prepare()
    leash = Leash()
    leash.stop()
    with leash, pytest.raises(Stopped):
        hands.execute(job)
    assert hands.execute(job).digest == made.digest


def test_a_spread_of_long_runs_is_cancelled_in_the_middle_of_one():
    """Each of its runs takes a second or more, and the first ones are under way: they are not waited for."""
    plan = Spread(
        id="s", drill="slalom", measures=("top_speed",),
        axes=(SpreadAxis(path="crafts.fan_sled.body.mass", low=200.0, high=300.0, count=60),),
    )  # fmt: skip
    asked = []
    gathered = spread.Gathered(long_yard(7200.0), plan)
    spread.gather(gathered, 2, lambda: asked.append(1) or len(asked) > 8)
    assert gathered.done < 60


def test_all_threads_are_ended_at_once():
    found = []

    def work():
        with pytest.raises(Stopped):
            run.execute(job_of(long_yard(3600.0)))
        found.append(int(stopping.word()[stopping.DONE]))

    threads = [threading.Thread(target=work) for _ in range(2)]
    for one in threads:
        one.start()
    try:
        while threading.active_count() > 1 and len(found) < 2:
            stopping.stop_all()
            os.sched_yield()
        for one in threads:
            one.join()
    finally:
        stopping.let_all_go()
    assert len(found) == 2
    assert run.execute(job_of(YARD)).ticks > 0


@pytest.mark.parametrize(
    "arguments",
    [
        ("tickcheck", "demo:fan-sled", "--drill", "slalom"),
        ("run", "demo:fan-sled", "--drill", "slalom", "--ticks", "60,120,240,480,960"),
        ("sensitivity", "demo:fan-sled", "--drill", "slalom"),
    ],
    ids=lambda given: given[0],
)
def test_ctrl_c_ends_what_runs_at_once(tmp_path, arguments):
    """In the middle of a run that takes seconds: what is compiled knows nothing of signals."""
    from oak_sled.core.files import yard_json

    long = replace_duration(tmp_path, yard_json)
    given = [long if word == "demo:fan-sled" else word for word in arguments]
    child = subprocess.Popen(
        [sys.executable, "-m", "oak_sled", *given], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),  # what runs in the background may ignore it
    )  # fmt: skip
    assert child.stderr is not None
    child.stderr.readline()  # it is under way: progress is told after a second
    child.send_signal(signal.SIGINT)
    _, errors = child.communicate(timeout=60)
    assert child.returncode == 130, errors
    assert "Traceback" not in errors


def replace_duration(folder, yard_json):
    yard_json.save(long_yard(300.0), folder / "long.json")
    return str(folder / "long.json")
