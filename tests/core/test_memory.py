"""What runs of cards take in memory: bounded in bytes, the oldest go, and nothing of them is lost."""

from __future__ import annotations

import dataclasses
import gc

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.jobs import job_of as job_at
from oak_sled.core.base.faults import refuse
from oak_sled.core.files import records
from oak_sled.core.project import demos, memory, shelf
from oak_sled.core.results import measures, run, traces
from oak_sled.core.yard import weight
from oak_sled.core.yard.drill import MOST_KNOTS, Knot, Target, Track

YARD = demos.load("fan-sled")


@pytest.fixture(scope="module")
def job():
    drill = YARD.drill("brake_to_stop").replace(duration=5.0)
    return Job(YARD.craft(), YARD.ground_of(drill), drill, YARD.ticks, YARD.integrator)


@pytest.fixture
def budget(monkeypatch, tmp_path):
    """A budget of the test's own, in which cards made from now on are counted."""
    made = memory.Budget(1_000_000_000)
    made.to_disk = lambda record: records.put_by(record, tmp_path)
    monkeypatch.setattr(shelf, "BUDGET", made)
    return made


def cards_of(job, count, live=False):
    return [
        shelf.card_of(dataclasses.replace(run.execute(job), live=live), f"card {k}", {"top_speed": 1.0})
        for k in range(count)
    ]


def in_memory(cards):
    return [card.kept.ready is not None for card in cards]


def test_the_oldest_drills_go_and_are_had_again_to_the_bit(budget, job):
    cards = cards_of(job, 6)
    size = cards[0].run.nbytes
    digests = [card.kept.digest for card in cards]
    assert budget.taken() == sum(card.run.nbytes for card in cards)
    cards[0].kept.load()  # looked at: it is the newest now
    budget.most = int(2.5 * size)
    budget.settle()
    budget.wait()
    assert in_memory(cards) == [True, False, False, False, False, True]
    assert budget.taken() <= budget.most
    assert cards[1].kept.size == size
    assert cards[1].run.digest == digests[1]
    assert not cards[1].kept.differs
    budget.wait()
    assert in_memory(cards) == [True, True, False, False, False, False]


def test_a_drive_that_is_nowhere_else_goes_to_disk(budget, job):
    card, other = cards_of(job, 2, live=True)
    before = {name: traces.values(card.run, name).copy() for name in ("speed", "slip_angle")}
    ending = (card.run.status, card.run.message, card.run.ticks)
    digest, rows = card.run.digest, [np.array(part) for part in card.run.record.chunks(200)]
    budget.most = 0
    budget.settle()
    budget.wait()
    for one in (card, other):
        assert one.kept.ready is not None
        assert one.run.record.nbytes < 10_000
    assert card.run.digest == digest
    for name, values in before.items():
        assert np.array_equal(traces.values(card.run, name), values)
    found = np.concatenate(list(card.run.record.chunks(7200)))
    assert np.array_equal(found, np.concatenate(rows))
    assert card.run.live
    assert (card.run.status, card.run.message, card.run.ticks) == ending


def test_nothing_is_left_of_it_on_disk(budget, job, tmp_path):
    cards = cards_of(job, 1, live=True)
    budget.most = 0
    budget.settle()
    budget.wait()
    assert list(tmp_path.iterdir()) == [], "the file has no name: whoever is killed leaves none"
    assert len(cards[0].run.record) > 1


def test_a_full_disk_keeps_a_drive_in_memory(budget, job):
    def full(record):
        raise refuse("disk", "no space left")

    budget.to_disk = full
    drive, drill = cards_of(job, 1, live=True)[0], cards_of(job, 1)[0]
    budget.most = 0
    budget.settle()
    budget.wait()
    assert drive.run.record.nbytes > 100_000
    assert drill.kept.ready is None


def test_what_is_in_sight_stays_and_what_is_drawn_counts(budget, job):
    cards = cards_of(job, 4)
    shown, ghost = cards[0].run, cards[1].run
    budget.in_sight, budget.drawn = (lambda: [shown]), (lambda: [ghost])
    assert budget.taken() == sum(card.run.nbytes for card in cards[1:])
    budget.most = ghost.nbytes
    budget.settle()
    budget.wait()
    assert in_memory(cards) == [True, True, False, False]
    assert budget.fits([ghost])
    assert not budget.fits([ghost], 1)


def test_a_run_that_is_just_looked_at_is_there_however_long(budget, job):
    budget.most = 10
    cards = cards_of(job, 2)
    budget.wait()
    made = cards[0].kept.load()
    budget.wait()
    assert cards[0].kept.ready is made


def test_cards_that_nobody_holds_are_counted_no_more(budget, job):
    cards = cards_of(job, 3)
    assert len(budget.holders()) == 3
    del cards
    gc.collect()
    assert budget.holders() == []
    assert budget.taken() == 0


def test_the_bound_is_set_by_the_environment(monkeypatch):
    for word, megabytes in (("64", 64), ("", 512), ("²", 512), ("-3", 512), ("9" * 5000, 512), ("many", 512)):
        monkeypatch.setenv("OAK_SLED_MEMORY", word)
        assert memory._megabytes() == megabytes


# the history


def test_an_edit_weighs_what_it_made_anew():
    assert weight.beyond(YARD, YARD) == 0
    turned = YARD.edit("crafts.fan_sled.body.mass", 300.0)
    assert 0 < weight.beyond(turned, YARD) < 50_000, "the path down to the dial, and none of its neighbours"
    knots = tuple(Knot(t=k / 100, value=0.5) for k in range(50_000))
    long = YARD.drill().replace(tracks=(Track(channel="throttle", knots=knots, shape="steps"),), duration=600.0)
    with_track = YARD.replace(drills=(*YARD.drills[1:], long)) if YARD.drills[0].id == long.id else YARD.replace(
        drills=tuple(long if one.id == long.id else one for one in YARD.drills)
    )  # fmt: skip
    assert weight.beyond(with_track, YARD) > 50_000 * 300
    moved = with_track.edit(f"drills.{long.id}.tracks.0.knots.7.value", 0.25)
    assert 8 * 50_000 < weight.beyond(moved, with_track) < 16 * 50_000, "the list anew, its knots shared"
    assert MOST_KNOTS > 50_000


def test_measures_that_let_go_of_their_run_know_what_its_targets_ask(budget):
    """Targets of a drill with a cast name the craft under test, which is not among the measures of who looks on."""
    yard = demos.load("shunting")
    drill = yard.drill("shove").replace(duration=2.0, targets=())
    other = drill.cast[0].id
    shown = measures.read_all(run.execute(job_at(yard, drill, drill.craft)))
    asked = [name for name in shown if "@" not in name and name not in measures.OF_CAST and shown[name] is not None]
    assert asked, "what only the craft under test shows"
    drill = drill.replace(targets=tuple(Target(measure=name, low=0.0) for name in (*asked, "no_such_measure")))
    made = run.execute(job_at(yard, drill, other))
    whole, settled = measures.Readings(made), measures.Readings(made)
    settled.settle()
    assert settled._run is None
    for name in asked:
        assert settled[f"{name}@{drill.craft}"] == whole[f"{name}@{drill.craft}"] is not None
    assert dict(settled) == dict(whole)
