"""Measures that say what they name: at two tick rates, on wrapped ground, for what only stands."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from oak_sled.core.documents.block import Block
from oak_sled.core.documents.yard import Wall
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.bumper import Bumper
from oak_sled.core.results import measures, run, traces
from oak_sled.core.study import tickcheck

G = 9.80665
FLAT = {"mass": 100.0, "held": ("z", "roll", "pitch")}


def test_standing_and_leaning_are_no_hits(make):
    made = make.run(body={"mass": 100.0}, ground={"floor": True}, seconds=2.0)
    assert measures.hardest_hit(made) is None


@pytest.mark.parametrize("ticks", [60, 240])
def test_the_hardest_hit_is_the_change_of_momentum(make, ticks):
    wall = Wall(id="wall", x=6.0, length=30.0, width=1.0, heading_deg=90.0)
    bumper = Bumper(id="bumper", response="bounce", bounce=0.5)
    body = {"mass": 100.0, "held": ("roll", "pitch", "yaw")}
    made = make.run(
        [bumper], body=body, ground={"walls": (wall,), "floor": True, "friction": 0.0}, speed=4.0, ticks=ticks
    )
    assert measures.hardest_hit(made) == pytest.approx(100.0 * 4.0 * 1.5, rel=1e-2)


def test_wrapped_ground_bends_no_measure(make):
    ground = {"edges": "wrap", "length": 30.0, "width": 20.0}
    wrapped = make.run(body=FLAT, ground=ground, speed=12.0, heading_deg=10.0, seconds=8.0)
    plain = make.run(body=FLAT, speed=12.0, heading_deg=10.0, seconds=8.0)
    assert np.abs(wrapped.column("position.x")).max() <= 15.0
    assert traces.path(wrapped) == pytest.approx(traces.path(plain), abs=1e-9)
    for name in ("distance", "path_width"):
        assert measures.read_all(wrapped)[name] == pytest.approx(measures.read_all(plain)[name], abs=1e-9)


def test_the_distance_is_that_of_the_places(make):
    made = make.run([Brake(id="brake", timing="always", bite=0.3)], body=FLAT, speed=10.0, seconds=5.0)
    places = made.columns("position.x", "position.y", "position.z")
    walked = float(np.sum(np.linalg.norm(np.diff(places, axis=0), axis=1)))
    assert measures.distance(made) == pytest.approx(walked, rel=1e-12)


@pytest.mark.parametrize("ticks", [60, 480])
def test_a_stop_ends_at_rest_and_not_at_a_threshold(make, ticks):
    """v / a and v2 / 2a for dry friction."""
    made = make.run([Brake(id="brake", timing="always", bite=0.3)], body=FLAT, speed=10.0, seconds=5.0, ticks=ticks)
    assert measures.stop_time(made) == pytest.approx(10.0 / (0.3 * G), abs=1.5 / ticks)
    assert measures.stop_distance(made) == pytest.approx(100.0 / (0.6 * G), rel=0.6 / ticks)


def test_the_tick_check_looks_at_blocks_too(make):
    falling = Block(id="ball", shape="ball", z=2.0, x=9.0)
    job = make.job(
        body={"held": ("x", "y", "z", "roll", "pitch", "yaw")},
        ground={"floor": True, "blocks": (falling,)},
        seconds=0.5,
    )

    coarse, fine = (run.execute(replace(job, substeps=n)) for n in (1, 2))
    gap = 0.5 * G * 0.5 / 120 / 2.0  # half a tick of the fall
    assert tickcheck.difference(coarse, fine) == pytest.approx(gap, rel=0.1)
    assert tickcheck.difference(coarse, coarse) == 0.0
    checked = tickcheck.check(job, (60, 120))
    assert checked.settled
    assert math.isfinite(checked.error)
