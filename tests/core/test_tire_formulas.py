"""Laws of tires over slip in the pane Laws: built-in ones, formulas, and what a run used of them."""

from __future__ import annotations

import math

import numpy as np
import pytest
from on_tires import BRAKES, DRIVE, FOUR, LAWS, STEERING, TIRE, go, job, speed

from oak_sled.core.advice import cautions, laws, outlook
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.register import PLACES
from oak_sled.core.parts.wheels import tirelaws
from oak_sled.core.parts.wheels.tire import ALONG, SIDE
from oak_sled.core.results import run
from oak_sled.core.yard.law import Law, Number
from oak_sled.core.yard.sharedcurve import SharedCurve

INPUTS = {"throttle": [(0.0, 0.6), (4.0, 0.0)], "steer": [(0.5, 0.0), (0.6, 0.12)], "brake": [(5.0, 0.0), (5.1, 0.7)]}


def with_laws(tire, texts, numbers=(), **options):
    """A job of the craft on four tires whose tire follows formulas, by the name of their place."""
    made = job(DRIVE, STEERING, BRAKES, FOUR, tire, **options)
    fields = {PLACES[place].field: place for place in texts}
    parts = tuple(part.replace(**fields) if part.kind == "tire" else part for part in made.craft.parts)
    written = tuple(Law(id=place, place=place, text=text) for place, text in texts.items())
    craft = made.craft.replace(laws=written, numbers=tuple(numbers), parts=parts)
    return Job(craft, made.ground, made.drill, made.ticks)


@pytest.mark.parametrize("law", LAWS)
def test_a_formula_of_a_built_in_law_moves_the_craft_alike(law):
    tire = TIRE.replace(law=law, along_law=law, curve_straight=True, along_curve_straight=True, curvature=-0.5)
    texts = {place.name: tire.written_as(place) for place in (SIDE, ALONG)}
    plain = go(DRIVE, STEERING, BRAKES, FOUR, tire, inputs=INPUTS, seconds=7.0, speed=12.0)
    written = run.execute(with_laws(tire, texts, inputs=INPUTS, seconds=7.0, speed=12.0))
    assert np.abs(speed(plain) - speed(written)).max() < 5e-3
    for name in ("position.x", "position.y"):
        assert np.abs(plain.column(name) - written.column(name)).max() < 2e-2, name


@pytest.mark.parametrize("law", LAWS)
@pytest.mark.parametrize("place", [SIDE, ALONG])
def test_a_chart_draws_the_law_of_its_formula(law, place):
    tire = TIRE.replace(law=law, along_law=law, curve_straight=True, along_curve_straight=True)
    made = with_laws(tire, {place.name: tire.written_as(place)}, inputs=INPUTS, seconds=7.0, speed=12.0)
    own = next(part for part in made.craft.parts if part.kind == "tire")
    done = run.execute(made)
    shown = laws.candidates(made.craft, own, place)
    setting = outlook.setting_of(made.craft, made.ground, made.ticks, done)
    found = laws.chart(made.craft, own, place, "slip", shown, setting, done, done.at(3.0))
    names = {curve.candidate.name: curve.values for curve in found.curves}
    wanted = next(curve.values for curve in found.curves if curve.candidate.kind == "in force")
    assert names[tirelaws.BY_NAME[law].words] == pytest.approx(wanted, abs=5e-3)
    assert len(found.points) == 4
    assert list(found.middle) in found.points.tolist(), "a wheel, not between wheels"
    x, step = found.middle[0], 1e-3
    near = np.interp([x - step, x + step], found.x, wanted)
    assert found.slope == pytest.approx(
        (near[1] - near[0]) / (2.0 * step), abs=0.05 * np.abs(np.gradient(wanted, found.x)).max()
    )
    assert found.used[1] > found.used[0] >= 0.0


def test_a_chart_says_the_grip_that_a_run_had():
    """In a steady turn without drive the side force over load is the share of the chart times the side grip."""
    tire = TIRE.replace(rolling=0.0, relaxation=0.05)
    made = go(STEERING, FOUR, tire, inputs={"steer": [(0.0, 0.2)]}, seconds=4.0, speed=14.0)
    setting = outlook.setting_of(made.job.craft, made.job.ground, made.job.ticks, made)
    own = next(part for part in made.job.craft.parts if part.kind == "tire")
    row = made.ticks - 10
    found = laws.chart(
        made.job.craft, own, SIDE, "slip", laws.candidates(made.job.craft, own, SIDE)[:1], setting, made, row
    )
    for (slip, share), name in zip(found.points, made.job.craft.wheel_names["tires"], strict=True):
        assert slip == pytest.approx(abs(made.column(f"{name}.slip_angle")[row]), rel=1e-9)
        given = abs(made.column(f"{name}.side")[row]) / made.column(f"{name}.force")[row]
        assert given == pytest.approx(tire.side_grip * share, rel=0.02)


def test_a_number_of_the_craft_moves_the_peak_and_the_outlook_follows():
    steep = [Number(id="k", value=value) for value in (8.0, 16.0)]
    peaks = []
    for number in steep:
        made = with_laws(TIRE, {"tire_side": "min(k * slip, 1)"}, (number,))
        own = next(part for part in made.craft.working_parts if part.kind == "tire")
        peaks.append(math.atan(own.side_shape()[0]))
        words = own.outlook(outlook.setting_of(made.craft, made.ground, made.ticks))[0]
        assert f"most at {math.degrees(peaks[-1]):.3g}" in words
    assert peaks == pytest.approx([1.0 / 8.0, 1.0 / 16.0], rel=2e-2)


@pytest.mark.parametrize(
    "text", ["1", "if(slip > 0.3 [rad], 0, 1)", "0", "exp(slip * 1000 / 1 [rad])", "1 / (slip - 0.5)"]
)
def test_a_strange_formula_ends_in_numbers_and_at_rest(text):
    texts = {"tire_side": text, "tire_along": text.replace(" [rad]", "")}
    inputs = {
        "throttle": [(0.0, 1.0), (2.0, 0.0)],
        "steer": [(1.0, 0.0), (1.1, 1.0)],
        "brake": [(3.0, 0.0), (3.1, 1.0)],
    }
    made = run.execute(with_laws(TIRE, texts, inputs=inputs, seconds=12.0, speed=6.0))
    assert made.ticks == 12 * 120
    assert np.all(np.isfinite(made.columns("position.x", "velocity.x", "spin.z")))
    if text in ("1", "exp(slip * 1000 / 1 [rad])"):
        assert speed(made)[-1] < 1e-3


def test_what_gives_no_grip_or_no_number_is_a_caution():
    none = with_laws(TIRE, {"tire_side": "0 * slip"})
    assert "no_grip_by_formula" in [one.name for one in cautions.find(none)]
    broken = with_laws(TIRE, {"tire_along": "1 / (slip - 0.5)"})
    found = next(one for one in cautions.find(broken) if one.name == "formula_not_finite")
    assert found.where == "parts.tires.along_formula"
    assert "slip of 0.5" in found.says
    assert cautions.find(with_laws(TIRE, {"tire_side": "min(9 * slip, 1)"})) == cautions.find(
        job(DRIVE, STEERING, BRAKES, FOUR, TIRE)
    )


def test_a_chart_of_a_curve_that_is_shared_draws_what_is_shared():
    points = [{"x": 0.0, "y": 0.0}, {"x": 5.0, "y": 1.0}, {"x": 45.0, "y": 0.25}]
    made = job(STEERING, FOUR, TIRE)
    parts = (*made.craft.parts[:-1], made.craft.parts[-1].replace(law="curve", curve_of="flat"))
    curve = SharedCurve(id="flat", over="slip_deg", straight=True, points=points)
    craft = made.craft.replace(curves=(curve,), parts=parts)
    own = next(part for part in craft.parts if part.kind == "tire")
    setting = outlook.setting_of(craft, made.ground, made.ticks)
    shown = laws.candidates(craft, own, SIDE)[:1]
    found = laws.chart(craft, own, SIDE, "slip", shown, setting)
    at = np.radians(25.0)
    assert np.interp(at, found.x, found.curves[0].values) == pytest.approx(0.625, abs=5e-3)
