"""Shared curves: one set of points for several parts, edited once, made own again, refused where they do not fit."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import yard_json
from oak_sled.core.parts.wheels import tirecurve
from oak_sled.core.parts.wheels.tire import OVER_RATIO, SIDE_CURVE
from oak_sled.core.project import curvesharing, demos
from oak_sled.core.results import run


@pytest.fixture(scope="module")
def yard():
    """The ice truck with a tire part for either end, both drawn curves."""
    known = demos.load("ice-truck")
    craft = known.craft("truck")
    tires = next(part for part in craft.parts if part.id == "tires")
    both = [tires.replace(id=end, title=f"{end} tires", on=end, law="curve") for end in ("front", "rear")]
    parts = sorted([*(part for part in craft.parts if part.id != "tires"), *both], key=lambda part: part.STAGE)
    return known.edit("crafts.truck.parts", tuple(parts))


def part(yard, name):
    return next(one for one in yard.craft("truck").parts if one.id == name)


def working(yard, name):
    return next(one for one in yard.craft("truck").working_parts if one.id == name)


def digest(yard):
    return run.execute(jobs.job_of(yard, yard.drill("step"))).digest


def both_share(yard):
    made = curvesharing.shared(yard, yard.craft("truck"), part(yard, "front"), SIDE_CURVE)
    name = part(made, "front").curve_of
    return curvesharing.taken(made, made.craft("truck"), part(made, "rear"), SIDE_CURVE, name), name


def test_sharing_a_curve_changes_no_bit_and_says_who_follows_it(yard):
    made, name = both_share(yard)
    assert digest(made) == digest(yard)
    craft = made.craft("truck")
    assert curvesharing.touched(craft, name) == "4 wheels: front tires, rear tires"
    assert curvesharing.path_of(craft, part(made, "rear"), SIDE_CURVE) == f"curves.{name}.points"


def test_an_edit_of_a_shared_curve_is_one_of_all_that_follow_it(yard):
    made, _ = both_share(yard)
    craft, points = made.craft("truck"), ((0.0, 0.0), (6.0, 0.8), (20.0, 0.5), (90.0, 0.4))
    path = curvesharing.path_of(craft, part(made, "front"), SIDE_CURVE)
    bent = made.edit(f"crafts.truck.{path}", curvesharing.edited(craft, part(made, "front"), SIDE_CURVE, points))
    for end in ("front", "rear"):
        assert SIDE_CURVE.points(working(bent, end)) == points
    alone = yard.edit("crafts.truck.parts.front.curve", SIDE_CURVE.knots(points))
    apart = alone.edit("crafts.truck.parts.rear.curve", SIDE_CURVE.knots(points))
    assert digest(bent) == digest(apart) != digest(alone)
    own = curvesharing.own(bent, bent.craft("truck"), part(bent, "rear"), SIDE_CURVE)
    assert part(own, "rear").curve_of == ""
    assert SIDE_CURVE.points(part(own, "rear")) == points, "its own is as it was when it was shared"
    assert digest(own) == digest(bent)
    last = curvesharing.own(own, own.craft("truck"), part(own, "front"), SIDE_CURVE)
    assert last.craft("truck").curves == (), "a curve that none follows goes"


def test_it_is_saved_and_read_and_a_craft_of_before_has_none(yard):
    made, name = both_share(yard)
    again = yard_json.loads(yard_json.dumps(made), "here")
    assert again == made
    assert again.craft("truck").curves[0].id == name
    assert demos.load("ice-truck").craft("truck").curves == ()


@pytest.mark.parametrize(
    ("path", "value", "says"),
    [
        ("parts.front.curve_of", "front_curv", "there is no such curve 'front_curv'.*front_curve"),
        ("parts.front.along_curve_of", "front_curve", "a shared curve over slip first"),
        ("curves.front_curve.points", ({"x": 0.0, "y": 0.0},), "points"),
        ("curves.front_curve.points", ({"x": 9.0, "y": 0.0}, {"x": 3.0, "y": 1.0}), "x must rise"),
        ("curves.front_curve.points", ({"x": 0.0, "y": 0.0}, {"x": 3.0, "y": 0.0}), "no peak"),
        ("curves.front_curve.points", ({"x": 0.0, "y": 0.0}, {"x": 200.0, "y": 1.0}), "90"),
    ],
)
def test_what_does_not_fit_is_refused_at_its_place(yard, path, value, says):
    made, _ = both_share(yard)
    before = made.model_dump()
    with pytest.raises(Refused, match=says):
        made.edit(f"crafts.truck.{path}", value)
    assert made.model_dump() == before


def test_a_part_may_share_each_of_its_curves(yard):
    made = yard.edit("crafts.truck.parts.front.along_law", "curve")
    one = curvesharing.shared(made, made.craft("truck"), part(made, "front"), OVER_RATIO)
    assert part(one, "front").along_curve_of
    assert np.isclose(OVER_RATIO.points(working(one, "front")), OVER_RATIO.points(part(made, "front"))).all()


def test_knots_are_joined_by_straight_lines_or_smoothly_for_all_that_share_them(yard):
    made, _ = both_share(yard)
    lines = curvesharing.joined(made, made.craft("truck"), part(made, "rear"), SIDE_CURVE, True)
    assert lines.craft("truck").curves[0].straight
    assert all(working(lines, end).curve_straight for end in ("front", "rear"))
    assert digest(lines) != digest(made)
    scale, most, shape = working(lines, "front").side_shape()
    angle = np.radians(6.0)
    n = np.tan(angle) / scale
    found = most * n * float(tirecurve.read(shape, np.array([n]))[0])
    assert found == pytest.approx(0.5 * (0.72 + 1.0), abs=4e-3), "half way between the knots at 4 and 8 degrees"
    own = curvesharing.own(lines, lines.craft("truck"), part(lines, "front"), SIDE_CURVE)
    assert part(own, "front").curve_straight
    alone = curvesharing.joined(yard, yard.craft("truck"), part(yard, "front"), SIDE_CURVE, True)
    assert part(alone, "front").curve_straight
    assert not part(alone, "rear").curve_straight
