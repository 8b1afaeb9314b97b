"""The force that a craft lacks beside a game: what is taken away is named with its number, with noise as without."""

from __future__ import annotations

import numpy as np
import pytest
from test_fit import SLED, recorded_yard

from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import demos
from oak_sled.core.results import missing, run, traces

BODY = "crafts.fan_sled.body"
AIR = 0.5 * 1.34 * 1.05
"""kg/m of drag of a square metre of the sled at this density and drag coefficient."""


def lacks(hidden, noise=0.0, duration=10.0):
    """What the fan sled lacks of itself with other numbers."""
    yard, drill = recorded_yard("fan-sled", hidden, noise=noise, duration=duration)
    return missing.found(job_of(yard, drill))


def best(found, along):
    return next(one for one in found.forces if one.along == along)


@pytest.mark.parametrize("noise", [0.0, 0.02])
@pytest.mark.parametrize(
    ("hidden", "name", "number"),
    [
        ({f"{SLED}.air.front_area": 8.0}, "quadratic drag", AIR * (8.0 - 1.35) / 240.0),
        ({f"{BODY}.damping": 0.4}, "linear drag", 0.4),
    ],
    ids=["air", "damping"],
)
def test_a_drag_that_is_missing_is_named_with_its_number(hidden, name, number, noise):
    found = lacks(hidden, noise)
    named = best(found, "motion")
    assert named.name == name
    assert named.explains > 0.95
    told = float(next(word for word in named.says.split() if word[0].isdigit()))
    assert told == pytest.approx(number, rel=0.05)
    assert found.rms > 0.5
    assert f"{name} would explain" in " ".join(missing.words(found))


def test_a_friction_and_a_push_at_a_steady_throttle_cannot_be_told_apart():
    words = " ".join(missing.words(lacks({f"{SLED}.runners.glide": 0.12})))
    assert "cannot tell it from" in words
    assert "friction" in words
    assert "a push by throttle" in words


def test_a_push_that_is_missing_is_that_of_its_channel_and_a_turn_that_of_the_other():
    pushed = best(lacks({f"{SLED}.fan.thrust": 900.0}), "motion")
    assert pushed.name == "a push by throttle"
    told = float(pushed.says.split()[0])
    assert told == pytest.approx(280.0 / 240.0, rel=0.15), "the speed limit takes some of it"


def test_what_is_in_excess_is_told_as_less_of_it():
    found = lacks({f"{SLED}.air.front_area": 0.1, f"{SLED}.air.side_area": 0.1})
    assert best(found, "motion").name.startswith("less ")


def test_a_craft_that_lacks_nothing_is_given_no_force():
    found = lacks({})
    assert found.forces == ()
    assert found.stretch is None
    assert found.rms < 0.05


def test_the_stretch_in_which_it_fits_worst_is_found():
    found = lacks({f"{SLED}.runners.side_grip": 0.2})
    assert found.stretch is not None
    first, last = found.stretch
    inside = (found.t >= first) & (found.t <= last)
    size = np.hypot(found.along, found.side)
    assert size[inside].mean() > 2.0 * size[~inside].mean()
    assert "it fits worst from" in " ".join(missing.words(found))


def test_what_is_missing_is_a_trace_of_a_drill_with_a_recording_only():
    yard, drill = recorded_yard("fan-sled", {f"{BODY}.damping": 0.4}, duration=6.0)
    made = run.execute(job_of(yard, drill))
    for what in missing.MISSING:
        assert f"missing.{what}" in traces.book(made)
    along = traces.values(made, "missing.along")
    assert len(along) == made.ticks + 1
    speed = np.interp(made.t, missing.beside(made).t, missing.beside(made).speed)
    told = np.isfinite(along)
    assert told.mean() > 0.9
    assert np.allclose(along[told], -0.4 * speed[told], atol=0.05)
    plain = run.execute(job_of(demos.load("fan-sled")))
    assert "missing.along" not in traces.book(plain)
    assert np.isnan(traces.values(plain, "missing.along")).all()


def test_too_short_a_recording_is_refused_with_the_number():
    yard, drill = recorded_yard("fan-sled", {}, duration=0.3)
    with pytest.raises(Refused, match=r"lasts 0\.3 s"):
        missing.found(job_of(yard, drill))
    with pytest.raises(Refused, match="has no recording"):
        missing.found(job_of(demos.load("fan-sled")))
