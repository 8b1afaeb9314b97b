"""Format 4: fields have other names; older files, kept runs and paths that are typed find their way."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.base import document, renames
from oak_sled.core.base.document import Frozen
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import migrations, yard_json
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.yard import Yard

OLD = sorted((Path(__file__).parent / "format_3").glob("*.json"))


def models():
    """Every kind of document."""
    found = [Frozen]
    for model in found:
        found += model.__subclasses__()
    return found


RENAMED = [(model, old, new) for model in models() for old, new in model.__dict__.get("WAS", {}).items()]


@pytest.mark.parametrize(("model", "old", "new"), RENAMED, ids=lambda one: getattr(one, "__name__", one))
def test_a_former_name_leads_to_a_field_that_is_there_and_is_none_itself(model, old, new):
    concrete = [one for one in models() if issubclass(one, model) and (one is not model or new in one.model_fields)]
    assert concrete
    assert all(old not in one.model_fields for one in concrete)
    assert any(new in one.model_fields for one in concrete)


@pytest.mark.parametrize("file", OLD, ids=lambda file: file.stem)
def test_a_yard_of_format_3_opens_and_moves_as_it_does_now(file):
    data = json.loads(file.read_text())
    assert data["format"] == 3
    old, new = yard_json.of(data), yard_json.load_bytes(demo_bytes(file.name), file.name)
    assert old.format == 4
    known = [drill.id for drill in old.drills]
    new = new.replace(drills=tuple(one for one in new.drills if one.id in known))  # demos have grown drills since
    assert yard_json.dumps(old) == yard_json.dumps(new)
    assert "format 3 was read" in yard_json.told_of(data)


def demo_bytes(name):
    folder = Path(demos.__file__).parents[2] / "demo"
    return (folder / name).read_bytes()


def test_the_old_files_hold_old_names():
    """What the test above shows, it shows of names that changed."""
    text = "".join(file.read_text() for file in OLD)
    there = {old for _, old, _ in RENAMED if f'"{old}"' in text}
    assert len(there) > 10, there


def test_what_a_spread_varies_goes_along():
    data = json.loads((OLD[0].parent / "fan_sled.json").read_text())
    axis = {"path": "crafts.fan_sled.parts.air.drag_figure", "low": 0.5, "high": 2.0, "count": 3}
    data["spreads"] = [
        {"id": "s", "drill": data["drills"][0]["id"], "craft": "fan_sled", "axes": [axis], "measures": ["top_speed"]}
    ]
    moved = migrations.migrate(data, 3)
    assert moved["spreads"][0]["axes"][0]["path"] == "crafts.fan_sled.parts.air.drag_coefficient"
    assert document.dial_at(yard_json.of(moved), moved["spreads"][0]["axes"][0]["path"]) is not None


def test_paths_of_lists_kinds_and_other_places():
    data = json.loads((OLD[0].parent / "fan_sled.json").read_text())
    for path, now in [
        ("grounds.frost_road.bounce", "grounds.frost_road.restitution"),
        ("crafts.fan_sled.body.mass", "crafts.fan_sled.body.mass"),
        ("crafts.nobody.parts.none.swell", "crafts.nobody.parts.none.swell"),
        ("nothing.at.all", "nothing.at.all"),
    ]:
        path = path.replace("frost_road", data["grounds"][0]["id"])
        assert renames.renamed_path(Yard, data, path) == now.replace("frost_road", data["grounds"][0]["id"])


def test_an_old_name_that_is_typed_is_answered_with_the_new_one():
    yard = demos.load("fan-sled")
    with pytest.raises(Refused, match=r"there is no .drag_figure'.*it is called drag_coefficient now"):
        yard.edit("crafts.fan_sled.parts.air.drag_figure", 1.0)
    data = yard.craft().model_dump()
    data["parts"][0]["swell"] = 1.0
    with pytest.raises(Refused, match=r"unknown field.*did you mean rise_time"):
        document.checked(Craft, data, "craft")


def test_a_kept_run_of_format_3_is_read():
    data = json.loads((OLD[0].parent / "fan_sled.json").read_text())
    craft, drill = migrations.migrate_card(data["crafts"][0], data["drills"][0])
    assert document.checked(Craft, craft, "craft").id == data["crafts"][0]["id"]
    assert drill == data["drills"][0]


def test_data_that_are_not_right_are_left_as_they_are():
    for data in (None, 3, [], {"parts": 5}, {"parts": [7, None, {"kind": "nothing", "swell": 1}]}, {"body": "no"}):
        assert renames.renamed_data(Craft, data) == data
    both = {"kind": "air", "drag_figure": 1.0, "drag_coefficient": 2.0}
    assert renames.renamed_data(Craft, {"parts": [both]}) == {"parts": [both]}


def test_a_renamed_yard_runs_to_the_same_bits():
    data = json.loads((OLD[0].parent / "puck.json").read_text())
    yard, now = yard_json.of(data), demos.load("puck")
    assert run.execute(jobs.job_of(yard)).digest == run.execute(jobs.job_of(now)).digest
