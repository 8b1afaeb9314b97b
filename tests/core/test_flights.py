"""What became of what was flung, what is said about a push that misfires, and the demos of impulses and shots."""

import math
import re
from pathlib import Path

import numpy as np
import pytest

from oak_sled.core.advice import cautions, preview
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.faults import Refused
from oak_sled.core.compiler import kernel
from oak_sled.core.parts.impulse import Impulse
from oak_sled.core.parts.knockback import Knockback
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.limiter import Limiter
from oak_sled.core.parts.sling import Sling
from oak_sled.core.project import demos
from oak_sled.core.results import flights, ledger, measures, moments, run, traces
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.event import Event

G = 9.80665
SLED = {"mass": 100.0, "length": 2.0, "width": 1.0, "height": 0.5}
STILL = {**SLED, "held": ("x", "y", "z", "roll", "pitch", "yaw")}
FLOOR = {"floor": True, "friction": 0.3}
ALL = [(name, drill.id) for name in ("mortar", "shove", "puck") for drill in demos.load(name).drills]


def trigger(target, t=0.2, what="trigger", **more):
    return Event(id=more.pop("id", "e"), what=what, t=t, target=target, **more)


def job_of(name, drill):
    yard = demos.load(name)
    chosen = yard.drill(drill)
    return Job(yard.craft(), yard.ground_of(chosen), chosen, yard.ticks)


@pytest.fixture(scope="module")
def made():
    """Every drill of the demos of impulses and shots, run once."""
    return {(name, drill): run.execute(job_of(name, drill)) for name, drill in ALL}


@pytest.mark.parametrize(("name", "drill"), ALL)
def test_the_demos_meet_their_targets_without_a_caution(made, name, drill):
    found = made[name, drill]
    verdicts = measures.judge(found.job.drill, measures.read_all(found))
    assert verdicts
    assert [verdict.words() for verdict in verdicts if not verdict.met] == []
    said = [caution.name for caution in cautions.find(found.job, found)]
    assert [name for name in said if name not in ("found_nobody",)] == []


@pytest.mark.parametrize(("name", "drill"), ALL)
def test_the_ledger_closes_over_the_demos(made, name, drill):
    assert max(ledger.ledger_gap(made[name, drill])) < 1e-9


def test_the_wall_of_the_mortar_has_sixty_blocks_that_stand_until_they_are_hit(made):
    found = made["mortar", "breach"]
    assert sum(one.moves == "free" for one in found.job.ground.blocks) >= 60
    assert sum(event.word == "burst" for event in moments.events(found)) >= 3
    first = next(event.row for event in moments.events(found) if event.word == "burst")
    names = found.layout.blocks
    spots = np.stack([found.columns(*(f"block.{name}.position.{axis}" for axis in "xyz")) for name in names])
    assert np.max(np.abs(spots[:, first - 2] - spots[:, 0])) < 5e-3
    fallen = spots[:, 0, 2] - spots[:, -1, 2]
    assert np.sum(fallen > 0.25) >= 10


def test_the_same_push_on_light_and_heavy(made):
    light, middling, heavy = flights.all_of(made["shove", "one_gust"])
    assert [flight.mass for flight in (light, middling, heavy)] == [40.0, 120.0, 360.0]
    assert light.speed > 2.0 * middling.speed > 4.0 * heavy.speed
    assert light.distance > middling.distance > heavy.distance
    even = [flight.speed for flight in flights.all_of(made["shove", "one_slam"])]
    assert np.ptp(even) < 0.2


def test_the_flight_of_a_thrown_block_against_closed_forms(make):
    """A poke up at 60 degrees: speed, height, time in the air; spin by a push above the centre."""
    block = Block(id="box", x=5.0, mass=50.0, length=0.5, width=0.5, height=0.5)
    v, lift = 8.0, math.radians(60.0)
    poke = trigger("box", what="poke", x=50.0 * v * math.cos(lift), z=50.0 * v * math.sin(lift))
    found = make.run([], body=STILL, ground={**FLOOR, "blocks": (block,)}, seconds=4.0, ticks=240,
                     drill={"events": (poke,), "watch": ("box",)})  # fmt: skip
    (flight,) = flights.all_of(found)
    assert flight.start == pytest.approx(0.2, abs=0.01)
    assert flight.speed == pytest.approx(v, rel=0.01)
    assert flight.height == pytest.approx((v * math.sin(lift)) ** 2 / (2 * G), rel=0.02)
    assert flight.air == pytest.approx(2 * v * math.sin(lift) / G, rel=0.05)
    assert flight.distance > v * math.cos(lift) * flight.air
    assert flight.settled is not None
    assert flight.air < flight.settled < 3.5


def test_turns_are_counted_in_whole_turns(make):
    block = Block(id="box", x=5.0, z=2.0, mass=50.0)
    part = Knockback(
        id="k", way="speed_change", size=1.0, spin_rate_deg=360.0, reach=20.0, volume="ball", spin_axis="twirl"
    )
    found = make.run([part], body=STILL, ground={"gravity": 0.0, "floor": False, "blocks": (block,)}, seconds=3.2,
                     drill={"events": (trigger("k"),), "watch": ("box",)})  # fmt: skip
    (flight,) = flights.all_of(found)
    assert flight.turns == pytest.approx(3.0, abs=0.02)
    assert flight.air == 0.0 or flight.air == pytest.approx(3.0, abs=0.1)


def test_a_block_that_does_not_move_has_no_flight(make):
    found = make.run([], body=STILL, ground={**FLOOR, "blocks": (Block(id="box", x=5.0),)}, seconds=1.0,
                     drill={"watch": ("box", "nobody")})  # fmt: skip
    assert flights.all_of(found) == ()
    assert measures.read_all(found)["launch_speed@box"] is None


def test_control_returns_when_a_flung_craft_lands_and_settles(make):
    hop = Impulse(id="hop", way="speed_change", size=4.0, elevation_deg=70.0)
    found = make.run([hop], body=SLED, ground={"floor": True, "friction": 0.9}, seconds=4.0,
                     drill={"events": (trigger("hop", t=0.5),)})  # fmt: skip
    flight = flights.of_craft(found)
    air = 2 * 4.0 * math.sin(math.radians(70.0)) / G
    assert flight.air == pytest.approx(air, rel=0.15)
    assert flight.settled > air * 0.9
    assert measures.read_all(found)["settling_time"] == flight.settled


def test_measures_of_blocks_have_names_of_their_own(made):
    found = made["shove", "one_gust"]
    read = measures.read_all(found)
    assert read["launch_speed@light"] == flights.of_block(found, "light").speed
    assert "launch_speed" in read
    assert measures.measure("launch_speed@light").title == "light: launch speed"
    with pytest.raises(Refused, match="there is no 'top_speed@light'"):
        measures.measure("top_speed@light")


def test_the_traces_of_watched_blocks(made):
    found = made["shove", "one_gust"]
    fast = traces.values(found, "block.light.speed")
    assert fast.max() == pytest.approx(flights.of_block(found, "light").speed, rel=0.3)
    assert traces.values(found, "block.light.height")[0] == pytest.approx(0.6, abs=0.01)
    assert traces.values(found, "block.heavy.distance")[0] == 0.0
    assert traces.describe(found, "block.light.speed").unit == "m/s"


# previews


def test_the_preview_of_a_sling_is_the_run(made):
    found = made["puck", "three_cushions"]
    event = found.job.drill.events[0]
    row = found.at(event.t)
    seen = preview.sling_path(
        found.job, found.job.craft.parts[0], found.record.row(row), (event.x, event.y, event.z), 8.0
    )
    ran = found.columns("position.x", "position.y", "position.z")[row:]
    count = min(len(seen), len(ran))
    assert count > 600
    assert np.max(np.linalg.norm(seen[:count] - ran[:count], axis=1)) < 0.01
    assert np.linalg.norm(np.diff(seen[:, :2], axis=0), axis=1).sum() > 50.0


def test_the_preview_of_a_thrown_craft_agrees_over_a_hundred_metres(make):
    sling = Sling(id="band", way="speed_change", size=52.0, cap=3.0, lift_deg=40.0, hold="in_place")
    from oak_sled.core.parts.air import AirDrag

    parts = [sling, AirDrag(id="air", front_area=0.4, top_area=0.4)]
    job = make.job(parts, body=SLED, ground=FLOOR, seconds=9.0, height=1.0,
                   drill={"events": (trigger("band", what="release", x=-3.0),)})  # fmt: skip
    found = run.execute(job)
    row = found.at(0.2)
    seen = preview.sling_path(job, sling, found.record.row(row), (-3.0, 0.0, 0.0))
    ran = found.columns("position.x", "position.y", "position.z")[row:]
    up = slice(0, len(seen) - 2)
    assert np.linalg.norm(seen[-1] - seen[0]) > 100.0
    assert np.max(np.linalg.norm(seen[up] - ran[: len(seen) - 2], axis=1)) < 0.01


@pytest.mark.parametrize("tilt", [0.0, 8.0])
def test_the_preview_of_a_throw_ends_where_the_run_comes_down_on_a_slope(make, tilt):
    sling = Sling(id="band", way="speed_change", size=20.0, cap=3.0, lift_deg=40.0, hold="in_place")
    ground = {**FLOOR, "tilt_deg": tilt, "rises_to_deg": 0.0}
    job = make.job([sling], body=SLED, ground=ground, seconds=5.0, height=1.0,
                   drill={"events": (trigger("band", what="release", x=-3.0),)})  # fmt: skip
    found = run.execute(job)
    row = found.at(0.2)
    seen = preview.sling_path(job, sling, found.record.row(row), (-3.0, 0.0, 0.0))
    ran = found.columns("position.x", "position.y", "position.z")[row:]
    landed = row + int(np.flatnonzero(found.column("on_ground")[row + 5 :] > 0.0)[0]) + 5
    down = ran[landed - row]
    assert np.linalg.norm(seen[-1] - down) < 0.6
    assert np.linalg.norm(down[:2] - ran[0][:2]) > 10.0


# cautions


def said(make, parts, name, *, run_it=False, **more):
    job = make.job(
        parts, **{"body": STILL, "ground": {**FLOOR, "blocks": (Block(id="box", x=5.0),)}, "seconds": 2.0, **more}
    )
    made = run.execute(job) if run_it else None
    found = [caution for caution in cautions.find(job, made) if caution.name == name]
    return [f"{caution.says}; {caution.helps}" for caution in found]


def at(target, what="trigger", **more):
    return {"drill": {"events": (trigger(target, what=what, **more),)}}


GUN = {"id": "gun", "shot_mass": 1.0, "channel": "throttle"}


@pytest.mark.parametrize(
    ("parts", "name", "words", "more"),
    [
        ([Sling(id="b", cap=4.0)], "pull_past_cap", "7.00.m is past the cap of 4.00.m", at("b", "release", x=-7.0)),
        ([Sling(id="b")], "no_pull", "without a pull", at("b", "release")),
        ([Impulse(id="k")], "not_a_sling", "is for a sling", at("k", "hold")),
        ([Impulse(id="kick")], "no_such_target", "did you mean kick", at("kik")),
        ([], "no_such_target", "no body 'bux'.*did you mean box", at("bux", "poke")),
        ([], "event_too_late", "comes after the drill's end", at("", "poke", t=9.0)),
        ([], "no_such_target", "watch boks.*known: box", {"drill": {"watch": ("boks",)}}),
        ([Impulse(id="k")], "nothing_fires_it", "no channel, event or shot", {}),
        ([Impulse(id="k", channel="throttle", cool_down=0.001)], "short_cool_down", "than a tick of 0.00833.s", {}),
        ([Knockback(id="k", channel="throttle", cool_down=0.004)], "short_cool_down", "shorter than a tick", {}),
        ([Launcher(**GUN, rate=200.0)], "rate_above_ticks", "more than the 120 ticks", {}),
        ([Launcher(**GUN, blast="gun")], "no_such_blast", "no knockback 'gun'", {}),
        ([Launcher(**GUN, blast="k"), Knockback(id="k")], "never_bursts", "its shots go on at a hit", {}),
        ([Launcher(**GUN, homes_on="bax")], "no_such_target", "did you mean box", {}),
        ([Knockback(id="k", channel="throttle", spares=("bix",))], "no_such_target", "spares.*did you mean box", {}),
        ([Knockback(id="k", channel="throttle")], "nobody_to_push", "no dynamic body here", {"ground": FLOOR}),
    ],
)  # fmt: skip
def test_what_misfires_is_said_with_what_would_be_right(make, parts, name, words, more):
    found = said(make, parts, name, **more)
    assert found
    assert re.search(words, found[0]), found


def test_what_only_a_run_shows(make):
    fired = {"drill": {"events": (trigger("k"),)}}
    near = Knockback(id="k", reach=1.0)
    assert re.search(
        "found no body 1 times out of 1.*craft itself", said(make, [near], "found_nobody", run_it=True, **fired)[0]
    )
    spot = Knockback(id="k", reach=9.0, volume="ball", x=5.0, z=0.25)
    assert "very source" in said(make, [spot], "same_spot", run_it=True, **fired)[0]
    gun = Launcher(**GUN, rate=20.0, in_flight=2)
    assert "took the place" in said(make, [gun], "shots_taken_away", run_it=True, inputs={"throttle": 1.0})[0]
    assert said(make, [Knockback(id="k", reach=9.0, z=0.2)], "found_nobody", run_it=True, **fired) == []


def test_a_fixed_block_cannot_be_dropped(make):
    ground = {**FLOOR, "blocks": (Block(id="post", x=5.0, moves="fixed"),)}
    assert (
        "not loose"
        in said(make, [], "drops_nothing", ground=ground, drill={"events": (trigger("post", what="drop"),)})[0]
    )


@pytest.mark.parametrize("value", [0.0, -1.0, math.nan])
def test_a_shot_of_no_mass_is_refused_with_its_bounds(value):
    yard = demos.load("mortar")
    with pytest.raises(Refused, match=r"parts\.barrel\.shot_mass: .*(must be|finite)"):
        yard.edit("crafts.mortar.parts.barrel.shot_mass", value)


@pytest.mark.parametrize(
    ("kind", "name"), [(Impulse, "cool_down"), (Knockback, "reach"), (Launcher, "rate"), (Sling, "cap")]
)
def test_the_numbers_of_sudden_parts_have_bounds(kind, name):
    from pydantic import ValidationError

    with pytest.raises(ValidationError):
        kind(id="it", **{name: -1.0})


def test_the_outlooks_of_sudden_parts_say_what_their_numbers_mean(make):
    from oak_sled.core.advice.outlook import setting_of

    parts = (
        Impulse(id="a", size=500.0, fires="on_charge", elevation_deg=45.0),
        Sling(id="b", size=800.0, cap=4.0),
        Launcher(id="c", shot_mass=5.0, muzzle_speed=40.0, elevation_deg=45.0),
        Knockback(id="d", size=400.0, lift_deg=45.0),
        Limiter(id="limit"),
    )
    job = make.job(parts, body=SLED)
    setting = setting_of(job.craft, job.ground, 120)
    a, b, c, d = (" ".join(part.outlook(setting)).replace("\u2009", " ") for part in parts[:4])
    assert "5.00 m/s a push, 1.00 m/s for a tap" in a
    assert "full pull 8.00 m/s, half of it 4.00 m/s" in b
    assert "2.00 m/s a shot" in c
    assert "163 m" in c  # v2 sin(2 e) / g
    assert "20, 80, 320 kg: 20 · 5 · 1.25 m/s" in d


# what is compiled again, and what is not


CORE = Path(kernel.__file__).parents[1]


def test_the_cache_follows_what_is_compiled_and_all_it_is_made_of():
    names = {str(file.relative_to(CORE)) for file in kernel.kernel_sources()}
    assert {
        "tick/step.py",
        "tick/loop.py",
        "kernel/state.py",
        "parts/shots.py",
        "contact/records.py",
        "parts/push.py",
        "base/units.py",
    } <= names
    assert not {"results/measures.py", "project/demos.py", "yard/yard.py", "files/yard_json.py"} & names
    for file in CORE.rglob("*.py"):
        if re.search(r"^@(compiled|inlined|unit)$", file.read_text(encoding="utf-8"), re.MULTILINE):
            assert str(file.relative_to(CORE)) in names


@pytest.mark.parametrize("speed", [4.0, 9.0, 16.0])
@pytest.mark.parametrize("lift", [20.0, 45.0, 75.0])
def test_flights_of_shots_and_blocks_against_the_throw_without_air(make, speed, lift):
    """Range, height and time of a block that a change of speed throws, by the school formulas."""
    angle = math.radians(lift)
    part = Knockback(
        id="k", way="speed_change", size=speed, lift_deg=lift, direction="facing", volume="ball", reach=30.0
    )
    block = Block(id="ball", shape="ball", x=6.0, length=0.4, width=0.4, height=0.4, mass=7.0)
    ground = {"floor": True, "friction": 0.9, "blocks": (block,)}
    found = make.run([part], body=STILL, ground=ground, seconds=5.0, ticks=480,
                     drill={"events": (trigger("k", t=0.1),), "watch": ("ball",)})  # fmt: skip
    (flight,) = flights.all_of(found)
    rise = speed * math.sin(angle)
    assert flight.speed == pytest.approx(speed, rel=0.02)
    assert flight.height == pytest.approx(rise * rise / (2 * G), rel=0.03)
    place = found.columns(*(f"block.ball.position.{axis}" for axis in "xyz"))
    flown = 2 * rise / G
    landing = place[found.at(0.1 + flown)]
    assert landing[0] - place[0, 0] == pytest.approx(speed * math.cos(angle) * flown, rel=0.03)
    assert flight.air == pytest.approx(flown, rel=0.12)
