"""Yards and command lines at random: taken, or refused in short lines of our own words; never anything else."""

from __future__ import annotations

import copy
import json

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from oak_sled.core import demos, run, spread, units
from oak_sled.core.faults import Refused
from oak_sled.core.files import yard_json
from oak_sled.core.world import Job

CALM = settings(max_examples=150, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
VALUES = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-(10**40), 10**40),
    st.floats(),
    st.text(max_size=60),
    st.lists(st.integers(), max_size=3),
    st.dictionaries(st.text(max_size=5), st.integers(), max_size=3),
)
LIBRARY_WORDS = ("instance of", "valid dictionary", "input should", "pydantic", "Traceback")
DATA = json.loads(yard_json.dumps(demos.load("fan-sled")))


def places(data, path=()):
    """Every place in a tree of JSON."""
    yield path
    inner = data.items() if isinstance(data, dict) else enumerate(data) if isinstance(data, list) else ()
    for step, value in inner:
        yield from places(value, (*path, step))


PLACES = [path for path in places(DATA) if path]


def checked_lines(refused):
    assert refused.faults
    for fault in refused.faults:
        line = str(fault)
        assert len(line) <= 300
        assert line.isprintable()
        assert not any(word in line for word in LIBRARY_WORDS), line


@CALM
@given(st.sampled_from(PLACES), VALUES)
def test_a_yard_with_one_value_exchanged(path, value):
    data = copy.deepcopy(DATA)
    inner = data
    for step in path[:-1]:
        inner = inner[step]
    inner[path[-1]] = value
    try:
        yard = yard_json.loads(json.dumps(data))
    except Refused as refused:
        checked_lines(refused)
    else:
        assert yard_json.loads(yard_json.dumps(yard)) == yard, "what is taken is written and read the same"


@CALM
@given(st.text(max_size=200))
def test_any_text_is_no_yard(text):
    with pytest.raises(Refused) as caught:
        yard_json.loads(text)
    checked_lines(caught.value)


@CALM
@given(st.text(alphabet="0123456789.+-*/^()eE kNmsrad=°%²", max_size=40))
def test_any_entry_is_a_number_or_a_line(text):
    try:
        assert np.isfinite(units.read(text, "N"))
    except Refused as refused:
        checked_lines(refused)


@CALM
@given(st.text(max_size=40))
def test_any_axis_of_a_spread_is_read_or_refused(text):
    try:
        axis = spread.read_axis(f"ticks={text}")
    except Refused as refused:
        checked_lines(refused)
    else:
        assert 1 <= len(axis.values) <= 10_000


def test_a_spread_beyond_any_count_is_refused_at_once():
    axes = [spread.read_axis("ticks=20:200:8192") for _ in range(5)]
    with pytest.raises(Refused, match="at most 100000"):
        spread.grid(demos.load("fan-sled"), "slalom", axes, None)


@pytest.mark.parametrize(
    ("path", "value", "says"),
    [("body.centre_x", -1000.0, "centre of mass lies 1000 m off"), ("parts.barrel.x", -837.0, "is mounted 837 m off")],
)
def test_nothing_in_a_record_is_not_a_number_and_the_cause_is_out_of_proportion(path, value, says):
    yard = demos.load("mortar")
    yard = yard.edit(f"crafts.{yard.craft().id}.{path}", value)
    drill = yard.drill()
    made = run.execute(Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks, yard.integrator))
    assert all(np.isfinite(rows).all() for rows in made.record.chunks(1000))
    assert "diverged at tick" in made.message
    assert says in made.message


@pytest.mark.parametrize(
    ("where", "value", "says"),
    [
        ("crafts.fan_sled.body.mass", True, "true is not a number"),
        ("drills.slalom.targets", [{"measure": "top_speed"}], "neither low nor high"),
        ("crafts.fan_sled.parts.fan.thrust", "5 kN^200", "power"),
    ],
)
def test_what_was_taken_in_silence_is_refused(where, value, says):
    with pytest.raises(Refused) as caught:
        demos.load("fan-sled").edit(where, value)
    assert says in str(caught.value)
    checked_lines(caught.value)
