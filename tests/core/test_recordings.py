"""Recordings: what a game told as a run beside ours, how far ours is off it, and a drill that is driven as it was."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from pydantic import ValidationError

from oak_sled.core.assembly import jobs, starts
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import yard_json
from oak_sled.core.link.messages import Hello, Telemetry
from oak_sled.core.link.telemetry import Take
from oak_sled.core.project import demos, retold
from oak_sled.core.results import recorded, traces
from oak_sled.core.results.run import execute
from oak_sled.core.yard.game import Game
from oak_sled.core.yard.recording import MOVES, PLACE, SPINS, TURN, Column, Recording

STATE = (*PLACE, *TURN, *MOVES, *SPINS)


def recording_of(run, names=STATE, every=1, inputs=True):
    """The recording that a game would tell that is the run itself."""
    lead = run.seen_from(run.job.actors[0].craft.id)
    told = {name: lead.column(name)[::every] for name in names}
    if inputs:
        told |= {f"input.{one.id}": lead.column(f"input.{one.id}")[::every] for one in lead.job.actors[0].channels}
    return Recording(
        name="lake", ticks=run.job.ticks / every, t=Column(name="t", values=tuple(run.t[::every].tolist())),
        columns=tuple(Column(name=name, values=tuple(values.tolist())) for name, values in told.items()),
    )  # fmt: skip


def run_of(demo):
    run = execute(jobs.job_of(demos.load(demo)))
    return run.seen_from(run.job.actors[0].craft.id)


def held_against(run, recording):
    """The same run with a drill that has the recording."""
    job = replace(run.job, drill=run.job.drill.replace(recording=recording))
    return replace(run, job=job, analysis=type(run.analysis)())


@pytest.mark.parametrize("demo", demos.DEMOS)
def test_a_run_told_by_a_game_is_the_run_and_ours_is_not_off_it(demo):
    run = run_of(demo)
    recording = recording_of(run)
    told = recorded.as_run(recording, run.job)
    assert recorded.is_told(told)
    assert not recorded.is_told(run)
    for name in PLACE + MOVES + SPINS:
        assert np.allclose(told.column(name), run.column(name), rtol=0.0, atol=1e-9)
    for channel in run.job.actors[0].channels:
        assert np.array_equal(told.column(f"input.{channel.id}"), run.column(f"input.{channel.id}"))
    ours = held_against(run, recording)
    for name in recorded.OFF:
        assert np.allclose(traces.values(ours, f"off.{name}"), 0.0, atol=1e-6), name
    assert {f"off.{name}" for name in recorded.OFF} <= traces.book(ours).keys()
    assert not {f"off.{name}" for name in recorded.OFF} & traces.book(run).keys()


@pytest.mark.parametrize("demo", demos.DEMOS)
def test_the_start_of_a_recording_is_the_start_of_the_run(demo):
    run = run_of(demo)
    state = np.array([run.column(name)[0] for name in STATE])
    lead = run.job.actors[0].whole
    start = retold.start_of(state, lead, run.job.ground)
    again = starts.start_states(lead, start, run.job.ground)[0]
    if state[2] < again[2] - 1e-6:
        assert start.height == 0.0, "it stands where nothing lower can begin"
        again = np.concatenate([again[:2], state[2:3], again[3:]])
    sign = np.sign(again[3:7] @ state[3:7])
    again[3:7] *= sign
    assert np.allclose(again, state, atol=1e-7)


@pytest.mark.parametrize("demo", ["fan-sled", "ice-truck", "ferry", "bush-plane"])
def test_a_drill_of_a_recording_repeats_the_run_to_the_bit_of_its_inputs(demo):
    run = run_of(demo)
    drill = retold.drill_of(recording_of(run), run.job, "again")
    yard, name = demos.load(demo), run.job.actors[0].craft.id
    again = execute(jobs.job_of(yard, drill, name))
    assert again.ticks == run.ticks
    for channel in run.job.actors[0].channels:
        assert np.array_equal(again.column(f"channel.{channel.id}"), run.column(f"channel.{channel.id}"))
    assert traces.values(again, "off.place").max() < 1e-6
    heavier = yard.edit(f"crafts.{name}.body.mass", 2.0 * run.job.craft.body.mass)
    heavier = execute(jobs.job_of(heavier, drill, name))
    assert traces.values(heavier, "off.place").max() > 0.5
    assert np.array_equal(traces.values(recorded.beside(heavier), "speed"), traces.values(run, "speed")), "it stays"


def test_a_game_that_is_lower_than_the_craft_stands_is_lifted_and_that_is_said():
    run = run_of("fan-sled")
    told = recorded.as_run(recording_of(run), run.job)
    assert retold.lifted_words(told, run.job) == []
    low = {name: run.column(name) - 0.4 * (name == "position.z") for name in PLACE}
    sunk = Recording(
        name="lake", ticks=120, t=Column(name="t", values=tuple(run.t.tolist())),
        columns=tuple(Column(name=name, values=tuple(values.tolist())) for name, values in low.items()),
    )  # fmt: skip
    words = retold.lifted_words(recorded.as_run(sunk, run.job), run.job)[0]
    assert "begins 0.4 m lower" in words.replace("\u2009", " ")


def test_what_a_game_did_not_tell_is_found_from_what_it_did():
    run = run_of("fan-sled")
    bare = recorded.as_run(recording_of(run, PLACE), run.job)
    speed = np.linalg.norm(run.columns(*MOVES), axis=1)
    moving = speed > 1.0
    assert np.allclose(bare.columns(*MOVES), run.columns(*MOVES), atol=0.2)
    way = np.degrees(np.arctan2(run.column("velocity.y"), run.column("velocity.x")))
    off = (traces.values(bare, "heading") - way + 180.0) % 360.0 - 180.0
    assert np.abs(off[moving][5:-5]).max() < 3.0, "it heads where it moves"
    turned = recorded.as_run(recording_of(run, PLACE + TURN), run.job)
    assert np.allclose(turned.columns(*SPINS)[5:-5], run.columns(*SPINS)[5:-5], atol=0.1)
    assert np.isnan(traces.values(turned, "part.fan")).all(), "nobody told a force"
    assert np.isnan(turned.column("fan.force.x")).all()
    assert np.isnan(turned.own_row(3)[turned.layout.own_place("fan.force.x")])
    whole = np.concatenate(list(turned.record.chunks(100)))
    assert np.array_equal(whole[:, turned.layout.place("position.x")], turned.column("position.x"))
    assert turned.nbytes < 60 * len(run.t) * 8


def test_a_game_at_another_tick_rate_is_compared_at_the_same_times():
    run = run_of("fan-sled")
    slow = recorded.as_run(recording_of(run, every=4), run.job)
    assert abs(slow.ticks - run.ticks) < 4
    ours = run.columns(*PLACE)[: slow.ticks + 1]
    assert np.abs(slow.columns(*PLACE) - ours).max() < 0.02
    held = recording_of(run, every=4)
    assert held.ticks == run.job.ticks / 4
    assert "30 ticks a second, the craft is tuned at 120" in " ".join(
        retold.strange("lake", held.inputs, held.ticks, run.job.craft, run.job.ticks)
    )
    off = traces.values(held_against(run, held), "off.place")
    assert np.nanmax(off) < 0.02
    longer = held_against(run, Recording(
        name="lake", ticks=60, t=Column(name="t", values=(0.0, 0.5)),
        columns=tuple(Column(name=name, values=(0.0, 0.0)) for name in PLACE),
    ))  # fmt: skip
    assert np.isnan(traces.values(longer, "off.place")[-1]), "nothing was told by then"


def test_inputs_that_are_no_channel_and_channels_without_input_are_said():
    craft = demos.load("fan-sled").craft()
    found = retold.strange("lake", ["throtle"], 120.0, craft, 120.0)
    assert found[0].startswith("throtle of lake is no channel of")
    assert "throttle" in found[0]
    assert "tells no input of" in found[1]
    assert retold.strange("lake", [one.id for one in craft.channels], 120.0, craft, 120.0) == []


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"t": (0.0, 0.0, 1.0)}, "row 2 is not later"),
        ({"position.z": (0.0,)}, "has 1 rows, t has 3"),
        ({"position.z": None}, "there is no 'position.z'"),
        ({"rotation.w": (1.0, 1.0, 1.0)}, "there is no 'rotation.x'"),
        ({"position.x": (0.0, float("nan"), 1.0)}, "finite"),
        ({"t": (0.0, 1.0, 8000.0)}, "lasts 8000 s"),
        ({"t": (0.0,), "position.x": (0.0,), "position.y": (0.0,), "position.z": (0.0,)}, "at least two"),
    ],
)
def test_a_recording_that_is_not_whole_is_refused_with_its_place(change, words):
    told = {"t": (0.0, 1.0, 2.0), **dict.fromkeys(PLACE, (0.0, 0.0, 0.0))} | change
    with pytest.raises(ValidationError, match=words):
        Recording(
            t=Column(name="t", values=told.pop("t")),
            columns=tuple(Column(name=name, values=values) for name, values in told.items() if values is not None),
        )


def test_a_yard_with_a_recording_is_saved_and_opened_the_same():
    run = run_of("fan-sled")
    drill = retold.drill_of(recording_of(run), run.job, "again")
    yard = demos.load("fan-sled")
    yard = yard.replace(drills=(*yard.drills, drill))
    text = yard_json.dumps(yard)
    assert yard_json.loads(text) == yard
    assert yard_json.loads(text).drill("again").recording == drill.recording


def test_a_take_is_told_from_any_row_on_and_its_newest_stretch():
    take, run = Take(Hello(version=1, name="lake", ticks=120.0), Game()), run_of("fan-sled")
    state = np.stack([run.column(name) for name in STATE], axis=1).tolist()
    for tick, row in enumerate(state):
        take.add(Telemetry(
            tick=tick, position=tuple(row[:3]), attitude=tuple(row[3:7]), velocity=tuple(row[7:10]),
            spin=tuple(row[10:]), inputs={"throttle": 1.0},
            numbers={"heat": 0.5 * tick},
        ))  # fmt: skip
    game = held_against(run, take.recording())
    assert "game.heat" in traces.book(game)
    assert np.allclose(traces.values(game, "game.heat"), np.arange(run.ticks + 1) * 0.5)
    newest = take.told(run.job, 1.0, 100)
    assert newest.ticks == 120
    assert newest.first_tick == run.ticks - 100 - 120
    assert np.allclose(newest.column("position.x"), run.column("position.x")[-121:], atol=1e-9)
    take.add(Telemetry(tick=10**9, position=(0.0, 0.0, 0.0)))
    assert take.told(run.job, 1.0).ticks <= 121, "a tick far ahead costs no memory"
    assert take.told(run.job, np.inf).ticks <= recorded.MOST_TICKS
    with pytest.raises(Refused, match="lasts"):
        take.recording()
    part = take.recording(100, 150)
    assert part.t.values[0] == 0.0
    assert len(part.t.values) == 50
    assert part.column("position.x")[0] == run.column("position.x")[100]
