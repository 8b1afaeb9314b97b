"""Spreads: variants on any number of threads, disturbances, maps, sensitivity, and what is refused."""

from __future__ import annotations

import csv
import io
import threading

import numpy as np
import pytest
from PIL import Image

from oak_sled.core.assembly import jobs
from oak_sled.core.base import document
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import yard_json
from oak_sled.core.project import demos
from oak_sled.core.results import measures, run
from oak_sled.core.study import map_picture, maps, sensitivity, spread, variants
from oak_sled.core.yard.spreads import Scatter, Spread, SpreadAxis

THRUST = "crafts.fan_sled.parts.fan.thrust"
GRIP = "crafts.fan_sled.parts.runners.side_grip"


@pytest.fixture(scope="module")
def yard():
    return demos.load("fan-sled").edit("drills.slalom.duration", 8.0)


def plan(*axes, names=("top_speed", "peak_slip"), **fields):
    return Spread(id="s", drill="slalom", axes=axes, measures=names, **fields)


TWO = (SpreadAxis(path=THRUST, low=400.0, high=800.0, count=5), SpreadAxis(path=GRIP, low=0.3, high=0.9, count=4))


def test_every_variant_is_what_a_run_of_its_own_shows(yard):
    made = plan(*TWO).replace(results=spread.compute(yard, plan(*TWO)))
    values = spread.arrays_of(made)
    for number in (0, 7, 19):
        thrust, grip = made.values_of(number)
        variant = yard.edit_all([(THRUST, thrust), (GRIP, grip)])
        alone = run.execute(jobs.job_of(variant, variant.drill("slalom")))
        for place, name in enumerate(made.measures):
            assert values[number, 0, place] == measures.measure(name).read(alone)
    assert spread.is_current(yard, made)
    assert spread.is_current(yard.edit(THRUST, 500.0), made), "what is varied has its own values"
    assert not spread.is_current(yard.edit("crafts.fan_sled.body.mass", 250.0), made)
    assert variants.lost(yard, made) is None
    bare = yard.without(crafts=(yard.craft().without_part("fan"), *yard.crafts[1:]))
    assert "parts.fan" in str(variants.lost(bare, made))
    assert variants.now_in(bare, made) is None
    assert spread.is_current(yard.edit("title", "another"), made), "a title decides nothing"


def test_results_are_the_same_for_any_number_of_threads(yard):
    wanted = plan(*TWO, scatter=Scatter(repeats=2, seed=5))
    found = [spread.compute(yard, wanted, threads) for threads in (1, 2, 5)]
    assert found[0] == found[1] == found[2]


def test_a_grid_is_seen_coarse_first_and_told_as_it_grows(yard):
    told, seen, lock = [], set(), threading.Lock()

    def hear(progress, numbers, values):
        with lock:
            told.append(progress.done)
            assert not seen & set(numbers)
            seen.update(numbers)
            assert values.shape == (len(numbers), 1, 2)

    wanted = plan(*TWO)
    spread.compute(yard, wanted, 2, hear)
    assert told == sorted(told)
    assert told[-1] == wanted.runs == 20
    assert seen == set(range(20))
    many = plan(*(axis.replace(count=32) for axis in TWO))
    first = {many.values_of(number) for number in spread.order(many)[:16]}
    assert len({a for a, _ in first}) >= 2
    assert len({b for _, b in first}) >= 2
    assert sorted(spread.order(many)) == list(range(1024))


def test_a_spread_is_cancelled_between_runs(yard):
    heard = []
    stop = threading.Event()

    def hear(progress, numbers, values):
        heard.append(progress.done)
        stop.set()

    assert spread.compute(yard, plan(*TWO), 1, hear, stop.is_set) is None
    assert len(heard) == 1


@pytest.mark.parametrize(
    ("axis", "count"),
    [
        (SpreadAxis(path="ticks", listed=(60.0, 120.0, 240.0)), 3),
        (SpreadAxis(path="crafts.fan_sled.parts.runners.law", listed=("linear", "curve")), 2),
        (SpreadAxis(path="crafts.fan_sled.parts.fan.mute", listed=("yes", "no")), 2),
        (SpreadAxis(path=THRUST, listed=("0.5 kN", "700 N")), 2),
        (SpreadAxis(path=THRUST, low=100.0, high=900.0, count=3, scale="log"), 3),
    ],
)
def test_choices_ticks_and_units_are_varied_too(yard, axis, count):
    made = spread.compute(yard, plan(axis))
    assert len(made.values) == 2 * count
    assert len(set(made.values[::2])) == count


def test_crafts_are_compared_on_one_drill():
    yard = demos.load("ice-truck")
    names = [craft.id for craft in yard.crafts][:3]
    axis = SpreadAxis(path="craft", listed=tuple(names))
    wanted = Spread(id="s", drill="circle", axes=(axis,), measures=("held_side_g",))
    made = spread.compute(yard, wanted)
    for name, value in zip(names, made.values, strict=True):
        alone = run.execute(jobs.job_of(yard, yard.drill("circle"), name))
        assert value == measures.measure("held_side_g").read(alone)


def carded(yard, *thrusts):
    """A spread over cards: the sled with another thrust on each."""
    crafts = [(f"thrust {value:g}", yard.edit(THRUST, value).craft("fan_sled")) for value in thrusts]
    axis, cards = variants.cards_axis(crafts)
    return variants.plan_over(yard, axis, "cards", cards=cards).replace(drill="slalom", measures=("top_speed",))


def test_cards_of_the_shelf_are_compared_with_what_they_held(yard):
    wanted = carded(yard, 450.0, 600.0, 450.0, 750.0)
    assert wanted.variants == 3, "of two with equal settings one is enough"
    made = wanted.replace(results=spread.compute(yard, wanted))
    for number, thrust in enumerate((450.0, 600.0, 750.0)):
        alone = run.execute(jobs.job_of(yard.edit(THRUST, thrust), yard.drill("slalom")))
        assert spread.arrays_of(made)[number, 0, 0] == measures.measure("top_speed").read(alone)
    assert variants.words_of(yard, made, 1) == "thrust 600"
    assert spread.is_current(yard.edit(THRUST, 500.0), made), "the cards have their own"
    assert variants.now_in(yard.edit(THRUST, 750.0), made) == (2.0,)
    assert variants.now_in(yard.edit(THRUST, 751.0), made) is None
    taken = variants.taken(yard, made, 2)
    assert variants.document.get(taken, THRUST) == 750.0
    kept = yard_json.loads(yard_json.dumps(yard.edit("spreads", (made,))))
    assert kept.spreads == (made,), "and needs no shelf"
    rows = list(csv.reader(io.StringIO(spread.csv_of(made, variants.check(yard, made)))))
    assert [row[0] for row in rows] == ["card", "thrust 450", "thrust 600", "thrust 750"]
    beside = made.replace(axes=(*made.axes, TWO[1]), results=None)
    assert len(spread.compute(yard, beside).values) == 12, "beside a dial of the same craft"
    gone = tuple(card.replace(craft=card.craft.replace(id="gone")) for card in made.cards)
    assert "'gone'" in str(variants.lost(yard, made.replace(cards=gone)))


def test_headings_with_commas_and_quotes_stay_one_cell(yard):
    crafts = [(f'thrust "{value:g}", of two', yard.edit(THRUST, value).craft("fan_sled")) for value in (450.0, 600.0)]
    axis, cards = variants.cards_axis(crafts)
    made = variants.plan_over(yard, axis, "cards", cards=cards).replace(drill="slalom", measures=("top_speed",))
    rows = list(csv.reader(io.StringIO(spread.csv_of(made, variants.check(yard, made)))))
    assert [row[0] for row in rows[1:]] == ['thrust "450", of two', 'thrust "600", of two']


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"axes": (SpreadAxis(path="card", listed=("card_1", "card_7")),)}, "no card 'card_7'"),
        ({"axes": (SpreadAxis(path="card"),)}, "a card is no number"),
        (
            {"axes": (SpreadAxis(path="card", listed=("card_1", "card_2")), SpreadAxis(path="craft", listed=("a",)))},
            "craft or card, not both",
        ),
    ],
)
def test_cards_that_cannot_be_varied_are_refused(yard, fields, says):
    made = carded(yard, 450.0, 600.0)
    with pytest.raises(Refused, match=says):
        document.checked(Spread, {**made.model_dump(), **fields})


def test_one_card_is_nothing_to_compare(yard):
    with pytest.raises(Refused, match="two cards or more"):
        carded(yard, 450.0, 450.0)


def test_disturbances_follow_from_the_seed_and_stay_within_what_is_set(yard):
    job = jobs.job_of(yard, yard.drill("slalom"))
    scatter = Scatter(repeats=50, seed=3, late_ms=100.0, friction=0.1, mass=0.05, place=0.2, heading_deg=2.0, speed=0.0)
    made = [variants.disturbed(job, scatter, k) for k in range(51)]
    assert made[0] == (job, 0)
    assert variants.disturbed(job, scatter, 7) == made[7]
    assert variants.disturbed(job, scatter.replace(seed=4), 7) != made[7]
    late = [ticks for _, ticks in made[1:]]
    assert 0 <= min(late) < max(late) <= 12
    grips = np.array([one.ground.grip for one, _ in made[1:]]) / job.ground.grip
    assert 0.9 <= grips.min() < 0.93
    assert 1.07 < grips.max() <= 1.1
    masses = np.array([one.craft.body.mass for one, _ in made[1:]]) / job.craft.body.mass
    assert 0.95 <= masses.min() < masses.max() <= 1.05
    turned = np.array([one.drill.start.heading_deg for one, _ in made[1:]]) - job.drill.start.heading_deg
    assert 1.5 < np.abs(turned).max() <= 2.0


@pytest.mark.parametrize(
    ("axis", "says"),
    [
        (SpreadAxis(path=THRUST, listed=(400.0,)), "one value"),
        (SpreadAxis(path="crafts.fan_sled.parts.fan.thrst", low=1.0, high=2.0), "did you mean thrust"),
        (SpreadAxis(path=THRUST, low=1.0, high=1e9), "at most 1e\\+07"),
        (SpreadAxis(path="craft", listed=("fan_sled", "sledge")), "no 'sledge'|there is no"),
        (SpreadAxis(path="ticks", listed=(60.0, 90.5)), "whole number"),
        (SpreadAxis(path="crafts.fan_sled.parts.speed_limit.mute", listed=("yes", "perhaps")), "yes or no"),
    ],
)
def test_an_axis_that_cannot_be_is_refused_at_its_place(yard, axis, says):
    with pytest.raises(Refused, match=says):
        spread.compute(yard, plan(axis))


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"low": 5.0, "high": 2.0}, "low.*less than high"),
        ({"low": -1.0, "high": 2.0, "scale": "log"}, "logarithmic range"),
        ({"listed": (1.0, 1.0)}, "twice"),
    ],
)
def test_a_stretch_upside_down_is_refused(fields, says):
    with pytest.raises(Refused, match=says):
        document.checked(SpreadAxis, {"path": THRUST, **fields})


def test_what_no_run_shows_and_what_diverges_everywhere_is_said(yard):
    with pytest.raises(Refused, match="no variant of this drill shows stop_distance") as told:
        spread.compute(yard, plan(TWO[0], names=("stop_distance",)))
    assert "one that it shows: top_speed" in str(told.value)
    assert "stop_distance" not in str(told.value).partition("one that it shows")[2]
    wild = yard.edit("crafts.fan_sled.body.damping_law", "explicit")
    axis = SpreadAxis(path="crafts.fan_sled.body.damping", low=500.0, high=1000.0, count=2)
    with pytest.raises(Refused, match="every variant diverges"):
        spread.compute(wild, plan(axis))


def test_a_dial_that_a_formula_replaces_is_no_axis():
    crate = demos.load("crate-drop")
    for craft in crate.crafts:
        for part in craft.parts:
            if part.kind == "pad" and part.formula:
                axis = SpreadAxis(path=f"crafts.{craft.id}.parts.{part.id}.stiffness", low=100.0, high=200.0, count=2)
                with pytest.raises(Refused, match="takes its place"):
                    spread.compute(crate, Spread(id="s", craft=craft.id, axes=(axis,), measures=("top_speed",)))
                return
    pytest.fail("no demo craft has a pad with a formula")


def test_a_spread_is_kept_in_the_yard_file_and_comes_back(yard, tmp_path):
    made = plan(*TWO, names=("top_speed", "stop_distance"))
    made = made.replace(results=spread.compute(yard, made))
    kept = yard.replace(spreads=(made,))
    yard_json.save(kept, tmp_path / "kept.json")
    back = yard_json.load(tmp_path / "kept.json")
    assert back == kept
    assert np.array_equal(spread.arrays_of(back.spreads[0]), spread.arrays_of(made), equal_nan=True)
    assert np.isnan(spread.arrays_of(made)[:, :, 1]).all(), "a slalom shows no stop"
    assert spread.is_current(back, back.spreads[0])


# maps


def test_the_colours_of_a_map_grow_lighter_by_even_steps():
    light = maps.lightness(maps.scale())
    steps = np.diff(light)
    assert steps.min() > -0.2
    assert light[0] == pytest.approx(maps.DARKEST, abs=3.0)
    assert light[-1] == pytest.approx(maps.LIGHTEST, abs=3.0)
    assert np.abs(np.convolve(steps, np.ones(16), "valid") - 16 * (72.0 / 255.0)).max() < 1.5


def test_those_who_see_no_red_or_no_green_tell_the_colours_apart():
    """Simulated by dropping one cone response each (Vienot, Brettel, Mollon, Color Res. Appl. 24, 1999)."""
    rgb = (maps.scale()[::32].astype(float) / 255.0) ** 2.2
    to_lms = np.array([[17.8824, 43.5161, 4.11935], [3.45565, 27.1554, 3.86714], [0.0299566, 0.184309, 1.46709]])
    for lost in ([[0, 2.02344, -2.52581], [0, 1, 0], [0, 0, 1]], [[1, 0, 0], [0.494207, 0, 1.24827], [0, 0, 1]]):
        seen = np.clip(rgb @ to_lms.T @ np.array(lost).T @ np.linalg.inv(to_lms).T, 0.0, 1.0) ** (1 / 2.2)
        apart = np.linalg.norm(np.diff(seen, axis=0), axis=1)
        assert apart.min() > 0.05


def test_contours_lie_where_the_value_is():
    i, j = np.meshgrid(np.arange(12.0), np.arange(9.0), indexing="ij")
    pieces = maps.contours(np.hypot(i - 5.0, j - 4.0), 3.0).reshape(-1, 2)
    assert len(pieces) > 30
    assert np.abs(np.hypot(pieces[:, 0] - 5.0, pieces[:, 1] - 4.0) - 3.0).max() < 0.06
    plane = maps.contours(2.0 * i + j, 7.3).reshape(-1, 2)
    assert 2.0 * plane[:, 0] + plane[:, 1] == pytest.approx(np.full(len(plane), 7.3))
    holed = np.hypot(i - 5.0, j - 4.0)
    holed[5, 1] = np.nan
    assert len(maps.contours(holed, 3.0)) < len(pieces) // 2
    assert len(maps.contours(np.zeros((4, 4)), 1.0)) == 0


def test_a_line_across_a_map_reads_between_its_variants():
    i, j = np.meshgrid(np.arange(6.0), np.arange(5.0), indexing="ij")
    share, values = maps.across(3.0 * i - 2.0 * j + 1.0, (0.0, 4.0), (5.0, 1.0))
    assert values == pytest.approx(3.0 * 5.0 * share - 2.0 * (4.0 - 3.0 * share) + 1.0)


@pytest.mark.parametrize(("less_x", "less_y"), [(True, True), (True, False), (False, False)])
def test_what_no_other_beats_is_found(less_x, less_y):
    x, y = np.random.default_rng(4).normal(size=(2, 60))
    x[3] = np.nan
    found = maps.unbeaten(x, y, less_x, less_y)
    a, b = (x if less_x else -x), (y if less_y else -y)
    known = np.flatnonzero(np.isfinite(a)).tolist()
    slow = [k for k in known if not any(a[m] <= a[k] and b[m] <= b[k] for m in known if m != k)]
    assert sorted(found) == slow
    assert np.all(np.diff(x[found]) >= 0.0)


def test_the_area_where_targets_are_met_counts_every_repeat(yard):
    drill = yard.drill("slalom")
    name = drill.targets[0].measure
    made = plan(*TWO, names=(name,), scatter=Scatter(repeats=3))
    values = np.zeros((20, 4, 1))
    target = drill.targets[0]
    inside = target.low if target.low is not None else target.high
    outside = inside + 1.0 if target.high is not None else inside - 1.0
    values[:] = inside
    values[6, 2] = outside
    met = maps.met(drill, made, values)
    assert met.shape == (5, 4)
    assert not met[1, 2]
    assert met.sum() == 19
    assert maps.met(drill, made.replace(measures=("top_speed",)), values) is None or name == "top_speed"


def test_levels_are_round():
    assert maps.levels(0.0, 1.0) == pytest.approx([0.2, 0.4, 0.6, 0.8])
    assert maps.levels(13.0, 97.0) == [20.0, 40.0, 60.0, 80.0]
    assert maps.levels(2.0, 2.0) == []


@pytest.mark.parametrize("axes", [TWO, TWO[:1]])
def test_a_map_and_a_curve_become_a_picture(yard, axes):
    made = plan(*axes, names=("top_speed",), scatter=Scatter(repeats=1))
    made = made.replace(results=spread.compute(yard, made))
    content = map_picture.drawn(made, [measures.measure("top_speed")])
    image = np.asarray(Image.open(io.BytesIO(content)).convert("RGB"))
    assert image.shape == (map_picture.TALL, map_picture.WIDE, 3)
    middle = image[map_picture.TOP + 5 : -map_picture.BOTTOM - 5, map_picture.LEFT + 5 : -map_picture.RIGHT - 5]
    assert len(np.unique(middle.reshape(-1, 3), axis=0)) > 3


# sensitivity


def test_sensitivity_is_the_share_of_a_measure_for_the_share_of_a_dial(make):
    """v = F t / m from rest: 1 % for 1 % of thrust, -1 % for 1 % of mass."""
    yard = demos.load("fan-sled")
    craft = yard.craft()
    free = craft.replace(
        parts=tuple(part for part in craft.parts if part.id == "fan"),
        body=craft.body.replace(damping=0.0, spin_damping=0.0),
    )
    yard = yard.without(crafts=(free, *yard.crafts[1:]))
    found = sensitivity.compute(yard, "straight_pull", names=("top_speed", "distance"))
    answers = dict(zip(found.dials, found.answers[:, found.measures.index("top_speed")], strict=True))
    assert answers[THRUST] == pytest.approx(1.0, abs=1e-6)
    assert answers["crafts.fan_sled.body.mass"] == pytest.approx(-1.0 / 0.99, abs=1e-3), "(1 / 1.1 - 1 / 0.9) / 0.2"
    assert found.dials[found.most()[0]] in (THRUST, "crafts.fan_sled.parts.fan.trim", "crafts.fan_sled.body.mass")
    again = sensitivity.compute(yard, "straight_pull", names=("top_speed", "distance"), threads=1)
    assert np.array_equal(found.answers, again.answers, equal_nan=True)
    assert sensitivity.csv_of(found).splitlines()[0] == "dial,step [%],top_speed [%/%],distance [%/%],doubts"


def test_the_ferry_carries_a_spread_that_is_of_it_as_it_is():
    yard = demos.load("ferry")
    kept = yard.spreads[0]
    assert kept.shape == (32, 32)
    assert spread.is_current(yard, kept), "run scripts/write_demo_spread.py"
    values = spread.arrays_of(kept)
    for number in (0, 500, 1023):
        alone = run.execute(variants.job_for(yard, kept, kept.values_of(number)))
        for place, name in enumerate(kept.measures):
            value = measures.measure(name).read(alone)
            assert value == values[number, 0, place] or (value is None and np.isnan(values[number, 0, place]))
