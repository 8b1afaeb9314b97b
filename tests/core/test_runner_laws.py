"""Every law of runners: its force is within its grip, its text is the law, and only its own numbers change it."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.formulas import lawunits, parsed
from oak_sled.core.parts import runnerforce, runnerlaws
from oak_sled.core.parts.context import Pack
from oak_sled.core.parts.runner import GRIP, Runner
from oak_sled.core.parts.slipcurve import GripKnot

LAWS = pytest.mark.parametrize("law", runnerlaws.LAWS, ids=lambda law: law.name)
SLIPS = np.radians(np.linspace(0.25, 89.0, 60)).tolist()
CURVE = (GripKnot(slip_deg=0.0, grip=0.0), GripKnot(slip_deg=10.0, grip=1.0), GripKnot(slip_deg=60.0, grip=0.7))
OTHER = {"stiffness": 4.0, "share": 0.6, "curve": (*CURVE[:2], GripKnot(slip_deg=60.0, grip=0.4))}


def runner_of(law, **changes):
    return Runner(id="r", law=law.name, side_grip=0.6, stiffness=3.0, share=0.4, curve=CURVE, curve_straight=True
                  ).replace(**changes)  # fmt: skip


def packed(runner):
    row = np.zeros(1, runnerlaws.RECORD)
    for name, value in runner.record(Pack((), (0.0, 0.0, 0.0))).items():
        row[0][name] = value
    return row[0]


def forces(runner, ticks=1.0):
    """N at each slip of a foot with 1000 N on it that moves at 5 m/s, and that 20 kg/s stop."""
    part = packed(runner)
    law = runner.chosen.force
    return [law(part, 1.0, slip, 1000.0, 20.0, 5.0 * math.sin(slip), ticks) for slip in SLIPS]


@LAWS
def test_only_the_numbers_that_it_uses_change_it(law):
    before = forces(runner_of(law))
    assert min(before) > 0.0
    for name, value in OTHER.items():
        assert (forces(runner_of(law, **{name: value})) != before) is (name in law.uses), name


@LAWS
def test_its_text_is_a_formula_that_gives_the_same(law):
    if law.each_tick:
        return
    runner = runner_of(law)
    part, code = packed(runner), parsed.code_of(runner.written_as(GRIP), GRIP, ())
    for slip in SLIPS:
        told = lawunits.evaluated(code, [slip, 5.0, 1000.0], {})
        given = np.array([slip, 5.0, 1000.0])
        assert told == pytest.approx(runnerforce.law_grip(part, given), abs=4e-3), "the drawn one is sampled"


@LAWS
def test_two_halves_of_a_tick_take_as_much_of_a_side_speed_as_the_whole(law):
    if not law.each_tick:
        return
    speed, mass, dt = 3.0, 40.0, 0.01
    part = packed(runner_of(law))
    whole = speed - law.force(part, 1.0, 0.5, 1000.0, mass / dt, speed, 1.0) * dt / mass
    half = speed
    for _ in range(2):
        half -= law.force(part, 1.0, 0.5, 1000.0, mass / (0.5 * dt), half, 0.5) * 0.5 * dt / mass
    assert half == pytest.approx(whole, rel=1e-12)


@LAWS
def test_the_kernel_takes_the_law_that_is_chosen(law):
    runner = runner_of(law)
    part = packed(runner)
    for slip, force in zip(SLIPS, forces(runner), strict=True):
        assert runnerlaws.force_of(part, 1.0, slip, 1000.0, 20.0, 5.0 * math.sin(slip), 1.0) == force


def test_names_and_words_are_its_own():
    assert len({law.name for law in runnerlaws.LAWS}) == len({law.words for law in runnerlaws.LAWS})
