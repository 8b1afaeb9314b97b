"""Channels that stay: levers, toggles and selectors, as a hand finds them; and controllers before the parts."""

from __future__ import annotations

import numpy as np
import pytest
from pydantic import ValidationError

from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.compiler import plain
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.compiler.types import Record
from oak_sled.core.kernel.state import COMMAND
from oak_sled.core.parts import register
from oak_sled.core.parts.thruster import RECORD, Thruster
from oak_sled.core.project import demos
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.project.sources import held_values
from oak_sled.core.results.record import Layout
from oak_sled.core.yard.channel import Channel

TICKS = 120


def values(make, channel, presses, seconds=4.0):
    """The value of a channel in every row. presses : (s, raw input) from then on."""
    part = Thruster(id="push", channel="lever", thrust=1.0)
    made = make.run([part], channels=(channel,), seconds=seconds, ticks=TICKS, inputs={"lever": presses})
    return made.column("channel.lever")


def at(found, seconds):
    return found[round(seconds * TICKS)]


@pytest.mark.parametrize("two_sided", [True, False])
def test_a_lever_moves_at_its_rate_and_stays(make, two_sided):
    lever = Channel(id="lever", stays="lever", rise=0.8, two_sided=two_sided)
    found = values(make, lever, [(0.5, 1), (1.0, 0), (2.0, -1), (2.25, 0), (3.0, 1), (3.9, 0)])
    assert at(found, 1.0) == pytest.approx(0.4, abs=0.8 / TICKS)
    assert np.ptp(found[round(1.05 * TICKS) : round(1.95 * TICKS)]) == 0.0
    assert at(found, 1.5) - at(found, 2.5) == pytest.approx(0.2, abs=1.6 / TICKS), "input the other way takes it back"
    assert found.max() <= 1.0


def test_a_lever_ends_at_its_ends(make):
    lever = Channel(id="lever", stays="lever", rise=5.0, two_sided=False)
    found = values(make, lever, [(0.0, 1), (1.0, -1), (2.0, 0)])
    assert at(found, 0.9) == 1.0
    assert at(found, 1.9) == 0.0
    both = values(make, lever.replace(two_sided=True), [(0.0, -1), (1.0, 0)])
    assert at(both, 0.9) == -1.0


def test_a_toggle_is_on_from_one_press_to_the_next(make):
    toggle = Channel(id="lever", stays="toggle", two_sided=False)
    found = values(make, toggle, [(0.5, 1), (1.5, 0), (2.0, 1), (2.2, 0), (3.0, 1)])
    assert [at(found, t) for t in (0.4, 1.0, 1.8, 2.1, 2.8, 3.5)] == [0.0, 1.0, 1.0, 0.0, 0.0, 1.0]
    both = values(make, toggle.replace(two_sided=True), [(0.5, -1), (1.0, 0), (1.5, 1), (2.0, 0), (2.5, 1)])
    assert [at(both, t) for t in (0.8, 1.8, 2.8)] == [-1.0, 1.0, 0.0]


@pytest.mark.parametrize(
    ("notches", "two_sided", "stands"),
    [
        (3, True, [0.0, 1.0, 1.0, 0.0]),
        (5, True, [0.0, 0.5, 1.0, 0.5]),
        (2, False, [0.0, 1.0, 1.0, 0.0]),
        (5, False, [0.0, 0.25, 0.5, 0.25]),
    ],
)
def test_a_selector_steps_from_notch_to_notch(make, notches, two_sided, stands):
    selector = Channel(id="lever", stays="selector", notches=notches, two_sided=two_sided)
    found = values(make, selector, [(0.5, 1), (1.0, 0), (1.5, 1), (2.0, 0), (2.5, -1), (3.0, 0)])
    assert [at(found, t) for t in (0.2, 1.2, 2.2, 3.2)] == pytest.approx(stands, abs=1e-12)


@pytest.mark.parametrize("stays", ["lever", "toggle", "selector"])
def test_it_begins_where_it_is_put_and_a_drive_goes_on_from_there(make, stays):
    channel = Channel(id="lever", stays=stays, start=1.0, two_sided=False)
    assert np.all(values(make, channel, []) == 1.0)
    assert np.all(values(make, channel.replace(stays="no"), []) == 0.0), "what returns begins at rest"
    job = make.job([Thruster(id="push", channel="lever", thrust=1.0)], channels=(channel,), ticks=TICKS)
    drive = LiveDrive(job)
    drive.advance(30, held_values(job.craft.channels, set()))
    assert drive.finish().column("channel.lever")[-1] == 1.0


def test_keys_take_what_stays_back_though_it_is_one_sided():
    keys = {"plus_keys": ("W",), "minus_keys": ("S",)}
    assert held_values([Channel(id="a", two_sided=False, **keys)], {"S"})[0] == 0.0
    assert held_values([Channel(id="a", two_sided=False, stays="lever", **keys)], {"S"})[0] == -1.0


def test_a_selector_has_two_notches_or_more():
    with pytest.raises(ValidationError, match="notches"):
        Channel(id="a", stays="selector", notches=1)


def test_a_dead_zone_and_a_response_shape_what_moves_a_lever(make):
    lever = Channel(id="lever", stays="lever", rise=1.0, dead_zone=0.2, exponent=2.0)
    found = values(make, lever, [(0.0, 0.6), (1.0, 0.1)])
    assert at(found, 1.0) == pytest.approx(0.25, abs=0.5 / TICKS), "((0.6 - 0.2) / 0.8) squared, for a second"
    assert at(found, 2.0) == at(found, 1.1)


# the stage of controllers


@unit
def keep_half(own, gain, p, body, solids, ground, supports, now):
    """A controller for the test: channel 0 at half of what the hand gives, more the faster the craft is."""
    now.channels[0] = 0.5 * now.shaped[0] + 0.01 * body.velocity[0]


@pytest.mark.parametrize("in_python", [False, True])
def test_a_controller_writes_what_parts_read_and_leaves_the_hand_alone(in_python):
    yard = demos.load("fan-sled")
    job = jobs.job_of(yard, yard.drill("straight_pull"))
    machine = Machine.of(job)
    own = Record(RECORD)
    machine.world.parts[0]["command"] = keep_half.address(
        tuple(own if one is None else one for one in register.COMMAND.takes)
    )
    machine.world.calls[COMMAND] = 1
    count = 3 if in_python else 60
    inputs = np.zeros((count, len(job.craft.channels)))
    inputs[:, 0] = 1.0
    out = np.zeros((count, Layout.of(job).width))
    before = machine.nows[0]["shaped"][0], machine.scene.solids[1]["velocity"][0]
    if in_python:
        with plain.python():
            machine.advance(inputs, out)
    else:
        machine.advance(inputs, out)
    now, layout = machine.nows[0], Layout.of(job)
    assert now["shaped"][0] > before[0]
    column = out[:, layout.place(f"channel.{job.craft.channels[0].id}")]
    speeds = np.concatenate([[before[1]], out[:-1, layout.place("velocity.x")]])
    shaped = np.minimum(1.0, np.arange(1, count + 1) * job.craft.channels[0].rise * job.dt)
    assert column == pytest.approx(0.5 * shaped + 0.01 * speeds, abs=1e-12)
