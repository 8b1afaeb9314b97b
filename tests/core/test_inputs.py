"""Inputs that are worked on: stamps, cuts, smoothing, waves, and CSV with all that can be wrong in it."""

import math

import numpy as np
import pytest

from oak_sled.core.assembly import tracks, world
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import inputs_csv
from oak_sled.core.project import demos, inputs
from oak_sled.core.results import run
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.drill import Drill, Knot, Track
from oak_sled.core.yard.event import Event

BOTH = Channel(id="steer")
ONE = Channel(id="brake", two_sided=False)
TIMES = np.arange(0.0, 4.0, 0.01)


def track(*knots, shape="steps", **more):
    return Track(channel="steer", shape=shape, knots=tuple(Knot(t=t, value=v) for t, v in knots), **more)


@pytest.fixture(scope="module")
def sled():
    return demos.load("fan-sled").craft()


@pytest.mark.parametrize(
    ("what", "told"),
    [
        ("step", [(0.9, 0.0), (1.1, 1.0), (3.0, 1.0)]),
        ("pulse", [(0.9, 0.0), (1.1, 1.0), (1.45, 1.0), (1.6, 0.0)]),
        ("ramp", [(0.9, 0.0), (1.25, 0.5), (1.6, 1.0), (3.0, 1.0)]),
        ("hold", [(0.9, 0.0), (1.2, 0.0), (2.0, 0.0)]),
    ],
)
def test_a_stamp_tells_what_it_says(what, told):
    made = inputs.stamped(track(), what, 1.0, BOTH)
    for time, value in told:
        assert inputs.value_at(made, time) == pytest.approx(value, abs=1e-9), time


@pytest.mark.parametrize("shape", ["steps", "ramps"])
@pytest.mark.parametrize("what", inputs.STAMPS)
def test_a_stamp_leaves_what_was_told_before_it(shape, what):
    old = track((0.0, 0.4), (0.5, -0.2), (3.0, 0.6), shape=shape)
    made = inputs.stamped(old, what, 1.2, BOTH)
    before = TIMES[(0.5 if shape == "ramps" else 1.2) > TIMES]
    assert tracks.sample(made, before) == pytest.approx(tracks.sample(old, before), abs=1e-6)
    assert [knot.t for knot in made.knots] == sorted(knot.t for knot in made.knots)


def test_a_step_at_full_goes_back_to_nothing_and_a_one_sided_channel_never_below():
    assert inputs.value_at(inputs.stamped(track((0.0, 1.0)), "step", 1.0, BOTH), 2.0) == 0.0
    made = inputs.stamped(Track(channel="brake"), "step", 1.0, ONE)
    assert min(knot.value for knot in made.knots) >= 0.0


def test_a_stamp_on_a_wave_begins_anew():
    made = inputs.stamped(track(shape="sine"), "step", 1.0, BOTH)
    assert made.shape == "steps"
    assert inputs.value_at(made, 0.5) == 0.0


@pytest.mark.parametrize("knots", [[(0.0, 0.5), (1.0, -1.0), (2.5, 0.2)], [(0.7, 1.0)]])
def test_steps_become_upright_ramps_that_tell_the_same(knots):
    made = inputs.reshaped(track(*knots), "ramps")
    away = np.min(np.abs(TIMES[:, None] - [t for t, _ in knots]), axis=1) > 0.011
    late = knots[0][0] < TIMES
    assert tracks.sample(made, TIMES)[away & late] == pytest.approx(tracks.sample(track(*knots), TIMES)[away & late])


def test_pulses_are_on_for_their_share_of_each_period():
    made = tracks.sample(track(shape="pulses", period=0.5, amplitude=0.8, on_share=0.2), np.arange(0, 5, 1 / 120))
    assert set(np.round(np.unique(made), 9)) == {0.0, 0.8}
    assert np.mean(made > 0.0) == pytest.approx(0.2, abs=0.005)
    late = track((2.0, 0.0), (3.0, 0.0), shape="pulses", period=0.5)
    told = tracks.sample(late, np.array([1.9, 2.05, 2.3, 2.55, 3.4]))
    assert told.tolist() == [0.0, 1.0, 0.0, 1.0, 0.0]


def test_smoothing_takes_the_jitter_and_keeps_the_course():
    random = np.random.default_rng(3)
    jitter = [
        (0.02 * k, float(np.clip(0.6 * math.sin(0.02 * k) + random.uniform(-0.2, 0.2), -1, 1))) for k in range(300)
    ]
    rough = track(*jitter)
    smooth = inputs.smoothed(rough, 0.2, 6.0)
    times = np.arange(0.5, 5.5, 0.01)
    made = tracks.sample(smooth, times)
    assert np.std(np.diff(made)) < 0.1 * np.std(np.diff(tracks.sample(rough, times)))
    assert np.max(np.abs(made - 0.6 * np.sin(times))) < 0.12
    assert len(smooth.knots) < 60


def test_smoothing_keeps_its_sides_and_leaves_a_driver_alone():
    made = inputs.smoothed(Track(channel="brake", knots=(Knot(t=1.0, value=1.0),)), 0.1, 3.0, two_sided=False)
    assert min(knot.value for knot in made.knots) >= 0.0
    driver = track(shape="aim")
    assert inputs.smoothed(driver, 0.1, 3.0) is driver


def test_the_knots_of_a_smoothed_track_lie_as_close_as_they_say():
    rough = track((0.5, 1.0), (1.5, -0.5), (2.5, 0.0))
    fine = np.arange(0.0, 4.0 + 1e-9, inputs.FINE_S)
    from scipy.ndimage import gaussian_filter1d

    wanted = gaussian_filter1d(tracks.sample(rough, fine), 0.1 / inputs.FINE_S, mode="nearest")
    made = tracks.sample(inputs.smoothed(rough, 0.1, 4.0), fine)
    assert np.max(np.abs(made - wanted)) <= inputs.CLOSE_ENOUGH + 1e-6


def test_a_cut_drill_goes_on_with_the_motion_it_had(yard):
    drill = yard.drill("step_steer")
    job = Job(yard.craft(), yard.ground_of(drill), drill, 120)
    whole = run.execute(job)
    cut = inputs.trimmed(drill, whole, 2.0, 6.0)
    part = run.execute(Job(job.craft, job.ground, cut, 120))
    assert cut.duration == pytest.approx(4.0)
    names = ("position.x", "position.y", "velocity.x", "velocity.y", "spin.z")
    assert part.columns(*names)[0] == pytest.approx(whole.columns(*names)[whole.at(2.0)], abs=1e-9)
    # channels rise anew and runners remember no slide: near, not equal
    later = part.columns("position.x", "position.y")[part.at(1.0)]
    assert later == pytest.approx(whole.columns("position.x", "position.y")[whole.at(3.0)], abs=0.5)


def test_a_cut_keeps_events_and_values_where_they_belong(yard):
    drill = yard.drill("throttle_pulses").replace(events=(Event(id="late", t=5.0),))
    whole = run.execute(Job(yard.craft(), yard.ground_of(drill), drill, 120))
    cut = inputs.trimmed(drill, whole, 2.5, 6.0)
    assert [event.t for event in cut.events] == [2.5]
    times = np.arange(0.02, 3.4, 0.05)
    old, new = inputs.track_of(drill, "throttle"), inputs.track_of(cut, "throttle")
    assert tracks.sample(new, times) == pytest.approx(tracks.sample(old, times + 2.5))


def test_a_wave_that_is_cut_goes_on_in_its_phase(make):
    drill = Drill(id="wave", duration=6.0, tracks=(track(shape="sine", period=1.3),))
    made = make.run(drill={}, seconds=6.0)
    cut = inputs.trimmed(drill, made, 2.0, 5.0)
    times = np.arange(0.0, 2.9, 0.03)
    assert tracks.sample(cut.tracks[0], times) == pytest.approx(np.sin(2 * np.pi * (times + 2.0) / 1.3), abs=0.03)


def test_a_track_that_says_nothing_is_left_out_and_the_order_stays():
    drill = Drill(id="d", tracks=(Track(channel="a", knots=(Knot(value=1.0),)), track((0.0, 1.0))))
    grown = inputs.with_track(drill, Track(channel="a", knots=(Knot(value=0.5),)))
    assert [one.channel for one in grown.tracks] == ["a", "steer"]
    assert [one.channel for one in inputs.with_track(drill, Track(channel="a")).tracks] == ["steer"]


# CSV


@pytest.mark.parametrize("drill", ["throttle_pulses", "step_steer", "release_turning"])
def test_inputs_go_out_and_come_in_the_same(yard, drill, tmp_path):
    chosen = yard.drill(drill)
    inputs_csv.save(inputs_csv.dumps(chosen, yard.craft(), 120), tmp_path / "in.csv")
    found = inputs_csv.load(tmp_path / "in.csv", yard.craft())
    assert found.notes == ()
    again = chosen.replace(tracks=found.tracks)
    job = Job(yard.craft(), yard.ground_of(chosen), chosen, 120)
    assert found.duration == pytest.approx(chosen.duration, abs=0.01)
    ticks = world.check_size(job)
    ours = tracks.inputs(Job(job.craft, job.ground, again, 120), ticks)
    assert np.array_equal(ours, tracks.inputs(job, ticks))


def test_what_a_driver_steered_goes_out_as_the_run_had_it(yard):
    drill = yard.drill("slalom")
    made = run.execute(Job(yard.craft(), yard.ground_of(drill), drill, 120))
    found = inputs_csv.loads(inputs_csv.dumps(drill, yard.craft(), 120, made), yard.craft())
    steered = next(one for one in found.tracks if one.channel == "steer")
    assert len(steered.knots) > 100
    assert inputs.value_at(steered, 2.0) == pytest.approx(made.column("channel.steer")[made.at(2.0) + 1])


def test_an_exported_run_is_taken_as_inputs(yard):
    from oak_sled.core.files import run_table

    drill = yard.drill("throttle_pulses")
    made = run.execute(Job(yard.craft(), yard.ground_of(drill), drill, 120))
    found = inputs_csv.loads(run_table.dumps(made), yard.craft())
    assert {one.channel for one in found.tracks} == {"throttle", "steer", "brake"}
    assert found.notes == ()


HEAD = "t [s],throttle,steer\n"
EVEN = "".join(f"{0.1 * k:.1f},0.5,0\n" for k in range(8))


@pytest.mark.parametrize(
    ("text", "note"),
    [
        (
            HEAD + "0,0.5,0\n0.1,,0\n0.2,x,0.1\n0.3,0.7,0.1\n",
            r"throttle, lines 3, 4: no number, the last good value holds",
        ),
        (HEAD + "0,0.5,0\n0.1,3,0\n0.2,-2,0\n", r"throttle, lines 3, 4: outside -1 to 1, brought inside"),
        (HEAD + "0,0.5,0\n0.2,0.6,0\n0.1,0.7,0\n0.3,0.8,0\n", r"line 4: the time jumps back"),
        (HEAD + "0,0.5,0\nsoon,0.6,0\n0.1,0.7,0\n", r"line 3: no time that can be used"),
        (HEAD + EVEN + "2.5,1,0\n", r"line 10: a gap of 1.8 s \(usual 0.1 s\), over which the last value holds"),
        ("t [s],throttle,stear\n0,1,0\n0.1,1,0\n", r"column 'stear' is no channel.*did you mean steer"),
        ("t [s],throttle,steer [%]\n0,1,50\n0.1,1,50\n", r"column 'steer' is in \[%\] and was left out.*from -1 to 1"),
        ("t [s],throttle,throttle\n0,1,0.5\n0.1,1,0.5\n", r"'throttle' is there twice; the first one counts"),
    ],
)
def test_what_is_not_right_in_a_file_is_said_and_the_rest_is_taken(sled, text, note):
    import re

    found = inputs_csv.loads(text, sled)
    assert any(re.search(note, said) for said in found.notes), found.notes
    assert any(one.channel == "throttle" and one.knots for one in found.tracks)


def test_the_last_good_value_holds_over_a_hole(sled):
    found = inputs_csv.loads(HEAD + "0,0.5,0\n0.1,nan,0\n0.2,inf,0\n0.3,0.9,0\n", sled)
    throttle = found.tracks[0]
    assert [(knot.t, knot.value) for knot in throttle.knots] == [(0.0, 0.5), (0.3, 0.9)]
    assert inputs.value_at(throttle, 0.25) == 0.5


@pytest.mark.parametrize(
    ("text", "match"),
    [
        ("", "has no rows"),
        (HEAD, "has no rows"),
        ("t [ms],throttle\n0,1\n1,1\n", r"line 1: the time is in \[ms\].*seconds: t \[s\]"),
        ("throttle,steer\n0,1\n1,1\n", r"no column of time.*t \[s\]"),
        ("t [s],flaps\n0,1\n1,1\n", r"no column is a channel of this craft.*throttle, steer, brake"),
        (HEAD + "a,1,1\nb,1,1\n", "no row has a time"),
        (HEAD + '0,"1,1\n', "is not CSV"),
    ],
)
def test_a_file_of_no_use_is_refused_in_one_line(sled, text, match):
    with pytest.raises(Refused, match=match):
        inputs_csv.loads(text, sled)


def test_a_file_that_is_no_text_or_not_there_is_refused(sled, tmp_path):
    (tmp_path / "odd.csv").write_bytes(b"\xff\xfe\x00\x81")
    with pytest.raises(Refused, match="is not text"):
        inputs_csv.load(tmp_path / "odd.csv", sled)
    with pytest.raises(Refused, match="cannot be read"):
        inputs_csv.load(tmp_path / "none.csv", sled)


# at random


def random_track(random, channel, shape):
    times = np.sort(random.uniform(0.0, 5.0, size=random.integers(1, 8)))
    low = -1.0 if channel.two_sided else 0.0
    knots = tuple(Knot(t=float(t), value=float(random.uniform(low, 1.0))) for t in times)
    return Track(channel=channel.id, shape=shape, knots=knots)


@pytest.mark.parametrize("seed", range(12))
@pytest.mark.parametrize("shape", ["steps", "ramps"])
def test_random_inputs_come_back_from_csv_tick_for_tick(sled, seed, shape):
    random = np.random.default_rng(seed)
    drill = Drill(id="d", duration=5.5, tracks=tuple(random_track(random, channel, shape) for channel in sled.channels))
    ticks = int(random.choice([60, 120, 240]))
    found = inputs_csv.loads(inputs_csv.dumps(drill, sled, ticks), sled)
    times = np.arange(round(5.5 * ticks)) / ticks
    for track_in in drill.tracks:
        back = next((one for one in found.tracks if one.channel == track_in.channel), Track(channel=track_in.channel))
        assert np.array_equal(tracks.sample(back, times), tracks.sample(track_in, times)), track_in.channel
    assert found.notes == ()


@pytest.mark.parametrize("seed", range(12))
def test_a_random_stamp_keeps_its_order_its_bounds_and_the_values_before_it(sled, seed):
    random = np.random.default_rng(200 + seed)
    channel = sled.channels[int(random.integers(3))]
    made = random_track(random, channel, str(random.choice(["steps", "ramps"])))
    for _ in range(5):
        made = inputs.stamped(made, str(random.choice(inputs.STAMPS)), float(random.uniform(0.0, 5.0)), channel)
        times = [knot.t for knot in made.knots]
        assert times == sorted(times)
        values = tracks.sample(made, np.linspace(0.0, 6.0, 400))
        assert values.min() >= (-1.0 if channel.two_sided else 0.0)
        assert values.max() <= 1.0


@pytest.mark.parametrize("seed", range(8))
def test_a_cut_of_what_remembers_nothing_goes_on_exactly(make, seed):
    """A craft of thrusters whose channels rise at once has no memory: the cut drill is the tail of the whole one."""
    from oak_sled.core.parts.thruster import Thruster
    from oak_sled.core.parts.torque import Torque

    random = np.random.default_rng(seed)
    parts = [Thruster(id="main", channel="throttle", thrust=300.0), Torque(id="turn", channel="steer", turn=40.0)]
    told = {
        name: [(float(t), float(random.uniform(-1, 1))) for t in np.sort(random.uniform(0, 4, size=5))]
        for name in ("throttle", "steer")
    }
    body = {"mass": 90.0, "held": ("z", "roll", "pitch"), "damping": 0.2, "spin_damping": 0.5}
    job = make.job(parts, body=body, ground={"gravity": 0.0}, seconds=4.0, inputs=told, speed=3.0)
    whole = run.execute(job)
    first = round(float(random.uniform(0.5, 3.0)) * 120) / 120
    cut = inputs.trimmed(job.drill, whole, first, 4.0)
    part = run.execute(Job(job.craft, job.ground, cut, 120))
    names = ("position.x", "position.y", "velocity.x", "velocity.y", "spin.z")
    tail = whole.columns(*names)[whole.at(first) :]
    count = min(len(tail), part.ticks + 1)
    assert count > 100
    assert part.columns(*names)[:count] == pytest.approx(tail[:count], abs=1e-6)


@pytest.mark.parametrize("smooth", [0.02, 0.06, 0.3])
def test_smoothing_never_leaves_the_band_of_what_was_told(sled, smooth):
    random = np.random.default_rng(9)
    for channel in sled.channels:
        rough = random_track(random, channel, "steps")
        made = inputs.smoothed(rough, smooth, 6.0, channel.two_sided)
        told = tracks.sample(rough, np.arange(0.0, 6.0, 1 / 120))
        values = tracks.sample(made, np.arange(0.0, 6.0, 0.01))
        assert values.min() >= told.min() - 2 * inputs.CLOSE_ENOUGH
        assert values.max() <= told.max() + 2 * inputs.CLOSE_ENOUGH
