"""Feel: the parts that channels play are found, quantities hold against closed forms and sizes, words are bands."""

from __future__ import annotations

import functools
import math

import pytest

from oak_sled.core.base.faults import Refused
from oak_sled.core.base.units import STANDARD_GRAVITY
from oak_sled.core.feel import character, probes, quantities, roles, words
from oak_sled.core.feel.page import page
from oak_sled.core.files import yard_json
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.project import demos
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.wish import Band, Wish
from oak_sled.core.yard.yard import Bench, Yard

QUICK = {"rise": 1e6, "fall": 1e6}
CRAFTS = [(name, craft.id) for name in demos.DEMOS for craft in demos.load(name).crafts]


@functools.cache
def shown(name, craft):
    """The character of a demo craft."""
    return character.of(demos.load(name), craft)


def plain_yard(length=2.0, thrust=300.0, mass=100.0, damping=0.5, twist=120.0, inertia=40.0, spin_damping=4.0):
    """A yard of a body in space that a thruster drives and a torque turns, against damping."""
    body = Body(
        mass=mass, length=length, inertia_from="given", roll_inertia=inertia, pitch_inertia=inertia,
        yaw_inertia=inertia, centre_x=0.0, damping=damping, spin_damping=spin_damping,
    )  # fmt: skip
    craft = Craft(
        id="block", body=body, channels=(Channel(id="throttle", **QUICK), Channel(id="steer", **QUICK)),
        parts=(
            Thruster(id="push", channel="throttle", thrust=thrust, reverse_share=1.0),
            Torque(id="turn", channel="steer", turn=twist),
        ),
    )  # fmt: skip
    ground = Ground(id="empty", gravity=0.0, floor=False, air_density=0.0)
    drill = Drill(id="go", duration=1.0)
    bench = Bench(craft="block", ground="empty", drill="go")
    return Yard(ticks=240, bench=bench, crafts=(craft,), grounds=(ground,), drills=(drill,))


@pytest.mark.parametrize(
    ("demo", "craft", "drive", "turn", "brake"),
    [
        ("fan-sled", "fan_sled", "throttle", "steer", "brake"), ("ferry", "ferry", "throttle", "steer", "brake"),
        ("ice-truck", "truck", "throttle", "steer", "brake"), ("bush-plane", "ski_plane", "throttle", "roll", ""),
        ("survey-copter", "survey_copter", "ahead", "yaw", ""), ("mail-pod", "pod", "ahead", "yaw", ""),
        ("freight-airship", "airship", "ahead", "yaw", ""), ("crate-drop", "spring", "", "", ""),
    ],
)  # fmt: skip
def test_the_parts_that_channels_play_are_found(demo, craft, drive, turn, brake):
    found = shown(demo, craft).roles
    assert (found.drive, found.turn, found.brake) == (drive, turn, brake)


@pytest.mark.parametrize(("name", "craft"), CRAFTS, ids=[f"{name}-{craft}" for name, craft in CRAFTS])
def test_every_demo_craft_has_a_character(name, craft):
    found = shown(name, craft)
    assert set(found.values) == set(quantities.BY_NAME)
    told = [value for value in found.values.values() if value is not None]
    assert told, "every craft can be shoved at least"
    assert all(math.isfinite(value) and value >= 0.0 for value in told)
    for one in found.words:
        assert one.score is None or 0.0 <= one.score <= 1.0


def test_every_quantity_is_shown_by_some_demo_craft_and_tells_crafts_apart():
    for one in quantities.QUANTITIES:
        found = [value for craft in CRAFTS if (value := shown(*craft).values[one.name]) is not None]
        assert max(found) - min(found) > one.size, one.name


def test_every_word_fits_some_demo_craft_and_not_another():
    for wish in words.BUILT_IN:
        found = [score for craft in CRAFTS if (score := shown(*craft).fitting(wish.id).score) is not None]
        assert max(found) > 0.7, wish.id
        assert min(found) < 0.45, wish.id
        character.check(demos.load("fan-sled"), wish)


def test_what_crafts_are_called_fits_them():
    ferry, sled, blower = shown("ferry", "ferry"), shown("fan-sled", "fan_sled"), shown("hopper", "blower")
    assert ferry.fitting("icy").score > sled.fitting("icy").score > blower.fitting("icy").score
    assert blower.fitting("planted").score > ferry.fitting("planted").score
    assert shown("freight-airship", "airship").best[0].wish.id in ("heavy", "lazy", "planted")


def test_quantities_of_a_body_with_linear_damping_are_those_of_the_closed_form():
    found = character.of(plain_yard())
    own, values = math.sqrt(2.0 / STANDARD_GRAVITY), found.values
    assert found.own_time == pytest.approx(own)
    assert found.top == pytest.approx(300.0 / 100.0 / 0.5, rel=2e-3)
    assert found.constant == pytest.approx(1.0 / 0.5, rel=0.02)
    assert values["push"] == pytest.approx(3.0 / STANDARD_GRAVITY, rel=0.03)
    assert values["coasting"] == pytest.approx(1.0, rel=0.02), "a first-order system slows as it gathers speed"
    assert values["stopping"] == pytest.approx(-math.log(0.55), rel=0.03), "v = -V + 2 V exp(-t) down to 0.1 V"
    assert values["turn_in"] == pytest.approx(math.log(10.0) / 4.0 / own, rel=0.03)
    assert values["turn_rate"] == pytest.approx(120.0 / 40.0 / 4.0 * own, rel=0.02)
    assert values["turn_overshoot"] < 1.0
    assert values["turn_back"] == pytest.approx(math.log(20.0) / 4.0 / own, rel=0.03), "from 1 to -0.9"
    assert values["turn_stops"] == pytest.approx(math.log(10.0) / 4.0 / own, rel=0.05)
    assert values["swings"] == 0.0
    assert values["lean"] == pytest.approx(0.0, abs=1e-6)


def test_a_craft_four_times_as_long_that_moves_by_the_same_laws_feels_the_same():
    small = character.of(plain_yard()).values
    large = character.of(
        plain_yard(
            length=8.0, thrust=300.0 * 64.0, mass=100.0 * 64.0, damping=0.25, inertia=40.0 * 1024.0,
            twist=120.0 * 256.0, spin_damping=2.0,
        )
    ).values  # fmt: skip
    names = [name for name, value in small.items() if value is not None and name != "pick_up"]
    assert len(names) > 10
    for name in names:
        assert large[name] == pytest.approx(small[name], rel=0.03, abs=0.01), name


def test_probes_of_a_craft_are_the_same_every_time():
    found = roles.find(demos.load("ice-truck"))
    one, other = (quantities.read_all(probes.probe(found)) for _ in range(2))
    assert one == other


def test_a_band_speaks_in_full_inside_and_fades_outside():
    band = Band(quantity="turn_in", low=1.0, high=2.0, fade=0.5)
    assert [band.speaks(value) for value in (1.0, 2.0, 0.75, 2.25, 0.4, None)] == [1.0, 1.0, 0.5, 0.5, 0.0, 0.0]
    assert band.off(2.25) == 0.5
    assert band.off(0.5) == -1.0


@pytest.mark.parametrize(
    ("fields", "what"),
    [({}, "neither low nor high"), ({"low": 2.0, "high": 1.0}, "is above high"), ({"low": 1.0, "fade": 0.0}, "fade")],
)
def test_a_band_that_cannot_be_is_refused(fields, what):
    with pytest.raises(ValueError, match=what):
        Band(quantity="turn_in", **fields)


def test_a_word_is_not_told_where_too_little_of_it_is_shown():
    wish = Wish(id="odd", bands=(Band(quantity="push", low=1.0, weight=2.0), Band(quantity="bounces", low=1.0)))
    found = character.fitting(wish, {"push": None, "bounces": 3.0})
    assert found.score is None
    assert found.shown == pytest.approx(1.0 / 3.0)
    assert character.fitting(wish, {"push": 2.0, "bounces": None}).score == 1.0


def test_a_word_of_a_craft_that_felt_right_fits_it_and_not_another():
    sled = shown("fan-sled", "fan_sled")
    wish = words.like(dict(sled.values), "like_the_sled")
    assert character.fitting(wish, sled.values).score == 1.0
    assert character.fitting(wish, shown("ferry", "ferry").values).score < 0.6


def test_a_word_of_the_yard_takes_the_place_of_a_built_in_one_and_is_kept_in_its_file():
    yard = demos.load("fan-sled")
    icy = words.known(yard, "icy").replace(says="as this yard has it")
    changed = words.kept(words.kept(yard, icy), Wish(id="mine", bands=(Band(quantity="push", low=0.2),)))
    again = yard_json.loads(yard_json.encoded(changed).decode())
    assert again == changed
    assert words.known(again, "icy").says == "as this yard has it"
    assert [wish.id for wish in words.of(again)][-1] == "mine"
    assert again.runs_as(yard), "no run depends on a word"
    assert words.kept(changed, icy.replace(says="once more")).wishes[0].says == "once more"


def test_a_word_may_ask_for_a_measure_of_a_drill():
    yard = demos.load("fan-sled")
    wish = Wish(id="fast", bands=(Band(quantity="top_speed", drill="straight_pull", low=10.0),))
    found = character.of(yard, wishes=(wish,))
    assert found.values["straight_pull.top_speed"] == pytest.approx(14.39, rel=0.02)
    assert found.fitting("fast").score == 1.0


@pytest.mark.parametrize(
    ("band", "what"),
    [
        (Band(quantity="turn_inn", low=1.0), "turn_in"),
        (Band(quantity="top_sped", drill="slalom", low=1.0), "top_speed"),
        (Band(quantity="top_speed", drill="slalomm", low=1.0), "slalom"),
    ],
)
def test_a_word_that_asks_for_what_is_not_there_is_refused_with_what_is_near(band, what):
    with pytest.raises(Refused) as refused:
        character.of(demos.load("fan-sled"), wishes=(Wish(id="odd", bands=(band,)),))
    assert what in str(refused.value)


def test_an_unknown_word_is_refused_with_the_one_that_was_meant():
    with pytest.raises(Refused, match="planted"):
        words.known(demos.load("fan-sled"), "plantd")


def test_the_page_is_what_is_declared():
    from pathlib import Path

    told = (Path(__file__).parents[2] / "docs" / "feel.md").read_text(encoding="utf-8")
    assert told == page(), "run scripts/write_pages.py"
