"""A spread on a cluster: a scheduler and two workers on this machine, one of which may die."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest

from oak_sled.core.base.faults import Refused
from oak_sled.core.project import demos
from oak_sled.core.study import cluster, spread
from oak_sled.core.yard.spreads import Scatter, Spread, SpreadAxis

THRUST = "crafts.fan_sled.parts.fan.thrust"
DASK = Path(sys.executable).with_name("dask")


def begin(*arguments: str) -> subprocess.Popen[str]:
    """A process of Dask, which tells what it does on stderr."""
    return subprocess.Popen([str(DASK), *arguments], stderr=subprocess.PIPE, text=True)


CERT, KEY = (str(Path(__file__).parent / "tls" / name) for name in ("cert.pem", "key.pem"))
"""A certificate that signed itself, of 127.0.0.1: it is its own authority, and of no use elsewhere."""
TLS = ("--tls-ca-file", CERT, "--tls-cert", CERT, "--tls-key", KEY)


class Cluster:
    """A scheduler, and workers of one thread each, in processes of their own. tls : what they are given for it."""

    def __init__(self, *tls: str) -> None:
        self.workers: list[subprocess.Popen[str]] = []
        self.tls = tls
        way = ("--protocol", "tls") if tls else ()
        self.scheduler = begin("scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard", *way, *tls)
        assert self.scheduler.stderr is not None
        told = (re.search(r"Scheduler at:\s+((tcp|tls)://\S+)", line) for line in self.scheduler.stderr)
        self.address = next(found[1] for found in told if found is not None)

    def add_worker(self) -> None:
        given = ("--nthreads", "1", "--no-nanny", "--no-dashboard", "--host", "127.0.0.1", *self.tls)
        self.workers.append(begin("worker", self.address, *given))

    def close(self) -> None:
        for one in (*self.workers, self.scheduler):
            one.kill()
            one.communicate()


@pytest.fixture(scope="module")
def small_cluster():
    made = Cluster()
    try:
        made.add_worker()
        made.add_worker()
        yield made
    finally:
        made.close()


@pytest.fixture(scope="module")
def yard():
    return demos.load("fan-sled").edit("drills.slalom.duration", 6.0)


def plan(count, **fields):
    axis = SpreadAxis(path=THRUST, low=400.0, high=800.0, count=count)
    return Spread(id="s", drill="slalom", axes=(axis,), measures=("top_speed", "hits"), **fields)


def test_a_cluster_gives_the_very_results_of_this_machine(small_cluster, yard):
    wanted = plan(20, scatter=Scatter(repeats=2, seed=3))
    told = []
    made = cluster.compute(yard, wanted, small_cluster.address, lambda progress, *_: told.append(progress.done))
    assert made == spread.compute(yard, wanted)
    assert told == sorted(told)
    assert told[-1] == wanted.runs


def test_a_worker_that_dies_loses_nothing_and_doubles_nothing(small_cluster, yard):
    wanted = plan(600)
    came: list[int] = []

    def found(progress, numbers, values):
        if not came:
            small_cluster.workers[0].kill()
        came.extend(numbers)

    made = cluster.compute(yard, wanted, small_cluster.address, found)
    assert small_cluster.workers[0].wait() != 0
    assert sorted(came) == list(range(600)), "each variant comes in once"
    assert made == spread.compute(yard, wanted)


def test_a_spread_on_a_cluster_is_cancelled(small_cluster, yard):
    came: list[int] = []
    stopped = cluster.compute(
        yard, plan(300), small_cluster.address, lambda progress, *_: came.append(progress.done), lambda: len(came) > 2
    )
    assert stopped is None
    assert len(came) == 3


def test_what_cannot_be_computed_is_refused_as_it_is_here(small_cluster, yard):
    with pytest.raises(Refused, match="no variant of this drill shows gates_passed"):
        cluster.compute(yard, plan(4).replace(drill="straight_pull", measures=("gates_passed",)), small_cluster.address)


def test_a_worker_of_another_version_is_refused(small_cluster, yard, monkeypatch):
    monkeypatch.setattr(cluster, "version", lambda: "0.0 other")
    with pytest.raises(Refused, match=r"a worker runs oak-sled 0\.1.*not 0\.0 other"):
        cluster.compute(yard, plan(4), small_cluster.address)


def test_the_command_line_has_a_cluster_do_it(small_cluster):
    given = ["spread", "demo:fan-sled", "--drill", "slalom", "--measure", "top_speed", "--vary", f"{THRUST}=400:800:4"]

    def call(*more):
        return subprocess.run(
            [sys.executable, "-m", "oak_sled", *given, *more], capture_output=True, text=True, timeout=120
        )

    there = call("--on", small_cluster.address)
    assert there.returncode == 0, there.stderr
    assert "Traceback" not in there.stderr
    assert "distributed" not in there.stderr, "nothing of what goes on between the machines"
    assert there.stdout == call().stdout
    told = call("--on", small_cluster.address, "--threads", "2")
    assert told.returncode == 2
    assert "--on or --threads" in told.stderr


def test_a_cluster_without_a_worker_left_is_said(yard, monkeypatch):
    monkeypatch.setattr(cluster, "ALONE_S", 2.0)
    alone = Cluster()
    try:
        alone.add_worker()
        with pytest.raises(Refused, match="has no worker left"):
            cluster.compute(yard, plan(300), alone.address, lambda *_: alone.workers[0].kill())
    finally:
        alone.close()


def test_a_cluster_is_reached_by_tls(yard):
    """With the files of Dask: whoever has none of them is not let in, and is told so."""
    made = Cluster(*TLS)
    try:
        made.add_worker()
        told = cluster.compute(yard, plan(3), made.address, tls=cluster.Tls(CERT, CERT, KEY))
        assert told == spread.compute(yard, plan(3))
        with pytest.raises(Refused, match="no scheduler at tls:"):
            cluster.compute(yard, plan(3), made.address)
    finally:
        made.close()


def test_files_for_tls_are_asked_before_anything_is_computed(yard, tmp_path):
    with pytest.raises(Refused, match="is not encrypted"):
        cluster.Tls(CERT, CERT, KEY).check("tcp://127.0.0.1:1")
    for missing in ("nowhere.pem", "."):
        with pytest.raises(Refused, match="cannot be read"):
            cluster.Tls(str(tmp_path / missing), CERT, KEY).check("tls://127.0.0.1:1")
    (tmp_path / "odd.pem").write_text("no certificate")
    with pytest.raises(Refused, match="no files for TLS"):
        cluster.Tls(str(tmp_path / "odd.pem"), CERT, KEY).check("tls://127.0.0.1:1")
    cluster.Tls(CERT, CERT, KEY).check("tls://127.0.0.1:1")


@pytest.mark.parametrize(
    ("address", "says"),
    [
        ("tcp://a..b:80", "is no address"),
        ("tcp://" + "x" * 300 + ":80", "is no address"),
        ("tcp://a\0b:80", "is no address"),
        ("tcp://\ud800:80", "is no address"),
        ("tcp://[::1:80", "is no address"),
        ("tcp://host:²", "is no address"),
        ("tcp://host:٣", "is no address"),
        ("tcp://" + "9" * 5000, "is no address"),
        ("udp://127.0.0.1:80", "is no address"),
        ("somewhere", "'somewhere' is no address"),
        ("tcp://127.0.0.1:99999", "is no address"),
        ("tcp://127.0.0.1:1", "nothing answers at"),
    ],
)
def test_an_address_where_no_scheduler_is(yard, address, says):
    with pytest.raises(Refused, match=says):
        cluster.compute(yard, plan(4), address)
