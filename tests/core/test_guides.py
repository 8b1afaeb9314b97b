"""Guided starts as data: each begins undone, its words are those of the window, and its yard runs."""

from __future__ import annotations

import dataclasses
import re

import pytest

from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.parts.register import KINDS
from oak_sled.core.project import guides, topics
from oak_sled.core.project.conditions import Compared, Lies, Seen, Shows
from oak_sled.core.results import measures, run


def seen(guide, **changes):
    yard = guide.make()
    made = run.execute(job_of(yard))
    drill = yard.bench.drill or yard.drills[0].id
    return dataclasses.replace(Seen(yard, drill, measures.Readings(made)), **changes)


@pytest.mark.parametrize("guide", guides.GUIDES, ids=lambda guide: guide.name)
def test_a_guide_begins_undone_on_a_yard_that_runs(guide):
    now = seen(guide)
    assert guide.place(now) == 0
    assert not guide.steps[-1].met(now)
    assert guide.place(dataclasses.replace(now, measures={})) == 0
    assert 3 <= len(guide.steps) <= 8


BUTTONS = {"all dials", "add a part", "held", "mute", "pin", "Drive", "Stop", "drill", "target", "step", "law", "brush",
           "New drill on this ground", "at least this", "at most this", "done", "to z", "spread y",
           "twins", "craft", "link running games", "a game in the browser", "write the folder",
           "drive along with it", "off the recording: place"}  # fmt: skip
PLACES = {
    "Bench",
    "Ground",
    "Drill",
    "Build",
    "Spread",
    "Traces",
    "Ledger",
    "Plan",
    "Measures",
    "Laws",
    "Why",
    "Hand-over",
}


@pytest.mark.parametrize("guide", guides.GUIDES, ids=lambda guide: guide.name)
def test_its_words_are_short_and_are_those_of_the_window(guide):
    yard = guide.make()
    known = BUTTONS | PLACES | {"Body", *(drill.heading for drill in yard.drills)}
    known |= {kind.document.TITLE for kind in KINDS}
    known |= {part.heading for craft in yard.crafts for part in craft.parts}
    known |= {topic.title.partition(" (")[0] for topic in topics.topics().values() if topic.kind == "dial"}
    known |= {channel.heading for craft in yard.crafts for channel in craft.channels}
    for step in guide.steps:
        for text, most in ((step.do, 160), (step.why, 200)):
            assert text.endswith(".")
            assert len(text) < most
            strange = set(re.findall(r"\*([^*]+)\*", text)) - known
            assert not strange, text


def test_a_comparison_is_judged_by_the_yard_that_was_compared():
    now = seen(guides.WAYS)
    limited = guides.WAYS.make().edit("crafts.set_speed.parts.forward.aim_limit", 2000.0)
    waits = Compared((Lies("crafts.set_speed.parts.forward.aim_limit", high=3000.0),))
    assert not Compared().met(now)
    assert Compared().met(dataclasses.replace(now, compared=now.yard))
    assert not waits.met(dataclasses.replace(now, compared=now.yard, yard=limited))
    assert waits.met(dataclasses.replace(now, compared=limited))


def test_a_step_of_a_measure_waits_for_a_run_of_its_drill():
    waits = Shows("brake_to_stop", "stop_distance", high=20.0)
    now = seen(guides.STOPS)
    assert not waits.met(now)
    done = dataclasses.replace(now, measures={"stop_distance": 15.0})
    assert waits.met(done)
    assert not waits.met(dataclasses.replace(done, drill="slalom"))
    assert not waits.met(dataclasses.replace(done, measures={"stop_distance": None}))
    assert not Lies("crafts.gone.body.mass", low=0.0).met(now)
