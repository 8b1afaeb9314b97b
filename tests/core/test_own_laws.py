"""Laws read off hand-written loops: each kind is found again with its numbers, and a craft is made of them."""

from __future__ import annotations

import csv
import math
import runpy
from pathlib import Path

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import recording_table, recording_taken
from oak_sled.core.project import demos, ownloop, retold
from oak_sled.core.results import recorded, run
from oak_sled.core.study import fit, lawkinds, ownlaws
from oak_sled.core.yard.recording import INPUT, PLACE, TURN, of_columns, rate_of

ROOT = Path(__file__).parents[2]
PUSH, FASTEST = 6.0, 5.0


def throttle(t):
    """An input over time with pushes, pauses and a reverse."""
    return 1.0 if t < 5.0 or 7.0 <= t < 11.0 else -0.5 if 13.0 <= t < 14.0 else 0.0


def steer(t):
    """The other one."""
    return 0.6 if 1.5 <= t < 3.5 else -0.8 if 8.0 <= t < 10.0 else 0.0


def game(drive, turn, rate=60, seconds=16.0, clamp=math.inf, noise=0.0, seed=3):
    """A recording of a loop. drive : the speed, or velocity, over a frame from the one before, as complex numbers;
    turn : the turn rate, rad/s, from the one before and the speed ahead."""
    rng = np.random.default_rng(seed)
    dt, place, velocity, heading, spin = 1.0 / rate, 0j, 0j, 0.0, 0.0
    rows = [(0.0, place, heading, throttle(0.0), steer(0.0))]
    for frame in range(round(seconds * rate)):
        t = frame * dt
        ahead = complex(math.cos(heading), math.sin(heading))
        spin = turn(spin, steer(t), dt, (velocity * ahead.conjugate()).real)
        heading += spin * dt
        ahead = complex(math.cos(heading), math.sin(heading))
        velocity = drive(velocity, ahead, throttle(t), dt)
        if abs(velocity) > clamp:
            velocity *= clamp / abs(velocity)
        place += velocity * dt
        rows.append((t + dt, place, heading, throttle(t), steer(t)))
    t, places, headings, given, steered = (np.array(one) for one in zip(*rows, strict=True))
    half = 0.5 * headings
    told = {
        **dict(zip(PLACE, (places.real + rng.normal(0, noise, len(t)), places.imag + rng.normal(0, noise, len(t)),
                           np.full(len(t), 0.25)), strict=True)),
        **dict(zip(TURN, (np.cos(half), 0 * half, 0 * half, np.sin(half)), strict=True)),
        f"{INPUT}throttle": given, f"{INPUT}steer": steered,
    }  # fmt: skip
    return of_columns("a loop", rate, t, told)


def shares(kept):
    return lambda v, d, u, dt: (v + d * PUSH * u * dt) * kept


def slows(v, d, u, dt):
    v += d * PUSH * u * dt
    return v * max(abs(v) - 2.0 * dt, 0.0) / abs(v) if abs(v) > 1e-9 else 0j


def squares(v, d, u, dt):
    v += d * PUSH * u * dt
    return v / (1.0 + 0.15 * abs(v) * dt)


def follows(share):
    return lambda v, d, u, dt: d * ((v * d.conjugate()).real * (1.0 - share) + 7.0 * u * share)


def approaches(v, d, u, dt):
    speed = (v * d.conjugate()).real
    return d * (speed + min(max(7.0 * u - speed, -4.0 * dt), 4.0 * dt))


def is_set(v, d, u, dt):
    return d * 4.0 * u


def turns_by_share(r, s, dt, v):
    return r + (1.4 * s - r) * 0.12


def turns_by_rate(r, s, dt, v):
    return r + min(max(1.4 * s - r, -5.0 * dt), 5.0 * dt)


def turns_at_once(r, s, dt, v):
    return 1.4 * s


DRIVES = {
    "a share kept in each frame": (shares(0.985), {"push": PUSH, "kept": 0.985}),
    "a constant deceleration": (slows, {"push": PUSH, "slowed by": 2.0}),
    "a quadratic drag": (squares, {"push": PUSH, "drag": 0.15}),
    "an approach by a share": (follows(0.05), {"speed": 7.0, "share": 0.05}),
    "an approach by a rate": (approaches, {"speed": 7.0, "rate": 4.0}),
    "a speed that is set": (is_set, {"speed": 4.0}),
}
TURNS = {
    "a turn rate by a share": (turns_by_share, {"rate": 1.4, "share": 0.12}),
    "a turn rate by a rate": (turns_by_rate, {"rate": 1.4, "gains": 5.0}),
    "a turn rate that is set": (turns_at_once, {"rate": 1.4}),
    "a turn by the way": (lambda r, s, dt, v: 0.3 * s * v, {"turn": 0.3}),
}


def test_every_law_that_is_known_is_tried():
    assert {one.name for one in lawkinds.DRIVES} == set(DRIVES)
    assert {one.name for one in lawkinds.TURNS} == set(TURNS)


@pytest.mark.parametrize("name", DRIVES)
@pytest.mark.parametrize("clamp", [math.inf, 3.0])
def test_each_law_of_motion_is_read_with_its_numbers_and_its_clamp(name, clamp):
    drive, numbers = DRIVES[name]
    told = ownlaws.read(game(drive, turns_by_share, clamp=clamp)).drive
    assert told.channel == "throttle"
    assert told.best.name == name
    for number, value in numbers.items():
        if math.isinf(clamp) or number not in ("speed", "rate"):
            assert told.best.value(number) == pytest.approx(value, rel=0.02), number
    if math.isinf(clamp):
        assert told.best.value("clamped at") is None
        assert told.margin > 3.0
    elif "speed" not in numbers:
        assert told.best.value("clamped at") == pytest.approx(clamp, rel=1e-3)


@pytest.mark.parametrize("name", TURNS)
def test_each_law_of_turning_is_read_with_its_numbers(name):
    turn, numbers = TURNS[name]
    told = ownlaws.read(game(shares(0.985), turn)).turn
    assert told.channel == "steer"
    assert told.best.name == name
    for number, value in numbers.items():
        assert told.best.value(number) == pytest.approx(value, rel=0.02), number
    assert told.margin > 3.0


def test_what_noise_hides_cannot_be_told_and_is_said_so():
    clear = ownlaws.read(game(shares(0.985), turns_by_share, noise=1e-3)).drive
    assert clear.is_told
    assert clear.best.value("kept") == pytest.approx(0.985, abs=5e-4)
    hidden = ownlaws.read(game(follows(0.6), turns_at_once, noise=0.3)).drive
    assert not hidden.is_told
    assert "cannot tell it from" in " ".join(ownlaws.words(hidden, 60.0, 120.0))


@pytest.mark.parametrize("other", [30.0, 60.0, 120.0, 240.0])
def test_a_share_of_a_frame_is_told_for_another_rate_and_does_the_same_there(other):
    told = ownlaws.read(game(shares(0.97), turns_by_share)).drive
    kept = next(one for one in told.best.numbers if one.name == "kept")
    assert kept.at(60.0, other) ** other == pytest.approx(kept.value**60.0, rel=1e-9)
    share = next(one for one in ownlaws.read(game(follows(0.05), turns_by_share)).drive.best.numbers if one.per_frame)
    assert (1.0 - share.at(60.0, other)) ** other == pytest.approx((1.0 - share.value) ** 60.0, rel=1e-9)
    assert any(f"at {other:g}" in line for line in ownlaws.words(told, 60.0, other))


def test_frames_that_are_uneven_or_few_are_refused_with_the_number():
    short = game(shares(0.985), turns_by_share, seconds=0.5)
    with pytest.raises(Refused, match="has 31 frames"):
        ownlaws.read(short)
    whole = game(shares(0.985), turns_by_share)
    t = whole.t.array.copy()
    t[40:] += 0.01
    told = {one.name: one.array for one in whole.columns}
    with pytest.raises(Refused, match="differ by 60 %"):
        ownlaws.read(of_columns("a loop", 60.0, t, told))


def test_a_game_that_stands_still_or_tells_no_inputs_says_what_is_not_read():
    whole = game(shares(0.985), turns_by_share)
    told = {one.name: one.array for one in whole.columns if not one.name.startswith(INPUT)}
    found = ownlaws.read(of_columns("a loop", 60.0, whole.t.array, told))
    assert found.drive is None
    assert found.turn is None
    assert len(found.why) == 2


def test_times_rounded_in_a_file_do_not_change_the_rate():
    t = np.array([float(f"{k / 60.0:.6g}") for k in range(1201)])
    assert rate_of(t) == 60.0
    assert rate_of(np.arange(600) / 59.94) == pytest.approx(59.94, rel=1e-6)


def own_loop(folder):
    """The table that the example writes."""
    file = folder / "own_loop.csv"
    count = runpy.run_path(str(ROOT / "examples" / "own_loop.py"))["main"](str(file))
    with file.open() as rows:
        assert sum(1 for _ in csv.reader(rows)) == count + 1
    return file


def test_a_craft_made_of_the_laws_of_a_forty_line_loop_repeats_it(tmp_path):
    yard = demos.load("fan-sled")
    guess = recording_table.guess(recording_table.load(own_loop(tmp_path)), yard.craft(), yard.game)
    recording, _ = recording_taken.taken(guess)
    laws = ownlaws.read(recording)
    assert laws.drive.best.value("kept") == pytest.approx(0.985, abs=1e-4)
    assert laws.drive.best.value("clamped at") == pytest.approx(5.0, rel=1e-3)
    assert laws.turn.best.value("share") == pytest.approx(0.12, abs=1e-3)
    craft, missing = ownloop.craft_of(laws, "own", 1.34)
    assert not missing
    whole = yard.replace(crafts=(*yard.crafts, craft))
    drill = retold.drill_of(recording, job_of(whole, None, "own"), "told")
    whole = whole.replace(drills=(*whole.drills, drill))
    made = run.execute(job_of(whole, drill, "own"))
    off = recorded.off(made, "place")
    path = float(np.abs(np.diff(recording.column("position.x"))).sum())
    assert np.nanmax(off) < 0.02 * path
    fitted = fit.fit(whole, drill)
    before, after, _, _ = fitted.errors["place"]
    assert after < before


@pytest.mark.parametrize("name", DRIVES)
@pytest.mark.parametrize("turn", [turns_by_share, turns_by_rate, turns_at_once], ids=lambda turn: turn.__name__)
def test_a_craft_is_made_of_every_law_or_the_one_that_no_part_is_is_said(name, turn):
    drive, _ = DRIVES[name]
    recording = game(drive, turn)
    craft, missing = ownloop.craft_of(ownlaws.read(recording), "own", 1.34)
    assert bool(missing) == (name == "a constant deceleration")
    yard = demos.load("fan-sled")
    whole = yard.replace(crafts=(*yard.crafts, craft))
    drill = retold.drill_of(recording, job_of(whole, None, "own"), "told")
    made = run.execute(job_of(whole.replace(drills=(*whole.drills, drill)), drill, "own"))
    steps = np.hypot(*(np.diff(recording.column(axis)) for axis in PLACE[:2]))
    off = np.nanmax(recorded.off(made, "place"))
    assert missing or off < 0.03 * steps.sum(), f"{off:.3g} m of {steps.sum():.3g} m"


def test_a_law_that_turns_by_the_way_is_said_to_be_of_no_part():
    _, missing = ownloop.craft_of(ownlaws.read(game(shares(0.985), TURNS["a turn by the way"][0])), "own", 1.34)
    assert any("a turn by the way" in words for words in missing)
