"""How a craft stands and swings, from the kernel linearised at rest: against closed forms, statics and runs."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.advice import cautions, modes
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.pad import Pad
from oak_sled.core.parts.payload import Payload
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.wheels.bar import Bar
from oak_sled.core.parts.wheels.wheel import Wheel
from oak_sled.core.results import run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground

ICE = Ground(id="ice")
GRAVITY = 9.80665


def job(*parts, body, ticks=240, seconds=2.0, **start) -> Job:
    craft = Craft(id="craft", body=body, channels=(), parts=parts)
    return Job(craft, ICE, Drill(id="d", ground="ice", craft="craft", start=Start(**start), duration=seconds), ticks)


def random_craft(seed: int, centred: bool) -> tuple[Body, Pad]:
    """A box on four pads: any mass, size, stiffness and damping that stands."""
    dice = np.random.default_rng(seed)
    mass = float(10.0 ** dice.uniform(1.5, 4.0))
    length, width = dice.uniform(1.0, 5.0), dice.uniform(0.8, 2.5)
    sag, share = dice.uniform(0.05, 0.2), dice.uniform(0.1, 0.5)
    stiffness = mass * GRAVITY / 4.0 / sag
    damping = share * 2.0 * math.sqrt(4.0 * stiffness * mass) / 4.0
    aside = (0.0, 0.0) if centred else (dice.uniform(-0.15, 0.15) * length, dice.uniform(-0.15, 0.15) * width)
    body = Body(
        mass=mass, length=length, width=width, height=dice.uniform(0.3, 1.0), held=(), centre_x=aside[0],
        centre_y=aside[1],
    )  # fmt: skip
    return body, Pad(
        id="pads", z=0.0, reach=1.0, stiffness=stiffness, damping=damping, spread_x=0.45 * length, spread_y=0.45 * width
    )


@pytest.mark.parametrize("first", range(0, 200, 40))
def test_modes_of_200_crafts_are_those_of_closed_form(first):
    """w2 = 4 k / m, 4 k b2 / Ix, 4 k a2 / Iy, and 2 z w = the same with c: a box on four springs, any text."""
    for seed in range(first, first + 40):
        body, pad = random_craft(seed, centred=True)
        stands = modes.standing(job(pad, body=body))
        assert stands is not None
        weights = (body.mass, body.inertia()[0] / pad.spread_y**2, body.inertia()[1] / pad.spread_x**2)
        for name, weight in zip(modes.NAMES, weights, strict=True):
            mode = stands.mode(name)
            rate = math.sqrt(4.0 * pad.stiffness / weight)
            assert mode.rate == pytest.approx(rate, rel=1e-4), (seed, name)
            assert mode.share == pytest.approx(4.0 * pad.damping / weight / (2.0 * rate), rel=1e-3), (seed, name)
        assert stands.loads == pytest.approx([body.mass * GRAVITY / 4.0] * 4, rel=1e-9)


@pytest.mark.parametrize("first", range(0, 200, 40))
def test_where_200_crafts_stand_is_where_a_run_comes_to_rest(first):
    """Height to 1e-6 m, weights by statics to 1e-6 of the whole, with the centre of mass anywhere between the pads."""
    for seed in range(first, first + 40):
        body, pad = random_craft(seed, centred=False)
        body = body.replace(held=("x", "y", "yaw"))  # what leans on its pads slides off
        stands = modes.standing(job(pad, body=body))
        slowest = min(mode.share * mode.rate for mode in stands.modes)
        made = run.execute(job(pad, body=body, seconds=16.0 / slowest))
        weight = body.mass * GRAVITY
        assert made.column("position.z")[-1] == pytest.approx(stands.height, abs=1e-5), seed
        loads = [made.column(f"pads.{k}.force")[-1] for k in range(1, 5)]
        assert np.abs(np.array(loads) - stands.loads).max() < 1e-4 * weight, seed
        up = math.cos(stands.roll) * math.cos(stands.pitch)
        assert sum(stands.loads) * up == pytest.approx(weight, rel=1e-6)


@pytest.mark.parametrize("seed", range(0, 24))
def test_a_bounce_in_a_run_has_the_rate_and_the_damping_of_its_mode(seed):
    body, pad = random_craft(seed, centred=True)
    pad = pad.replace(damping=0.3 * pad.damping)
    mode = modes.standing(job(pad, body=body)).mode("bounce")
    swings = mode.rate * math.sqrt(1.0 - mode.share**2)
    made = run.execute(job(pad, body=body, seconds=6.0 * math.tau / swings, height=0.01))
    z = made.column("position.z") - job(pad, body=body).craft.stands_above(GRAVITY)
    turns = np.flatnonzero((z[:-1] > 0.0) & (z[1:] <= 0.0))
    exact = turns + z[turns] / (z[turns] - z[turns + 1])
    assert math.tau / (np.diff(exact).mean() / 240.0) == pytest.approx(swings, rel=1e-2)
    peaks = [float(z[a:b].min()) for a, b in zip(turns[:-1], turns[1:], strict=True)]
    fades = math.log(peaks[0] / peaks[-1]) / ((len(peaks) - 1) * math.tau / swings)
    assert fades == pytest.approx(mode.share * mode.rate, rel=5e-2)


@pytest.mark.parametrize("share", [0.98, 1.02])
def test_the_stiffest_spring_of_a_mode_is_where_a_run_begins_to_grow(share):
    body, pad = random_craft(5, centred=True)
    plain = modes.standing(job(pad, body=body, ticks=30))
    most = min(mode.stiffest for mode in plain.modes)
    stiff = pad.replace(stiffness=share * most * pad.stiffness, pulls=True)
    grows = any(mode.grows for mode in modes.standing(job(stiff, body=body, ticks=30)).modes)
    assert grows == (share > 1.0)
    made = run.execute(job(stiff, body=body, ticks=30, seconds=20.0, roll_deg=1e-4, pitch_deg=1e-4, height=1e-6))
    swing = (
        np.abs(np.diff(made.column("position.z")))
        + np.abs(made.column("spin.x")[1:])
        + np.abs(made.column("spin.y")[1:])
    )
    assert (swing.max() > 100.0 * swing[:5].max()) == (share > 1.0)
    if share > 1.0:
        assert "mode_grows" in [one.name for one in cautions.find(made.job, made)]


def test_a_bar_stiffens_roll_and_no_other_mode():
    wheels = Wheel(id="wheels", spread_x=1.2, spread_y=0.7, z=-0.5)
    body = Body(mass=800.0, length=3.0, width=1.4, height=0.8, held=())
    plain = modes.standing(job(wheels, body=body))
    barred = modes.standing(job(Bar(id="bar", joins="wheels", stiffness=20000.0), wheels, body=body))
    for name in ("bounce", "pitch"):
        assert barred.mode(name).rate == pytest.approx(plain.mode(name).rate, rel=1e-4)
    gained = barred.mode("roll").rate ** 2 - plain.mode("roll").rate ** 2
    assert gained == pytest.approx(8.0 * 20000.0 * wheels.spread_y**2 / body.inertia()[0], rel=1e-2)


def test_a_payload_counts():
    body, pad = random_craft(11, centred=True)
    load = Payload(id="load", mass=0.5 * body.mass, z=0.0)
    alone, loaded = modes.standing(job(pad, body=body)), modes.standing(job(pad, load, body=body))
    assert sum(loaded.loads) == pytest.approx(1.5 * sum(alone.loads), rel=1e-6)
    assert loaded.mode("bounce").rate == pytest.approx(alone.mode("bounce").rate / math.sqrt(1.5), rel=1e-3)


def test_a_craft_whose_supports_are_all_on_one_side_stands_nowhere():
    body, pad = random_craft(3, centred=True)
    front = pad.replace(x=2.0 * pad.spread_x, spread_x=0.1)
    made = run.execute(job(front, body=body))
    assert "stands_nowhere" in [one.name for one in cautions.find(made.job, made)]
    assert modes.standing(job(body=body)) is None, "no rays: nothing to say"


def test_what_only_rubs_changes_nothing_of_how_it_stands_and_is_not_computed_again():
    wheels = Wheel(id="wheels", spread_x=1.2, spread_y=0.7, stiffness=24000.0)
    body = Body(mass=800.0, length=3.0, width=1.4, height=0.8, held=())
    first, grippy, stiff = (
        modes.standing(job(wheels.replace(**changes), body=body))
        for changes in ({}, {"side_grip": 0.3, "rolling": 0.2}, {"stiffness": 30000.0})
    )
    assert grippy is first
    assert stiff.mode("bounce").rate > 1.05 * first.mode("bounce").rate


def test_what_waits_for_its_channel_changes_nothing_of_how_it_stands_and_is_not_computed_again():
    pads = Pad(id="pads", z=0.0, reach=1.0, stiffness=20000.0, damping=2000.0, spread_x=1.0, spread_y=0.6)
    body = Body(mass=800.0, length=3.0, width=1.4, height=0.8, held=())
    throttle = Channel(id="throttle")

    def stands(**changes):
        fan = Thruster(id="fan", x=-1.0, z=0.4, **{"channel": "throttle", "thrust": 900.0, **changes})
        craft = Craft(id="craft", body=body, channels=(throttle,), parts=(pads, fan))
        return modes.standing(Job(craft, ICE, Drill(id="d", ground="ice", craft="craft", duration=1.0), 240))

    first = stands()
    assert stands(thrust=4000.0) is first
    always = stands(channel="", timing="always")
    assert always is not first
    assert stands(channel="", timing="always", thrust=1200.0) is not always, "one that always pushes is asked anew"


def test_what_only_rubs_is_not_solved_again_and_what_carries_is(monkeypatch):
    body, pads = random_craft(5, True)
    solved = []
    solve = modes._standing
    monkeypatch.setattr(modes, "_standing", lambda *given: solved.append(given) or solve(*given))
    modes._STANDS.clear()
    brake = Brake(id="brake", bite=0.3)
    first = modes.standing(job(pads, brake, body=body))
    assert modes.standing(job(pads, brake.replace(bite=0.6), body=body)) == first
    assert len(solved) == 1, "a brake rubs"
    softer = modes.standing(job(pads.replace(stiffness=0.8 * pads.stiffness), brake, body=body))
    assert softer.height < first.height
    assert modes.standing(job(pads, brake, body=body, ticks=480)).mode("bounce").share != pytest.approx(0.0)
    assert modes.standing(job(pads, brake, body=body)) == first
    assert len(solved) == 3, "another spring, another tick rate, and nothing for what was there"
