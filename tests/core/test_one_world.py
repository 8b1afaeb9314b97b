"""One world of many bodies: several crafts, what is far away, joints, casts, and files of older formats."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
from scipy.special import ellipk

from oak_sled.core.advice import cautions
from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import run_table, yard_json
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.bumper import Bumper
from oak_sled.core.parts.knockback import Knockback
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.project import demos
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.project.sources import held_values
from oak_sled.core.results import ledger, measures, rotations, run, traces
from oak_sled.core.yard import casting
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Member, Start, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground, Wall
from oak_sled.core.yard.joint import Joint
from oak_sled.core.yard.yard import FORMAT, Bench, Yard

G = 9.80665
OLD = Path(__file__).with_name("format_1")
STILL = {"held": ("x", "y", "z", "roll", "pitch", "yaw")}
FLAT = {"held": ("z", "roll", "pitch")}


def craft(name, *parts, key="", **body):
    channels = (Channel(id="push", plus_keys=(key,) if key else (), rise=1e6, fall=1e6),)
    return Craft(id=name, channels=channels, parts=parts, body=Body(**{"mass": 100.0, **body}))


def two(one, other, ground=None, seconds=2.0, ticks=120, drill=None, cast=None, **start):
    """A job of two crafts in one world."""
    member = Member(id=other.id, **(cast or {}))
    made = Drill(id="d", craft=one.id, start=Start(**start), cast=(member,), duration=seconds, **(drill or {}))
    return jobs.Job(one, Ground(id="g", **(ground or {})), made, ticks, others=(other,))


def speeds(made):
    return made.columns("velocity.x", "velocity.y", "velocity.z")


# what is far away


def lasting(job, seconds=1.0):
    return run.execute(job.__class__(**{**job.__dict__, "drill": job.drill.replace(duration=seconds)}))


@pytest.mark.parametrize(("name", "number"), [(n, k) for n in demos.DEMOS for k in range(len(demos.load(n).crafts))])
def test_what_is_far_away_changes_no_bit(name, number):
    yard = demos.load(name)
    one = yard.crafts[number].id
    far = [Block(id=f"far_{k}", x=-5000.0 + 0.3 * k, y=-5000.0, z=0.8 * k, mass=40.0) for k in range(8)]
    for drill in yard.drills:
        job = jobs.job_of(yard, drill.replace(duration=min(drill.duration, 0.8)), one)
        fields = {key: getattr(job, key) for key in job.__dataclass_fields__}
        with_far = jobs.Job(**{**fields, "ground": job.ground.replace(blocks=(*job.ground.blocks, *far))})
        alone, beside = run.execute(job), run.execute(with_far)
        assert alone.ticks == beside.ticks
        for column in alone.layout.names:
            assert np.array_equal(alone.column(column), beside.column(column)), (drill.id, column)


def test_an_idle_block_does_not_change_a_slide_along_a_wall(make):
    wall = Wall(id="wall", x=0, y=3, length=200)
    parts = [Thruster(id="push", thrust=400.0, azimuth_deg=60.0), Bumper(id="bumper", wall_friction=0.1)]
    ends = []
    for blocks in ((), (Block(id="far", x=100.0, y=100.0),)):
        made = make.run(parts, body={"mass": 100.0, **FLAT}, ground={"walls": (wall,), "blocks": blocks}, speed=3.0)
        ends.append(made.column("velocity.x")[-1])
    assert ends[0] == ends[1]


# several crafts


@pytest.mark.parametrize("bounce", [0.0, 0.6])
def test_two_crafts_collide_and_keep_their_momentum(bounce):
    ground = {"floor": False, "gravity": 0.0, "friction": 0.0, "pairs": (), "materials": ()}
    one, other = craft("one", mass=300.0), craft("other", mass=80.0)
    job = two(one, other, ground, speed=6.0, cast={"start": Start(x=6.0, y=0.4, speed=-2.0, yaw_rate_deg=30.0)})
    made = run.execute(job)
    second = made.seen_from("other")
    total = 300.0 * speeds(made) + 80.0 * speeds(second)
    assert np.abs(total - total[0]).max() < 1e-9 * 300.0 * 6.0
    assert made.column("velocity.x")[-1] < 5.5, "they met"
    for seen in (made, second):
        assert max(ledger.ledger_gap(seen)) < 1e-9
    gained = second.line("contact")[:, :3].sum(axis=0) + made.line("contact")[:, :3].sum(axis=0)
    assert np.abs(gained).max() < 1e-6


def test_a_run_is_the_same_whoever_looks_at_it():
    one, other = craft("one"), craft("other", mass=50.0)
    job = two(one, other, {"floor": False}, speed=3.0, cast={"start": Start(x=4.0)})
    made, seen = run.execute(job), run.execute(job.seen_from("other"))
    assert made.digest == seen.digest
    assert np.array_equal(made.seen_from("other").column("velocity.x"), seen.column("velocity.x"))
    assert np.array_equal(seen.seen_from("one").line("contact"), made.line("contact"))
    assert made.seen_from("other").seen_from("one").job == job
    with pytest.raises(Refused, match="nobody"):
        made.seen_from("nobody")


def test_a_twin_world_is_that_of_the_craft_alone():
    """A craft that meets nobody runs as it does alone, bit for bit."""
    yard = demos.load("fan-sled")
    drill = yard.drill("step_steer")
    alone = run.execute(jobs.job_of(yard, drill))
    second = yard.craft().replace(id="second")
    cast = drill.replace(craft=yard.craft().id, cast=(Member(id="second", start=Start(x=-300.0, y=-300.0)),))
    both = run.execute(
        jobs.Job(yard.craft(), yard.ground_of(drill), cast, yard.ticks, yard.integrator, others=(second,))
    )
    for name in alone.layout.names:
        assert np.array_equal(alone.column(name), both.column(name)), name


def test_each_craft_is_driven_on_its_own_keys_and_the_drive_runs_again():
    one = craft("one", Thruster(id="fan", channel="push", thrust=300.0), key="W", **FLAT)
    other = craft("other", Thruster(id="fan", channel="push", thrust=300.0), key="I", **FLAT)
    job = two(one, other, {"friction": 0.0}, cast={"start": Start(x=4.0)})
    live = LiveDrive(job)
    for held, ticks in (({"W"}, 90), ({"W", "I"}, 30), (set(), 40)):
        live.advance(ticks, held_values(live.job.channels, held))
    driven = live.finish()
    assert driven.seen_from("other").column("velocity.x")[-1] > 0.5, "it was shoved, and drove"
    again = run.execute(driven.job)
    assert again.digest == driven.digest
    assert [track.channel for track in driven.job.drill.cast[0].tracks] == ["push"]


def test_a_blow_on_another_craft_stands_in_its_ledger():
    blower = craft("blower", Knockback(id="gust", size=200.0, reach=20.0, volume="ball", lift_deg=0.0), **STILL)
    other = craft("other", mass=50.0, held=("roll", "pitch", "yaw"))
    job = two(
        blower,
        other,
        {"gravity": 0.0, "floor": False},
        drill={"events": (Event(id="e", what="trigger", target="gust", t=0.2),)},
        cast={"start": Start(x=5.0)},
    )
    made = run.execute(job)
    second = made.seen_from("other")
    assert second.column("velocity.x")[-1] == pytest.approx(200.0 / 50.0)
    assert second.line("poke")[:, 0].sum() / 120 == pytest.approx(200.0)
    assert max(ledger.ledger_gap(second)) < 1e-9


def test_a_shot_homes_on_a_moving_craft_and_is_felt_there():
    gun = Launcher(
        id="gun", muzzle_speed=40.0, elevation_deg=0.0, shot_mass=5.0, homing=4.0, homes_on="other", gravity_scale=0.0,
        shot_drag=0.0, z=0.0,
    )  # fmt: skip
    job = two(
        craft("one", gun, **STILL),
        craft("other", mass=60.0),
        {"gravity": 0.0, "floor": False, "air_density": 0.0},
        drill={"events": (Event(id="e", what="trigger", target="gun", t=0.1),)},
        cast={"start": Start(x=40.0, y=-4.0, side_speed=6.0)},
        seconds=3.0,
    )
    second = run.execute(job).seen_from("other")
    assert np.abs(second.line("contact")[:, 0]).max() > 0.0, "hit"
    assert second.column("velocity.x")[-1] > 0.5


def test_events_find_the_parts_of_each_craft_and_poke_any_of_them():
    one, other = craft("one", **FLAT), craft("other", **FLAT)
    pokes = (Event(id="a", what="poke", x=100.0), Event(id="b", what="poke", target="other", y=200.0))
    made = run.execute(two(one, other, {"friction": 0.0}, drill={"events": pokes}, cast={"start": Start(y=9.0)}))
    assert made.column("velocity.x")[-1] == pytest.approx(1.0)
    assert made.seen_from("other").column("velocity.y")[-1] == pytest.approx(2.0)


def test_a_csv_names_every_craft_and_gives_its_numbers_back():
    made = run.execute(two(craft("one"), craft("other"), {"floor": False}, seconds=0.2, cast={"start": Start(x=9.0)}))
    lines = run_table.dumps(made).splitlines()
    head = lines[0].split(",")
    table = np.array([[float(value) for value in line.split(",")] for line in lines[1:]])
    for name in ("one", "other"):
        seen = made.seen_from(name)
        assert np.array_equal(table[:, head.index(f"{name}.position.z [m]")], seen.column("position.z"))
        assert np.array_equal(table[:, head.index(f"{name}.speed [m/s]")], traces.values(seen, "speed"))


def test_targets_ask_for_measures_of_any_craft_of_the_cast():
    one, other = craft("one", **FLAT), craft("other", **FLAT)
    drill = Drill(
        id="d", craft="one", start=Start(speed=5.0), cast=(Member(id="other", start=Start(x=50.0, speed=3.0)),),
        duration=1.0, targets=({"measure": "top_speed", "low": 4.9}, {"measure": "top_speed@other", "high": 3.1}),
    )  # fmt: skip
    yard = Yard(
        bench=Bench(craft="other", ground="g", drill="d"), crafts=(one, other),
        grounds=(Ground(id="g", friction=0.0),), drills=(drill,),
    )  # fmt: skip
    assert yard_json.loads(yard_json.dumps(yard)) == yard
    for looked in ("one", "other"):
        made = run.execute(jobs.job_of(yard, None, looked))
        verdicts = measures.judge(drill, measures.Readings(made))
        assert [verdict.met for verdict in verdicts] == [True, True], looked
        assert [round(verdict.value) for verdict in verdicts] == [5, 3]


def test_a_craft_is_taken_into_the_cast_and_out_again():
    one, other, third = craft("one"), craft("other"), craft("third")
    drill = Drill(id="d", start=Start(heading_deg=90.0))
    grown = casting.with_member(casting.with_member(drill, one, other), one, third)
    assert (grown.craft, [member.id for member in grown.cast]) == ("one", ["other", "third"])
    assert grown.cast[0].start.x < -2.0
    assert grown.cast[0].start.y == pytest.approx(0.0)
    assert grown.cast[1].start.x < grown.cast[0].start.x - 2.0
    assert casting.without(grown, "other").cast == grown.cast[1:]
    led = casting.without(grown, "one")
    assert (led.craft, led.start, [member.id for member in led.cast]) == ("other", grown.cast[0].start, ["third"])
    assert casting.without(casting.without(led, "other"), "third").craft == ""


# bad input


@pytest.mark.parametrize(
    ("drill", "says"),
    [
        ({"cast": ({"id": "other"},)}, "name the craft under test"),
        ({"craft": "one", "cast": ({"id": "one"},)}, "each craft once"),
        ({"craft": "one", "cast": ({"id": "other"}, {"id": "other"})}, "stands twice"),
        ({"craft": "one", "cast": ({"id": "nobody"},)}, "there is no 'nobody'"),
        ({"craft": "nobody"}, "there is no 'nobody'"),
        ({"craft": "one", "cast": ({"id": "other", "tracks": ({"channel": "sail"},)},)}, "no channel 'sail'"),
    ],
)
def test_a_cast_that_is_not_right_is_refused_at_its_place(drill, says):
    one, other = craft("one"), craft("other")
    good = Yard(
        bench=Bench(craft="one", ground="g", drill="d"), crafts=(one, other), grounds=(Ground(id="g"),),
        drills=(Drill(id="d"),),
    )  # fmt: skip
    data = json.loads(yard_json.dumps(good))
    data["drills"][0] |= drill
    with pytest.raises(Refused, match=says) as caught:
        yard_json.loads(json.dumps(data))
    assert str(caught.value.faults[0]).startswith("drills.d.")


@pytest.mark.parametrize(
    ("joint", "says"),
    [
        ({"one": "gate", "other": "gate"}, "held to itself"),
        ({"one": "door"}, "there is no body 'door'"),
        ({"one": "gate", "other": "door"}, "there is no body 'door'"),
        ({"one": "post"}, "does not move"),
    ],
)
def test_a_joint_that_cannot_hold_is_refused_at_its_place(joint, says):
    blocks = (Block(id="gate"), Block(id="post", x=3.0, moves="fixed"))
    yard = Yard(
        bench=Bench(craft="one", ground="g", drill="d"), crafts=(craft("one"),),
        grounds=(Ground(id="g", blocks=blocks),), drills=(Drill(id="d"),),
    )  # fmt: skip
    data = json.loads(yard_json.dumps(yard))
    data["grounds"][0]["joints"] = [{"id": "pin", **joint}]
    with pytest.raises(Refused, match=says) as caught:
        yard_json.loads(json.dumps(data))
    assert str(caught.value.faults[0]).startswith("grounds.g.joints.pin")


# files of older formats


@pytest.mark.parametrize("file", sorted(OLD.glob("*.json")), ids=lambda file: file.stem)
def test_every_demo_of_format_1_opens_as_it_is_today(file):
    data = yard_json.read(file)
    assert data["format"] == 1
    assert "format 1" in yard_json.told_of(data)
    yard = yard_json.of(data, str(file))
    now = demos.load(file.stem.replace("_", "-"))
    assert yard.format == FORMAT
    grounds, drills = {one.id for one in yard.grounds}, {one.id for one in yard.drills}
    assert yard == now.replace(  # what a demo got since is not in its old file
        grounds=tuple(one for one in now.grounds if one.id in grounds),
        drills=tuple(one for one in now.drills if one.id in drills),
    )
    assert yard_json.told_of(json.loads(yard_json.dumps(yard))) == ""


def test_what_wheels_of_format_2_held_down_becomes_a_part_and_moves_as_before():
    data = yard_json.read(Path(__file__).with_name("format_2") / "lamp_truck.json")
    assert "format 2" in yard_json.told_of(data)
    old, now = yard_json.of(data), demos.load("lamp-truck")
    held = [part for part in old.crafts[2].parts if part.kind == "hold_down"]
    assert [(part.wheels, part.reach, part.pull, part.aid) for part in held] == [
        ("front", 0.25, 5000.0, True),
        ("rear", 0.25, 5000.0, True),
    ]
    assert old.crafts[:2] == now.crafts[:2]
    drill = next(one for one in old.drills if one.id == "tip")
    runs = [run.execute(Job(yard.crafts[2], yard.grounds[0], drill, 120)) for yard in (old, now)]
    places = [made.columns("position.x", "position.y", "position.z", "rotation.x") for made in runs]
    assert np.abs(places[0] - places[1]).max() < 1e-9  # one part in place of two: sums in another order


def test_crafts_driven_beside_become_a_cast():
    data = json.loads((OLD / "quay.json").read_text())
    data["crafts"][1]["beside"] = True
    data["drills"][0]["start"] |= {"heading_deg": 90.0, "x": 2.0, "y": 1.0}
    yard = yard_json.of(data)
    drill = yard.drills[0]
    assert (drill.craft, [member.id for member in drill.cast]) == ("fan_sled", ["sled_slide"])
    assert (drill.cast[0].start.x, drill.cast[0].start.y) == pytest.approx((2.0 - 3.5, 1.0))
    assert all(one.cast for one in yard.drills if not one.recorded)


@pytest.mark.parametrize("spoil", [{"crafts": 3}, {"drills": [4]}, {"crafts": [{"id": "a", "lane": "x"}]}, {}])
def test_what_is_wrong_in_format_1_is_still_refused(spoil):
    data = {**json.loads((OLD / "puck.json").read_text()), **spoil}
    if not spoil:
        del data["bench"]
    with pytest.raises(Refused):
        yard_json.of(data)


# joints


def hanging(make, ticks, mass=10.0, length=2.0, angle=60.0, **ground):
    x, z = length * math.sin(math.radians(angle)), 5.0 - length * math.cos(math.radians(angle))
    bob = Block(id="bob", shape="ball", length=0.1, width=0.1, height=0.1, x=x, z=z - 0.05, mass=mass)
    pin = Joint(id="pin", one="bob", z=5.0)
    return make.run(
        body=STILL, ground={"blocks": (bob,), "joints": (pin,), **ground}, seconds=12.0, ticks=ticks, x=50.0
    )


@pytest.mark.parametrize("ticks", [60, 120, 240, 480])
def test_a_pendulum_swings_with_the_period_of_the_elliptic_integral(make, ticks):
    made = hanging(make, ticks)
    x, z = made.column("block.bob.position.x"), made.column("block.bob.position.z")
    rows = np.flatnonzero((x[:-1] > 0.0) & (x[1:] <= 0.0))
    crossings = made.t[rows] + x[rows] / (x[rows] - x[rows + 1]) / ticks
    length = (4.0 + 0.4 * 0.05**2) / 2.0
    period = 4.0 * math.sqrt(length / G) * ellipk(math.sin(math.radians(30.0)) ** 2)
    assert np.mean(np.diff(crossings)) == pytest.approx(period, rel=1e-3)
    assert np.abs(np.hypot(x, z - 5.0) - 2.0).max() < 1e-3
    assert z.max() < z[0] + 1e-3


@pytest.mark.parametrize("heavy", [1.0, 1000.0])
def test_two_bodies_on_a_joint_keep_their_momentum_and_stay_together(make, heavy):
    blocks = (Block(id="a", z=5.0, mass=2.0), Block(id="b", x=1.5, z=5.0, mass=2.0 * heavy))
    pin = Joint(id="pin", one="a", other="b", x=0.75, z=5.5)
    poke = Event(id="e", what="poke", target="a", y=10.0, z=4.0, at_x=-0.5)
    made = make.run(
        body=STILL, ground={"blocks": blocks, "joints": (pin,), "gravity": 0.0}, seconds=4.0, x=50.0,
        drill={"events": (poke,)},
    )  # fmt: skip
    total = sum(
        mass * made.columns(*(f"block.{name}.velocity.{axis}" for axis in "xyz"))
        for name, mass in (("a", 2.0), ("b", 2.0 * heavy))
    )
    assert np.abs(total[3:] - [0.0, 10.0, 4.0]).max() < 1e-9 * 10.0 * heavy
    ends = []
    for name, side in (("a", 0.75), ("b", -0.75)):
        places = made.columns(*(f"block.{name}.position.{axis}" for axis in "xyz"))
        turned = [
            rotations.rotation(q) @ [side, 0.0, 0.0]
            for q in made.columns(*(f"block.{name}.rotation.{a}" for a in "wxyz"))
        ]
        ends.append(places + turned)
    assert np.abs(ends[0] - ends[1]).max() < 2e-3


def test_a_craft_hangs_on_a_joint_and_its_ledger_closes(make):
    pin = Joint(id="pin", one="craft", z=6.0)
    made = make.run(body={"mass": 50.0}, ground={"joints": (pin,)}, height=3.0, x=2.0, seconds=3.0)
    assert max(ledger.ledger_gap(made)) < 1e-9
    away = made.columns("position.x", "position.y", "position.z") - [0.0, 0.0, 6.0]
    assert np.ptp(np.linalg.norm(away, axis=1)) < 2e-3
    assert made.column("position.z").min() > 2.0, "it does not fall"


# gains before caps, and supports


@pytest.mark.parametrize("trim", [0.0, 0.5, 1.0, 2.0, 10.0])
@pytest.mark.parametrize("held", [FLAT["held"], ()], ids=["height held", "free"])
def test_a_brake_of_any_strength_stops_and_never_reverses(make, trim, held):
    parts = [
        Runner(id="skid", glide=0.02, spread_x=0.8, spread_y=0.5, trim=trim, z=-0.4),
        Brake(id="brake", timing="always", bite=0.3, trim=trim),
    ]
    made = make.run(parts, body={"mass": 100.0, "held": held}, ground={"floor": True, "friction": 0.0}, speed=4.0)
    v = made.column("velocity.x")
    if trim == 0.0:
        assert v[-1] == pytest.approx(4.0, rel=0.05)
        return
    assert v[-1] == pytest.approx(0.0, abs=1e-6)
    assert v.min() > -1e-6


@pytest.mark.parametrize("held", [FLAT["held"], ("roll", "pitch", "yaw")], ids=["height held", "free"])
def test_a_muted_runner_carries_nothing_and_takes_nothing_from_the_other(make, held):
    def slowing(*muted):
        parts = [
            Runner(id=name, glide=0.1, spread_x=0.8, x=side, z=-0.4, mute=name in muted, side_grip=0.0)
            for name, side in (("front", 0.4), ("rear", -0.4))
        ]
        made = make.run(parts, body={"mass": 100.0, "held": held}, ground={"floor": True}, speed=8.0, seconds=1.0)
        return made, (made.column("velocity.x")[30] - made.column("velocity.x")[90]) / 0.5

    both, whole = slowing()
    one, half = slowing("rear")
    assert whole == pytest.approx(0.1 * G, rel=2e-3)
    assert half == pytest.approx(0.1 * G, rel=2e-3)
    assert np.abs(one.line("rear")).max() == 0.0
    assert one.column("load")[60] == pytest.approx(both.column("load")[60], rel=1e-3)


def test_tracks_of_the_cast_move_their_craft():
    fan = Thruster(id="fan", channel="push", thrust=100.0)
    told = (Track(channel="push", knots=(Knot(t=0.0, value=1.0),)),)
    job = two(craft("one", fan, **FLAT), craft("other", fan, **FLAT), cast={"start": Start(y=8.0), "tracks": told})
    made = run.execute(job)
    assert made.column("velocity.x")[-1] == 0.0
    assert made.seen_from("other").column("velocity.x")[-1] == pytest.approx(2.0, rel=0.02)


def test_a_start_takes_any_attitude(make):
    made = make.run(
        body={}, ground={"gravity": 0.0}, heading_deg=30.0, pitch_deg=-20.0, roll_deg=50.0, height=5.0, seconds=0.1
    )
    from scipy.spatial.transform import Rotation

    wanted = Rotation.from_euler("ZYX", [30.0, -20.0, 50.0], degrees=True).as_matrix()
    q = made.columns(*(f"rotation.{a}" for a in "wxyz"))[0]
    assert rotations.rotation(q) == pytest.approx(wanted, abs=1e-12)


def test_the_outlook_counts_the_weight_once_for_two_runners(make):
    from oak_sled.core.advice import outlook

    def friction(*parts):
        job = make.job(parts, body={"mass": 100.0, **FLAT}, ground={"floor": True})
        return outlook.setting_of(job.craft, job.ground, job.ticks).friction

    runner = Runner(id="a", glide=0.1, spread_x=0.5)
    assert friction(runner) == pytest.approx(0.1 * 100.0 * G)
    assert friction(runner, runner.replace(id="b")) == pytest.approx(0.1 * 100.0 * G)
    assert friction(runner, runner.replace(id="b", mute=True)) == pytest.approx(0.1 * 100.0 * G)


# what blocks can do


def test_a_block_starts_with_its_speed_and_spin(make):
    block = Block(id="b", z=5.0, speed_x=3.0, speed_z=2.0, spin_z_deg=90.0)
    made = make.run(body=STILL, ground={"gravity": 0.0, "blocks": (block,)}, seconds=1.0, x=50.0)
    assert made.column("block.b.position.x")[-1] == pytest.approx(3.0)
    assert made.column("block.b.velocity.z")[-1] == pytest.approx(2.0)
    assert made.column("block.b.spin.z")[-1] == pytest.approx(math.radians(90.0))


def test_a_falling_ball_reaches_the_terminal_speed_of_its_drag(make):
    ball = Block(id="b", shape="ball", length=0.5, width=0.5, height=0.5, mass=2.0, z=4000.0, drag_coefficient=0.47)
    ground = {"floor": False, "air_density": 1.3, "wind_speed": 4.0, "blocks": (ball,)}
    made = make.run(body=STILL, ground=ground, seconds=40.0, x=50.0)
    terminal = math.sqrt(2.0 * 2.0 * G / (1.3 * 0.47 * math.pi * 0.25**2))
    assert made.column("block.b.velocity.z")[-1] == pytest.approx(-terminal, rel=1e-3)
    assert made.column("block.b.velocity.x")[-1] == pytest.approx(4.0, rel=1e-3), "it goes with the wind"


def test_a_conveyor_carries_what_lies_on_it_and_a_craft_that_stands_on_it(make):
    belt = Block(id="belt", moves="fixed", length=60.0, width=4.0, height=0.5, belt_x=2.0)
    crate = Block(id="crate", x=-10.0, z=0.5, mass=30.0)
    skid = Runner(id="skid", glide=0.2, spread_x=0.5, spread_y=0.4, z=-0.4)
    made = make.run(
        [skid, Brake(id="brake", timing="always", bite=0.3)],
        body={"mass": 100.0}, ground={"blocks": (belt, crate), "floor": True}, seconds=4.0, x=5.0, height=0.5,
    )  # fmt: skip
    assert made.column("block.crate.velocity.x")[-1] == pytest.approx(2.0, abs=1e-3)
    assert made.column("velocity.x")[-1] == pytest.approx(2.0, abs=0.02)


def test_a_driven_block_takes_its_phase_and_ramps_up(make):
    ram = Block(id="ram", moves="driven", sway_x=2.0, period=4.0, phase_deg=90.0)
    slow = ram.replace(id="slow", y=9.0, ramp_s=2.0)
    made = make.run(body=STILL, ground={"blocks": (ram, slow)}, seconds=4.0, x=50.0)
    t = made.t[1:]
    full = 2.0 * np.sin(2.0 * np.pi * t / 4.0 + 0.5 * np.pi)
    assert made.column("block.ram.position.x")[1:] == pytest.approx(full, abs=1e-9)
    assert made.column("block.slow.position.x")[1:] == pytest.approx(full * np.minimum(t / 2.0, 1.0), abs=1e-9)


def test_a_key_that_two_crafts_share_is_a_caution_at_the_channel_of_each():
    job = two(craft("one", key="W"), craft("other", key="W"), cast={"start": Start(x=8.0)})
    for who, other in (("one", "other push"), ("other", "one push")):
        found = [one for one in cautions.find(job.seen_from(who)) if one.name == "shared_key"]
        assert [one.where for one in found] == ["channels.push"]
        assert "W" in found[0].says
        assert other in found[0].says
    apart = two(craft("one", key="W"), craft("other", key="I"), cast={"start": Start(x=8.0)})
    assert "shared_key" not in {one.name for one in cautions.find(apart)}
    assert not casting.shared_keys(demos.load("shunting").crafts)


def test_each_craft_of_a_cast_may_be_looked_at_and_its_world_stays_the_same():
    seen = 0
    for name in demos.DEMOS:
        yard = demos.load(name)
        for drill in yard.drills:
            for member in drill.cast:
                looked = yard.replace(bench=Bench(craft=member.id, ground=yard.bench.ground, drill=drill.id))
                job, own = jobs.job_of(looked), jobs.job_of(yard, drill, drill.craft)
                assert job.craft.id == member.id
                assert [one.craft.id for one in job.actors] == [one.craft.id for one in own.actors], (name, drill.id)
                assert [one.start for one in job.actors] == [one.start for one in own.actors], (name, drill.id)
                seen += 1
    assert seen > 5
