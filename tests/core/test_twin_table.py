"""Twins in one table: the same runs as one by one, and what five ways of moving a body show in it."""

from __future__ import annotations

import dataclasses

import pytest

from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import demos
from oak_sled.core.project.fiveways import five_ways
from oak_sled.core.results import measures, run
from oak_sled.core.study import twintable


@pytest.fixture(scope="module")
def made():
    yard = five_ways()
    return twintable.make(yard, yard.drill())


def values(made, drill, measure):
    """By craft: the values at each rate."""
    row = next(row for row in made.rows if (row.drill.id, row.known.name) == (drill, measure))
    return dict(zip(made.names, row.values, strict=True))


def test_its_numbers_are_those_of_the_runs_one_by_one(made):
    yard = five_ways()
    for drill in yard.drills:
        for place, rate in enumerate(made.rates):
            for craft in made.names:
                one = run.execute(dataclasses.replace(job_of(yard, drill, craft), ticks=rate))
                for target in drill.targets:
                    assert (
                        values(made, drill.id, target.measure)[craft][place] == measures.Readings(one)[target.measure]
                    )


def test_every_drill_of_these_twins_is_in_it_at_three_rates_with_the_cost_of_a_tick(made):
    yard = five_ways()
    assert {row.drill.id for row in made.rows} == {drill.id for drill in yard.drills}
    assert made.names == tuple(craft.id for craft in yard.crafts)
    assert made.rates == (30, 60, 120)
    assert not made.messages
    assert all(cost > 0.0 for of in made.tick_s for cost in of)


def test_a_speed_set_in_every_tick_takes_neither_freight_nor_a_knock(made):
    freight, knock = values(made, "freight", "distance"), values(made, "knock", "path_width")
    assert freight["set_speed"][2] > freight["set_speed"][0] + 4.0, "and shoves the farther the more ticks there are"
    assert max(knock["set_speed"]) < 1e-6
    for other in made.names[1:]:
        assert all(value < 11.0 for value in freight[other])
        assert all(value > 0.5 for value in knock[other])
        assert max(freight[other]) - min(freight[other]) < 0.1


def test_a_bounded_force_gives_contacts_their_say_again():
    yard = five_ways().edit_all([(f"crafts.set_speed.parts.{part}.aim_limit", 2000.0) for part in ("forward", "aside")])
    made = twintable.make(yard, yard.drill("freight"), (60,))
    assert values(made, "freight", "distance")["set_speed"][0] < 11.0
    assert values(made, "knock", "path_width")["set_speed"][0] > 0.5


def test_without_targets_it_shows_what_tells_the_twins_apart():
    yard = five_ways().edit("drills.knock.targets", ())
    made = twintable.make(yard, yard.drill("knock"), (60,))
    rows = [row for row in made.rows if row.drill.id == "knock"]
    assert len(rows) == twintable.UNTOLD
    for row in rows:
        found = [of[0] for of in row.values]
        assert max(found) - min(found) > 0.5 * max(map(abs, found)), row.known.name
        assert row.target is None
        assert row.meets(None)


def test_a_drill_without_twins_is_refused_with_its_place():
    yard = demos.load("fan-sled")
    with pytest.raises(Refused, match=r"drills\.slalom\.twins.*no twins"):
        twintable.make(yard, yard.drill("slalom"))


@pytest.mark.parametrize("name", demos.DEMOS)
def test_every_drill_with_twins_of_every_demo_finds_its_company(name):
    yard = demos.load(name)
    for drill in yard.drills:
        if set(drill.twins) - {job_of(yard, drill).craft.id}:
            assert drill in twintable.drills_of(yard, drill)
            crafts = [job.craft.id for job in twintable.jobs_of(yard, drill)]
            assert len(set(crafts)) == len(crafts) >= 2
            starts = {(job.drill.start.x, job.drill.start.y) for job in twintable.jobs_of(yard, drill)}
            assert len(starts) == 1
