"""Ratings of a blind comparison: who is one changes by chance, how sure they are, the shelf, and words made of them."""

from __future__ import annotations

import json

import pytest

from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base.faults import Refused
from oak_sled.core.feel import character, judged, quantities
from oak_sled.core.project import card_json, demos, shelf
from oak_sled.core.project.ratings import Blind, Rating, merged
from oak_sled.core.results import run


def told(*scores, word="crisp"):
    return Rating(word=word, scores=scores, other="the other")


@pytest.mark.parametrize(
    ("scores", "agreed", "sure"),
    [((1,), 1, 0.0), ((2, 1), 2, 0.5), ((1, 1, 2), 3, 0.75), ((1,) * 6, 6, 1.0 - 2.0 / 64.0), ((1, 1, -1), 2, 0.0),
     ((0, 0), 0, 0.0), ((1, 0, 1, 1, 1), 4, 1.0 - 2.0 / 16.0), ((-1, -2, -1, -1), 4, 0.875)],
)  # fmt: skip
def test_a_rating_is_as_sure_as_chance_would_not_agree(scores, agreed, sure):
    one = told(*scores)
    assert one.agreed == agreed
    assert one.sure == pytest.approx(sure)


def test_a_rating_in_words_says_by_how_much_and_of_how_many_rounds():
    assert told(2, 2, 2).words() == "far more crisp than the other: 3 of 3 rounds, sure by 75 %"
    assert told(-1).words() == "less crisp than the other: 1 of 1 round, which chance does as often"
    assert told(1, 0).words().startswith("a little more crisp")
    assert told(1, -1).words() == "no more and no less crisp than the other"


def test_who_is_one_changes_by_chance_and_is_of_the_seed():
    def order(seed):
        blind = Blind(("a", "b"), seed)
        found = []
        for _ in range(60):
            found.append(blind.variant(0))
            assert blind.variant(1) == 1 - blind.variant(0)
            blind.rate({})
        return found

    assert order(1) == order(1)
    assert order(1) != order(2)
    assert 15 < sum(order(3)) < 45


@pytest.mark.parametrize("seed", range(6))
def test_scores_go_to_the_variant_whichever_it_was(seed):
    blind = Blind(("icy one", "plain one"), seed)
    for _ in range(4):
        icy_is_two = blind.variant(1) == 0
        blind.rate({"icy": 2 if icy_is_two else -2})
    [mine], [other] = blind.ratings(0), blind.ratings(1)
    assert mine.scores == (2, 2, 2, 2)
    assert other.scores == (-2, -2, -2, -2)
    assert mine.other == "plain one"
    assert other.other == "icy one"


def test_rounds_of_another_day_against_the_same_one_count_together():
    found = merged((told(1, 1),), (told(1), told(2, word="icy")))
    assert [one.scores for one in found] == [(1, 1, 1), (2,)]
    apart = merged((told(1),), (told(1).model_copy(update={"other": "a third"}),))
    assert len(apart) == 2


def test_ratings_stay_with_their_card_in_the_index_and_what_is_damaged_is_left_out():
    card = shelf.card_of(run.execute(job_of(demos.load("fan-sled"))), "start").changed(ratings=(told(1, 2),))
    entry = json.loads(json.dumps(card_json.index_entry_of(card)))
    assert card_json.entry_of(entry).rated() == card.ratings
    entry["ratings"].append({"word": "", "scores": []})
    assert card_json.entry_of(entry).rated() == card.ratings
    del entry["ratings"]
    assert card_json.entry_of(entry).rated() == (), "of a shelf of before"


@pytest.fixture(scope="module")
def both():
    """The quantities of the fan sled and of one with little rudder."""
    yard = demos.load("fan-sled")
    lazy = yard.edit("crafts.fan_sled.parts.rudder.turn", 120.0)
    return [dict(character.of(one, "fan_sled").values) for one in (yard, lazy)]


def test_a_word_made_of_a_rating_fits_the_one_and_not_the_other(both):
    more, less = both
    wish = judged.wish_of("nimble", more, less, 0.9)
    fits = [sum(band.weight * band.speaks(values.get(band.quantity)) for band in wish.bands) for values in (more, less)]
    whole = sum(band.weight for band in wish.bands)
    assert fits[0] == pytest.approx(whole)
    assert fits[1] < 0.6 * whole
    known = {one.name: one for one in quantities.QUANTITIES}
    for band in wish.bands:
        assert abs(more[band.quantity] - less[band.quantity]) >= judged.FELT * known[band.quantity].size
    assert "90 %" in wish.says


def test_two_alike_make_no_word(both):
    with pytest.raises(Refused, match="nothing that is measured parts"):
        judged.wish_of("nimble", both[0], both[0], 0.9)
