"""What all tests share: the demo yard, and jobs made in one line."""

from __future__ import annotations

import pytest

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground

LONG_FIRST = (
    "desk/test_program.py",
    "desk/test_screen.py",
    "test_cli.py",
    "core/compiler/test_three_ways.py",
    "core/test_tires.py",
    "test_shape.py",
    "core/compiler/test_cache.py",
    "desk/test_no_work_lost.py",
    "desk/test_bench.py",
    "desk/test_drill_page.py",
    "desk/test_ground.py",
    "desk/test_large.py",
    "core/test_from_outside.py",
    "test_install.py",
)
"""Files whose tests take longest: they begin first, so that no core waits for the other at the end."""


def pytest_collection_modifyitems(items):
    """Puts the longest files first; within a file the order stays."""
    ranks = {name: place for place, name in enumerate(LONG_FIRST)}
    items.sort(key=lambda item: ranks.get(item.nodeid.partition("::")[0].removeprefix("tests/"), len(ranks)))


@pytest.fixture(scope="session")
def yard():
    """The demo yard; frozen, so that tests can share it."""
    return demos.load("fan-sled")


@pytest.fixture
def demo_job(yard):
    """The drill on the bench of the demo yard."""
    drill = yard.drill()
    return Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks, yard.integrator)


class Maker:
    """Builds small jobs: a body, some parts, a start, what the channels are inputs."""

    def job(
        self,
        parts=(),
        *,
        body=None,
        ground=None,
        ticks=120,
        seconds=5.0,
        inputs=None,
        drill=None,
        integrator="semi_implicit",
        channels=None,
        **start,
    ):
        channels = channels or tuple(Channel(id=name, rise=1e6, fall=1e6) for name in ("throttle", "steer", "brake"))
        craft = Craft(id="craft", body=Body(**(body or {})), channels=channels, parts=tuple(parts))
        tracks = tuple(Track(channel=name, knots=self.knots(value)) for name, value in (inputs or {}).items())
        made = Drill(id="drill", start=Start(**start), tracks=tracks, duration=seconds, **(drill or {}))
        return Job(craft, Ground(id="ground", **{"floor": False, **(ground or {})}), made, ticks, integrator)

    @staticmethod
    def knots(value):
        if isinstance(value, (int, float)):
            value = [(0.0, value)]
        return tuple(Knot(t=t, value=v) for t, v in value)

    def run(self, parts=(), **settings):
        return run.execute(self.job(parts, **settings))


@pytest.fixture(scope="session")
def make():
    return Maker()


PLANAR = {"mass": 100.0, "held": ("z", "roll", "pitch")}


@pytest.fixture(scope="session")
def planar():
    """A body of 100 kg that moves on the level only."""
    return PLANAR
