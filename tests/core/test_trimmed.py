"""Drills that begin trimmed, and the trim wheels of channels."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.base.faults import Refused
from oak_sled.core.compiler import plain
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.project import demos, trimmed
from oak_sled.core.results import run
from oak_sled.core.yard.channel import Channel


def flown(yard, name, **more):
    drill = yard.drill(name).replace(tracks=(), duration=20.0, **more)
    return run.execute(jobs.job_of(yard, drill))


@pytest.mark.parametrize(("speed", "climb"), [(0.0, None), (36.0, 0.0), (30.0, 1.5)])
def test_a_plane_that_begins_trimmed_flies_on_hands_off(speed, climb):
    yard = demos.load("bush-plane")
    begun, found = trimmed.trimmed(yard, yard.drill("glide"), speed, climb)
    assert found.is_steady
    made = flown(begun, "glide")
    rows = slice(0, made.at(12.0))  # the spiral of this plane takes it away in time
    pace = np.linalg.norm(made.columns("velocity.x", "velocity.y", "velocity.z"), axis=1)[rows]
    assert np.ptp(pace) < 1.0
    assert pace[0] == pytest.approx(speed or 30.0, rel=1e-5)
    rise = made.column("velocity.z")[rows]
    assert np.abs(rise - (climb or 0.0)).max() < 0.5


@pytest.mark.parametrize("towards", [0.0, 90.0, 200.0])
def test_a_flight_that_begins_trimmed_in_wind_is_carried_along_by_it(towards):
    yard = demos.load("bush-plane")
    ground = yard.ground("windy_lake").replace(wind_to_deg=towards)
    yard = yard.edit_all(
        [
            ("grounds.windy_lake", ground),
            ("drills.glide.ground", "windy_lake"),
            ("drills.glide.start.heading_deg", 40.0),
        ]
    )
    begun, _ = trimmed.trimmed(yard, yard.drill("glide"), 32.0, 0.0)
    made = flown(begun, "glide")
    rows = slice(0, made.at(6.0))
    blown = 4.0 * np.array([np.cos(np.radians(towards)), np.sin(np.radians(towards)), 0.0])
    pace = np.linalg.norm(made.columns("velocity.x", "velocity.y", "velocity.z")[rows] - blown, axis=1)
    assert np.abs(pace - 32.0).max() < 0.2
    again, _ = trimmed.trimmed(begun, begun.drill("glide"))
    assert again.drill("glide").start.speed == pytest.approx(begun.drill("glide").start.speed, abs=0.05)


def test_a_turn_begins_with_the_bank_of_its_start():
    yard = demos.load("bush-plane").edit("drills.turn.start.roll_deg", 30.0)
    begun, found = trimmed.trimmed(yard, yard.drill("turn"))
    assert np.degrees(found.bank) == pytest.approx(30.0)
    made = flown(begun, "turn")
    spun = np.degrees(made.column("spin.z")[slice(0, made.at(8.0))])
    assert spun == pytest.approx(np.full(len(spun), np.degrees(found.turn)), abs=0.4)


def test_what_returns_gets_its_trim_wheel_and_levers_begin_where_they_must_be():
    yard = demos.load("bush-plane")
    begun, found = trimmed.trimmed(yard, yard.drill("turn"))
    channels = {one.id: one for one in begun.craft("ski_plane").channels}
    assert channels["pitch"].offset == pytest.approx(found.channels["pitch"], abs=1e-6)
    assert channels["throttle"].start == pytest.approx(found.channels["throttle"], abs=1e-6)
    assert channels["throttle"].offset == 0.0
    again, once_more = trimmed.trimmed(begun, begun.drill("turn"))
    assert once_more.channels["pitch"] == pytest.approx(found.channels["pitch"], abs=1e-4), (
        "found from where it was set"
    )
    assert again.drill("turn").start.pitch_deg == pytest.approx(begun.drill("turn").start.pitch_deg, abs=1e-2)


def test_where_no_flight_is_steady_it_is_said_what_is_missing():
    yard = demos.load("bush-plane")
    with pytest.raises(Refused, match="lacks"):
        trimmed.trimmed(yard, yard.drill("glide"), 12.0)
    yard = demos.load("fan-sled")
    with pytest.raises(Refused):
        trimmed.trimmed(yard, yard.drill())


@pytest.mark.parametrize("in_python", [False, True])
def test_a_trim_wheel_adds_to_what_the_hand_gives_within_the_ends(make, in_python):
    push = Thruster(id="push", channel="stick", thrust=1.0)
    stick = Channel(id="stick", rise=1e6, fall=1e6, offset=0.3)

    def read(value):
        return make.run([push], channels=(stick,), seconds=0.1, ticks=60, inputs={"stick": [(0.0, value)]})

    def check():
        assert read(0.0).column("channel.stick")[2] == pytest.approx(0.3)
        assert read(0.5).column("channel.stick")[2] == pytest.approx(0.8)
        assert read(1.0).column("channel.stick")[2] == 1.0
        assert read(-1.0).column("channel.stick")[2] == pytest.approx(-0.7)
        assert read(0.0).column("channel.stick")[0] == pytest.approx(0.3), "from the start"

    if in_python:
        with plain.python():
            check()
    else:
        check()
    lever = stick.replace(stays="lever", start=0.2, offset=0.1, two_sided=False)
    made = make.run([push], channels=(lever,), seconds=0.1, ticks=60)
    assert made.column("channel.stick")[[0, -1]] == pytest.approx([0.3, 0.3])
