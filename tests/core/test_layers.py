"""Layers: which bodies meet, which are only reported, and which pass; whom shots and knockbacks find."""

from __future__ import annotations

import math

import numpy as np
import pytest
from pydantic import ValidationError

from oak_sled.core.assembly import jobs
from oak_sled.core.parts.knockback import Knockback
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.layer import Layer, LayerPair
from oak_sled.core.parts.runner import Runner
from oak_sled.core.results import measures, moments, run
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Member, Start, Target
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground, Wall
from oak_sled.core.yard.yard import Bench, Yard

FLAT = {"held": ("z", "roll", "pitch")}
GHOST = Layer(id="ghost")
BENCH = Bench(craft="sled", ground="g", drill="d")


def craft(*parts, name="sled", layer="", **body):
    frame = Body(**{"mass": 100.0, "layer": layer, **body})
    return Craft(id=name, parts=parts, channels=(Channel(id="go"),), body=frame)


def ground(then="pass", one="ghost", other="bodies", **fields):
    pair = LayerPair(id="pair", one=one, other=other, then=then)
    return Ground(id="g", **{"layers": (GHOST,), "layer_pairs": (pair,), **fields})


def go(on, made=None, seconds=2.0, ticks=120, others=(), drill=None, **start):
    told = Drill(id="d", start=Start(**start), duration=seconds, **(drill or {}))
    return run.execute(jobs.Job(made or craft(**FLAT), on, told, ticks, others=others))


def block(layer="", **fields):
    return Block(id="crate", layer=layer, **{"x": 6.0, "mass": 50.0, **fields})


# who meets whom


def test_bodies_of_layers_that_pass_move_as_if_alone_to_the_bit():
    alone = go(ground(), speed=8.0)
    passed = go(ground(blocks=(block("ghost"),)), speed=8.0)
    met = go(ground("collide", blocks=(block("ghost"),)), speed=8.0)
    assert np.array_equal(passed.column("position.x"), alone.column("position.x"))
    assert met.column("velocity.x")[-1] < 7.0
    assert met.column("block.crate.position.x")[-1] > 7.0, "what meets is pushed on"


@pytest.mark.parametrize("then", ["pass", "collide"])
def test_a_craft_passes_walls_of_a_layer_that_lets_it(then):
    wall = Wall(id="w", x=6.0, heading_deg=90.0, layer="ghost")
    end = go(ground(then, walls=(wall,)), speed=8.0).column("position.x")[-1]
    assert (end > 15.0) == (then == "pass")


def test_what_passes_the_ground_falls_through_it_and_the_rest_stands():
    blocks = (block("ghost", z=1.0), Block(id="other", x=-6.0))
    made = go(ground(other="ground", blocks=blocks), seconds=1.0)
    assert made.column("block.crate.position.z")[-1] == pytest.approx(1.5 - 0.5 * 9.80665, abs=0.05)
    assert made.column("block.other.position.z")[-1] == pytest.approx(0.5, abs=2e-3)


def test_two_crafts_of_one_layer_that_passes_itself_drive_through_each_other():
    one, other = craft(layer="ghost", **FLAT), craft(name="other", layer="ghost", **FLAT)
    member = Member(id="other", start=Start(x=8.0, speed=-5.0))
    for then, last in (("pass", 10.0), ("collide", 5.0)):
        made = go(
            ground(then, other="ghost"), one, others=(other,), drill={"craft": "sled", "cast": (member,)}, speed=5.0
        )
        assert (made.column("position.x")[-1] >= last - 1e-9) == (then == "pass")


# what only reports


def test_what_only_reports_is_recorded_on_both_sides_and_pushes_nobody():
    on = ground("report", blocks=(block("ghost", rests=True),))
    made, alone = go(on, speed=8.0), go(ground(), speed=8.0)
    assert np.array_equal(made.column("position.x"), alone.column("position.x"))
    half = 0.5 + made.job.craft.body.half_extents()[0]
    for name in ("block.crate.inside", "craft.sled.inside"):
        times = np.flatnonzero(made.column(name) == 1.0) / 120
        assert times[0] == pytest.approx((6.0 - half) / 8.0, abs=0.02), name
        assert times[-1] == pytest.approx((6.0 + half) / 8.0, abs=0.02), name
    assert [event.source for event in moments.events(made) if event.word == "report"] == ["sled", "crate"]
    assert measures.measure("reports").read(made) == 2.0


def test_what_lies_in_a_zone_is_reported_as_long_as_it_lies_there():
    zone = block("ghost", moves="fixed", z=-0.1, length=4.0, width=4.0)
    crate = Block(id="freight", x=6.0, z=0.0)
    made = go(ground("report", blocks=(zone, crate)), seconds=3.0)
    assert np.all(made.column("block.crate.inside")[2:] == 1.0)
    assert np.all(made.column("block.freight.inside")[2:] == 1.0)


def test_a_body_of_many_pieces_counts_once_in_a_trigger():
    runners = Runner(id="runners", z=-0.6, spread_x=0.5, spread_y=0.5)
    trigger = Block(id="zone", moves="trigger", length=10.0, width=10.0, height=4.0, z=-1.0)
    made = go(Ground(id="g", blocks=(trigger,)), craft(runners), seconds=0.5)
    assert set(made.column("block.zone.inside")[1:].tolist()) == {1.0}


def test_a_trigger_finds_only_layers_that_it_meets():
    trigger = block("ghost", moves="trigger", length=2.0)
    for then, found in (("pass", 0.0), ("collide", 1.0), ("report", 1.0)):
        made = go(ground(then, blocks=(trigger,)), speed=8.0)
        assert made.column("block.crate.inside").max() == found, then


def test_the_surface_is_reported_and_holds_nothing():
    made = go(ground("report", other="ground", blocks=(block("ghost", z=0.5),)), seconds=0.6)
    inside = made.column("block.crate.inside")
    assert made.column("block.crate.position.z")[-1] < 0.0
    assert inside[1] == 0.0
    assert inside.max() == 1.0


# whom launchers and knockbacks find


def shooter(layer):
    gun = Launcher(
        id="gun", fires="on_press", muzzle_speed=20.0, elevation_deg=0.0, z=0.5, shot_drag=0.0, gravity_scale=0.0,
        recoil=0.0, homing=4.0, layer=layer,
    )  # fmt: skip
    return craft(gun, held=("x", "y", "z", "roll", "pitch", "yaw"))


@pytest.mark.parametrize("layer", ["", "ghost"])
def test_shots_meet_and_home_on_those_their_layer_meets(layer):
    fire = {"events": (Event(id="fire", t=0.1, what="trigger", target="gun"),)}
    crates = (block(x=20.0, y=1.0, height=2.0), Block(id="wall", x=12.0, moves="fixed", height=3.0, width=3.0))
    made = go(ground(blocks=crates), shooter(layer), drill=fire)
    x, y = made.column("shot.gun.1.position.x"), made.column("shot.gun.1.position.y")
    if layer:
        assert x.max() > 30.0, "it passes the wall"
        assert abs(y).max() < 1e-9, "and homes on nobody"
    else:
        assert x.max() < 12.0
        assert abs(y).max() > 0.01


@pytest.mark.parametrize(("own", "named", "pushed"), [("", "", True), ("ghost", "", False), ("", "ghost", False)])
def test_a_knockback_finds_those_whom_its_layer_meets(own, named, pushed):
    blow = Knockback(id="blow", size=400.0, reach=9.0, layer=named)
    told = {"events": (Event(id="go", t=0.1, what="trigger", target="blow"),)}
    still = ("x", "y", "z", "roll", "pitch", "yaw")
    made = go(ground(blocks=(block(),)), craft(blow, layer=own, held=still), drill=told)
    assert (made.column("block.crate.velocity.x").max() > 1.0) == pushed


# what is wrong


@pytest.mark.parametrize(
    ("fields", "where", "what"),
    [
        ({"blocks": (block("gost"),)}, "blocks.crate.layer", "there is no layer 'gost'"),
        ({"walls": (Wall(id="w", layer="none"),)}, "walls.w.layer", "there is no layer 'none'"),
        ({"layers": (Layer(id="bodies"),), "layer_pairs": ()}, "layers.bodies", "every ground has it already"),
        ({"layers": (), "blocks": ()}, "layer_pairs.pair.one", "there is no layer 'ghost'"),
        (
            {
                "layer_pairs": (
                    LayerPair(id="a", one="ghost", other="bodies"),
                    LayerPair(id="b", one="bodies", other="ghost"),
                )
            },
            "layer_pairs.b",
            "have a pair already",
        ),
    ],
)
def test_a_wrong_layer_is_said_at_its_place(fields, where, what):
    with pytest.raises(ValidationError) as caught:
        ground(**fields)
    assert where in str(caught.value)
    assert what in str(caught.value)


@pytest.mark.parametrize("made", [craft(layer="gost"), craft(Knockback(id="blow", layer="gost"))])
def test_a_craft_of_a_layer_that_no_ground_has_is_refused(made):
    with pytest.raises(ValidationError, match=r"crafts\.sled\..*layer: no ground has a layer 'gost' \(.*ghost"):
        Yard(bench=BENCH, crafts=(made,), grounds=(ground(),), drills=(Drill(id="d"),))


def test_a_layer_that_this_ground_does_not_have_counts_as_bodies():
    bare = Ground(id="g", blocks=(block(),))
    ghost, plain = go(bare, craft(layer="ghost", **FLAT), speed=8.0), go(bare, speed=8.0)
    assert np.array_equal(ghost.column("position.x"), plain.column("position.x"))
    assert math.isfinite(ghost.column("position.x")[-1])


def test_a_file_of_before_keeps_its_words():
    assert LayerPair.model_validate({"id": "a", "one": "bodies", "other": "bodies", "then": "meet"}).then == "collide"
    assert Target.model_validate({"measure": "calm_time", "low": 1.0}).measure == "settling_time"
