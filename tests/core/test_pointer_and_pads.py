"""Pointers and pads as sources of input: no movement is lost or counted twice, and pads speak the events of the kernel
through a pipe, since no machine that runs this has one."""

from __future__ import annotations

import os

import numpy as np
import pytest
from stand_in_pads import BUTTONS, STICKS, Desk

from oak_sled.core.assembly import delays
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.holders.attitude import AttitudeHolder
from oak_sled.core.project import demos, pads, sources
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.project.pads import Abilities, Range
from oak_sled.core.project.sources import Hand, Pointer
from oak_sled.core.results import run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.control import Control
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Track
from oak_sled.core.yard.ground import Ground

SPACE = Ground(id="space", gravity=0.0, air_density=0.0, floor=False)
BODY = Body(mass=50.0, damping=0.0, spin_damping=0.0)


def pointed(what: str, **more) -> tuple[Control, ...]:
    return (Control(id="one", device="pointer", what=what, **more),)


def driven(channel: Channel, *parts, **drill) -> LiveDrive:
    craft = Craft(id="one", body=BODY, channels=(channel,), parts=parts)
    return LiveDrive(Job(craft, SPACE, Drill(id="d", **drill), 120))


@pytest.mark.parametrize("rate", [30, 120, 1000])
@pytest.mark.parametrize("frame", [1, 3, 8])
def test_the_sum_of_all_motion_is_the_sum_of_all_turn(rate, frame):
    """Whatever the tick and the frame rate: a movement is an angle, and no length of time comes into it."""
    channel = Channel(id="aim", takes="increment", stays="spent", controls=pointed("x", acts_as="motion", factor=-0.5))
    aim = AttitudeHolder(id="aim", yaw="turned", yaw_channel="aim", turn_deg=20.0)
    craft = Craft(id="one", body=BODY, channels=(channel,), parts=(aim,))
    drive = LiveDrive(Job(craft, SPACE, Drill(id="d"), rate))
    pointer, dice = Pointer(), np.random.default_rng(3)
    hand, total = Hand([pointer]), 0.0
    for _ in range(240 // frame):
        for _ in range(int(dice.integers(0, 4))):
            by = float(dice.integers(-4, 6))
            pointer.move(by, 0.0)
            total += by
        drive.advance(frame, hand.values(drive.job.channels, frame, 1.0 / rate))
    held = drive._machine.nows["memory"][0, 0, 6]
    assert total != 0.0
    assert held == pytest.approx(np.radians(-0.5 * total / sources.PX * 20.0), abs=1e-9)
    again = run.execute(drive.finish().job)
    assert again.digest == drive.finish().digest, "and it repeats to the bit"


def test_a_stick_stays_where_it_was_moved_to_and_returns_when_let_go():
    pointer = Pointer()
    channel = Channel(id="stick", controls=pointed("y", factor=2.0))
    hand = Hand([pointer])
    assert hand.values((channel,), 1, 0.01)[0, 0] == 0.0
    pointer.move(0.0, 20.0)
    assert hand.values((channel,), 4, 0.01)[:, 0].tolist() == [0.4] * 4
    assert hand.values((channel,), 1, 0.01)[0, 0] == 0.4
    pointer.move(0.0, 500.0)
    pointer.move(0.0, -25.0)
    assert hand.values((channel,), 1, 0.01)[0, 0] == pytest.approx(0.5), "past its end it is not wound up"
    hand.release()
    assert hand.values((channel,), 1, 0.01)[0, 0] == 0.0


def test_the_wheel_is_a_throttle_that_stays():
    channel = Channel(id="throttle", takes="notch", stays="lever", two_sided=False, notches=11,
                      controls=pointed("wheel"))  # fmt: skip
    drive, pointer = driven(channel), Pointer()
    hand = Hand([pointer])
    pointer.turn(3.0)
    drive.advance(5, hand.values(drive.job.channels, 5, 1.0 / 120.0))
    drive.advance(5, hand.values(drive.job.channels, 5, 1.0 / 120.0))
    assert drive.finish().column("channel.throttle")[-1] == pytest.approx(0.3)


@pytest.mark.parametrize("smoothing", [0.0, 0.05, 0.3])
def test_smoothing_spreads_a_movement_and_loses_none_of_it(smoothing):
    channel = Channel(id="turn", takes="increment", stays="lever", smoothing=smoothing, sensitivity=0.5)
    drive = driven(channel)
    raw = np.zeros((600, 1))
    raw[10] = 0.8
    drive.advance(600, raw)
    turned = drive.finish().column("channel.turn")
    assert turned[-1] == pytest.approx(0.4, abs=1e-6)
    assert (turned[12] == 0.4) == (smoothing == 0.0)


@pytest.mark.parametrize("sensitivity", [2.0, -1.0, 0.0])
def test_sensitivity_scales_levels_before_their_dead_zone(sensitivity):
    channel = Channel(id="stick", sensitivity=sensitivity, dead_zone=0.2, rise=1e6, fall=1e6)
    drive = driven(channel)
    drive.advance(10, np.array([0.4]))
    raw = min(max(0.4 * sensitivity, -1.0), 1.0)
    shaped = np.sign(raw) * max(abs(raw) - 0.2, 0.0) / 0.8
    assert drive.finish().column("channel.stick")[-1] == pytest.approx(shaped)
    assert drive.finish().column("input.stick")[-1] == 0.4


# delay


@pytest.mark.parametrize("rate", [30, 60, 120, 480])
@pytest.mark.parametrize("ms", [0.0, 20.0, 100.0, 333.0])
def test_a_delay_of_so_many_ms_is_that_to_a_tick(rate, ms):
    channel = Channel(id="go", rise=1e6, fall=1e6)
    craft = Craft(id="one", body=BODY, channels=(channel,))
    track = Track(channel="go", knots=(Knot(t=0.5, value=1.0),))
    drill = Drill(id="d", duration=1.5, tracks=(track,), input_delay=ms)
    made = run.execute(Job(craft, SPACE, drill, rate))
    came = np.flatnonzero(made.column("channel.go") > 0.5)[0] / rate - 1.0 / rate
    assert abs(came - 0.5 - ms / 1000.0) <= 1.0 / rate
    drive = LiveDrive(Job(craft, SPACE, drill, rate))
    drive.advance(rate // 2, np.array([0.0]))
    drive.advance(rate, np.array([1.0]))
    assert drive.finish().column("channel.go").tolist() == made.column("channel.go")[: drive.ticks + 1].tolist()


@pytest.mark.parametrize("seed", range(8))
def test_jitter_loses_no_movement_and_lets_none_overtake(seed):
    channels = (Channel(id="level"), Channel(id="moved", takes="increment"))
    dice = np.random.default_rng(seed)
    given = np.stack([np.arange(400.0), dice.normal(size=400)], axis=1)
    given[300:, 1] = 0.0
    line = delays.DelayLine(channels, 100.0, 80.0, 60.0, seed)
    pieces = [line.through(one) for one in np.array_split(given, [1, 7, 60, 61, 200])]
    out = np.concatenate(pieces)
    assert out[:, 1].sum() == pytest.approx(given[:, 1].sum(), abs=1e-12)
    assert np.all(np.diff(out[:, 0]) >= 0.0), "an older level never comes after a newer one"
    late = delays.late_ticks(80.0, 60.0, seed, 0, 400, 100.0)
    assert late.min() >= 2
    assert late.max() <= 14
    assert len(np.unique(late)) > 5
    assert np.array_equal(late[100:120], delays.late_ticks(80.0, 60.0, seed, 100, 20, 100.0))


def test_a_display_that_lags_shows_an_earlier_row():
    drive = driven(Channel(id="go"), display_delay=250.0)
    drive.advance(240, np.array([0.0]))
    assert drive.newest(5.0).ticks == 240 - 30
    assert drive.finish().ticks == 240


# pads


@pytest.fixture
def desk():
    made = Desk()
    yield made
    made.pads.close()


def bound(name: str, what: str, number: int = 1, **more) -> Channel:
    return Channel(id=name, controls=(Control(id="one", what=what, number=number, **more),))


def test_axes_buttons_and_hats_of_a_pad_become_levels(desk):
    one = desk.plug("event3")
    assert desk.said == ["pad 1 is there: Stand-in pad"]
    for kind, code, value in (
        (3, 0, 255),
        (3, 1, 255),
        (3, 5, 1023),
        (3, 8, -450),
        (3, 17, -1),
        (1, 0x131, 1),
        (0, 0, 0),
    ):
        one.tell(kind, code, value)
    desk.pads.poll()
    found = {name: desk.pads.value(f"1 {name}") for name in desk.pads.slots[0].levels}
    assert found == {
        "left x": 1.0, "left y": -1.0, "right trigger": 1.0, "wheel": -0.5, "hat y": 1.0, "button 1": 0.0,
        "button 2": 1.0, "button 3": 0.0,
    }  # fmt: skip
    one.tell(3, 0, 133)
    desk.pads.poll()
    assert desk.pads.value("1 left x") == 0.0, "near its middle it rests"


def test_an_event_that_comes_in_two_pieces_is_one(desk):
    one = desk.plug("event3")
    data = pads.EVENT.pack(1, 2, 3, 8, 900)
    os.write(one.write_end, data[:11])
    desk.pads.poll()
    assert desk.pads.value("1 wheel") == 0.0
    os.write(one.write_end, data[11:])
    desk.pads.poll()
    assert desk.pads.value("1 wheel") == 1.0


def test_two_pads_drive_a_craft_each_and_one_that_is_pulled_out_rests(desk):
    first, second = desk.plug("event3"), desk.plug("event7")
    channels = (bound("one", "wheel"), bound("two", "wheel", 2, factor=-1.0))
    hand = Hand([desk.pads])
    first.tell(3, 8, 900)
    second.tell(3, 8, 450)
    desk.pads.poll()
    assert hand.values(channels, 2, 0.01).tolist() == [[1.0, -0.5]] * 2
    del desk.there["event3"]
    first.pull_out()
    desk.pads.poll()
    desk.pads.poll()
    assert hand.values(channels, 1, 0.01).tolist() == [[0.0, -0.5]], "driving goes on"
    told = [one for one in desk.said if "pulled out" in one]
    assert told == ["pad 1 was pulled out: Stand-in pad; its channels go to rest"], "said once"
    again = desk.plug("event9")
    again.tell(3, 8, -900)
    desk.pads.poll()
    assert hand.values(channels, 1, 0.01).tolist() == [[-1.0, -0.5]], "what is plugged in takes the free number"


def test_a_channel_bound_to_what_is_not_there_is_told(desk):
    desk.plug("event3")
    assert desk.pads.lacks(bound("steer", "wheel")) == []
    assert desk.pads.lacks(bound("steer", "right x"))[0].startswith("steer: pad 1 has no 'right x' (it has button 1,")
    assert desk.pads.lacks(bound("steer", "wheel", 2)) == [
        "steer: there is no pad 2 (plug it in, or bind something else)"
    ]


@pytest.mark.parametrize("name", list(demos.DEMOS))
def test_every_pad_control_of_a_demo_is_on_a_usual_pad_and_moves_its_channel(name, desk):
    plugged = [desk.plug(f"event{k}", axes=STICKS, buttons=BUTTONS) for k in range(2)]
    codes, hand = {word: code for code, word in pads.NAMES.items()}, Hand([desk.pads])
    for craft in demos.load(name).crafts:
        for channel in craft.channels:
            assert desk.pads.lacks(channel) == [], (craft.id, channel.id)
            for control in (one for one in channel.controls if one.device == "pad"):
                pad = plugged[control.number - 1]
                if control.what.startswith("button"):
                    kind, code = pads.BUTTON, BUTTONS[int(control.what.split()[1]) - 1]
                    pushed, rests = 1, 0
                else:
                    kind, code = pads.AXIS, codes[control.what]
                    axis = pad.abilities.axes[code]
                    rests, pushed = axis.value, axis.low if control.what in pads.DOWN_IS_POSITIVE else axis.high
                pad.tell(kind, code, pushed)
                desk.pads.poll()
                assert hand.values((channel,), 1, 0.01)[0, 0] == pytest.approx(control.factor), (craft.id, control)
                pad.tell(kind, code, rests)
                desk.pads.poll()
                assert hand.values((channel,), 1, 0.01)[0, 0] == 0.0


def test_what_pads_did_repeats_to_the_bit(desk):
    one = desk.plug("event3")
    drive = driven(bound("steer", "wheel"), AttitudeHolder(id="hold", yaw="rate", yaw_channel="steer"))
    hand, dice = Hand([desk.pads]), np.random.default_rng(5)
    for _ in range(60):
        one.tell(3, 8, int(dice.integers(-900, 901)))
        desk.pads.poll()
        drive.advance(2, hand.values(drive.job.channels, 2, 1.0 / 120.0))
    made = drive.finish()
    assert np.ptp(made.column("spin.z")) > 0.0
    assert run.execute(made.job).digest == made.digest


def test_a_keyboard_is_no_pad():
    assert not Abilities("keys", {}, (0x110,)).is_pad
    assert not Abilities("touch pad", {0: Range(0, 100), 1: Range(0, 100)}, (0x145, 0x14A)).is_pad
    assert Abilities("wheel", {8: Range(0, 100)}, (0x120,)).is_pad
    assert isinstance(pads.paths(), list)
    assert pads.opened("/dev/null") is None
