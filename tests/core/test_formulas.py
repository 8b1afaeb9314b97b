"""Formulas: read or refused with their column, the same value three ways, and laws that a part really follows."""

import math
import random

import numpy as np
import pytest

from oak_sled.core.advice import cautions, laws, outlook
from oak_sled.core.assembly import world
from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base.faults import Refused
from oak_sled.core.compiler import plain
from oak_sled.core.compiler.kernel import PROGRAM
from oak_sled.core.files import yard_json
from oak_sled.core.formulas import code, language, lawunits, machine
from oak_sled.core.formulas.language import FormulaError
from oak_sled.core.parts.register import PLACES
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.yard.law import Law, Number

QUANTITIES = {"gap": "m", "closing": "m/s", "slip": "rad"}
NUMBERS = {"stiff": "N/m", "damp": "N s/m", "share": ""}


def read(text, gives="N"):
    return language.read(text, QUANTITIES, NUMBERS, gives, "the push")


# the language

WRONG = [
    ("stiff * gapp", 9, "'gapp' is not known here", "did you mean gap"),
    ("stiff * gap + damp", 15, r"N \+ N s/m: the second term lacks a factor in m/s", "N"),
    ("stiff * gap + closing", 15, r"N \+ m/s: the second term lacks a factor in N s/m", "N"),
    ("stiff", 1, "it gives N/m, and the push is N: it lacks a factor in m", "N"),
    ("2 * gap * (stiff", 17, r"the end stands where '\)' should, for the bracket of column 11", r"\)"),
    ("stiff * gap / 0", 15, "divides by 0", "not 0"),
    ("", 1, "nothing was typed", "for example"),
    ("stiff * * gap", 9, r"'\*' stands where a value should", "a number"),
    ("stiff gap", 7, "'gap' stands where an operator should", "comparison"),
    ("stiff * gap [m]", 13, "does not follow a number", "right behind a number"),
    ("3 [kN/q] * gap", 3, "'q' is not a unit", "for example"),
    ("exp(gap) * 1 [N]", 5, "exp of m: it lacks a divisor in m", "a plain number"),
    ("stiff * gap ^ closing", 15, "an exponent in m/s", "a plain number"),
    ("stiff * gap ^ share / 1 [m]", 13, "the power of m changes with the run", "a fixed exponent"),
    ("min(gap) * stiff", 1, "min takes 2 to 8 values, not 1", r"min\(a, b\)"),
    ("clamp(gap, 0) * stiff", 1, "clamp takes 3 values, not 2", "least, most"),
    ("table(gap, 0 [m]: 1 [N])", 1, "a table of 1 knots", "two or more"),
    ("table(gap, 1 [m]: 1 [N], 0.5 [m]: 2 [N])", 26, "a knot at 0.5 behind one at 1", "rising order"),
    ("table(gap, gap: 1 [N], 2 [m]: 2 [N])", 12, "a knot that changes with the run", "numbers"),
    ("table(closing, 0 [m]: 1 [N], 1 [m]: 2 [N])", 16, "table of m/s and m", "m/s"),
    ("stiff * gap # 2", 13, "'#' means nothing here", "numbers"),
    ("if(gap, stiff, stiff) * gap", 4, "the test of if of m", "a plain number"),
    ("__import__", 1, "is not known here", "known"),
    ("gap < gap < gap", 11, "a comparison of a comparison", "and"),
    ("(" * 60 + "gap", 41, "nested too deeply", "40"),
    ("abs(" * 119 + "gap" + ")" * 119, 161, "nested too deeply", "40"),
    ("stiff * gap * " + "max(1, " * 70 + "1" + ")" * 70, 295, "nested too deeply", "40"),
    ("-" * 500 + "gap", 41, "nested too deeply", "40"),
    ("not " * 120 + "1", 161, "nested too deeply", "40"),
    ("2^" * 200 + "2", 82, "nested too deeply", "40"),
    ("table(" * 60 + "gap", 241, "nested too deeply", "40"),
    ("stiff * gap^(1e308*10)", 19, "exponent is no finite number", "finite"),
    ("stiff * gap * 2^(1e308*10)", 23, "exponent is no finite number", "finite"),
    ("stiff * gap^1e300", 13, "the power of a quantity is too large", "100"),
    ("((gap^99)^99)^99", 11, "the power of a quantity is too large", "100"),
    ("stiff * table(gap, 0 [m]: 0 [m], 1e308*10 [m]: 1 [m])", 39, "no finite number", "finite"),
    ("stiff * table(gap, 0 [m]: 0 [m], 1 [m]: 1e308*10*0 [m])", 49, "no finite number", "finite"),
    ("1e999 * stiff * gap", 1, "too large", "1e308"),
    ("stiff * gap" + " + stiff * gap" * 60, 600, "characters long", "600"),
]


@pytest.mark.parametrize(("text", "column", "what", "right"), WRONG)
def test_what_is_wrong_is_said_with_its_column(text, column, what, right):
    with pytest.raises(FormulaError, match=what) as caught:
        code.code_of(read(text), list(QUANTITIES))
    assert caught.value.column == column
    with pytest.raises(AssertionError) if right == "never" else pytest.raises(FormulaError, match=right):
        code.code_of(read(text), list(QUANTITIES))


RIGHT = [
    ("8 [kN/m] * gap", 2400.0),
    ("stiff * gap + damp * closing", 1000.0 * 0.3 + 40.0 * -0.5),
    ("-stiff * gap ^ 2 / 0.1 [m]", -1000.0 * 0.09 / 0.1),
    ("max(0, stiff * (gap - 0.5 [m]))", 0.0),
    ("sqrt(gap * gap) * stiff", 300.0),
    ("stiff * gap ^ 0.5 * sqrt(gap)", 300.0),
    ("10 [N] * 2 ^ -2", 2.5),
    ("10 [N] * 2 ^ 3 ^ 0", 20.0),
    ("1 [N] * (7 - 3 - 2)", 2.0),
    ("1 [N] * 12 / 3 / 2", 2.0),
    ("table(gap, 0 [m]: 900 [N], 50 [cm]: 0 [N])", 360.0),
    ("table(gap, 1 [m]: 900 [N], 2 [m]: 0 [N])", 900.0),
    ("table(gap, 0.1 [m]: 900 [N], 0.2 [m]: 7 [N])", 7.0),
    ("if(gap < 0.2 [m] or closing < -40 [cm/s], 5 [N], 6 [N])", 5.0),
    ("if(not (gap < 0.2 [m]) and closing > 0 [m/s], 5 [N], 6 [N])", 6.0),
    ("1 [N] * smoothstep(0, 0.6 [m], gap)", 0.5),
    ("clamp(stiff * gap, 10 [N], 20 [N])", 20.0),
    ("1 [N] * atan2(gap, gap)", math.pi / 4.0),
    ("1 [N] * sin(90 [deg])", 1.0),
    ("1 [N] * (slip >= 0.1) + share * 2 [N]", 1.5),
]


@pytest.mark.parametrize(("text", "wanted"), RIGHT)
def test_what_a_formula_is_worth(text, wanted):
    steps = code.code_of(read(text), list(QUANTITIES))
    found = lawunits.evaluated(steps, (0.3, -0.5, 0.1), {"stiff": 1000.0, "damp": 40.0, "share": 0.25})
    assert found == pytest.approx(wanted, rel=1e-12)


def test_a_formula_that_is_too_long_for_the_kernel_is_refused():
    with pytest.raises(FormulaError, match="steps"):
        code.code_of(read("stiff*gap" + "+stiff*gap" * 25), list(QUANTITIES))
    deep = "stiff*gap"
    for _ in range(20):
        deep = f"1[N]-({deep})"
    with pytest.raises(FormulaError, match="nested"):
        code.code_of(read(deep), list(QUANTITIES))


# the same value three ways, and a fourth that knows nothing of steps

_ONE = ("sqrt", "exp", "log", "sin", "cos", "tan", "atan", "abs")


def grown(rng, depth):
    """A random formula of plain numbers, as text."""
    kind = rng.random()
    if depth == 0 or kind < 0.15:
        return rng.choice(["a", "b", "k", f"{rng.uniform(-3, 3):.3f}"])
    inner = [grown(rng, depth - 1) for _ in range(3)]
    if kind < 0.5:
        return f"({inner[0]} {rng.choice('+-*/')} {inner[1]})"
    if kind < 0.65:
        return f"{rng.choice(_ONE)}({inner[0]})"
    if kind < 0.72:
        return f"({inner[0]})^{rng.choice(['2', '3', '-2', '0.5', '1.7', 'b'])}"
    if kind < 0.8:
        return f"{rng.choice(['min', 'max', 'atan2'])}({inner[0]}, {inner[1]})"
    if kind < 0.86:
        return f"table({inner[0]}, -1: 2, 0.5: {rng.uniform(-2, 2):.2f}, 2: -1)"
    if kind < 0.93:
        return f"if({inner[0]} {rng.choice(['<', '<=', '>', '>=', '==', '!='])} {inner[1]}, {inner[2]}, b)"
    return f"{rng.choice(['clamp', 'smoothstep'])}({inner[0]}, -0.5, 1.5)"


def apart(node, given):
    """The value of a tree by Python's own mathematics."""
    x = [apart(one, given) for one in node.items]
    what = node.what
    if what == "number":
        return node.value
    if what in ("quantity", "named"):
        return given[node.name]
    if what == "table":
        return float(np.interp(x[0], *zip(*node.knots, strict=True))) if x[0] == x[0] else math.nan
    if what in ("+", "-", "*"):
        return x[0] + x[1] if what == "+" else x[0] - x[1] if what == "-" else x[0] * x[1]
    if what in ("<", "<=", ">", ">=", "==", "!="):
        return float(eval(f"{x[0]!r} {what} {x[1]!r}", {"inf": math.inf, "nan": math.nan}))
    if what == "clamp":
        return max(x[1], min(x[0], x[2]))
    if what == "smoothstep":
        with np.errstate(all="ignore"):
            t = min(max(float(np.float64(x[2] - x[0]) / np.float64(x[1] - x[0])), 0.0), 1.0)
        return t * t * (3.0 - 2.0 * t)
    with np.errstate(all="ignore"):
        a = np.float64(x[0])
        if what == "/":
            return float(a / np.float64(x[1]))
        if what == "^":
            return float(np.power(a, x[1]))
        if what == "negate":
            return -float(a)
        if what == "if":
            return x[1] if x[0] != 0.0 else x[2]
        if what in ("min", "max"):
            return (min if what == "min" else max)(x)
        if what == "atan2":
            return float(np.arctan2(*x))
        return float({"atan": np.arctan}.get(what, getattr(np, what, None))(a))


@pytest.mark.parametrize("seed", range(40))
def test_interpreted_compiled_and_plain_agree_to_the_bit(seed):
    rng = random.Random(seed)
    text = grown(rng, 3)
    formula = language.read(text, {"a": "", "b": ""}, {"k": ""}, "")
    steps = code.code_of(formula, ["a", "b"])
    interpreted, compiled = lawunits.record_of(steps, {"k": 0.7}), lawunits.record_of(steps, {"k": 0.7})
    interpreted["at"] = lawunits.interpreter()
    lawunits.compile_unit(steps)
    compiled["at"] = lawunits.address_of(steps)
    assert compiled["at"] != interpreted["at"]
    for _ in range(12):
        a, b = rng.uniform(-2, 2), rng.uniform(-2, 2)
        values = []
        for row in (interpreted, compiled):
            row["given"][:2] = a, b
            values.append(machine.value_of(row))
        with plain.python():
            values.append(float(machine.value_of(compiled)))
        assert np.array(values).tobytes() == np.array([values[0]] * 3).tobytes(), text
        wanted = apart(formula.root, {"a": a, "b": b, "k": 0.7})
        wanted = wanted if math.isfinite(wanted) else 0.0
        if abs(wanted) < 1e12 and "tan" not in text and "==" not in text:  # near a pole a last bit is a lot
            assert values[0] == pytest.approx(wanted, rel=1e-7, abs=1e-9), text


def test_a_constant_or_a_number_that_changes_compiles_nothing():
    one = code.code_of(read("3 [kN/m] * gap * share + 5 [N]"), list(QUANTITIES))
    other = code.code_of(read("4 [kN/m] * gap * share + 6 [N]"), list(QUANTITIES))
    lawunits.compile_unit(one)
    before = list(PROGRAM.compiled_anew)
    assert lawunits.is_compiled(other)
    lawunits.compile_unit(other)
    assert PROGRAM.compiled_anew == before
    assert lawunits.evaluated(other, (0.5, 0, 0), {"share": 0.5}) == 1006.0


# parts that follow a formula


def with_law(name, craft, part, place, text, numbers=(), **fields):
    """A demo yard in which a part of a craft follows a formula."""
    yard = demos.load(name)
    old = yard.craft(craft)
    changed = old.replace(
        numbers=tuple(numbers),
        laws=(Law(id="own", place=place, text=text),),
        parts=tuple(p.replace(**fields, **{PLACES[place].field: "own"}) if p.id == part else p for p in old.parts),
    )
    return yard.replace(crafts=tuple(changed if one.id == old.id else one for one in yard.crafts))


def part_of(yard, craft, part):
    return next(one for one in yard.craft(craft).parts if one.id == part)


def fan_sled():
    return part_of(demos.load("fan-sled"), "fan_sled", "fan")


SAME = [
    ("crate-drop", "spring", "pad", "pad_push", "4 [kN/m] * (reach - gap) + 420 [N s/m] * closing"),
    ("lamp-truck", "", "front", "wheel_spring", "k * squeeze + stop * max(squeeze - travel, 0)"),
    ("lamp-truck", "", "front", "wheel_damper", "if(closing > 0, bump, rebound) * closing"),
    ("fan-sled", "fan_sled", "air", "drag", "0.5 * density * cda * speed^2"),
    ("fan-sled", "fan_sled", "fan", "thrust_over_speed", "1"),
    ("fan-sled", "fan_sled", "runners", "grip_share", "clamp(6 * slip / 0.6, 0, 1)"),
]


@pytest.mark.parametrize(("name", "craft", "part", "place", "text"), SAME)
def test_a_formula_of_the_built_in_law_moves_the_craft_alike(name, craft, part, place, text):
    yard = demos.load(name)
    craft = craft or yard.bench.craft
    old = part_of(yard, craft, part)
    fields, numbers = {}, ()
    if place == "wheel_spring":
        fields = {"progression": 0.0, "preload": 0.0}
        numbers = (
            Number(id="k", unit="N/m", value=old.stiffness),
            Number(id="stop", unit="kN/m", value=old.bump_stop / 1e3),
        )
    if place == "wheel_damper":
        numbers = (
            Number(id="bump", unit="N s/m", value=old.bump),
            Number(id="rebound", unit="N s/m", value=old.rebound),
        )
    if place == "drag":
        # the built-in law has an area a side: with equal ones it is the same in every direction
        fields = {"side_area": old.front_area, "top_area": old.front_area, "viscous": 0.0}
        numbers = (Number(id="cda", unit="m2", value=old.drag_coefficient * old.front_area),)
    if place == "grip_share":
        fields = {"law": "linear", "stiffness": 6.0, "side_grip": 0.6}
    built_in = yard.edit_all(
        [(f"crafts.{craft}.parts.{part}.{field}", value) for field, value in fields.items()] or [("title", yard.title)]
    )
    written = with_law(name, craft, part, place, text, numbers, **fields)
    one, other = (run.execute(job_of(each, craft=craft)) for each in (built_in, written))
    for column in ("position.x", "position.y", "position.z", "velocity.x"):
        assert other.column(column) == pytest.approx(one.column(column), abs=1e-7), column
    world.compile_laws(other.job)
    assert run.execute(other.job).digest == other.digest, "compiled as interpreted"


def test_a_pad_knows_the_share_of_the_load_that_it_carried():
    """The share is that of the tick before, even at the start: what the recorded forces of all pads say of each."""
    text = "k * (reach - gap) * (0.5 + 2 * load_share) + c * closing"
    numbers = (Number(id="k", unit="kN/m", value=40.0), Number(id="c", unit="kN s/m", value=9.0))
    yard = with_law("ferry", "ferry", "pads", "pad_push", text, numbers)
    made_run = run.execute(job_of(yard, yard.drill("ridges"), craft="ferry"))
    craft = made_run.job.craft
    pads = next(part for part in craft.working_parts if part.id == "pads")
    gaps, closing, shares = (pads.used(PLACES["pad_push"], made_run)[name] for name in ("gap", "closing", "load_share"))
    forces = np.stack([made_run.column(f"{name}.force") for name in craft.ray_names], axis=1)
    assert shares[1] == pytest.approx(0.25), "even before anything was carried"
    before = np.maximum(forces[:-1], 0.0)
    wanted = 40e3 * (pads.reach - gaps) * (0.5 + 2.0 * shares) + 9e3 * closing
    acts = np.isfinite(wanted[2:]) & (wanted[2:] > 1.0) & (pads.trim == 1.0)
    assert np.ptp(shares[np.isfinite(shares)]) > 0.1
    assert forces[2:][acts] == pytest.approx(wanted[2:][acts], rel=1e-9)
    total = np.maximum(before.sum(axis=1, keepdims=True), 1e-9)
    carried = acts & (total[1:] > 1.0)
    assert shares[2:][carried] == pytest.approx((before / total)[1:][carried], rel=1e-9)


def test_a_formula_says_its_sag_and_its_top_speed_and_runs_hold_them():
    yard = with_law(
        "crate-drop", "spring", "pad", "pad_push", "k * (reach - gap) * (1 + (reach - gap) / reach) + c * closing",
        (Number(id="k", unit="kN/m", value=3.0), Number(id="c", unit="N s/m", value=900.0)),
    )  # fmt: skip
    craft = yard.craft("spring")
    setting = outlook.setting_of(craft, yard.ground(), yard.ticks)
    pad = craft.working_parts[0]
    gap = pad.rest_gap(setting.carried)
    assert pad.push_at(gap) == pytest.approx(setting.carried, rel=1e-9)
    bend = 1.0 / pad.reach
    squeeze = (math.sqrt(1.0 + 4.0 * bend * setting.carried / 3000.0) - 1.0) / (2.0 * bend)
    assert pad.reach - gap == pytest.approx(squeeze, rel=1e-9)
    assert setting.damper == pytest.approx(900.0, rel=1e-6)
    assert setting.spring == pytest.approx(3000.0 * (1.0 + 2.0 * squeeze / pad.reach), rel=1e-6)
    made_run = run.execute(job_of(yard.edit("drills.drop.duration", 20.0), craft="spring"))
    assert made_run.column("pad.1.gap")[-1] == pytest.approx(gap, rel=1e-6)

    yard = with_law("fan-sled", "fan_sled", "fan", "thrust_over_speed", "max(1 - speed / v0, 0)",
                    (Number(id="v0", unit="m/s", value=20.0),))  # fmt: skip
    yard = yard.replace(bench=yard.bench.replace(drill="straight_pull", ground="long_reach"))
    yard = yard.edit("drills.straight_pull.duration", 120.0)
    fan = next(one for one in yard.craft().working_parts if one.id == "fan")
    setting = outlook.setting_of(yard.craft(), yard.ground(), yard.ticks)
    told = float(fan.outlook(setting)[1].split("tops out at ")[1].split("\u2009")[0])
    speed = np.hypot(*run.execute(job_of(yard)).columns("velocity.x", "velocity.y").T)
    assert speed.max() == pytest.approx(told, rel=6e-3), "three digits are told"


def test_numbers_are_dials_and_formulas_follow_them():
    yard = with_law("crate-drop", "spring", "pad", "pad_push", "k * (reach - gap)",
                    (Number(id="k", unit="kN/m", value=4.0, most=12.0),))  # fmt: skip
    after = yard.edit("crafts.spring.numbers.k.value", "6000 N/m")
    assert after.craft("spring").numbers[0].value == 6.0
    assert after.craft("spring").working_parts[0].push_at(0.2) == pytest.approx(6000.0)
    assert yard_json.loads(yard_json.dumps(after), "again") == after
    with pytest.raises(Refused, match="kg is no unit of this quantity"):
        yard.edit("crafts.spring.numbers.k.value", "3 kg")
    with pytest.raises(Refused, match="means something else in formulas"):
        yard.edit("crafts.spring.numbers", (Number(id="gap", value=1.0),))
    with pytest.raises(Refused, match="'k' is not known here"):
        yard.edit("crafts.spring.numbers", ())


REFUSED = [
    ("laws.own.text", "k * (reach - gapp)", r"laws\.own\.text: column 14: 'gapp' is not known"),
    ("laws.own.text", "k * reach * reach", r"laws\.own\.text: column 1: it gives N m, and push of a pad is N"),
    ("laws.own.place", "lift", "there is no law 'lift'"),
    ("laws.own.place", "drag", r"column 6: 'reach' is not known|no formula"),
    ("parts.pad.formula", "other", "there is no formula 'other' for this law"),
]


@pytest.mark.parametrize(("path", "value", "says"), REFUSED)
def test_a_wrong_formula_is_refused_and_the_last_good_one_stays(path, value, says):
    yard = with_law("crate-drop", "spring", "pad", "pad_push", "k * (reach - gap)",
                    (Number(id="k", unit="kN/m", value=4.0),))  # fmt: skip
    with pytest.raises(Refused, match=says):
        yard.edit(f"crafts.spring.{path}", value)
    assert yard.craft("spring").laws[0].text == "k * (reach - gap)"


def test_what_is_no_number_in_a_run_counts_as_0_and_is_said_with_its_column():
    yard = with_law(
        "crate-drop", "spring", "pad", "pad_push", "4 [kN/m] * (reach - gap) * (1 [m] / if(gap < 1 [m], 0, 1 [m]))"
    )
    made_run = run.execute(job_of(yard, craft="spring"))
    found = [one for one in cautions.find(made_run.job, made_run) if one.name == "formula_not_finite"]
    assert len(made_run.faults) == len(found) == 1
    assert "column 35:" in found[0].says
    assert "gap 0.600\u2009m" in found[0].says
    assert found[0].where == "parts.pad.formula"
    assert np.all(np.isfinite(made_run.column("position.z")))


# charts of laws


@pytest.mark.parametrize(("name", "craft", "part", "place", "text"), SAME)
def test_a_chart_draws_what_the_part_does_in_a_run(name, craft, part, place, text):
    yard = demos.load(name)
    made_run = run.execute(job_of(yard, craft=craft))
    job = made_run.job
    own, at = part_of(yard, job.craft.id, part), PLACES[place]
    setting = outlook.setting_of(job.craft, job.ground, job.ticks, made_run)
    shown = laws.candidates(job.craft, own, at)
    row = made_run.ticks // 2
    found = laws.chart(job.craft, own, at, at.names[0], shown, setting, made_run, row)
    assert found.curves[0].candidate.kind == "in force"
    assert len(found.curves) == len(own.alternatives(at)) + len(job.craft.written)
    assert found.used is not None
    assert found.x[0] <= found.used[0] <= found.used[1] <= found.x[-1]
    for x, y in found.points:
        assert y == pytest.approx(np.interp(x, found.x, found.curves[0].values), rel=0.02, abs=1e-3)
    if place == "pad_push":  # what the ledger has, at every row
        for row in range(1, made_run.ticks, 37):
            points = laws.chart(job.craft, own, at, "gap", shown[:1], setting, made_run, row).points
            assert len(points) == (made_run.column("pad.1.gap")[row] < own.reach)
            for _, y in points:
                assert max(y, 0.0) == pytest.approx(made_run.column("pad.1.force")[row], rel=1e-6, abs=1e-6)


def test_a_law_is_marked_where_a_tick_cannot_hold_it_and_runs_agree():
    yard = demos.load("crate-drop")
    craft = yard.craft("spring")
    mass, ticks = craft.body.true_mass(), yard.ticks
    limit = 4.0 * mass * ticks**2
    for stiffness, wanted in ((0.9 * limit, False), (1.2 * limit, True)):
        edited = yard.edit_all(
            [("crafts.spring.parts.pad.stiffness", stiffness), ("crafts.spring.parts.pad.damping", 0.0)]
        )
        made_run = run.execute(job_of(edited, craft="spring"))
        own = edited.craft("spring").parts[0]
        setting = outlook.setting_of(edited.craft("spring"), edited.ground(), ticks)
        found = laws.chart(edited.craft("spring"), own, PLACES["pad_push"], "gap", [], setting)
        assert bool(found.unstable) == wanted
        height = made_run.column("position.z")
        rises = height.max() > 1.5 * height[0]
        assert rises == wanted


def test_a_law_of_two_wheels_of_four_is_held_to_the_half_that_they_carry():
    yard = demos.load("lamp-truck")
    job = job_of(yard)
    mass = outlook.setting_of(job.craft, job.ground, job.ticks).mass
    limit = 4.0 * 0.5 * mass * job.ticks**2 / 2.0  # N/m of a wheel, without its damper
    for stiffness, wanted in ((0.7 * limit, False), (1.1 * limit, True)):
        craft = yard.edit("crafts.truck.parts.front.stiffness", stiffness).craft("truck")
        front = next(part for part in craft.parts if part.id == "front")
        setting = outlook.setting_of(craft, job.ground, job.ticks)
        found = laws.chart(craft, front, PLACES["wheel_spring"], "squeeze", [], setting)
        assert ("overshoots in a tick" in [why for first, _, why in found.unstable if first < 0.3]) == wanted
