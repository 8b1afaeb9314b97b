"""A number that is greyed since it is not in force truly does nothing, and what stands in its place is in force."""

from __future__ import annotations

import json
from typing import Literal, get_args, get_origin

import numpy as np
import pytest
from jsonschema import Draft202012Validator

from oak_sled.core.assembly import jobs
from oak_sled.core.base import units
from oak_sled.core.base.dial import dials
from oak_sled.core.files import yard_json
from oak_sled.core.parts import register
from oak_sled.core.project import demos
from oak_sled.core.results import measures, run, traces
from oak_sled.core.yard.body import Body

DEMOS = tuple(demos.DEMOS)


def other(dial, value):
    """Another number that the dial takes."""
    for found in (*(0.5 * (value + end) for end in dial.slider), dial.high, dial.low):
        if dial.low <= found <= dial.high and abs(found - value) > 1e-9 * max(abs(value), 1.0):
            return found
    return value


def shaken(yard, craft, part, path):
    """The yard with every number of `part` that is said to do nothing at another value, and their names."""
    idle = part.idle()
    known = {dial.name: dial for dial in dials(part)}
    changes = [(f"{path}.{name}", other(known[name], getattr(part, name))) for name in idle if name in known]
    return (yard.edit_all(changes) if changes else yard), set(idle)


@pytest.mark.parametrize("name", DEMOS)
def test_numbers_that_are_not_in_force_change_no_bit_of_a_run(name):
    yard = demos.load(name)
    changed, idle = yard, set()
    for craft in yard.crafts:
        changed, found = shaken(changed, craft, craft.body, f"crafts.{craft.id}.body")
        idle |= found
        for part in craft.parts:
            changed, found = shaken(changed, craft, part, f"crafts.{craft.id}.parts.{part.id}")
            idle |= found
    assert idle, "a body always has some"
    assert changed != yard
    assert run.execute(jobs.job_of(changed)).digest == run.execute(jobs.job_of(yard)).digest


def choices(part):
    """(field, value) of every choice that decides which of its numbers act."""
    for field in {field for _, field, _, _ in part.ACTS_IF}:
        annotation = type(part).model_fields[field].annotation
        values = get_args(annotation) if get_origin(annotation) is Literal else (False, True)
        yield from ((field, value) for value in values)


def once_of_every_kind():
    """(demo, craft, part) of the first part of every kind that has numbers which only sometimes act."""
    seen = set()
    for name in DEMOS:
        for craft in demos.load(name).crafts:
            for part in craft.parts:
                if part.ACTS_IF and part.kind not in seen:
                    seen.add(part.kind)
                    yield name, craft.id, part.id


def test_every_kind_with_numbers_that_only_sometimes_act_is_in_a_demo():
    fitted = {part.kind for name in DEMOS for craft in demos.load(name).crafts for part in craft.parts}
    some = {kind.document.model_fields["kind"].default for kind in register.KINDS if kind.document.ACTS_IF}
    assert len(some) > 5
    assert some <= fitted


@pytest.mark.parametrize(("name", "craft", "part"), list(once_of_every_kind()))
def test_under_every_choice_what_is_not_in_force_does_nothing(name, craft, part):
    yard = demos.load(name)
    drill = next((one for one in yard.drills if one.craft == craft), yard.drills[0])
    path, tried = f"crafts.{craft}.parts.{part}", 0
    for field, value in choices(next(one for one in yard.craft(craft).parts if one.id == part)):
        try:
            chosen = yard.edit(f"{path}.{field}", value)
        except ValueError:
            continue  # this choice wants more than its name
        working = next(one for one in chosen.craft(craft).parts if one.id == part)
        changed, idle = shaken(chosen, craft, working, path)
        if not idle or changed == chosen:
            continue
        tried += 1
        before, after = (run.execute(jobs.job_of(one, one.drill(drill.id), craft)) for one in (chosen, changed))
        assert before.digest == after.digest, f"{field} {value}: {sorted(idle)}"
    assert tried, "some choice leaves a number idle"


@pytest.mark.parametrize(
    "body",
    [
        Body(mass=300.0, length=2.0, width=1.0, height=0.5),
        Body(mass_from="density", density=90.0, shape="ball", length=2.0),
        Body(mass=80.0, inertia_from="given", roll_inertia=20.0, pitch_inertia=30.0, yaw_inertia=40.0),
    ],
)
def test_what_stands_in_the_place_of_a_number_is_in_force(body):
    found = body.in_force()
    assert set(found) == set(body.idle())
    if "density" in found:
        assert body.replace(mass_from="density", density=found["density"]).true_mass() == pytest.approx(body.mass)
    else:
        assert found["mass"] == body.true_mass()
    if body.inertia_from == "shape":
        given = body.replace(inertia_from="given", **{one: found[one] for one in found if one.endswith("inertia")})
        assert np.allclose(given.inertia(), body.inertia())


# floors of what is shown


def test_noise_of_floats_reads_0_on_the_screen_and_leaves_as_it_is():
    """A craft that runs straight has a side slip of some 1e-17 of a degree: 0, where it is read."""
    yard = demos.load("puck")
    made = run.execute(jobs.job_of(yard))
    told, noisy = 0, 0
    for name in traces.book(made):
        trace, values = traces.describe(made, name), np.asarray(traces.values(made, name))
        floor = units.floor_of(trace.unit)
        assert trace.floor == floor
        small = values[(np.abs(values) < floor) & (values != 0.0)]
        for value in small[:5]:
            noisy += 1
            assert units.reading(float(value), trace.unit)[0] in {"0", "0.00"}
        told += 1
    assert told > 10
    assert noisy > 5
    assert units.reading(1.54e-6, "°")[0] == "0"
    assert units.reading(-8e-8, "g")[0] == "0"


@pytest.mark.parametrize("text", ["0.0004", "-0.0", "-0.004"])
def test_no_number_is_minus_nothing(text):
    assert not units.decimals(float(text), 2).startswith("-")


# the schema takes what the program takes


@pytest.mark.parametrize("name", DEMOS)
def test_the_schema_takes_every_demo(name):
    Draft202012Validator(yard_json.schema()).validate(json.loads(yard_json.dumps(demos.load(name))))


def test_the_schema_takes_numbers_with_units_as_the_program_does():
    schema = yard_json.schema()
    assert schema["$id"]
    plain = json.loads(yard_json.dumps(demos.load("fan-sled")))
    plain["crafts"][0]["body"]["mass"] = "0.3 t"
    Draft202012Validator(schema).validate(plain)
    plain["crafts"][0]["body"]["mass"] = [3]
    assert list(Draft202012Validator(schema).iter_errors(plain))


def test_the_schema_knows_every_measure():
    target = yard_json.schema()["$defs"]["Target"]["properties"]["measure"]
    check = Draft202012Validator({"type": "string", "pattern": target["pattern"]})
    for one in measures.MEASURES:
        assert check.is_valid(one.name)
        assert check.is_valid(f"{one.name}@crate")
    assert not check.is_valid("no_such_measure")
