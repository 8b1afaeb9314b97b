"""Crafts of several bodies, and the ties of crafts and of the cast of a drill."""

from __future__ import annotations

import math

import numpy as np
import pytest
from going_on import assert_goes_on

from oak_sled.core.advice import cautions, jointed, modes, outlook, probe
from oak_sled.core.assembly import bodynames, starts
from oak_sled.core.assembly.jobs import Job, job_of
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import run_table, yard_json
from oak_sled.core.project import blank, demos, limbs, live
from oak_sled.core.results import ledger, measures, run, tied, tieends, traces
from oak_sled.core.yard import channels, renaming
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Member, Start, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground

RATES = (60, 120, 240, 480)
ICE = Ground(id="ice", floor=True, gravity=9.80665, air_density=0.0, length=4000.0, width=400.0)
EMPTY = Ground(id="empty", floor=False, gravity=0.0, air_density=0.0, length=4000.0, width=400.0)
PUSH = {"kind": "thruster", "id": "fan", "channel": "throttle", "thrust": 900.0, "at_point": False}
HITCH = {"kind": "cone", "id": "hitch", "one": "trailer", "other": "body", "x": -1.6, "z": 0.0, "cone_deg": 80.0}
TRAILER = {"id": "trailer", "mass": 80.0, "length": 1.6, "width": 1.0, "height": 0.4, "x": -2.8}


def hauler(**changes):
    """A tug with a trailer behind, on runners both."""
    skids = {"kind": "runner", "z": -0.25, "spread_x": 0.5, "spread_y": 0.4}
    fields = {
        "body": {"mass": 200.0, "length": 2.4, "width": 1.2, "height": 0.5},
        "bodies": (TRAILER,),
        "ties": (HITCH,),
        "channels": ({"id": "throttle", "rise": 1e4, "fall": 1e4},),
        "parts": (PUSH, {**skids, "id": "runners"}, {**skids, "id": "skids", "carried_by": "trailer", "z": -0.2}),
    }
    return Craft(id="tug", **{**fields, **changes})


def drive(seconds=4.0, **changes):
    """Full throttle from the start."""
    track = Track(channel="throttle", knots=(Knot(t=0.0, value=1.0),))
    return Drill(id="pull", duration=seconds, tracks=(track,), **changes)


def made(craft=None, drill=None, ground=ICE, ticks=120):
    """A run of it."""
    return run.execute(Job(craft or hauler(), ground, drill or drive(), ticks))


def test_a_craft_of_two_bodies_runs_as_two_crafts_that_a_drill_ties():
    """The same bodies, parts and tie as a craft of two bodies and as two crafts of a cast, but for rounding."""
    first, second = hauler().singles
    body = {name: value for name, value in TRAILER.items() if name not in ("id", "x")}
    towed = Craft(id="trailer", body=body, parts=tuple(part.replace(carried_by="") for part in second.parts))
    alone = Craft(id="tug", body=first.body, channels=hauler().channels, parts=first.parts)
    whole = hauler(bodies=({**TRAILER, "z": -0.05},))  # both stand
    tie = {**HITCH, "one": "tug", "other": "trailer"}
    drill = drive(craft="tug", cast=(Member(id="trailer", start=Start(x=-2.8)),), ties=(tie,))
    one, other = made(whole), run.execute(Job(alone, ICE, drill, 120, others=(towed,)))
    assert one.ticks == other.ticks == 480
    for name in ("position.x", "velocity.x", "position.z", "runners.force.x"):
        assert one.column(name) == pytest.approx(other.column(name), rel=1e-6, abs=1e-5), name
    for name in ("position.x", "position.z", "skids.force.x"):
        mine, its = one.column(f"tug.trailer/{name}"), other.column(f"trailer/{name}")
        assert mine == pytest.approx(its, rel=1e-6, abs=1e-5), name
    assert one.column("velocity.x")[-1] > 5.0


@pytest.mark.parametrize("ticks", RATES)
def test_a_free_craft_of_three_bodies_keeps_its_momenta_while_its_motors_turn(ticks):
    arms = tuple({**TRAILER, "id": name, "x": x} for name, x in (("front", 2.4), ("back", -2.4)))
    ties = (
        {"kind": "hinge", "id": "a", "one": "front", "other": "body", "x": 1.2, "z": 0.0, "elevation_deg": 90.0,
         "motor": "rate", "motor_rate_deg": 40.0, "motor_torque": 500.0},
        {"kind": "cone", "id": "b", "one": "back", "other": "body", "x": -1.2, "z": 0.0, "cone_deg": 40.0},
    )  # fmt: skip
    craft = hauler(bodies=arms, ties=ties, parts=())
    start = Start(speed=3.0, side_speed=1.0, yaw_rate_deg=20.0, roll_rate_deg=30.0, height=10.0, heading_deg=40.0)
    found = made(craft, Drill(id="free", duration=3.0, start=start), EMPTY, ticks)
    rows = np.array([found.record.row(k) for k in range(found.ticks + 1)])
    total, angular, mass = 0.0, 0.0, 0.0
    for who, one in enumerate(found.job.actors):
        place = found.layout.first_of(who)
        x, q, v, w = (rows[:, place + a : place + b] for a, b in ((0, 3), (3, 7), (7, 10), (10, 13)))
        m = one.craft.body.true_mass()
        axes = np.array([rotation(each) for each in q])
        own = np.einsum("nij,jk,nlk,nl->ni", axes, one.craft.body.inertia_matrix(), axes, w)
        total, mass = total + m * v, mass + m
        angular = angular + own + m * np.cross(x, v)
    assert np.abs(total - total[0]).max() < 1e-9 * np.abs(total[0]).max()
    assert np.abs(angular - angular[0]).max() < 1e-9 * np.abs(angular[0]).max()
    turned = found.column("tie.tug_a.angle")[-1]
    assert math.degrees(turned) == pytest.approx(120.0, abs=2.0)


def rotation(q):
    """The axes of a quaternion."""
    axes = np.zeros((3, 3))
    starts.spatial.axes_of(q, axes)
    return axes


def test_it_begins_as_it_is_drawn_turned_and_moving_as_one():
    limb = {**TRAILER, "y": 0.5, "heading_deg": 30.0, "pitch_deg": 10.0, "centre_x": 0.2}
    craft = hauler(bodies=(limb,), parts=())
    start = Start(x=5.0, y=2.0, heading_deg=90.0, speed=4.0, yaw_rate_deg=57.29577951308232, height=3.0)
    first, second = starts.start_states(craft, start, ICE)
    body = craft.bodies[0]
    turn = rotation(starts.attitude(math.radians(30.0), math.radians(10.0), 0.0))
    on_craft = np.array([body.x, body.y, body.z]) + turn @ np.array(body.centre())
    heading = np.array([[0.0, -1.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]])
    assert second[:3] - first[:3] == pytest.approx(heading @ on_craft)
    assert rotation(second[3:7]) == pytest.approx(heading @ turn)
    assert second[7:10] == pytest.approx(first[7:10] + np.cross([0.0, 0.0, 1.0], heading @ on_craft))
    assert second[10:13] == pytest.approx(first[10:13])


def test_it_begins_so_high_that_its_lowest_body_stands():
    deep = hauler(bodies=({**TRAILER, "z": -1.0},), parts=())
    first, second = starts.start_states(deep, Start(), ICE)
    assert second[2] == pytest.approx(0.2)
    assert first[2] == pytest.approx(1.2)
    assert starts.stands_at(deep, ICE) == pytest.approx(1.2)


def test_a_load_that_hangs_begins_clear_of_the_ground_and_one_that_is_towed_on_a_rope_stands():
    craft, _ = limbs.added(blank.blank_yard().crafts[0], "hung_load")
    load = craft.bodies[0]
    states = starts.start_states(craft, Start(), ICE)
    assert states[1][2] == pytest.approx(0.5 * load.height + starts.CLEAR)
    low = made(craft, drive(3.0, craft=craft.id)).column(f"{craft.id}.hung_load/position.z").min()
    assert low > 0.5 * load.height + 0.8 * starts.CLEAR, "it never scrapes"
    line = craft.ties[0]
    behind = craft.replace(
        bodies=(load.replace(x=-6.0, z=0.0),),
        ties=(line.replace(x=-5.5, z=0.0, end_x=-1.2, end_z=0.0),),
    )
    _, towed = starts.start_states(behind, Start(), ICE)
    assert towed[2] == pytest.approx(0.5 * craft.body.height), "as high as its tug, which stands"


def test_a_part_on_a_further_body_reads_the_channels_and_pushes_that_body():
    ahead = hauler(bodies=({**TRAILER, "x": 2.8},), parts=({**PUSH, "carried_by": "trailer"},), ties=())
    found = made(ahead, drive(2.0), EMPTY)
    assert found.column("velocity.x")[-1] == 0.0
    assert found.column("tug.trailer/velocity.x")[-1] == pytest.approx(900.0 / 80.0 * 2.0, rel=1e-9)


def test_a_holder_on_a_further_body_holds_that_body():
    hold = {"kind": "speed", "id": "hold", "speed": 2.0, "settles_in": 0.3, "carried_by": "trailer"}
    ahead = hauler(bodies=({**TRAILER, "x": 2.8},), channels=(), ties=(), parts=(hold,))
    found = made(ahead, Drill(id="x", duration=3.0), EMPTY)
    assert found.column("tug.trailer/velocity.x")[-1] == pytest.approx(2.0, abs=1e-3)
    assert found.column("velocity.x")[-1] == 0.0


def test_a_solo_on_one_body_silences_the_others():
    parts = list(hauler().parts)
    parts[0] = parts[0].replace(solo=True)
    craft = hauler(parts=tuple(parts), body={"mass": 200.0, "damping": 1.0}, bodies=({**TRAILER, "damping": 1.0},))
    assert all(one.gain_of(part) == 0.0 for one in craft.singles[1:] for part in one.parts)
    assert craft.singles[1].body.damping == 0.0
    assert hauler().singles[1].gain_of(hauler().singles[1].parts[0]) == 1.0


def test_both_bodies_go_round_the_edge_and_back_to_the_start_together():
    for edges in ("wrap", "return"):
        ground = Ground(id="short", air_density=0.0, edges=edges, length=40.0, width=40.0)
        found = made(hauler(), drive(12.0), ground)
        x, behind = found.column("position.x"), found.column("tug.trailer/position.x")
        assert np.abs(x).max() < 21.0
        assert np.abs(np.diff(x)).max() > 15.0
        y, aside = found.column("position.y"), found.column("tug.trailer/position.y")
        assert np.hypot(x - behind, y - aside).max() < 2.85, edges
        assert found.column("tie.tug_hitch.load").max() < 5e3


def test_events_reach_a_part_on_a_further_body_and_a_tie_of_the_craft():
    kick = {"kind": "impulse", "id": "kick", "carried_by": "trailer", "size": 80.0, "channel": ""}
    events = (
        Event(id="a", what="let_go", t=0.5, target="tug_hitch"),
        Event(id="b", what="trigger", t=1.0, target="kick"),
    )
    craft = hauler(bodies=({**TRAILER, "x": 2.8},), channels=(), parts=(kick,))
    found = made(craft, Drill(id="x", duration=2.0, events=events), EMPTY)
    assert found.column("tie.tug_hitch.broken")[[59, 61]].tolist() == [0.0, 1.0]
    speed = np.linalg.norm(found.columns(*(f"tug.trailer/velocity.{axis}" for axis in "xyz")), axis=1)
    assert speed[119] == 0.0
    assert speed[-1] == pytest.approx(1.0)
    assert found.column("velocity.x")[-1] == 0.0
    assert [one.word for one in tied.changes(found)] == ["let go"]
    assert not [one for one in cautions.find(found.job, found) if one.name == "no_such_target"]


def test_mass_outlook_ledger_measures_and_cautions_count_every_body():
    craft = hauler(bodies=({**TRAILER, "z": -0.05},))
    assert craft.whole_mass() == 280.0
    told = outlook.told_of(craft, ICE, 120)
    assert set(told) == {"body", "trailer", "fan", "runners", "skids"}
    setting = outlook.setting_of(craft, ICE, 120)
    assert (setting.mass, setting.moves, setting.thrust) == (200.0, 280.0, 900.0)
    friction = sum(outlook.setting_of(one, ICE, 120).friction for one in craft.singles)
    assert setting.friction == pytest.approx(friction)
    assert friction > 0.0
    found = made(craft)
    behind = found.seen_from("tug.trailer")
    assert behind.job.single.id == "tug.trailer"
    assert behind.seen_from("tug").job == found.job
    read = measures.Readings(found)
    assert read["top_speed@tug.trailer"] == pytest.approx(measures.Readings(behind)["top_speed"])
    row = found.ticks
    rows = {line.name: line for line in ledger.ledger_of_all(found, row, False)}
    assert {"tug/fan", "tug/runners", "tug/ties", "tug.trailer/skids", "tug.trailer/ties"} <= set(rows)
    assert rows["tug.trailer/skids"].title == "Trailer: Skids"
    assert np.array(rows["tug/ties"].force) == pytest.approx(-np.array(rows["tug.trailer/ties"].force), abs=1e-6)
    gained = sum(line.force[0] for line in rows.values())
    speeds = [found.column(name)[-2:] for name in ("velocity.x", "tug.trailer/velocity.x")]
    moved = 120.0 * (200.0 * np.diff(speeds[0]) + 80.0 * np.diff(speeds[1]))
    assert gained == pytest.approx(float(moved[0]), abs=1e-6)
    assert "channel.throttle" in traces.book(found)
    assert np.array_equal(traces.values(behind, "channel.throttle"), traces.values(found, "channel.throttle"))
    for name, trace in traces.book(behind).items():
        assert np.isfinite(traces.values(behind, name)).all(), trace
    wrong = craft.replace(bodies=(craft.bodies[0].replace(damping=200.0, damping_law="explicit"),))
    told = {one.name: one for one in cautions.find(Job(wrong, ICE, drive(), 120))}
    assert told["overshooting_damping"].where == "bodies.trailer.damping"
    assert told["overshooting_damping"].says.startswith("Trailer: ")
    assert all(path.startswith("bodies.trailer.") for path, _ in told["overshooting_damping"].remedy.changes)


def test_what_is_asked_of_a_part_on_a_further_body_is_told_of_that_body():
    craft = hauler(bodies=({**TRAILER, "z": -0.05},))
    behind = craft.single("trailer")
    curve = probe.grip_curve(behind, ICE, 120, "skids")
    assert curve.max() == pytest.approx(behind.parts[0].side_grip, rel=1e-3)
    wheeled = demos.load("ferry").craft()
    carried = tuple(part.replace(id=f"{part.id}_2", carried_by="aft") for part in wheeled.parts if part.legs())
    body = {**wheeled.body.model_dump(), "id": "aft", "x": -12.0}
    twice = wheeled.replace(bodies=(body,), parts=(*wheeled.parts, *carried))
    job = Job(twice, ICE, Drill(id="x", duration=1.0), 120)
    assert modes.standing(job.seen_from(f"{twice.id}.aft")) is not None, "its pads carry it by themselves"
    told = cautions.find(job, run.execute(job))
    assert not [one for one in told if one.name in ("starts_in_the_ground", "finds_no_ground")]


def test_every_column_leaves_under_the_name_of_its_body():
    found = made(drill=drive(0.2))
    names = run_table.labels(found)
    assert len(set(names)) == len(names)
    assert "tug.trailer.position.x_[m]" in names or "tug.trailer.position.x [m]" in names
    assert len(run_table.dumps(found).splitlines()) == 2 + found.ticks


@pytest.mark.parametrize("kind", ["hinge", "cone", "fixed", "coupling", "rope"])
def test_what_a_tie_gives_stands_on_its_own_line_and_the_ledger_closes(kind):
    own = {"kind": kind, "id": "tie", "one": "trailer", "other": "body", "x": -2.0, "z": 0.0}
    own |= {"end_x": -1.2, "end_z": 0.0} if kind in ("coupling", "rope") else {}
    own |= {"elevation_deg": 90.0} if kind == "hinge" else {}
    found = made(hauler(parts=(PUSH,), ties=(own,)), drive(2.0), EMPTY)
    for one in (found, found.seen_from("tug.trailer")):
        assert max(ledger.ledger_gap(one)) < 1e-9, kind
        assert np.abs(one.line("contact")).max() < 1e-6
    pulled = found.line("ties")[:, 0]
    load = found.column(f"tie.tug_tie.{tieends.at_row(found, 0)[0].tie.LOAD}")
    assert pulled[100:] == pytest.approx(-np.abs(load[100:]), rel=1e-6, abs=1e-3)
    assert pulled[-1] < -200.0


@pytest.mark.parametrize("ticks", RATES)
def test_the_pull_of_a_trailer_is_its_mass_times_what_the_whole_gains(ticks):
    found = made(hauler(parts=(PUSH,)), drive(1.0), EMPTY, ticks)
    assert found.column("velocity.x")[-1] == pytest.approx(900.0 / 280.0, rel=1e-9)
    assert found.column("tie.tug_hitch.load")[-1] == pytest.approx(80.0 * 900.0 / 280.0, rel=1e-6)
    ends = next(one for one in tieends.at_row(found, found.ticks) if one.tie.id == "tug_hitch")
    assert ends.one == pytest.approx([found.column("position.x")[-1] - 1.6, 0.0, ends.one[2]])


def test_it_goes_on_to_the_bit_and_a_drive_takes_a_moved_dial_of_a_tie():
    job = Job(hauler(), ICE, drive(), 120)
    assert_goes_on(job, 60, 200)
    driven = live.LiveDrive(job.seen_from("tug.trailer"))
    driven.advance(120, np.ones((120, 1)))
    x = driven.newest(0.0).place_at(0)[0]
    stiff = hauler(ties=({**HITCH, "friction": 500.0},))
    driven.take(Job(stiff, ICE, drive(), 120))
    driven.advance(1, np.ones((1, 1)))
    assert driven.newest(0.0).place_at(0)[0] == pytest.approx(x, abs=0.2)
    assert driven.ticks == 121, "it went on"
    kept = driven.finish()
    assert kept.job.drill.tracks[0].channel == "throttle"
    assert kept.layout.crafts[1].id == "tug.trailer"


def test_a_drive_keeps_the_ties_of_its_cast():
    tie = {**HITCH, "one": "tug", "other": "towed", "x": -1.6}
    towed = Craft(id="towed", body={"mass": 80.0})
    alone = hauler(bodies=(), ties=(), parts=(PUSH,))
    drill = drive(craft="tug", cast=(Member(id="towed", start=Start(x=-2.8)),), ties=(tie,))
    driven = live.LiveDrive(Job(alone, ICE, drill, 120, others=(towed,)))
    driven.advance(120, np.ones((120, 1)))
    assert [one.id for one in driven.recorded_drill().ties] == ["hitch"]
    assert driven.newest(0.0).column("towed/velocity.x")[0] > 1.0


def test_the_yard_keeps_it_and_what_refers_to_it(tmp_path):
    yard = demos.load("fan-sled")
    craft, name = limbs.added(yard.craft(), "trailer")
    yard = yard.replace(crafts=(craft,))
    event = Event(id="off", what="let_go", t=1.0, target=f"{craft.id}_{craft.ties[0].id}")
    yard = yard.edit("drills.straight_pull.events", (event,))
    again = yard_json.loads(yard_json.dumps(yard))
    assert again == yard
    assert again.craft().singles[1].id == f"fan_sled.{name}"
    without = yard.without(crafts=(limbs.without(craft, name),))
    assert not without.drill("straight_pull").events
    assert not without.craft().ties
    assert all(part.carried_by == "" for part in without.craft().parts)


def test_a_channel_that_moves_a_tie_is_renamed_and_removed_with_it():
    craft, _ = limbs.added(demos.load("fan-sled").craft(), "jib")
    yard = demos.load("fan-sled").replace(crafts=(craft,))
    assert channels.renamed(yard, craft, "jib", "slewing").craft().ties[0].channel == "slewing"
    assert channels.without(yard, craft, "jib").craft().ties[0].channel == ""


def test_what_names_a_body_or_a_tie_follows_its_new_name_and_goes_with_it():
    yard = demos.load("crane")
    ground = yard.ground()
    block = ground.blocks[0].replace(id="jib", x=40.0)
    events = (Event(id="a", what="let_go", t=19.0, target="tower_slewing"),)
    target = {"measure": "top_speed@tower.jib", "high": 9.0}
    drill = yard.drill().replace(events=events, targets=(*yard.drill().targets, target))
    drill = drill.replace(
        craft="tower", ties=({"kind": "rope", "id": "stay", "one": "tower.jib", "other": "", "end_z": 9.0},)
    )
    yard = yard.replace(
        grounds=(ground.replace(blocks=(*ground.blocks, block)),),
        drills=(drill,),
        bench=yard.bench.replace(drill=drill.id),
    )
    boom = limbs.renamed_in(yard, "tower", "jib", "boom")
    assert [tie.other for tie in boom.ground().ties if tie.id == "fall"] == ["tower.boom"]
    assert boom.drill().ties[0].one == "tower.boom"
    assert boom.drill().targets[-1].measure == "top_speed@tower.boom"
    assert boom.craft().ties[0].one == "boom"
    turning = limbs.tie_renamed_in(boom, "tower", "slewing", "turning")
    assert turning.drill().events[0].target == "tower_turning"
    moved = renaming.renamed(yard, ground.id, "blocks", "jib", "beam")
    assert moved.craft().ties[0].one == "jib", "a tie of a craft names its own body, and no block"
    gone = yard.without(crafts=(limbs.without(yard.craft(), "jib").replace(parts=()),))
    assert not gone.drill().ties
    assert not gone.drill().events
    assert [tie.id for tie in gone.ground().ties] == []
    with pytest.raises(Refused, match="is taken"):
        limbs.renamed_in(yard, "tower", "jib", "body")


@pytest.mark.parametrize("kind", limbs.KINDS)
@pytest.mark.parametrize("demo", demos.DEMOS)
def test_every_kind_of_body_can_be_added_to_every_craft(demo, kind):
    for craft in demos.load(demo).crafts:
        once, first = limbs.added(craft, kind)
        twice, second = limbs.added(once, kind)
        assert len(twice.singles) == 3 + len(craft.bodies)
        assert first != second
        assert {tie.one for tie in twice.ties[len(craft.ties) :]} == {first, second}
        assert all(
            tie.other in ("body", first, *(one.id for one in craft.bodies)) for tie in twice.ties[len(craft.ties) :]
        )
        renamed = limbs.renamed(twice, first, "other_name")
        assert renamed.single("other_name")
        assert first not in [one.id for one in renamed.bodies]
        assert limbs.without(limbs.without(twice, second), first).parts == craft.parts


def test_a_trailer_that_is_added_follows_its_craft():
    yard = demos.load("fan-sled")
    craft, name = limbs.added(yard.craft(), "trailer")
    found = run.execute(job_of(yard.replace(crafts=(craft,)), yard.drill("straight_pull")))
    assert found.column("position.x")[-1] > 150.0
    assert not found.is_diverged
    away = found.columns(*(f"position.{axis}" for axis in "xyz"))
    behind = found.columns(*(f"fan_sled.{name}/position.{axis}" for axis in "xyz"))
    apart = np.linalg.norm(away - behind, axis=1)
    assert np.abs(apart - apart[0]).max() < 0.05


def test_a_load_that_is_hung_below_a_craft_aloft_swings_on_its_rope():
    yard = demos.load("survey-copter")
    craft, name = limbs.added(yard.craft().replace(parts=()), "hung_load")
    drill = Drill(id="x", duration=1.0, start=Start(height=50.0, speed=4.0))
    calm = yard.ground().bare().replace(wind_speed=0.0, air_density=0.0)
    held = craft.replace(body=craft.body.replace(held=("x", "y", "z", "roll", "pitch", "yaw")))
    found = run.execute(Job(held, calm, drill, 240))
    gap = found.column("position.z") - found.column(f"{craft.id}.{name}/position.z")
    load = next(one.mass for one in craft.bodies)
    assert found.column(f"tie.{craft.id}_line.tension").max() > 1.05 * load * 9.80665
    assert gap.min() < gap[0] - 0.1, "it swings up, at the speed that it began with"


def test_a_jib_turns_by_its_channel_against_its_craft():
    yard = demos.load("fan-sled")
    craft, _ = limbs.added(yard.craft(), "jib")
    drill = Drill(id="x", duration=3.0, tracks=(Track(channel="jib", knots=(Knot(t=0.0, value=1.0),)),))
    found = run.execute(Job(craft, yard.ground("long_reach"), drill, 120))
    assert math.degrees(found.column("tie.fan_sled_slew.angle")[-1]) == pytest.approx(90.0, abs=12.0)
    lines = jointed.of_craft(craft, craft.ties[0], yard.ground())
    assert lines
    assert "it moves" in lines[0]
    assert "reaches" in lines[1]


BAD = {
    "a part on a body that is not there": (
        {"parts": ({**PUSH, "carried_by": "sledge"},)}, "parts.fan.carried_by", "there is no body 'sledge'",
    ),
    "a body with the name of the first": (
        {"bodies": ({**TRAILER, "id": "body"},), "ties": (), "parts": ()}, "bodies.body", "first body",
    ),
    "two bodies of one name": ({"bodies": (TRAILER, TRAILER)}, "bodies.trailer", "stands twice"),
    "a body with the name of a part": (
        {"bodies": ({**TRAILER, "id": "fan"},), "ties": (), "parts": (PUSH,)}, "bodies.fan", "a part has this name",
    ),
    "a tie to a body that is not there": (
        {"ties": ({**HITCH, "other": "sledge"},)}, "ties.hitch.other", "no body 'sledge'",
    ),
    "a tie to the world": ({"ties": ({**HITCH, "other": ""},)}, "ties.hitch.other", "names no body"),
    "a tie of a body to itself": ({"ties": ({**HITCH, "other": "trailer"},)}, "ties.hitch", "held to itself"),
    "a rope of no length": (
        {"ties": ({"kind": "rope", "id": "r", "one": "trailer", "other": "body", "end_x": 0.0},)}, "ties.r.length",
        "lie in each other",
    ),
    "a tie on a rail": (
        {"ties": ({"kind": "bogie", "id": "b", "one": "trailer", "other": "body", "rail": "r"},)}, "ties", "",
    ),
    "a tie by a channel that is not there": (
        {"ties": ({"kind": "hinge", "id": "h", "one": "trailer", "other": "body", "channel": "lift"},)},
        "ties.h.channel", "there is no channel 'lift'",
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", BAD)
def test_bad_input_is_refused_in_its_place(what):
    fields, where, says = BAD[what]
    yard = demos.load("fan-sled")
    craft = hauler()
    data = {**craft.model_dump(mode="json"), **fields}
    whole = {**yard.model_dump(mode="json"), "bench": {"craft": "tug", "ground": "mill_bay", "drill": "slalom"}}
    whole["crafts"] = [data]
    with pytest.raises(Refused) as refused:
        yard_json.of(whole)
    fault = refused.value.faults[0]
    assert where in fault.where, fault
    assert says in fault.what, fault


def test_a_tie_of_a_cast_names_who_takes_part():
    yard = demos.load("fan-sled")
    tie = {**HITCH, "one": "fan_sled", "other": "sledge"}
    with pytest.raises(Refused) as refused:
        yard.edit("drills.slalom.ties", (tie,))
    assert "drills.slalom.ties.hitch.other" in refused.value.faults[0].where


def test_a_rope_from_centre_to_centre_of_two_crafts_has_the_length_of_their_start():
    other = Craft(id="last", body={"mass": 50.0, "length": 1.0})
    ends = {"one": "tug", "other": "last", "x": 0.0, "z": 0.0, "end_x": 0.0, "end_z": 0.0}
    for more in ({}, {"mass": 0.5, "spacing": 0.1}):
        rope = {"kind": "rope", "id": "line", **ends, **more}
        drill = drive(2.0, craft="tug", cast=(Member(id="last", start=Start(x=-9.0)),), ties=(rope,))
        alone = hauler(bodies=(), ties=(), parts=(PUSH,))
        found = run.execute(Job(alone, EMPTY, drill, 120, others=(other,)))
        assert found.column("tie.line.length")[0] == pytest.approx(9.0)
        assert found.column("last/velocity.x")[-1] > 2.0
    drill = drive(1.0, craft="tug", cast=(Member(id="last"),), ties=({**rope, "mass": 0.0},))
    none = Job(alone, EMPTY, drill, 120, others=(other,))
    assert run.execute(none).layout.ties == ()
    told = next(one for one in cautions.find(none) if one.name == "tie_left_out")
    assert "its ends lie in each other" in told.says
    assert "ends that are apart" in told.helps


def test_a_cast_couples_a_body_of_one_craft_to_another():
    other = Craft(id="last", body={"mass": 50.0, "length": 1.0})
    ends = {"one": "tug.trailer", "other": "last", "x": -0.8, "z": 0.0, "end_x": 0.5, "end_z": 0.0}
    tie = {"kind": "coupling", "id": "link", **ends, "stiffness": 5e4, "damping": 2e3}
    drill = drive(3.0, craft="tug", cast=(Member(id="last", start=Start(x=-5.0)),), ties=(tie,))
    job = Job(hauler(parts=(PUSH,), ties=({**HITCH},)), EMPTY, drill, 120, others=(other,))
    assert [one.tie.id for one in bodynames.ties_of(job)] == ["tug_hitch", "link"]
    found = run.execute(job)
    gap = found.column("tug.trailer/position.x") - found.column("last/position.x")
    assert gap[0] == pytest.approx(2.2)
    assert np.abs(gap - 2.2).max() < 0.2
    assert found.column("last/velocity.x")[-1] == pytest.approx(900.0 / 330.0 * 3.0, rel=0.05)
