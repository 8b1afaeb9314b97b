"""Where the energy of a bounce goes: against closed forms, and closed to what the motion gained."""

import math

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.project import demos
from oak_sled.core.results import energy, run
from oak_sled.core.yard.law import Law


def made(name, drill="", craft="", **settings):
    yard = demos.load(name)
    yard = yard.edit_all([(path.replace("__", "."), value) for path, value in settings.items()] or [("title", "x")])
    return run.execute(job_of(yard, yard.drill(drill), craft))


def by_kind(found):
    return {kind: sum(one.joules for one in found if one.kind == kind) for kind in ("work", "held", "lost")}


DRILLS = [
    ("crate-drop", "drop"), ("ferry", "ridges"), ("lamp-truck", "turn_high"), ("quay", "ramp_jump"),
    ("floe-probe", "floes"), ("shunting", "both_push"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "drill"), DRILLS)
def test_the_lines_of_every_bounce_sum_to_what_the_motion_gained(name, drill):
    yard = demos.load(name)
    drill = drill if drill in [one.id for one in yard.drills] else yard.drills[0].id
    known = run.execute(job_of(yard, yard.drill(drill)))
    rows = energy.tops(known)
    assert rows[0] == 0
    assert rows[-1] == known.ticks
    assert list(rows) == sorted(set(rows)) or known.ticks in rows[:-1]
    for first, last in zip(rows, rows[1:], strict=False):
        found = energy.shares(known, first, last)
        size = max([abs(one.joules) for one in found], default=1.0)
        assert sum(one.joules for one in found) == pytest.approx(energy.gained(known, first, last), abs=0.02 * size)


def test_an_undamped_spring_gives_back_all_that_it_held():
    known = made("crate-drop", "drop", crafts__spring__parts__pad__damping=0.0)
    bounce = energy.bounce_at(known, 20)
    assert bounce.rose == pytest.approx(bounce.fell, rel=1e-2)
    whole = by_kind(energy.shares(known, bounce.first, bounce.last))
    half = by_kind(energy.shares(known, bounce.first, bounce.lowest))
    mass, gravity = known.job.craft.body.true_mass(), known.job.ground.gravity
    pad = known.job.craft.parts[0]
    squeeze = pad.reach - known.column("pad.1.gap")[bounce.lowest]
    assert half["held"] == pytest.approx(-0.5 * pad.stiffness * squeeze**2, rel=1e-6)
    assert -half["held"] == pytest.approx(mass * gravity * bounce.fell, rel=1e-2), "all of the fall is in the spring"
    assert abs(whole["lost"]) < 0.01 * -half["held"]
    assert abs(whole["held"]) < 0.03 * -half["held"]


@pytest.mark.parametrize("law", ["spring", "progressive", "cushion", "formula"])
def test_a_damper_takes_the_fall_less_what_the_spring_holds_at_rest(law):
    yard = demos.load("crate-drop")
    craft = yard.craft("spring")
    pad = craft.parts[0]
    if law == "formula":
        text = "5 [kN/m] * (reach - gap) ^ 1.5 / sqrt(reach) + 420 [N s/m] * closing"
        craft = craft.replace(laws=(Law(id="own", place="pad_push", text=text),), parts=(pad.replace(formula="own"),))
    else:
        craft = craft.replace(parts=(pad.replace(law=law),))
    yard = yard.replace(crafts=tuple(craft if one.id == craft.id else one for one in yard.crafts))
    known = run.execute(job_of(yard.edit("drills.drop.duration", 12.0), craft="spring"))
    last = known.ticks
    found = by_kind(energy.shares(known, 0, last))
    working = craft.working_parts[0]
    gap = known.column("pad.1.gap")[last]
    places = np.linspace(gap, working.reach - 1e-9, 20_001)
    stored = float(np.trapezoid([working.push_at(float(one)) for one in places], places))
    assert found["held"] == pytest.approx(-stored, rel=1e-5)
    height = known.column("position.z")
    fell = craft.body.true_mass() * known.job.ground.gravity * (height[0] - height[last])
    assert found["work"] == pytest.approx(fell, rel=1e-3)
    assert found["lost"] == pytest.approx(stored - fell, rel=2e-2)


def test_a_hull_that_bounces_on_the_ground_loses_it_in_the_contact():
    known = made("quay", "ramp_jump")
    rows = energy.tops(known)
    landing = next(k for k, (a, b) in enumerate(zip(rows, rows[1:], strict=False)) if energy.bounce_at(known, a + 1))
    found = {one.name: one.joules for one in energy.shares(known, rows[landing], rows[landing + 1])}
    assert found["contact"] < -0.5 * found["gravity"]


def test_a_craft_that_is_held_at_its_height_has_no_bounce():
    known = made("fan-sled", "slalom")
    assert energy.bounce_at(known, known.ticks // 2) is None


def test_a_bounce_is_where_the_cursor_is():
    known = made("crate-drop", "drop")
    rows = energy.tops(known)
    assert len(rows) >= 4
    for first, last in zip(rows[:3], rows[1:4], strict=True):
        for row in (first, (first + last) // 2, last - 1):
            bounce = energy.bounce_at(known, row)
            assert (bounce.first, bounce.last) == (first, last)
            assert first <= bounce.lowest <= last
            assert math.isclose(
                bounce.fell, known.column("position.z")[first] - known.column("position.z")[bounce.lowest]
            )


def test_the_springs_of_wheels_on_tires_hold_what_both_hold():
    yard = demos.load("lamp-truck")
    for end in ("front", "rear"):
        yard = yard.edit_all([
            (f"crafts.truck.parts.{end}.unsprung", 25.0), (f"crafts.truck.parts.{end}.tire_stiffness", 150000.0)
        ])  # fmt: skip
    known = run.execute(job_of(yard))
    front = next(part for part in known.job.craft.working_parts if part.id == "front")
    gap = float(known.column("front.1.gap")[0])
    carried = known.column("front.1.force")[1] - 25.0 * known.job.ground.gravity
    whole = front.travel + front.radius - gap
    squeeze = front.squeeze_of(carried)
    tire = carried / front.tire_stiffness
    assert squeeze + tire == pytest.approx(whole, rel=2e-2), "but for what its own weight squeezes the tire"
    both = front.replace(unsprung=0.0).stored(front.travel + front.radius - squeeze) + 0.5 * 150000.0 * tire**2
    assert front.stored(gap) == pytest.approx(both, rel=5e-2)
    share = front.tire_stiffness / (front.stiffness + front.tire_stiffness)  # of two springs one behind the other
    assert front.stored(gap) == pytest.approx(share * front.replace(unsprung=0.0).stored(gap), rel=1e-6)
    used = front.used(front.PLACES[0], known)["squeeze"]
    assert used[1, 0] == pytest.approx(squeeze, rel=1e-2)
