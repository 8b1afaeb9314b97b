"""Yards and command lines at random: taken, or refused in short lines of our own words; never anything else."""

from __future__ import annotations

import contextlib
import copy
import io
import json
import sys
import unittest.mock

import hostile
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from oak_sled import cli
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import document, units
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import yard_json
from oak_sled.core.project import demos, shelf, shelf_store
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.project.sources import held_values
from oak_sled.core.results import run
from oak_sled.core.study import variants
from oak_sled.core.yard.spreads import Spread

CALM = hostile.CALM(150)
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
    yard = demos.load("fan-sled")
    try:
        axis = variants.read_axis(f"ticks={text}", yard)
    except Refused as refused:
        checked_lines(refused)
    else:
        assert 1 <= len(axis.values) <= 10_000


@pytest.fixture(scope="module")
def kept(tmp_path_factory):
    """A yard on disk with a drill and a drive on its shelf, as bytes by name."""
    yard = demos.load("fan-sled")
    drill = yard.drill("brake_to_stop")
    job = Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks, yard.integrator)
    live = LiveDrive(job)
    live.advance(90, held_values(job.craft.channels, {"W"}))
    cards = (shelf.card_of(live.finish(), "drive"), shelf.card_of(run.execute(job), "drill"))
    file = tmp_path_factory.mktemp("kept") / "yard.json"
    shelf_store.save_all(yard, cards, file)
    folder = shelf_store.folder_of(file)
    return yard, {path.name: path.read_bytes() for path in folder.iterdir() if path.is_file()}, file.read_bytes()


@hostile.CALM(60)
@given(
    st.integers(0, 100),
    st.sampled_from(["flip", "cut", "empty", "grow", "exchange", "remove"]),
    st.integers(0, 10**6),
    VALUES,
)
def test_a_yard_opens_whatever_became_of_its_shelf(kept, tmp_path_factory, which, how, at, value):
    yard, files, content = kept
    name = sorted(files)[which % len(files)]
    file = tmp_path_factory.mktemp("shelf") / "yard.json"
    file.write_bytes(content)
    folder = shelf_store.folder_of(file)
    folder.mkdir()
    for other, old in files.items():
        (folder / other).write_bytes(old if other != name else damaged(old, how, at, value))
    if how == "remove":
        (folder / name).unlink()
    try:
        opened = shelf_store.load_all(file)
    except Refused as refused:
        pytest.fail(f"the yard did not open: {refused}")
    assert opened.yard == yard
    for line in opened.lost:
        assert line.isprintable()
        assert len(line) <= 300
        assert not any(word in line for word in LIBRARY_WORDS), line
    for card in opened.cards:
        try:
            made = card.kept.load()
        except Refused as refused:
            checked_lines(refused)
        else:
            assert made.ticks > 0
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    shelf_store.save_all(yard, opened.cards, file)
    after = {path.name: path.read_bytes() for path in folder.iterdir()}
    lost = [name for name in before if name not in after and not name.startswith("shelf-")]
    assert lost == [], "a save keeps what it could not read"


def damaged(old: bytes, how: str, at: int, value: object) -> bytes:
    """A file after something happened to it."""
    place = at % max(1, len(old))
    if how == "flip":
        return old[:place] + bytes([old[place] ^ (1 << at % 8)]) + old[place + 1 :]
    if how == "cut":
        return old[:place]
    if how == "grow":
        return old + b"\0" * 40
    if how == "exchange":
        try:
            read = json.loads(old)
        except ValueError:
            return json.dumps(value, default=str).encode()
        found = [path for path in places(read) if path]
        inner, path = read, found[at % len(found)]
        for step in path[:-1]:
            inner = inner[step]
        inner[path[-1]] = value
        return json.dumps(read).encode()
    return b""


WORDS = st.one_of(
    st.sampled_from(
        [
            "run", "list", "check", "tickcheck", "spread", "schema", "demos", "demo:fan-sled", "demo:no",
            "--drill",
            "--craft", "--ticks", "--set", "--csv", "--json", "--vary", "--measure", "brake_to_stop", "fan_sled", "60",
            "ticks=60", "ticks=20:60:2", "top_speed", "/dev/null", "/dev/full", "crafts.fan_sled.body.mass=2 t",
            "-1", "",
        ]
    ),
    st.text(st.characters(exclude_characters="/\0", exclude_categories=("Cs",)), max_size=12),
)  # fmt: skip
QUICK = ("run", "list", "check", "spread", "schema", "demos")


@hostile.CALM(120)
@given(st.sampled_from(QUICK), st.lists(WORDS, max_size=6))
def test_any_command_line_ends_with_a_status_and_short_lines(tmp_path_factory, command, words):
    said, errors = io.StringIO(), io.StringIO()
    with (
        contextlib.chdir(tmp_path_factory.mktemp("here")),  # a word may name a file that is written
        contextlib.redirect_stdout(said),
        contextlib.redirect_stderr(errors),
        unittest.mock.patch.object(sys, "argv", ["oak-sled", command, *words]),
        pytest.raises(SystemExit) as ended,
    ):
        cli.main()
    assert ended.value.code in (0, 1, 2), errors.getvalue()
    lines = errors.getvalue().splitlines()
    assert bool(lines) or ended.value.code in (0, 1)
    for line in lines:
        assert len(line) <= 320
        assert line.isprintable(), line
        assert not any(word in line for word in LIBRARY_WORDS), line


def test_a_spread_beyond_any_count_is_refused_at_once(yard):
    axes = [variants.read_axis(f"{path}=20:200:8192", yard) for path in ("ticks", "crafts.fan_sled.parts.fan.thrust")]
    with pytest.raises(Refused, match="at most 100000"):
        document.checked(Spread, {"id": "s", "axes": axes, "measures": ("top_speed",)})


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
    assert says in run.out_of_proportion(made.job)
    assert not made.message or says in made.message


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
