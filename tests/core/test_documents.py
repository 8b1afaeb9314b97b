"""Documents: frozen, edited through validation, and refused with place, finding and remedy."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from pydantic import ValidationError

import oak_sled
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import document
from oak_sled.core.base.dial import dials
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import format_page, yard_json
from oak_sled.core.parts.register import KINDS
from oak_sled.core.parts.runner import Runner
from oak_sled.core.project import blank, demos
from oak_sled.core.project.shelf import says, words_of
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Knot, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.yard import FORMAT


def test_an_edit_makes_a_new_yard_and_leaves_the_old(yard):
    path = "crafts.fan_sled.parts.fan.thrust"
    edited = yard.edit(path, 900)
    assert document.get(edited, path) == 900.0
    assert document.get(yard, path) == 620.0
    assert edited.edit(path, 620) == yard
    with pytest.raises(ValidationError):
        yard.ticks = 3


def test_edits_take_units(yard):
    assert (
        document.get(yard.edit("crafts.fan_sled.parts.fan.thrust", "0.9 kN"), "crafts.fan_sled.parts.fan.thrust")
        == 900.0
    )


@pytest.mark.parametrize(
    ("path", "value", "words"),
    [
        ("crafts.fan_sled.parts.fan.thrust", -1.0, "at least 0"),
        ("crafts.fan_sled.parts.fan.thrust", float("nan"), "finite"),
        ("crafts.fan_sled.parts.fan.thrust", "900 m", "no unit of this quantity"),
        ("crafts.fan_sled.parts.fin.thrust", 1.0, "did you mean fan"),
        ("crafts.fan_sled.parts.fan.thrst", 1.0, "did you mean thrust"),
        ("crafts.fan_sled.parts.fan.way", "shove", "is not a choice"),
        ("crafts.fan_sled.parts.fan.channel", "throtle", "did you mean throttle"),
        ("crafts.fan_sled.parts.runners.grips_below_deg", 20.0, "at most 14"),
        ("crafts.fan_sled.body.damping_law", "per_tick", "0 to 1"),
        ("ticks", 7, "at least 20"),
        ("bench.drill", "slalm", "did you mean slalom"),
    ],
)
def test_bad_edits_say_where_what_and_what_would_be_right(yard, path, value, words):
    yard = yard.edit("crafts.fan_sled.body.damping", 3.0)
    with pytest.raises(Refused, match=words) as caught:
        yard.edit(path, value)
    assert str(caught.value.faults[0]).count("\n") == 0


def test_an_impossible_inertia_is_refused_with_the_reason():
    with pytest.raises(ValidationError, match="no body can have it"):
        Body(inertia_from="given", roll_inertia=1.0, pitch_inertia=1.0, yaw_inertia=3.0)


@pytest.mark.parametrize(
    ("shape", "wanted"),
    [("box", (1 / 12 * 5.0, 1 / 12 * 10.0, 1 / 12 * 13.0)), ("ball", (0.9, 0.9, 0.9)), ("cylinder", None)],
)
def test_inertia_comes_from_the_shape(shape, wanted):
    body = Body(mass=1.0, shape=shape, length=3.0, width=2.0, height=1.0)
    if wanted is None:  # an upright elliptic cylinder: (a2 + b2) / 4 with half axes 1.5 and 1
        assert body.inertia()[2] == pytest.approx((1.5**2 + 1.0) / 4)
    else:
        assert body.inertia() == pytest.approx(wanted)


def test_mass_comes_from_density():
    body = Body(mass_from="density", density=500.0, length=2.0, width=1.0, height=0.5)
    assert body.true_mass() == 500.0


def broken(change):
    """The demo yard as data with something wrong."""
    data = json.loads(yard_json.dumps(demos.load("fan-sled")))
    change(data)
    return json.dumps(data)


@pytest.mark.parametrize(
    ("change", "where", "words"),
    [
        (lambda d: d["crafts"][0]["parts"][0].update(kind="rocket"), "crafts.fan_sled.parts.fan", "not a kind of part"),
        (lambda d: d["crafts"][0]["parts"][0].update(thrust="3 m"), "crafts.fan_sled.parts.fan", "give it in N"),
        (lambda d: d["crafts"][0]["body"].update(mass=0), "crafts.fan_sled.body.mass", "at least 0.001"),
        (lambda d: d["crafts"][0]["body"].update(weight=3), "crafts.fan_sled.body.weight", "unknown field"),
        (lambda d: d["drills"][0].update(ground="nowhere"), "drills.slalom.ground", "there is no"),
        (lambda d: d["crafts"].append(d["crafts"][0]), "crafts.fan_sled", "stands twice"),
        (lambda d: d.pop("bench"), "bench", "is missing"),
        (
            lambda d: d["grounds"][0].update(walls=[{"id": f"w{k}"} for k in range(600)]),
            "mill_bay.walls",
            "at most 500",
        ),
        (
            lambda d: d["drills"][0]["tracks"][0].update(knots=[{"t": 2}, {"t": 1}]),
            "slalom.tracks.0",
            "order the knots",
        ),
        (lambda d: d.update(format=FORMAT + 1), "format", "newer version"),
        (lambda d: d.update(ticks="60"), "ticks", "'60' is not a whole number"),
        (lambda d: d.update(ticks=True), "ticks", "true is not a whole number"),
        (lambda d: d["crafts"][0]["parts"][0].update(mute="no"), "parts.fan.mute", "'no' is not true or false"),
        (lambda d: d["crafts"][0]["parts"][0].update(mute=1), "parts.fan.mute", "1 is not true or false"),
        (lambda d: d["drills"][0]["targets"][0].update(low="3"), "targets.0.low", "'3' is not a number"),
        (
            lambda d: d["drills"][0].update(events=[{"id": "go", "what": "trigger", "target": "fann"}]),
            "drills.slalom.events.go.target",
            "there is no part 'fann'.*did you mean fan",
        ),
        (
            lambda d: d["drills"][0].update(events=[{"id": "go", "what": "drop", "target": "crate"}]),
            "drills.slalom.events.go.target",
            "there is no block 'crate'",
        ),
    ],
)
def test_a_wrong_file_is_told_with_its_place(change, where, words):
    with pytest.raises(Refused, match=words) as caught:
        yard_json.loads(broken(change))
    assert any(where in str(fault) for fault in caught.value.faults)


def test_several_faults_are_told_together():
    def spoil(data):
        data["crafts"][0]["body"]["mass"] = -1
        data["grounds"][0]["grip"] = "much"
        data["ticks"] = 5

    with pytest.raises(Refused) as caught:
        yard_json.loads(broken(spoil))
    assert len(caught.value.faults) == 3


@pytest.mark.parametrize("text", ["", "{", "[1]", "null", '{"a": NaN}', "[" * 100_000, '{"format": 1}'])
def test_text_that_is_no_yard(text):
    with pytest.raises(Refused):
        yard_json.loads(text)


def test_a_yard_round_trips_exactly(yard):
    assert yard_json.loads(yard_json.dumps(yard)) == yard
    new = blank.blank_yard()
    assert yard_json.loads(yard_json.dumps(new)) == new


def test_the_schema_file_of_the_package_is_that_of_the_declarations():
    file = Path(oak_sled.__file__).with_name("yard.schema.json")
    assert file.read_text(encoding="utf-8") == yard_json.schema_text(), "run scripts/write_pages.py"
    assert "oak_sled" not in file.read_text(encoding="utf-8"), "two kinds of one name are told apart by their modules"


def test_the_schema_names_units_and_bounds():
    schema = yard_json.schema()
    thrust = schema["$defs"]["Thruster"]["properties"]["thrust"]
    assert thrust["dial"]["unit"] == "N"
    number, text = thrust["anyOf"]
    assert number["maximum"] == 1e7
    assert text["type"] == "string"
    assert thrust["description"]


def test_every_dial_is_declared_whole(yard):
    seen = 0
    for path, dial, value in document.all_dials(yard):
        seen += 1
        assert dial.low <= value <= dial.high, path
        assert dial.low <= dial.default <= dial.high, path
        assert dial.low <= dial.slider[0] < dial.slider[1] <= dial.high, path
        assert dial.says, path
        assert dial.scale == "linear" or dial.slider[0] > 0.0, path
    assert seen > 150


@pytest.mark.parametrize("kind", [kind.document for kind in KINDS], ids=lambda kind: kind.__name__)
def test_every_part_kind_is_whole(kind):
    part = kind(id="part")
    assert part.TITLE
    assert part.EXPLAINS
    assert part.summary()
    assert any(dial.main for dial in dials(part))
    assert [part.STAGE for part in Craft(id="c", parts=(part,)).parts] == [part.STAGE]


def test_a_part_finds_its_place_in_the_order_of_action(yard):
    craft = yard.craft().with_part(Runner(id="skid"))
    names = [part.id for part in craft.parts]
    assert names.index("skid") < names.index("bumper") < names.index("speed_limit")


def test_changes_are_told_in_words(yard):
    def job(other):
        drill = other.drill()
        return Job(other.craft(), other.ground_of(drill), drill, other.ticks)

    def told(path, value):
        return says(job(yard), job(yard.edit(path, value)))

    assert told("crafts.fan_sled.parts.fan.thrust", 900.0) == "fan thrust 620 → 900 N"
    assert told("crafts.fan_sled.parts.air.mute", True) == "air mute off → on"
    assert told("ticks", 60) == "ticks/s 120 → 60"
    assert told("bench.drill", "coast_down") == "drill Slalom, 20 m gates → Coast down"
    assert says(job(yard), job(yard)) == "same settings again"
    without = yard.edit("crafts.fan_sled", yard.craft().without_part("air"))
    assert says(job(yard), job(without)) == "air fitted → none"
    assert words_of("parts.runners.grips_below_deg") == "runners grips below"


def test_the_page_on_the_format_is_that_of_the_declarations():
    page = Path(__file__).parents[2] / "docs" / "yard-format.md"
    assert page.read_text(encoding="utf-8") == format_page.page(), "run scripts/write_pages.py"


@pytest.mark.parametrize(
    ("name", "hint"),
    [("top_sped", "did you mean top_speed"), ("top_speed@light", "known: "), ("launch_sped@light", "launch_speed")],
)
def test_a_target_for_a_measure_that_there_is_not_is_refused_where_it_stands(yard, name, hint):
    data = yard.model_dump(mode="json")
    data["drills"][0]["targets"] = [{"measure": "top_speed", "low": 1.0}, {"measure": name, "high": 2.0}]
    with pytest.raises(Refused, match=hint) as refused:
        yard_json.loads(json.dumps(data))
    (fault,) = refused.value.faults
    assert fault.where == f"drills.{yard.drills[0].id}.targets.1.measure"
    data["drills"][0]["targets"] = [{"measure": "launch_speed@light", "low": 1.0}]
    assert yard_json.loads(json.dumps(data)).drills[0].targets[0].measure == "launch_speed@light"


def test_numbers_may_be_text_where_all_is_text(yard):
    assert yard.edit("ticks", "60").ticks == 60


def test_what_an_event_was_aimed_at_takes_the_event_with_it(yard):
    craft, drill = yard.craft(), yard.drill()
    events = (Event(id="fan_goes", target="fan"), Event(id="shove", what="poke", x=10.0))
    yard = yard.edit(f"drills.{drill.id}.events", events)
    with pytest.raises(ValueError, match="there is no part 'fan'"):
        yard.replace(crafts=(craft.without_part("fan"),))
    left = yard.without(crafts=(craft.without_part("fan"),))
    assert [event.id for event in left.drill().events] == ["shove"]
    with pytest.raises(Refused, match="there is no part 'fann'"):
        yard.edit(f"drills.{drill.id}.events.fan_goes.target", "fann")


def test_tracks_of_many_knots_are_compared_as_those_of_few():
    def track(count, changed=(), **fields):
        values = dict.fromkeys(range(count), 0.5) | dict(changed)
        return Track(channel="throttle", knots=tuple(Knot(t=float(k), value=v) for k, v in values.items()), **fields)

    for count in (3, 3000):
        one = track(count)
        assert one == track(count)
        assert hash(one) == hash(track(count))
        assert one != track(count, {1: 0.25})
        assert one != track(count + 1)
        assert one != track(count, shape="ramps")
        assert one != "a track"
        assert one.times.tolist()[:3] == [0.0, 1.0, 2.0]
        edited = document.edit(one, "knots.1.value", 0.25)
        assert edited == track(count, {1: 0.25})
        assert edited.knots[0] is one.knots[0]


@pytest.mark.parametrize("name", list(demos.DEMOS))
def test_parts_may_stand_in_any_order_in_a_file(name):
    """Reversed and shuffled they open as they act; those of one step stay in the order of the file."""
    wanted = demos.load(name)
    for order in (lambda parts: parts[::-1], lambda parts: parts[1::2] + parts[::2]):
        data = json.loads(yard_json.dumps(wanted))
        for craft in data["crafts"]:
            craft["parts"] = order(craft["parts"])
        opened = yard_json.loads(json.dumps(data))
        for craft, before in zip(opened.crafts, wanted.crafts, strict=True):
            stages = [part.STAGE for part in craft.parts]
            assert stages == sorted(stages)
            assert {part.id: part for part in craft.parts} == {part.id: part for part in before.parts}
