"""Input sources: levels, increments and notches, each to every kind of channel, and recorded as columns."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import demos, sources
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.project.sources import Bound, Hand, Keys, held_values
from oak_sled.core.results import run
from oak_sled.core.results.record import Layout
from oak_sled.core.yard.channel import Channel

DT = 1.0 / 120.0


class Ball:
    """A source of the test's: a track ball that moves, and a wheel that clicks."""

    name = "ball"

    def __init__(self):
        self.moved, self.clicks = 0.0, 0.0

    def kind(self, control):
        return "increment" if control == "roll" else "notch"

    def value(self, control):
        return self.moved if control == "roll" else self.clicks

    def taken(self):
        self.moved, self.clicks = 0.0, 0.0

    def release(self):
        self.taken()


@pytest.fixture
def ball(monkeypatch):
    """A hand whose channels are driven by the ball, one by its roll and one by its clicks."""
    real = sources.bindings
    own = {"rolled": (Bound("ball", "roll", 0.5),), "clicked": (Bound("ball", "click"),)}
    monkeypatch.setattr(sources, "bindings", lambda channel: own.get(channel.id) or real(channel))
    return Ball()


def test_a_level_is_told_no_more_than_it_can_be_and_an_increment_is():
    yard = demos.load("fan-sled")
    where = "drills.slalom.tracks.0.knots.0.value"
    with pytest.raises(Refused, match=r"tracks\.0\.knots\.0\.value: must be from -1 to 1, got 5 .*takes a level"):
        yard.edit(where, 5.0)
    channel = yard.drill("slalom").tracks[0].channel
    taken = f"crafts.fan_sled.channels.{channel}.takes"
    free = yard.edit(taken, "increment").edit(where, 5.0)
    with pytest.raises(Refused, match="takes a level"):
        free.edit(taken, "level")


def test_opposing_keys_cancel_and_two_keys_are_no_more_than_one():
    both = Channel(id="a", plus_keys=("W", "Up"), minus_keys=("S",))
    for held, value in [((), 0), (("W",), 1), (("W", "Up"), 1), (("S",), -1), (("W", "S"), 0), (("Q",), 0)]:
        assert held_values([both], held)[0] == value
    assert held_values([both.replace(two_sided=False)], ("S",))[0] == 0.0


def test_increments_are_summed_and_none_is_lost(ball):
    hand = Hand([Keys(), ball])
    rolled = Channel(id="rolled", takes="increment", two_sided=True)
    ball.moved = 0.3
    ball.moved += 5.0
    found = hand.values([rolled], 4, DT)
    assert found.sum() == pytest.approx(0.5 * 5.3, rel=1e-15), "whatever the number of ticks"
    assert np.ptp(found) == 0.0
    assert not hand.values([rolled], 3, DT).any(), "what was given is not given again"


def test_notches_come_once_and_parts_of_a_notch_are_kept(ball):
    hand = Hand([Keys(), ball])
    clicked, rolled = Channel(id="clicked", takes="notch"), Channel(id="rolled", takes="notch")
    ball.clicks, ball.moved = 2.0, 1.5
    assert np.array_equal(hand.values([clicked, rolled], 3, DT), [[2, 0], [0, 0], [0, 0]])
    ball.moved = 0.6
    assert np.array_equal(hand.values([clicked, rolled], 2, DT), [[0, 1], [0, 0]]), "0.75 and 0.3 are one"


def test_a_key_steps_a_channel_of_notches_once_a_press():
    keys = Keys()
    hand = Hand([keys])
    gear = Channel(id="gear", takes="notch", stays="selector", plus_keys=("E",), minus_keys=("Q",))
    told = []
    for held in [(), ("E",), ("E",), (), ("Q",), ("Q", "E"), ()]:
        keys.held = set(held)
        told.append(hand.values([gear], 2, DT)[:, 0].tolist())
    assert told == [[0, 0], [1, 0], [0, 0], [0, 0], [-1, 0], [1, 0], [0, 0]]


def test_a_key_moves_a_channel_of_increments_at_its_rate():
    trim = Channel(id="trim", takes="increment", stays="lever", rise=0.5, plus_keys=("E",))
    keys = Keys()
    keys.held = {"E"}
    assert Hand([keys]).values([trim], 120, DT).sum() == pytest.approx(0.5, rel=1e-12)


def test_releasing_lets_go_of_every_source(ball):
    keys = Keys()
    keys.held, ball.moved = {"W"}, 2.0
    hand = Hand([keys, ball])
    hand.release()
    channels = [Channel(id="a", plus_keys=("W",)), Channel(id="rolled", takes="increment")]
    assert not hand.values(channels, 5, DT).any()


# through the kernel


def drive_of(channel):
    yard = demos.load("fan-sled")
    craft = yard.craft()
    grown = craft.replace(channels=(*craft.channels, channel))
    yard = yard.replace(crafts=tuple(grown if one.id == craft.id else one for one in yard.crafts))
    return LiveDrive(jobs.job_of(yard))


def driven(channel, given):
    """The value of a channel after each tick. given : its raw input in each tick."""
    drive = drive_of(channel)
    raw = np.zeros((len(given), len(drive.job.channels)))
    raw[:, len(drive.job.craft.channels) - 1] = given
    drive.advance(len(given), raw)
    made = drive.finish()
    return made, made.column(f"channel.{channel.id}")[1:]


def test_an_increment_moves_a_lever_at_once_and_no_further_than_its_end():
    lever = Channel(id="trim", takes="increment", stays="lever")
    _, found = driven(lever, [0.0, 0.3, 0.3, 0.0, -0.1, 7.0, 0.0, -5.0])
    assert found == pytest.approx([0.0, 0.3, 0.6, 0.6, 0.5, 1.0, 1.0, -1.0])


def test_an_increment_that_does_not_stay_returns_at_its_rate():
    stick = Channel(id="stick", takes="increment", fall=6.0)
    _, found = driven(stick, [0.2, 0.0, 0.0, 0.0, 0.0, 0.0])
    assert found == pytest.approx([0.2, 0.15, 0.10, 0.05, 0.0, 0.0])


def test_notches_step_selectors_levers_and_toggles():
    gear = Channel(id="gear", takes="notch", stays="selector", notches=5, two_sided=False)
    assert driven(gear, [1, 0, 2, -1, 9, 0])[1] == pytest.approx([0.25, 0.25, 0.75, 0.5, 1.0, 1.0])
    lamp = Channel(id="lamp", takes="notch", stays="toggle", two_sided=False)
    assert driven(lamp, [1, 0, 0, 1, 2, 3])[1].tolist() == [1.0, 1.0, 1.0, 0.0, 0.0, 1.0]


@pytest.mark.parametrize("takes", ["level", "increment", "notch"])
def test_raw_input_is_recorded_as_a_column_and_the_kept_drill_repeats_it(takes):
    """A drive of increments in every tick, kept as a drill, gives the same record to the bit."""
    channel = Channel(id="extra", takes=takes, stays="lever", notches=9)
    random = np.random.default_rng(3)
    given = random.integers(-2, 3, 200) * (1.0 if takes == "notch" else 0.05)
    made, found = driven(channel, given)
    assert made.column("input.extra")[1:].tolist() == given.tolist()
    assert np.ptp(found) > 0.05
    again = run.execute(made.job)
    assert again.column("channel.extra").tobytes() == made.column("channel.extra").tobytes()
    assert again.digest == made.digest


# bodies of a craft


def test_every_body_of_a_craft_reads_the_channels_of_its_craft():
    """The second craft of a yard made a body of the first: its parts act by the channels of that one, and its own
    ledger, memory and motion stay its own."""
    yard = demos.load("shunting")
    job = jobs.job_of(yard, next(one for one in yard.drills if one.cast))
    own, joined = Machine.of(job), Machine.of(job)
    joined.world.crafts["lead"][1] = 0
    count = int(joined.nows["channel_count"][0])
    raw = np.zeros((30, len(job.channels)))
    raw[:, :count] = 1.0
    width = Layout.of(job).width
    for machine in (own, joined):
        machine.advance(raw, np.empty((30, width)))
    first, second = joined.nows["channels"][:, :count]
    assert np.array_equal(first, second)
    assert np.abs(first).max() > 0.5
    assert not np.array_equal(own.nows["channels"][1, :count], second)
    assert not np.array_equal(joined.nows["lines"][0], joined.nows["lines"][1])
    assert joined.nows["lines"][0].tobytes() == own.nows["lines"][0].tobytes()
