"""Measures as they are declared: each once, in words and units of the field, and each shown by a demo drill."""

from __future__ import annotations

from pathlib import Path

import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.base.units import parse_unit
from oak_sled.core.project import demos
from oak_sled.core.results import measures, run
from oak_sled.core.results.measures import MEASURES

PAGE = Path(__file__).parents[2] / "docs" / "measures.md"


def test_names_and_titles_are_told_apart():
    for field in ("name", "title"):
        found = [getattr(one, field) for one in MEASURES]
        assert len(set(found)) == len(found)


@pytest.mark.parametrize("one", MEASURES, ids=lambda one: one.name)
def test_a_measure_says_what_it_is(one):
    assert one.title
    assert one.says[0].islower() or one.says[0].isdigit(), "a line that goes on from the title"
    assert not one.says.endswith(".")
    assert not one.unit or one.unit == "m/s1.5" or parse_unit(one.unit)
    assert one.read.__name__ == one.name
    assert one.name in PAGE.read_text(encoding="utf-8")


def test_the_page_is_what_is_declared():
    assert PAGE.read_text(encoding="utf-8") == measures.page(), "run scripts/write_pages.py"


def test_every_measure_is_shown_by_a_demo_drill_and_missing_in_another_where_it_needs_something():
    shown, missing = set(), set()
    for name in demos.DEMOS:
        yard = demos.load(name)
        for drill in yard.drills:
            found = measures.read_all(run.execute(jobs.job_of(yard, drill)))
            shown |= {one for one, value in found.items() if value is not None}
            missing |= {one for one, value in found.items() if value is None}
    assert {one.name for one in MEASURES} <= shown
    needs = {one.name for one in MEASURES if one.shows}
    assert missing & {one.name for one in MEASURES} <= needs, "what a run must show is told of each that may be missing"
