"""Tuning: words and targets are met by moving dials within bounds and locks, the same for a seed, and explained."""

from __future__ import annotations

import functools
import math

import numpy as np
import pytest
from test_feel import plain_yard

from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base.faults import Refused
from oak_sled.core.feel import character, explained, goal, searching, tune, words
from oak_sled.core.feel.goal import Goal
from oak_sled.core.parts.runner import Runner
from oak_sled.core.project import demos
from oak_sled.core.results import measures, run
from oak_sled.core.study import descent
from oak_sled.core.yard.drill import Knot, Target, Track
from oak_sled.core.yard.spreads import Scatter
from oak_sled.core.yard.wish import Band, Wish

PUSH, TURN = "crafts.block.parts.push.thrust", "crafts.block.parts.turn.turn"
SPIN = "crafts.block.body.spin_damping"


def wished(*bands, name="mine", weight=1.0):
    """A goal of one word."""
    return Goal(((Wish(id=name, bands=bands), weight),))


@functools.cache
def icy_but_forgiving():
    """The fan sled tuned by two words."""
    yard = demos.load("fan-sled")
    return tune.tune(yard, Goal(tuple((words.known(yard, name), 1.0) for name in ("icy", "forgiving"))))


def test_a_number_with_a_closed_form_is_found():
    asked = wished(Band(quantity="push", low=0.5, high=0.52, fade=0.1))
    found = tune.tune(plain_yard(), asked, dials=(PUSH,))
    assert found.ended == "met"
    assert [move.path for move in found.moves] == [PUSH]
    assert found.moves[0].value == pytest.approx(0.51 * 9.80665 * 100.0, rel=0.05)


def test_two_numbers_that_depend_on_each_other_are_found():
    rate, quick = 0.5, 0.4
    own = math.sqrt(2.0 / 9.80665)
    asked = wished(
        Band(quantity="turn_rate", low=rate - 0.005, high=rate + 0.005, fade=0.1),
        Band(quantity="turn_in", low=quick - 0.02, high=quick + 0.02, fade=0.2),
    )
    found = tune.tune(plain_yard(), asked, dials=(TURN, SPIN))
    assert found.ended == "met"
    values = {move.path: move.value for move in found.moves}
    assert values[SPIN] == pytest.approx(math.log(10.0) / quick / own, rel=0.12)
    assert values[TURN] == pytest.approx(rate / own * 40.0 * values[SPIN], rel=0.05)


def test_a_craft_becomes_icy_but_forgiving_from_the_words():
    found = icy_but_forgiving()
    assert found.is_met
    assert found.left < 1e-3 < found.left_before
    shown = character.of(found.yard)
    assert shown.fitting("icy").score == pytest.approx(1.0)
    assert shown.fitting("forgiving").score == pytest.approx(1.0)
    assert len(found.moves) <= 4, "what does not matter is put back"
    assert dict(shown.values) == pytest.approx({**found.values}, nan_ok=True), "what it tells is what the craft shows"


def test_the_same_seed_gives_the_same_answer_on_any_number_of_threads():
    yard = demos.load("fan-sled")
    asked = Goal(((words.known(yard, "icy"), 1.0), (words.known(yard, "floaty"), 1.0)))
    one, other = (tune.tune(yard, asked, most=60, seed=3, threads=threads) for threads in (1, 3))
    assert one.moves == other.moves
    assert one.history == other.history


def test_targets_of_drills_count_beside_words():
    yard = demos.load("fan-sled")
    drill = yard.drill("straight_pull").replace(targets=(Target(measure="top_speed", low=16.0, high=16.5),))
    yard = yard.replace(drills=tuple(drill if one.id == drill.id else one for one in yard.drills))
    found = tune.tune(yard, Goal(drills=(("straight_pull", 1.0),)), drill="straight_pull")
    assert found.is_met
    made = run.execute(job_of(found.yard, found.yard.drill("straight_pull")))
    assert all(one.met for one in measures.judge(drill, measures.read_all(made)))


def test_targets_of_several_drills_share_the_weight_of_theirs_and_one_of_none_is_not_asked():
    yard = demos.load("fan-sled")
    two = (Target(measure="top_speed", low=16.0, weight=3.0), Target(measure="distance", low=10.0, weight=1.0))
    none = (Target(measure="stop_distance", high=20.0), Target(measure="top_speed", high=1.0, weight=0.0))
    drills = {"straight_pull": two, "brake_to_stop": none}
    yard = yard.replace(
        drills=tuple(one.replace(targets=drills[one.id]) if one.id in drills else one for one in yard.drills)
    )
    terms = Goal(drills=(("straight_pull", 2.0), ("brake_to_stop", 1.0))).terms(yard)
    assert [(one.band.name, one.weight) for one in terms] == [
        ("straight_pull.top_speed", 1.5), ("straight_pull.distance", 0.5), ("brake_to_stop.stop_distance", 1.0),
    ]  # fmt: skip


def test_locks_and_bounds_hold():
    asked = wished(Band(quantity="push", low=0.6, fade=0.1))
    found = tune.tune(plain_yard(), asked, locked=(PUSH,), bounds={"crafts.block.body.mass": (80.0, 200.0)})
    moves = {move.path: move.value for move in found.moves}
    assert PUSH not in moves
    assert moves["crafts.block.body.mass"] >= 80.0
    assert found.ended != "met"
    assert found.values["push"] == pytest.approx(300.0 / 80.0 / 9.80665, rel=0.05), "as far as the bound lets it"
    assert [term.band.quantity for term in found.missed] == ["push"]


def test_what_a_thread_keeps_serves_the_next_one():
    yard = plain_yard()
    asked = wished(Band(quantity="push", low=0.5, high=0.52, fade=0.1))
    found = tune.tune(yard, asked, threads=2, most=60)
    assert 1 <= len(found.tryout._hands) <= 2, "however many tries there were"


def test_what_is_met_already_is_left_alone():
    found = tune.tune(plain_yard(), wished(Band(quantity="push", low=0.1, fade=0.1)))
    assert (found.ended, found.moves, found.tries) == ("met", (), 1)


def test_disturbed_tries_count_as_well():
    asked = wished(Band(quantity="push", low=0.5, high=0.6, fade=0.1))
    scatter = Scatter(repeats=2, mass=0.2, late_ms=0.0)
    found = tune.tune(plain_yard(), asked, dials=(PUSH,), scatter=scatter)
    repeats = found.tryout.values(found.scales, [found.place])[0]
    assert len(repeats) == 3
    pushes = [one["push"] for one in repeats]
    assert max(pushes) > min(pushes) * 1.03
    middle = 0.5 * (max(pushes) + min(pushes))
    assert middle == pytest.approx(0.55, abs=0.05), "robust: all of them are near the band"


def test_stopping_it_keeps_the_best_so_far():
    def told(progress):
        if progress.tries > 5:
            raise searching.Enough

    yard = demos.load("fan-sled")
    found = tune.tune(yard, Goal(((words.known(yard, "icy"), 1.0),)), told=told)
    assert found.ended == "stopped"
    assert found.left <= found.left_before
    assert found.values["follows"] is not None


def test_progress_tells_a_yard_that_is_the_best_so_far():
    seen = []
    yard = plain_yard()
    tune.tune(yard, wished(Band(quantity="push", low=0.5, fade=0.1)), dials=(PUSH,), told=seen.append)
    left = [one.left for one in seen]
    assert left == sorted(left, reverse=True)
    assert seen[-1].yard.craft("block").parts[0].thrust > yard.craft("block").parts[0].thrust
    assert seen[-1].met == seen[-1].terms == 1


def test_a_quantity_that_is_not_shown_costs_a_stated_penalty_and_no_nan():
    term = goal.Term("mine", Band(quantity="bounces", low=2.0, fade=1.0), 1.0)
    assert term.misses(None) == goal.MISSED
    found = goal.residuals([term], {"bounces": None})
    assert np.isfinite(found).all()
    far = goal.Term("mine", Band(quantity="bounces", low=11.9, fade=1.0), 1.0)
    assert found[0] > -goal.residuals([far], {"bounces": 0.0})[0] > goal.FAR, "the farther off, the more"


@pytest.mark.parametrize(
    ("asked", "given", "what"),
    [
        (Goal(), {}, "asks for nothing"),
        (wished(Band(quantity="push", low=0.5)), {"dials": (PUSH,), "locked": (PUSH,)}, "all locked"),
        (wished(Band(quantity="push", low=0.5)), {"dials": ("crafts.block.parts.push.thrusst",)}, "thrust"),
        (wished(Band(quantity="push", low=0.5)), {"bounds": {PUSH: (9.0, 3.0)}}, "no bounds"),
        (wished(Band(quantity="push", low=0.5)), {"dials": (SPIN,)}, "change nothing"),
        (wished(Band(quantity="pish", low=0.5)), {}, "push"),
        (Goal(drills=(("gone", 1.0),)), {}, "gone"),
    ],
)
def test_a_goal_that_cannot_be_is_refused_with_what_would_be_right(asked, given, what):
    with pytest.raises(Refused, match=what):
        tune.tune(plain_yard(), asked, **given)


def test_words_that_contradict_each_other_are_refused_with_both_numbers():
    quick = Wish(id="quick", bands=(Band(quantity="push", low=0.6),))
    slow = Wish(id="slow", bands=(Band(quantity="push", high=0.2),))
    with pytest.raises(Refused) as refused:
        tune.tune(plain_yard(), Goal(((quick, 1.0), (slow, 1.0))))
    told = str(refused.value)
    assert "at least 0.6 g" in told
    assert "at most 0.2 g" in told


# what explains it


def test_each_move_is_told_with_what_is_lost_without_it():
    found = icy_but_forgiving()
    bought = explained.bought(found)
    assert {one.move for one in bought} == set(found.moves)
    assert all(one.left >= found.left for one in bought)
    grip = next(one for one in bought if one.move.path.endswith("side_grip"))
    assert "follows its nose" in [term.title for term in grip.lost]
    place = found.place.copy()
    k = [scale.path for scale in found.scales].index(grip.move.path)
    place[k] = 0.0
    values = found.tryout.values(found.scales, [place])[0][0]
    assert grip.left == pytest.approx(float(np.sum(goal.residuals(found.terms, values) ** 2)))


def test_the_fewest_moves_go_from_all_to_none():
    found = icy_but_forgiving()
    fewer = explained.fewest(found)
    assert [len(one.moves) for one in fewer] == list(range(len(found.moves), -1, -1))
    assert fewer[0].left == pytest.approx(found.left)
    assert fewer[-1].yard == found.tryout.yard
    assert fewer[0].met == len(found.terms) > fewer[-1].met
    shown = character.of(fewer[1].yard, wishes=[words.known(found.yard, "icy")])
    assert dict(fewer[1].values) == pytest.approx(dict(shown.values), nan_ok=True), "what it tells is what it shows"


def test_terms_that_cost_each_other_are_found_with_their_trade_off():
    asked = wished(Band(quantity="turn_rate", low=0.8, fade=0.1), Band(quantity="turn_in", high=0.5, fade=0.2))
    found = tune.tune(plain_yard(), asked, dials=(SPIN,))
    assert not found.is_met, "one damping makes both"
    fights = explained.fights(found)
    assert {fights[0].one.band.quantity, fights[0].other.band.quantity} == {"turn_rate", "turn_in"}
    assert fights[0].cosine == pytest.approx(-1.0, abs=1e-6)
    points = explained.front(found, fights[0])
    ones, others = ([getattr(point, name) for point in points] for name in ("one", "other"))
    rates, times = (ones, others) if fights[0].one.band.quantity == "turn_rate" else (others, ones)
    order = np.argsort(rates)
    assert max(rates) > 1.2 * min(rates)
    assert (np.diff(np.array(times)[order]) >= -1e-6).all(), "the faster it turns, the later it is there"


def test_a_part_that_is_needed_is_named():
    yard = demos.load("fan-sled")
    craft = yard.craft()
    bare = yard.edit(
        "crafts.fan_sled.parts", tuple(part for part in craft.parts if part.kind not in ("brake", "runner"))
    )
    asked = wished(Band(quantity="follows", low=0.8, fade=0.3))
    found = tune.tune(bare, asked, dials=("crafts.fan_sled.body.mass",), most=30)
    assert not found.is_met
    helps = explained.parts_that_help(found)
    assert helps
    assert helps[0].left < found.left
    assert Runner.TITLE in [one.title for one in helps]


def test_least_squares_find_a_minimum_within_bounds():
    def residuals(place):
        return np.array([place[0] - 3.0, 10.0 * (place[1] - place[0] ** 2)])

    def slopes(place, now):
        return np.array([[1.0, 0.0], [-20.0 * place[0], 10.0]])

    bounds = np.array([-5.0, -50.0]), np.array([5.0, 50.0])
    found, left = descent.descend(np.array([-2.0, 1.0]), bounds, residuals, slopes, 100)
    assert found == pytest.approx([3.0, 9.0], abs=1e-4)
    assert left @ left < 1e-8
    tight = np.array([-5.0, -50.0]), np.array([2.0, 50.0])
    found, _ = descent.descend(np.array([-2.0, 1.0]), tight, residuals, slopes, 100)
    assert found == pytest.approx([2.0, 4.0], abs=1e-3)


def test_numbers_that_tell_the_same_are_chosen_once():
    slopes = np.array([[1.0, 2.0, 0.0], [0.0, 0.0, 1.0], [0.0, 1e-9, 0.0]])
    assert sorted(descent.telling(slopes, 3, 0.05)) == [1, 2]


def test_a_drill_that_no_try_can_show_is_refused():
    yard = plain_yard()
    drill = yard.drill().replace(
        tracks=(Track(channel="throttle", knots=(Knot(t=0.0, value=1.0),)),),
        targets=(Target(measure="stop_distance", high=1.0),),
    )
    yard = yard.replace(drills=(drill,))
    with pytest.raises(Refused, match="never shows stopping distance"):
        tune.tune(yard, Goal(drills=(("go", 1.0),)), dials=(PUSH,), most=10)
