"""A rope between two bodies: it pulls and never pushes, keeps its length, momentum and energy, and breaks."""

from __future__ import annotations

import math

import numpy as np
import pytest
from going_on import assert_goes_on
from scipy.integrate import solve_ivp
from scipy.special import ellipk

from oak_sled.core.advice import cautions
from oak_sled.core.assembly import jobs
from oak_sled.core.base.faults import Refused
from oak_sled.core.compiler import plain
from oak_sled.core.contact import links, rope, scenery, solver
from oak_sled.core.contact.linkkind import BROKEN, HOLDS, ROOM
from oak_sled.core.contact.records import LOST
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.files import run_table, yard_json
from oak_sled.core.geometry import shapes
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.project import demos
from oak_sled.core.results import ledger, run, tieends, traces
from oak_sled.core.yard import renaming
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.rope import Rope

G = 9.80665
RATES = (30, 60, 120, 240, 480)
HIGH = np.array([0.0, 0.0, 500.0])


def ball(place, mass=5.0, radius=0.2, velocity=(0.0, 0.0, 0.0)):
    return Solid(
        [shapes.ball(radius)], mass, shapes.ball_inertia(mass, radius), position=tuple(place), velocity=velocity
    )


def roped(solids, ropes, spare=0):
    """A scene of solids far above the ground. ropes : (a, b, end on a, end on b, length, breaking load)."""
    scene = scenery.scene(solids, plane=False)
    found = [
        (rope.KIND, (a, b), {"at_a": at_a, "at_b": at_b, "length": length, "breaks": breaks})
        for a, b, at_a, at_b, length, breaks in ropes
    ]
    return scenery.with_links(scene, found, spare)


def moved(scene, ticks, seconds, gravity=G):
    """Position, attitude, velocity and spin of every solid after each tick, shape (ticks, n, 13)."""
    out = np.zeros((round(seconds * ticks), len(scene.solids), 13))
    solver.run_alone(scene, still_air(gravity)[0], 1.0 / ticks, len(out), out)
    return out


NONE = (0.0, 0.0, 0.0)


def pendulum(ticks, seconds, length=2.0, degrees=60.0):
    angle = math.radians(degrees)
    place = HIGH + [length * math.sin(angle), 0.0, -length * math.cos(angle)]
    scene = roped([ball(place)], [(1, 0, NONE, tuple(HIGH), length, 0.0)])
    return scene, moved(scene, ticks, seconds)[:, 1]


@pytest.mark.parametrize("ticks", [60, 120, 240, 480])
def test_a_pendulum_has_the_period_of_the_elliptic_integral(ticks):
    period = 4.0 * math.sqrt(2.0 / G) * ellipk(math.sin(math.radians(30.0)) ** 2)
    _, made = pendulum(ticks, 10.0)
    x = made[:, 0]
    down = np.flatnonzero((x[1:] <= 0.0) & (x[:-1] > 0.0))
    times = (down + x[down] / (x[down] - x[down + 1])) / ticks
    found = np.diff(times).mean()
    assert found == pytest.approx(period, rel=1e-3)


@pytest.mark.parametrize("ticks", RATES)
def test_a_pendulum_keeps_its_length_and_its_height(ticks):
    """The method is of second order: what it swings higher is bounded by that of a tick, and does not grow."""
    _, made = pendulum(ticks, 30.0)
    assert np.linalg.norm(made[:, :3] - HIGH, axis=1).max() < 2.0 + 1e-9
    tops = made[:, 2] - HIGH[2]
    assert tops.max() < -1.0 + 4.0 / ticks
    assert tops[-10 * ticks :].max() > -1.0 - 4.0 / ticks


@pytest.mark.parametrize("ticks", RATES)
def test_two_free_balls_keep_their_momenta(ticks):
    pair = [ball(HIGH, 2.0, velocity=(0.0, 3.0, 1.0)), ball(HIGH + [1.5, 0.0, 0.0], 7.0, velocity=(0.0, -2.0, 0.5))]
    made = moved(
        roped(pair, [(1, 2, (0.1, 0.0, 0.0), (-0.1, 0.05, 0.0), math.hypot(1.3, 0.05), 0.0)]), ticks, 4.0, gravity=0.0
    )[:, 1:]
    mass = np.array([2.0, 7.0])
    linear = np.einsum("k,tki->ti", mass, made[:, :, 7:10])
    inertia = 0.4 * mass * 0.2**2
    angular = np.einsum("k,tki->ti", mass, np.cross(made[:, :, :3] - HIGH, made[:, :, 7:10]))
    angular += np.einsum("k,tki->ti", inertia, made[:, :, 10:13])
    assert np.abs(linear - linear[0]).max() < 1e-9
    assert np.abs(angular - angular[0]).max() < 1e-9 * np.linalg.norm(angular[0])


def test_a_slack_rope_changes_no_bit():
    free = moved(roped([ball(HIGH)], []), 120, 0.5)
    slack = moved(roped([ball(HIGH)], [(1, 0, NONE, tuple(HIGH), 50.0, 0.0)]), 120, 0.5)
    assert free.tobytes() == slack.tobytes()


@pytest.mark.parametrize("ticks", RATES)
def test_a_fall_into_a_rope_stops_at_its_length_and_does_not_bounce(ticks):
    made = moved(roped([ball(HIGH)], [(1, 0, NONE, tuple(HIGH), 3.0, 0.0)]), ticks, 3.0)[:, 1]
    assert made[:, 2].min() > HIGH[2] - 3.0 - 1e-9
    assert np.ptp(made[-ticks:, 2]) < 1e-9
    assert made[-1, 2] == pytest.approx(HIGH[2] - 3.0, abs=1e-9)


@pytest.mark.parametrize("ticks", RATES)
def test_what_hangs_still_shows_its_weight_as_tension(ticks):
    scene = roped([ball(HIGH - [0.0, 0.0, 2.0])], [(1, 0, NONE, tuple(HIGH), 2.0, 0.0)])
    moved(scene, ticks, 0.4)
    assert scene.links["shown"][0, 0] == pytest.approx(5.0 * G, rel=1e-9)
    assert scene.links["shown"][0, 1] == pytest.approx(2.0, abs=1e-9)


def test_it_breaks_past_its_load_and_stays_broken():
    holds = roped([ball(HIGH - [0.0, 0.0, 2.0])], [(1, 0, NONE, tuple(HIGH), 2.0, 5.0 * G + 0.1)])
    moved(holds, 120, 1.0)
    assert holds.links["state"][0] == HOLDS
    breaks = roped([ball(HIGH - [0.0, 0.0, 2.0])], [(1, 0, NONE, tuple(HIGH), 2.0, 5.0 * G - 0.1)])
    made = moved(breaks, 120, 1.0)[:, 1]
    assert breaks.links["state"][0] == BROKEN
    assert breaks.links["shown"][0, 2] == 1.0
    assert made[-1, 2] < HIGH[2] - 5.0


def test_two_ropes_in_a_row_carry_both_weights():
    below = [ball(HIGH - [0.0, 0.0, 1.0], 3.0), ball(HIGH - [0.0, 0.0, 2.0], 40.0)]
    scene = roped(below, [(1, 0, NONE, tuple(HIGH), 1.0, 0.0), (2, 1, NONE, NONE, 1.0, 0.0)])
    made = moved(scene, 60, 2.0)
    assert scene.links["shown"][:, 0] == pytest.approx([43.0 * G, 40.0 * G], rel=1e-6)
    assert np.abs(made[:, 1:, 2] - [HIGH[2] - 1.0, HIGH[2] - 2.0]).max() < 1e-6


def test_a_rope_wakes_what_it_pulls():
    """A crate that sleeps on the ground is drawn by another that leaves."""
    half = (0.3, 0.3, 0.3)
    crate = Solid([shapes.box(half)], 10.0, shapes.box_inertia(10.0, half), position=(0.0, 0.0, 0.3), asleep=True)
    tug = Solid(
        [shapes.box(half)], 50.0, shapes.box_inertia(50.0, half), position=(2.0, 0.0, 0.3), velocity=(6.0, 0.0, 0.0)
    )
    scene = scenery.scene([crate, tug], plane=True)
    own = {"at_a": (0.3, 0.0, 0.0), "at_b": (-0.3, 0.0, 0.0), "length": 2.0, "breaks": 0.0}
    scene = scenery.with_links(scene, [(rope.KIND, (1, 2), own)])
    made = moved(scene, 120, 1.0)
    assert np.array_equal(made[10, 1, :3], (0.0, 0.0, 0.3))
    assert made[-1, 1, 0] > 0.3


def test_links_appear_and_vanish_and_what_finds_no_room_is_counted():
    scene = roped([ball(HIGH - [0.0, 0.0, 2.0])], [(1, 0, NONE, tuple(HIGH), 2.0, 0.0)], spare=1)
    assert list(scene.links["state"]) == [HOLDS, ROOM]
    assert links.add(scene, 0) == 1
    assert links.add(scene, 0) == -1
    assert scene.counts[LOST] == 1
    moved(scene, 120, 0.2)
    assert scene.links["shown"][:, 0].sum() == pytest.approx(5.0 * G, rel=1e-6)
    links.remove(scene, 0)
    moved(scene, 120, 0.2)
    assert scene.links["shown"][1, 0] == pytest.approx(5.0 * G, rel=1e-6)


def test_python_and_machine_code_give_the_same_bits():
    compiled = pendulum(60, 0.5)[1]
    with plain.python():
        assert pendulum(60, 0.5)[1].tobytes() == compiled.tobytes()


# documents

CRATE = Block(id="crate", x=-4.0, length=0.8, width=0.8, height=0.8, mass=60.0)
TOW = Rope(id="tow", one="fan_sled", other="crate", x=-1.0, z=0.4, end_x=-3.6, end_z=0.4)


def towing(**changes):
    yard = demos.load("fan-sled")
    ground = yard.ground(yard.bench.ground)
    drill = yard.drills[0]
    tied = ground.replace(blocks=(CRATE,), ties=(TOW.replace(**changes),), joints=(), walls=(), gates=())
    yard = yard.replace(
        grounds=tuple(tied if one.id == ground.id else one for one in yard.grounds),
        drills=(drill.replace(ground="", start=drill.start.replace(x=0.0, y=0.0)),),
    )
    return yard, run.execute(jobs.job_of(yard, yard.drills[0]))


def test_a_craft_tows_a_crate_and_its_ledger_closes():
    _, made = towing()
    tension, apart = traces.values(made, "tie.tow.tension"), traces.values(made, "tie.tow.length")
    assert tension.max() > 10.0
    assert apart.max() < 2.6 + 1e-3
    assert max(ledger.ledger_gap(made)) < 1e-9
    assert "tie.tow.tension [N]" in run_table.labels(made)


def test_a_towed_run_goes_on_from_any_tick_to_the_bit():
    yard, _ = towing()
    job = jobs.job_of(yard, yard.drills[0])
    assert_goes_on(job, 100, 240)


def test_ties_that_lose_a_body_go_with_it_and_bad_ones_are_refused():
    yard, _ = towing()
    ground = yard.ground(yard.bench.ground)
    bare = ground.replace(blocks=())
    left = yard.without(grounds=tuple(bare if one.id == bare.id else one for one in yard.grounds))
    assert left.ground(bare.id).ties == ()
    with pytest.raises(Refused, match=r"there is no body 'crat'.*crate"):
        yard.edit(f"grounds.{ground.id}.ties.tow.other", "crat")
    with pytest.raises(Refused, match="held to itself"):
        yard.edit(f"grounds.{ground.id}.ties.tow.other", "fan_sled")
    with pytest.raises(Refused, match="breaks_at"):
        yard.edit(f"grounds.{ground.id}.ties.tow.breaks_at", -5.0)


def test_the_ends_of_ties_are_as_far_apart_as_is_recorded():
    quay = demos.load("quay")
    made = run.execute(jobs.job_of(quay, quay.drill("tow_and_swing")))
    seen = set()
    for row in range(0, made.ticks + 1, 37):
        for one in tieends.at_row(made, row):
            if not one.shown["broken"]:
                assert np.linalg.norm(one.one - one.other) == pytest.approx(one.shown["length"], abs=1e-9)
                seen.add(one.tie.id)
    assert seen >= {"hoist_rope", "tow_rope"}


# reels


def reeled(drive, reel=2.0, strong=1e9, shortest=0.5, mass=5.0, length=3.0):
    """A ball that hangs on a rope with a reel, driven so far."""
    scene = scenery.scene([ball(HIGH - [0.0, 0.0, length], mass)], plane=False)
    own = {"at_a": NONE, "at_b": tuple(HIGH), "length": length, "breaks": 0.0, "reel": reel, "strong": strong,
           "shortest": shortest}  # fmt: skip
    scene = scenery.with_links(scene, [(rope.KIND, (1, 0), own)])
    scene.links["drives"][:] = drive
    return scene


@pytest.mark.parametrize("ticks", RATES)
def test_a_reel_lifts_at_its_speed_with_the_weight_as_tension(ticks):
    scene = reeled(0.5)
    made = moved(scene, ticks, 1.5)[:, 1]
    assert made[-1, 2] == pytest.approx(HIGH[2] - 3.0 + 1.5, abs=2.0 / ticks)
    assert made[-1, 9] == pytest.approx(1.0, abs=1e-6), "it has that speed when it is let go"
    assert scene.links["shown"][0, 0] == pytest.approx(5.0 * G, rel=1e-6)


@pytest.mark.parametrize("ticks", RATES)
def test_it_ends_at_the_shortest_and_pays_out_again(ticks):
    scene = reeled(1.0)
    made = moved(scene, ticks, 2.0)[:, 1]
    assert made[:, 2].max() < HIGH[2] - 0.5 + 2.0 / ticks + 0.05 * 5.0
    assert scene.links["shown"][0, 1] <= 0.5 + 1e-3
    scene.links["drives"][:] = -0.5
    made = moved(scene, ticks, 2.0)[:, 1]
    assert made[-1, 2] == pytest.approx(HIGH[2] - 2.5, abs=0.05)
    assert made[-1, 9] == pytest.approx(-1.0, abs=0.1)


@pytest.mark.parametrize("ticks", RATES)
def test_past_its_force_a_reel_stands_and_holds(ticks):
    scene = reeled(1.0, strong=5.0 * G * 0.9)
    made = moved(scene, ticks, 2.0)[:, 1]
    assert np.abs(made[:, 2] - (HIGH[2] - 3.0)).max() < 1e-6
    lifts = reeled(1.0, strong=5.0 * G * 1.5)
    made = moved(lifts, ticks, 0.5)[:, 1]
    assert made[-1, 9] == pytest.approx(min(0.5 * G * 0.5, 2.0), rel=1e-3), (
        "by what is left over the weight, to its speed"
    )


def test_a_reel_and_a_hinge_follow_their_channels():
    yard = demos.load("crane")
    made = run.execute(jobs.job_of(yard, yard.drill("set_down")))
    angle, height = traces.values(made, "tie.tower_slewing.angle"), made.column("block.load.position.z")
    assert np.degrees(angle[-1]) == pytest.approx(90.0, abs=1.0)
    length = traces.values(made, "tie.fall.length")
    assert height[360] - height[0] == pytest.approx(length[0] - length[360], abs=0.01)
    assert height[360] - height[0] > 1.8, "for two seconds at one metre a second, as its channel rises and falls"
    assert height[-1] == pytest.approx(0.5, abs=1e-3)
    still = yard.replace(drills=(yard.drill("set_down").replace(tracks=()),))
    held = run.execute(jobs.job_of(still, still.drills[0]))
    assert np.abs(traces.values(held, "tie.tower_slewing.angle")).max() < 1e-6


def test_a_tie_on_a_channel_that_is_not_there_is_told():
    yard = demos.load("crane").edit("grounds.quay.ties.fall.channel", "winch")
    job = jobs.job_of(yard, yard.drill("swing"))
    found = [one for one in cautions.find(job, run.execute(job)) if one.name == "tie_lacks_channel"]
    assert [("'winch'" in one.says, "fall" in one.says) for one in found] == [(True, True)]
    assert "hoist" in next(one.says for one in cautions.find(job) if one.name == "unused_channel")


# letting go


def towing_until(t, target="tow"):
    yard, _ = towing()
    event = Event(id="off", what="let_go", t=t, target=target)
    drill = yard.drills[0]
    return yard.replace(drills=(drill.replace(events=(event,)),))


def test_an_event_lets_go_of_what_is_towed_and_it_keeps_its_speed():
    yard = towing_until(4.0)
    made = run.execute(jobs.job_of(yard, yard.drills[0]))
    tension, speed = traces.values(made, "tie.tow.tension"), made.column("block.crate.velocity.x")
    gone = round(4.0 * made.job.ticks)
    assert tension[gone - 2] > 0.0
    assert np.array_equal(tension[gone + 1 :], np.zeros(len(tension) - gone - 1))
    assert traces.values(made, "tie.tow.broken")[-1] == 1.0
    assert speed[gone] > 1.0
    assert 0.8 * speed[gone] < speed[gone + 3] <= speed[gone], "only the ice slows it"
    assert max(ledger.ledger_gap(made)) < 1e-9
    assert yard_json.loads(yard_json.dumps(yard)) == yard


def test_an_event_that_lets_go_of_nothing_is_refused_and_follows_a_new_name():
    with pytest.raises(Refused, match="no tie 'towing'"):
        yard_json.loads(yard_json.dumps(towing_until(4.0)).replace('"target": "tow"', '"target": "towing"'))
    yard = towing_until(4.0)
    ground = next(one.id for one in yard.grounds if one.ties)
    named = renaming.renamed(yard, ground, "ties", "tow", "line")
    assert named.drills[0].events[0].target == "line"
    left = yard.without(grounds=tuple(one.replace(ties=()) for one in yard.grounds))
    assert not left.drills[0].events


@pytest.mark.parametrize("ticks", [60, 120, 240, 480])
def test_the_tension_of_a_pendulum_is_that_of_its_start_place_and_mean_speed(ticks):
    """Of a tick: m (g cos + v2 / L), with the angle at its start and the mean speed over it and the tick before."""
    scene, out = pendulum(ticks, 0.1, degrees=60.0)
    column = [one.name for one in rope.KIND.shows].index("tension")
    found, expected = [], []
    for _ in range(2 * ticks):
        before = scene.solids["position"][1].copy() - HIGH
        speed = scene.solids["velocity"][1].copy()
        after = moved(scene, ticks, 1.0 / ticks)[-1, 1]
        mean = 0.5 * (speed + after[7:10])
        found.append(float(scene.links["shown"][0][column]))
        expected.append(5.0 * (G * -before[2] / 2.0 + float(mean @ mean) / 2.0))
    assert len(out) > 0
    assert np.abs(np.array(found) / np.array(expected) - 1.0).max() < 1e-3


def test_a_double_pendulum_on_ropes_follows_the_equations_for_five_seconds():
    """Point masses of 3 and 2 kg on ropes of 2 and 1.5 m, against Lagrange's equations."""
    m, n, a, b = 3.0, 2.0, 2.0, 1.5

    def rates(_, state):
        one, two, p, q = state
        c, s = math.cos(one - two), math.sin(one - two)
        mass = np.array([[(m + n) * a, n * b * c], [a * c, b]])
        right = [-n * b * q * q * s - (m + n) * G * math.sin(one), a * p * p * s - G * math.sin(two)]
        return [p, q, *np.linalg.solve(mass, right)]

    start = [math.radians(40.0), math.radians(25.0), 0.0, 0.0]
    times = np.arange(1, 5 * 240 + 1) / 240.0
    exact = solve_ivp(rates, (0.0, 5.0), start, t_eval=times, rtol=1e-10, atol=1e-10).y
    first = HIGH + [a * math.sin(start[0]), 0.0, -a * math.cos(start[0])]
    second = first + [b * math.sin(start[1]), 0.0, -b * math.cos(start[1])]
    tiny = 0.01  # m, so that what turns of a ball counts for nothing
    balls = [
        Solid([shapes.ball(tiny)], mass, shapes.ball_inertia(mass, tiny), position=tuple(place))
        for mass, place in ((m, first), (n, second))
    ]
    scene = roped(balls, [(1, 0, NONE, tuple(HIGH), a, 0.0), (2, 1, NONE, NONE, b, 0.0)])
    out = moved(scene, 240, 5.0)
    at = np.stack([a * np.sin(exact[0]), -a * np.cos(exact[0])], axis=1)
    below = at + np.stack([b * np.sin(exact[1]), -b * np.cos(exact[1])], axis=1)
    assert np.abs(out[:, 1][:, [0, 2]] - HIGH[[0, 2]] - at).max() < 1e-2 * a
    assert np.abs(out[:, 2][:, [0, 2]] - HIGH[[0, 2]] - below).max() < 1e-2 * (a + b)
