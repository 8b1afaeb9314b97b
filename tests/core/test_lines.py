"""Ropes that bend round what stands, with the friction of a capstan, and lines that are thrown from a craft."""

from __future__ import annotations

import math

import numpy as np
import pytest
from going_on import assert_goes_on

from oak_sled.core.advice import cautions, preview
from oak_sled.core.assembly import jobs, tracks, world
from oak_sled.core.compiler import plain
from oak_sled.core.contact import hook, records, scenery, solver, wrapped, wraps
from oak_sled.core.contact.linkkind import own_of
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.geometry import shapes
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.parts.line import Line
from oak_sled.core.project import blank
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.results import ledger, run, tied, tieends
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Knot, Member, Start, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.rope import Rope

G = 9.80665
RATES = (60, 120, 240, 480)
UP = 500.0


def ball(place, mass=5.0, velocity=(0.0, 0.0, 0.0)):
    return Solid([shapes.ball(0.1)], mass, shapes.ball_inertia(mass, 0.1), position=tuple(place), velocity=velocity)


def moved(scene, ticks, seconds, gravity=G):
    """Position, attitude, velocity and spin of every solid after each tick, shape (ticks, n, 13)."""
    out = np.zeros((round(seconds * ticks), len(scene.solids), 13))
    solver.run_alone(scene, still_air(gravity)[0], 1.0 / ticks, len(out), out)
    return out


def shown(scene, name):
    return float(scene.links["shown"][0][[one.name for one in wrapped.KIND.shows].index(name)])


def over_a_drum(first, second, friction, ticks, seconds, radius=0.3):
    """Two masses on a rope over a fixed drum: what they do, and the scene. The rope lies over it in nine points."""
    drum = Solid(
        [shapes.cylinder(radius, 1.0)], kind=records.FIXED, position=(0.0, 0.0, UP),
        attitude=(math.sqrt(0.5), math.sqrt(0.5), 0.0, 0.0),
    )  # fmt: skip
    out = radius + wraps.SKIN
    bodies = [ball((out, 0.0, UP - 2.0), first), ball((-out, 0.0, UP - 2.0), second)]
    scene = scenery.scene([drum, *bodies], plane=False)
    turns = np.linspace(0.0, math.pi, 9)
    points = np.stack([out * np.cos(turns), np.zeros(9), UP + out * np.sin(turns)], axis=1)
    between = float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())
    own = {"at_a": (0.0, 0.0, 0.0), "at_b": (0.0, 0.0, 0.0), "length": 4.0 + between, "whole": 4.0 + between}
    scene = scenery.with_links(scene, [(wrapped.KIND, (2, 3), {**own, "friction": friction})])
    row = own_of(scene.links[0], wrapped.KIND)
    row["wraps"], row["points"][:9], row["turns"][:9] = 9, points, (0.0, -1.0, 0.0)
    row["known"], row["was_a"], row["was_b"] = 1, scene.solids["position"][2], scene.solids["position"][3]
    row["between"], row["out_a"], row["out_b"], row["apart_a"], row["apart_b"] = between, 2.0, 2.0, 2.0, 2.0
    return moved(scene, ticks, seconds), scene


@pytest.mark.parametrize("ticks", RATES)
@pytest.mark.parametrize("friction", [0.0, 0.05, 0.1])
def test_masses_over_a_drum_move_as_the_capstan_equation_says(ticks, friction):
    ratio = math.exp(friction * math.pi)
    rate = G * (10.0 - 6.0 * ratio) / (10.0 + 6.0 * ratio)
    out, scene = over_a_drum(10.0, 6.0, friction, ticks, 0.5)
    assert out[-1, 2, 9] == pytest.approx(-0.5 * rate, rel=1e-6)
    assert out[-1, 3, 9] == pytest.approx(0.5 * rate, rel=1e-6)
    assert shown(scene, "tension") == pytest.approx(10.0 * (G - rate), rel=1e-6)
    assert shown(scene, "tension_b") == pytest.approx(6.0 * (G + rate), rel=1e-6)


@pytest.mark.parametrize("ticks", RATES)
def test_inside_the_ratio_the_rope_sticks(ticks):
    assert math.exp(0.2 * math.pi) > 10.0 / 6.0
    out, scene = over_a_drum(10.0, 6.0, 0.2, ticks, 2.0)
    assert np.abs(out[-1, 2:, 7:10]).max() < 1e-8
    assert (shown(scene, "tension"), shown(scene, "tension_b")) == pytest.approx((10.0 * G, 6.0 * G), rel=1e-6)


def whip(ticks, seconds, piece, friction=0.2):
    """A ball on a rope that is fixed beyond a post, and winds round that without gravity."""
    post = Solid([piece], kind=records.FIXED, position=(0.0, 0.0, UP))
    anchor = (-6.0, -1.5, UP)
    scene = scenery.scene([post, ball((6.0, -3.0, UP), velocity=(0.0, 10.0, 0.0))], plane=False)
    length = math.dist(anchor, (6.0, 0.5, UP))
    own = {"at_a": (0.0, 0.0, 0.0), "at_b": anchor, "length": length, "whole": length, "friction": friction}
    scene = scenery.with_links(scene, [(wrapped.KIND, (2, 0), own)])
    return moved(scene, ticks, seconds, 0.0)[:, 2], scene


@pytest.mark.parametrize("ticks", RATES)
@pytest.mark.parametrize("post", ["round", "square"])
def test_a_body_winds_round_a_post_and_keeps_its_speed(ticks, post):
    piece = shapes.cylinder(0.5, 2.0) if post == "round" else shapes.box((0.5, 0.5, 2.0))
    out, scene = whip(ticks, 3.0, piece)
    speed = np.linalg.norm(out[:, 7:10], axis=1)
    taut = 10.0 * math.cos(math.atan2(2.0, 12.0))  # what is across the rope when it comes taut
    assert speed[-1] == pytest.approx(taut, rel=4e-3)
    assert speed.max() <= 10.0 * (1.0 + 1e-9)
    assert shown(scene, "wraps") >= 5.0
    assert shown(scene, "length") == pytest.approx(own_of(scene.links[0], wrapped.KIND)["length"], abs=2e-3)
    # the radius that is left: round the post it has gone by the angle that it turned through
    turned = np.unwrap(np.arctan2(out[:, 1], out[:, 0]))
    assert turned[-1] - turned[0] > 4.0


@pytest.mark.parametrize("ticks", RATES)
def test_it_unwinds_the_way_it_came_and_is_a_straight_rope_again(ticks):
    _, scene = whip(ticks, 1.2, shapes.box((0.5, 0.5, 2.0)))
    assert shown(scene, "wraps") >= 1.0
    scene.solids["velocity"][2] *= -1.0
    back = moved(scene, ticks, 1.2, 0.0)[:, 2]
    assert shown(scene, "wraps") == 0.0
    assert np.linalg.norm(back[-1, :3] - [6.0, -3.0, UP]) < 1.2


@pytest.mark.parametrize("ticks", RATES)
@pytest.mark.parametrize("mass", [2.0, 40.0])
def test_a_line_that_winds_round_a_free_post_pushes_it_and_keeps_the_momenta(ticks, mass):
    half = (0.5, 0.5, 1.0)
    post = Solid([shapes.box(half)], mass, shapes.box_inertia(mass, half), position=(0.0, 0.0, UP))
    swung, anchor = ball((6.0, -3.0, UP), velocity=(0.0, 10.0, 0.0)), ball((-6.0, -1.5, UP), 20.0)
    scene = scenery.scene([post, swung, anchor], plane=False)
    length = math.dist((-6.0, -1.5), (6.0, 0.5))
    own = {"at_a": (0.0, 0.0, 0.0), "at_b": (0.0, 0.0, 0.0), "length": length, "whole": length, "friction": 0.2}
    scene = scenery.with_links(scene, [(wrapped.KIND, (2, 3), own)])
    out = moved(scene, ticks, 2.0, 0.0)[:, 1:]
    masses, bent = np.array([mass, 5.0, 20.0]), scene.links["shown"][0][5]
    momentum = np.einsum("k,tki->ti", masses, out[:, :, 7:10])
    assert np.abs(momentum - [0.0, 50.0, 0.0]).max() < 1e-9 * 50.0
    own_spin = np.array([[np.diag(one.inertia) for one in (post, swung, anchor)]])[:, :, 2] * out[:, :, 12]
    turning = (masses * np.cross(out[:, :, :3] - [0.0, 0.0, UP], out[:, :, 7:10])[:, :, 2] + own_spin).sum(axis=1)
    assert np.abs(turning - 300.0).max() < 1.0, "to the skin on which a bend lies"
    assert np.linalg.norm(out[-1, 0, 7:10]) > 0.2, "the post is pushed"
    moves = 0.5 * (masses * (out[:, :, 7:10] ** 2).sum(axis=2)).sum(axis=1)
    assert moves.max() <= 250.0 * (1.0 + 1e-9)
    assert bent >= 1.0 or mass < 10.0, "a light one is thrown out of its way"


@pytest.mark.parametrize("ticks", RATES)
def test_a_drum_that_hangs_in_a_rope_is_held_by_both_ends(ticks):
    """A free drum in the bight of a rope from two fixed points: each end bears half of its weight."""
    radius, mass = 0.3, 8.0
    out = radius + wraps.SKIN
    drum = Solid(
        [shapes.cylinder(radius, 1.0)], mass, np.diag([1.0, 1.0, 1.0]), position=(0.0, 0.0, UP),
        attitude=(math.sqrt(0.5), math.sqrt(0.5), 0.0, 0.0),
    )  # fmt: skip
    hold = Solid(
        [shapes.ball(0.05)], 1e4, shapes.ball_inertia(1e4, 0.05), kind=records.FIXED, position=(out, 0.0, UP + 2.0)
    )
    scene = scenery.scene([drum, hold], plane=False)
    turns = np.linspace(0.0, -math.pi, 9)
    points = np.stack([out * np.cos(turns), np.zeros(9), UP + out * np.sin(turns)], axis=1)
    between = float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())
    own = {"at_a": (0.0, 0.0, 0.0), "at_b": (-out, 0.0, UP + 2.0), "length": 4.0 + between, "whole": 4.0 + between}
    scene = scenery.with_links(scene, [(wrapped.KIND, (2, 0), {**own, "friction": 0.1})])
    row, axes = own_of(scene.links[0], wrapped.KIND), scene.solids["axes"][1]
    row["wraps"], row["points"][:9], row["turns"][:9], row["on"][:9] = 9, points, (0.0, 1.0, 0.0), 1
    row["places"][:9], row["axes"][:9] = (points - [0.0, 0.0, UP]) @ axes, np.array([0.0, 1.0, 0.0]) @ axes
    row["known"], row["was_a"], row["was_b"] = 1, scene.solids["position"][2], (-out, 0.0, UP + 2.0)
    row["between"], row["out_a"], row["out_b"], row["apart_a"], row["apart_b"] = between, 2.0, 2.0, 2.0, 2.0
    fell = moved(scene, ticks, 2.0)[:, 1]
    assert np.abs(fell[-1, :3] - [0.0, 0.0, UP]).max() < 1e-3
    assert np.abs(fell[-1, 7:10]).max() < 1e-3
    assert (shown(scene, "tension"), shown(scene, "tension_b")) == pytest.approx((0.5 * mass * G,) * 2, rel=1e-3)


@pytest.mark.parametrize("ticks", RATES)
def test_a_block_that_is_driven_into_a_line_bends_it_and_goes_again(ticks):
    yard = blank.blank_yard()
    ram = Block(id="ram", moves="driven", length=1.0, width=1.0, height=2.0, sway_y=4.0, y=-4.0, period=4.0)
    load = Block(id="load", x=5.0, y=0.0, z=0.0, length=0.8, width=0.8, height=0.8, mass=40.0)
    ends = {"one": "load", "x": 5.0, "z": 0.4, "end_x": -5.0, "end_z": 0.4, "wraps": True}
    ground = yard.ground().bare().replace(floor=True, friction=0.0, blocks=(ram, load), ties=(Rope(id="line", **ends),))
    drill = yard.drill().replace(tracks=(), duration=4.0, end="time", targets=())
    drill = drill.replace(start=drill.start.replace(x=-40.0))
    found = run.execute(jobs.Job(yard.craft(), ground, drill, ticks))
    bends, y = found.column("tie.line.wraps"), found.column("block.ram.position.y")
    assert bends[0] == 0.0
    assert bends.max() >= 1.0
    assert bends[y < -1.0].max() == 0.0
    assert found.column("block.load.position.x").min() < 4.7, "it is drawn in"


def test_a_rope_sweeps_over_an_edge_of_uneven_ground():
    ridge = np.array(
        [
            [(-2.0, -9.0, UP), (0.0, -9.0, UP + 3.0), (0.0, 9.0, UP + 3.0)],
            [(-2.0, -9.0, UP), (0.0, 9.0, UP + 3.0), (-2.0, 9.0, UP)],
        ]
    )
    other = np.array(
        [
            [(0.0, -9.0, UP + 3.0), (2.0, -9.0, UP), (2.0, 9.0, UP)],
            [(0.0, -9.0, UP + 3.0), (2.0, 9.0, UP), (0.0, 9.0, UP + 3.0)],
        ]
    )
    scene = scenery.scene(
        [ball((5.0, 0.0, UP + 5.0), velocity=(0.0, 0.0, -6.0))], plane=False, triangles=np.concatenate([ridge, other])
    )
    anchor = (-5.0, 0.0, UP + 3.5)
    own = {"at_a": (0.0, 0.0, 0.0), "at_b": anchor, "length": 10.6, "whole": 10.6}
    scene = scenery.with_links(scene, [(wrapped.KIND, (1, 0), own)])
    moved(scene, 120, 1.0)
    row = own_of(scene.links[0], wrapped.KIND)
    assert row["wraps"] == 1
    assert row["points"][0] == pytest.approx([0.0, 0.0, UP + 3.0], abs=0.1)


def test_python_and_machine_code_give_the_same_bits():
    compiled = whip(60, 0.8, shapes.box((0.5, 0.5, 2.0)))[0]
    with plain.python():
        assert whip(60, 0.8, shapes.box((0.5, 0.5, 2.0)))[0].tobytes() == compiled.tobytes()


# thrown from a craft

POST = Block(id="post", shape="cylinder", x=14.0, y=8.0, length=0.6, width=0.6, height=2.0, moves="fixed", catches=True)
PRESSES = (Knot(t=0.0), Knot(t=3.5, value=1.0), Knot(t=3.7, value=0.0), Knot(t=7.0, value=1.0), Knot(t=7.2, value=0.0))


def throwing(blocks=(POST,), ticks=120, seconds=8.0, knots=PRESSES, events=(), reel=(), **changes):
    """A blank yard whose craft throws a line to the left."""
    yard = blank.blank_yard()
    line = Line(
        id="line",
        channel="line",
        reel_channel="reel",
        azimuth_deg=90.0,
        elevation_deg=5.0,
        throw_speed=40.0,
        longest=20.0,
    )
    channels = (
        Channel(id="line", plus_keys=("E",), two_sided=False, rise=100.0, fall=100.0),
        Channel(id="reel", plus_keys=("R",), minus_keys=("F",), rise=100.0, fall=100.0),
    )
    craft = yard.craft()
    craft = craft.replace(channels=(*craft.channels, *channels), parts=(*craft.parts, line.replace(**changes)))
    told = (
        Track(channel="throttle", knots=(Knot(t=0.0, value=1.0),)), Track(channel="line", knots=knots),
        Track(channel="reel", knots=reel),
    )  # fmt: skip
    drill = yard.drill().replace(tracks=told, duration=seconds, events=events, end="time")
    ground = yard.ground().replace(blocks=blocks)
    return yard.replace(crafts=(craft,), grounds=(ground,), drills=(drill,), ticks=ticks)


def thrown(**given):
    return run.execute(jobs.job_of(throwing(**given)))


def column(found, name):
    return found.record.column(found.layout.place(name))


@pytest.mark.parametrize("ticks", [30, *RATES])
def test_a_line_is_thrown_catches_swings_the_craft_and_lets_go_at_every_rate(ticks):
    found = thrown(ticks=ticks)
    phase = column(found, "tie.craft_line.phase")
    at = lambda t: round(t * ticks)  # noqa: E731
    assert phase[at(3.2)] == hook.READY
    assert phase[at(3.65)] == hook.FLIES
    assert phase[at(4.5)] == hook.TIED
    assert phase[-1] == hook.READY
    caught = [column(found, f"tie.craft_line.end.{axis}")[at(4.5)] for axis in "xyz"]
    assert math.dist(caught[:2], (14.0, 8.0)) == pytest.approx(0.3, abs=0.06)
    length = column(found, "tie.craft_line.length")[at(4.4) : at(6.8)]
    assert np.ptp(length) < 0.02
    turned = np.unwrap(np.arctan2(found.column("position.y") - 8.0, found.column("position.x") - 14.0))
    assert turned[at(6.5)] - turned[at(4.2)] > 1.5, "it swings round the post"
    assert column(found, "tie.craft_line.tension")[-1] == 0.0


def test_what_it_pulls_stands_on_its_line_of_the_ledger_and_that_closes():
    found = thrown()
    force = np.stack([found.column(f"line.force.{axis}") for axis in "xyz"], axis=1)
    tension = column(found, "tie.craft_line.tension")
    held = tension > 0.0
    assert held.sum() > 200
    swings = held & (np.arange(len(held)) > 4.2 * 120)
    assert np.linalg.norm(force[swings], axis=1) == pytest.approx(tension[swings], rel=3e-3)  # its height is held
    assert max(ledger.ledger_gap(found)) < 1e-9


def test_a_throw_that_is_too_short_comes_back_and_can_be_thrown_again():
    twice = (Knot(t=0.0), Knot(t=0.5, value=1.0), Knot(t=0.7), Knot(t=3.5, value=1.0), Knot(t=3.7, value=0.0))
    found = thrown(knots=twice, seconds=5.0)
    phase = column(found, "tie.craft_line.phase")
    assert hook.RETURNS in phase[60:240]
    assert phase[-1] == hook.TIED


def test_it_catches_only_what_is_marked_and_moving_bodies_too():
    plain_post = thrown(blocks=(POST.replace(catches=False),))
    assert hook.TIED not in column(plain_post, "tie.craft_line.phase")
    crate = Block(id="crate", x=14.0, y=8.0, length=1.5, width=1.5, height=1.5, mass=300.0, catches=True)
    loose = thrown(blocks=(crate,))
    assert hook.TIED in column(loose, "tie.craft_line.phase")
    assert (
        np.hypot(np.ptp(column(loose, "block.crate.position.x")), np.ptp(column(loose, "block.crate.position.y"))) > 0.5
    )


def test_a_line_catches_another_craft_that_is_marked_and_both_are_pulled():
    yard = throwing(blocks=(), seconds=6.0)
    body = {"mass": 300.0, "length": 2.0, "width": 1.5, "height": 1.5, "catches": True}
    other = Craft(id="other", body=body)
    drill = yard.drills[0].replace(craft="craft", cast=(Member(id="other", start=Start(x=14.0, y=8.0)),))
    made = {}
    for marked in (True, False):
        crafts = (yard.craft(), other.replace(body=other.body.replace(catches=marked)))
        found = yard.replace(crafts=crafts, drills=(drill,))
        made[marked] = run.execute(jobs.job_of(found, found.drills[0]))
    assert hook.TIED not in column(made[False], "tie.craft_line.phase")
    assert hook.TIED in column(made[True], "tie.craft_line.phase")
    towed = made[True].seen_from("other")
    assert np.ptp(towed.column("position.x")) > 0.3
    assert np.abs(towed.line("ties")).max() > 100.0
    for one in (made[True], towed):
        assert max(ledger.ledger_gap(one)) < 1e-9
    named = [one.name for one in cautions.find(made[False].job)], [one.name for one in cautions.find(made[True].job)]
    assert ("nothing_to_catch" in named[0], "nothing_to_catch" in named[1]) == (True, False)


def test_the_hook_has_recoil_and_a_free_pair_keeps_its_momentum():
    light, heavy = (thrown(hook_mass=mass, blocks=()) for mass in (0.0, 10.0))
    off = heavy.column("velocity.y")[round(3.6 * 120)] - light.column("velocity.y")[round(3.6 * 120)]
    mass = light.job.craft.body.true_mass()
    assert off == pytest.approx(-10.0 * 40.0 * math.cos(math.radians(5.0)) / mass, rel=0.05)


def test_it_is_reeled_in_and_out_by_a_channel():
    found = thrown(reel=(Knot(t=0.0), Knot(t=4.5, value=1.0), Knot(t=5.5, value=0.0)), reel_speed=2.0, reel_force=1e6)
    length = column(found, "tie.craft_line.length")
    assert length[round(4.4 * 120)] - length[round(5.7 * 120)] == pytest.approx(2.0, abs=0.1)


def test_an_event_throws_it_too_and_a_muted_one_is_not_there():
    found = thrown(knots=(), events=(Event(id="throw", what="trigger", target="line", t=3.5),), seconds=5.0, channel="")
    assert hook.TIED in column(found, "tie.craft_line.phase")
    yard = throwing()
    craft = yard.craft()
    quiet = craft.replace(parts=tuple(one.replace(mute=True) if one.id == "line" else one for one in craft.parts))
    muted = run.execute(jobs.job_of(yard.replace(crafts=(quiet,))))
    assert not muted.layout.ties
    assert muted.column("position.y")[-1] == pytest.approx(0.0, abs=1e-9)


def test_it_breaks_past_its_tension_and_the_run_says_when_where_and_at_what_load():
    found = thrown(breaks_at=2000.0)
    change = next(one for one in tied.changes(found) if one.word == "broke")
    assert "kN" in change.says
    assert "east" in change.says
    assert column(found, "tie.craft_line.tension")[change.row] > 2000.0


def test_the_cap_slows_a_swing_the_boost_quickens_its_end_and_both_are_told_as_aids():
    free, capped = thrown(), thrown(swing_cap=6.0)
    rows = slice(round(4.5 * 120), round(6.9 * 120))
    speed = lambda found: np.hypot(found.column("velocity.x"), found.column("velocity.y"))  # noqa: E731
    assert speed(free)[rows].max() > 6.5
    assert speed(capped)[rows][60:].max() < 6.2
    boosted = thrown(release_boost=3.0)
    after = round(7.05 * 120)
    assert speed(boosted)[after] - speed(free)[after] == pytest.approx(3.0, abs=0.2)
    assert "aid: boost" in Line(id="line", release_boost=3.0).summary()


def pumped(pump):
    """A pendulum on a line that is pumped, and how high it swings: the greatest angle of the last swings, degrees."""
    angle = math.radians(20.0)
    place = np.array([math.sin(angle) * 5.0, 0.0, UP - math.cos(angle) * 5.0])
    scene = scenery.scene([ball(place)], plane=False)
    own = {
        "at_a": (0.0, 0.0, 0.0),
        "at_b": (0.0, 0.0, UP),
        "length": 5.0,
        "whole": 5.0,
        "pump": pump,
        "reel": 4.0 if pump else 0.0,
        "strong": 1e9,
        "shortest": 1.0,
    }
    scene = scenery.with_links(scene, [(wrapped.KIND, (1, 0), own)])
    out = moved(scene, 240, 20.0)[:, 1]
    swung = np.degrees(np.arctan2(np.abs(out[:, 0]), UP - out[:, 2]))
    return swung[-1200:].max()


def test_a_swing_is_pumped_higher_by_shortening_low_and_lengthening_high():
    assert pumped(0.0) == pytest.approx(20.0, abs=0.5)
    assert pumped(0.05) > 27.0


def test_a_thrown_run_goes_on_from_any_tick_to_the_bit():
    job = jobs.job_of(throwing())
    assert_goes_on(job, 500, 900)


def test_the_preview_shows_what_the_run_then_catches():
    found = thrown()
    place = [part.id for part in found.job.craft.parts].index("line")
    row = round(3.6 * 120)
    throw = preview.throw_path(found, row, place)
    assert throw.catches == "post"
    assert math.dist(throw.path[-1][:2], (14.0, 8.0)) < 0.4
    early = preview.throw_path(found, 60, place)
    assert early.catches == ""
    assert np.linalg.norm(early.path[-1] - early.path[0]) == pytest.approx(20.0, abs=1.0)


def test_its_ends_and_bends_are_found_for_the_picture():
    found = thrown()
    row = round(5.0 * 120)
    one = next(one for one in tieends.at_row(found, row) if one.tie.id == "craft_line")
    assert one.is_there
    assert one.other == pytest.approx([column(found, f"tie.craft_line.end.{axis}")[row] for axis in "xyz"])
    early = next(one for one in tieends.at_row(found, 10) if one.tie.id == "craft_line")
    assert not early.is_there


def test_a_rope_of_a_ground_bends_where_it_is_told_to():
    yard = blank.blank_yard()
    post = Block(id="post", shape="cylinder", x=0.0, y=3.0, length=0.6, width=0.6, height=2.0, moves="fixed")
    puck = Block(id="puck", x=4.0, y=2.0, length=0.6, width=0.6, height=0.6, mass=50.0, speed_y=6.0)
    rope = Rope(id="rope", one="puck", x=4.0, y=2.0, z=0.5, end_x=-5.0, end_y=2.0, end_z=0.5, wraps=True)
    ground = yard.ground().replace(blocks=(post, puck), ties=(rope,), friction=0.0)
    yard = yard.replace(grounds=(ground,))
    bent = run.execute(jobs.job_of(yard))
    straight = run.execute(jobs.job_of(yard.edit(f"grounds.{ground.id}.ties.rope.wraps", False)))
    assert column(bent, "tie.rope.wraps").max() >= 1.0
    assert "tie.rope.wraps" not in straight.layout.names
    assert column(bent, "block.puck.position.x")[-1] != pytest.approx(
        column(straight, "block.puck.position.x")[-1], abs=0.5
    )


def test_a_live_drive_goes_on_with_what_a_line_holds_when_a_dial_changes():
    yard = throwing()
    job = jobs.job_of(yard)
    inputs = tracks.inputs(job, world.check_size(job))
    drive = LiveDrive(job)
    drive.advance(540, inputs[:540])
    place = drive.layout.place("tie.craft_line.phase")
    assert drive.recorder.recent()[-1][place] == hook.TIED
    before = drive.recorder.recent()[-1].copy()
    craft = yard.craft()
    heavier = craft.replace(body=craft.body.replace(mass=craft.body.mass * 1.01))
    drive.take(jobs.job_of(yard.replace(crafts=(heavier,))))
    drive.advance(60, inputs[540:600])
    after = drive.recorder.recent()[-1]
    assert after[place] == hook.TIED
    assert after[drive.layout.place("tie.craft_line.tension")] > 0.0
    for axis in "xyz":
        end = drive.layout.place(f"tie.craft_line.end.{axis}")
        assert after[end] == pytest.approx(before[end], abs=1e-6)
    length = drive.layout.place("tie.craft_line.length")
    assert after[length] == pytest.approx(before[length], abs=0.01)
