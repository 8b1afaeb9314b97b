"""A craft among objects: it rests, slides, tips, climbs, flies and lands, and its ledger closes all the while."""

import math

import numpy as np
import pytest

from oak_sled.core.assembly import solidforms, surfaces
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import document
from oak_sled.core.base.faults import Refused
from oak_sled.core.parts.bumper import Bumper
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.project import demos
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.project.sources import held_values
from oak_sled.core.results import measures, moments, rotations, run
from oak_sled.core.yard.block import Block, Material, Pair
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground, Wall

G = 9.80665
FLOOR = {"floor": True, "friction": 0.3}
BOX = {"mass": 100.0, "length": 2.0, "width": 1.0, "height": 0.5}


@pytest.fixture(scope="module")
def quay():
    return demos.load("quay")


def job_of(yard, drill, **changes):
    drill = yard.drill(drill)
    craft = yard.craft().replace(**changes)
    return Job(craft, yard.ground_of(drill), drill, yard.ticks, yard.integrator)


def closes(made):
    """The greatest gap between the sum of the ledger and what the body did, as a share of its weight."""
    mass = made.job.craft.body.true_mass()
    booked = sum(made.line(name)[1:, :3] for name in made.layout.lines)
    did = np.diff(made.columns("velocity.x", "velocity.y", "velocity.z"), axis=0) * mass * made.job.ticks
    return float(np.max(np.abs(booked - did))) / (mass * G)


@pytest.mark.parametrize("drill", ["push_freight", "topple_stack", "ramp_jump", "head_on", "graze", "odds_and_ends"])
def test_the_ledger_closes_among_things(quay, drill):
    made = run.execute(job_of(quay, drill))
    assert closes(made) < 1e-9
    assert made.status != 2


@pytest.mark.parametrize("drill", ["topple_stack", "ramp_jump"])
def test_angular_momentum_is_what_was_booked(quay, drill):
    made = run.execute(job_of(quay, drill))
    inertia = made.job.craft.body.inertia_matrix()
    spins = made.columns("spin.x", "spin.y", "spin.z")
    axes = [rotations.rotation(made.record.row(k)[3:7]) for k in range(made.ticks + 1)]
    momentum = np.array([a @ inertia @ a.T @ w for a, w in zip(axes, spins, strict=True)])
    booked = sum(made.line(name)[1:, 3:] for name in made.layout.lines) / made.job.ticks
    assert np.max(np.abs(np.diff(momentum, axis=0) - booked)) < 1e-7 * np.max(np.abs(momentum))


def test_a_free_craft_rests_on_its_hull(make):
    made = make.run(body=BOX, ground=FLOOR, height=0.5, seconds=3.0)
    assert made.column("position.z")[-1] == pytest.approx(0.25, abs=2e-3)
    assert np.abs(made.columns("velocity.x", "velocity.y", "velocity.z")[-1]).max() < 1e-3
    assert made.column("load")[-1] == pytest.approx(100.0 * G, rel=1e-3)
    assert made.column("on_ground")[0] == 0.0
    assert made.column("on_ground")[-1] == 1.0
    words = [event.word for event in moments.events(made)]
    assert words == ["lift-off", "lands"]
    assert measures.measure("air_time").read(made) == pytest.approx(math.sqrt(2 * 0.5 / G), abs=0.03)


def test_a_free_craft_slides_to_its_stop(make):
    made = make.run(body=BOX, ground={**FLOOR, "friction": 0.4}, speed=5.0, seconds=5.0)
    friction = math.sqrt(0.4 * 0.3)  # the ground and the hull
    assert made.column("position.x")[-1] == pytest.approx(25.0 / (2 * friction * G), rel=1e-2)


def test_a_push_below_friction_does_not_move_it(make):
    push = Thruster(id="push", thrust=0.9 * 100.0 * G * 0.3)
    made = make.run([push], body=BOX, ground=FLOOR, seconds=3.0)
    assert abs(made.column("position.x")[-1]) < 1e-3
    more = make.run([push.replace(thrust=1.1 * 100.0 * G * 0.3)], body=BOX, ground=FLOOR, seconds=3.0)
    assert more.column("velocity.x")[-1] == pytest.approx(0.1 * G * 0.3 * 3.0, rel=2e-2)


def test_a_high_push_tips_it_over_and_a_low_one_does_not(make):
    tall = {"mass": 100.0, "length": 0.6, "width": 0.6, "height": 2.0}
    ground = {"floor": True, "friction": 4.0}
    high = Thruster(id="push", thrust=420.0, at_point=True, z=0.9)
    assert measures.measure("largest_pitch").read(make.run([high], body=tall, ground=ground, seconds=2.0)) > 60.0
    low = high.replace(z=-0.9)
    assert measures.measure("largest_pitch").read(make.run([low], body=tall, ground=ground, seconds=2.0)) < 2.0


def test_it_leaves_the_ground_on_a_ramp_and_lands(quay):
    made = run.execute(job_of(quay, "ramp_jump"))
    words = [event.word for event in moments.events(made)]
    assert "lift-off" in words
    assert "lands" in words
    assert "report" in words, "the landing gate saw it"
    flying = made.column("on_ground")[1:] == 0.0
    rise = made.line("contact")[1:, 2][flying]
    assert np.abs(rise).max() < 1e-6, "nothing carries it in the air"
    assert measures.measure("air_time").read(made) == pytest.approx(flying.sum() / 120, abs=1e-9)


@pytest.mark.parametrize(
    ("response", "least", "most"), [("bounce", 2.0, 3.0), ("slide", -0.1, 0.3), ("stop", -0.05, 0.05)]
)
def test_walls_answer_a_free_craft_as_its_bumper_says(make, response, least, most):
    ground = {**FLOOR, "friction": 0.0, "walls": (Wall(id="wall", x=10, y=0, heading_deg=90, length=20),)}
    bumper = Bumper(id="bumper", response=response, restitution=0.25)
    made = make.run([bumper], body=BOX, ground=ground, speed=10.0, seconds=2.0)
    assert least < -made.column("velocity.x")[-1] < most
    assert made.column("position.x").max() < 10.0 - 0.4 - 1.0 + 0.02
    assert closes(made) < 1e-9


def test_a_craft_pressed_to_a_wall_slides_along_and_does_not_stick(make):
    ground = {**FLOOR, "friction": 0.0, "walls": (Wall(id="wall", x=0, y=3, length=200),)}
    push = Thruster(id="push", thrust=400.0, azimuth_deg=60.0)
    bumper = Bumper(id="bumper", response="slide", wall_friction=0.0, tangential_share=1.0)
    body = {**BOX, "held": ("yaw",)}
    made = make.run([push, bumper], body=body, ground=ground, speed=3.0, seconds=4.0)
    along = 3.0 + 400.0 * math.cos(math.radians(60.0)) / 100.0 * 4.0
    assert made.column("velocity.x")[-1] == pytest.approx(along, rel=0.05)
    assert made.column("leaning")[-1] == 1.0
    assert made.column("on_ground")[-1] == 1.0, "leaning on a wall is not standing, but it stands too"


def test_leaning_opens_the_gate_of_a_part(make):
    ground = {**FLOOR, "friction": 0.0, "walls": (Wall(id="wall", x=5, y=0, heading_deg=90, length=20),)}
    lift = Thruster(id="lift", thrust=300.0, azimuth_deg=90.0, gate="leaning")
    push = Thruster(id="push", thrust=200.0)
    made = make.run([push, lift], body={**BOX, "held": ("yaw",)}, ground=ground, seconds=4.0)
    opened = made.column("lift.force.y")[1:] > 0.0
    touched = made.column("leaning")[:-1] > 0.0
    assert np.array_equal(opened, touched), "the gate knows what was so a tick ago"
    assert opened.any()


def test_momentum_goes_over_to_a_block_and_none_is_lost(make):
    crate = Block(id="crate", x=5.0, length=1.0, width=1.0, height=0.5, mass=50.0, material="slick")
    slick = Material(id="slick", friction=0.0, restitution=0.0)
    ground = {"floor": True, "friction": 0.0, "materials": (slick,), "blocks": (crate,)}
    made = make.run(body=BOX, ground=ground, speed=3.0, seconds=3.0, ticks=240)
    crate_speed = np.diff(made.column("block.crate.position.x"))[-1] * 240
    assert 100.0 * made.column("velocity.x")[-1] + 50.0 * crate_speed == pytest.approx(300.0, rel=1e-6)
    assert measures.measure("blocks_moved").read(made) == 1.0


def test_a_planar_craft_pushes_blocks_too(make):
    crate = Block(id="crate", x=5.0, mass=50.0)
    held = {**BOX, "held": ("z", "roll", "pitch")}
    made = make.run(body=held, ground={**FLOOR, "blocks": (crate,)}, speed=6.0, seconds=2.0)
    assert measures.measure("blocks_moved").read(made) == 1.0
    assert np.all(made.column("position.z") == made.column("position.z")[0])
    assert closes(made) < 1e-9


@pytest.mark.parametrize("moves", ["free", "fixed"])
def test_how_a_block_moves_decides(make, moves):
    ground = {**FLOOR, "blocks": (Block(id="crate", x=5.0, mass=5.0, moves=moves),)}
    made = make.run(body=BOX, ground=ground, speed=8.0, seconds=2.0)
    assert (made.column("position.x").max() > 4.0) == (moves == "free")


def test_the_reference_of_a_flight_agrees(quay):
    made = run.execute(job_of(quay, "ramp_jump"))
    job = job_of(quay, "ramp_jump")
    fine = run.execute(Job(job.craft, job.ground, job.drill, job.ticks, job.integrator, 8))
    assert measures.measure("air_time").read(made) == pytest.approx(measures.measure("air_time").read(fine), abs=0.15)


def test_runs_among_things_are_the_same_bit_for_bit(quay):
    assert run.execute(job_of(quay, "topple_stack")).digest == run.execute(job_of(quay, "topple_stack")).digest


def test_a_drive_among_things_is_re_run_bit_for_bit(quay):
    live = LiveDrive(job_of(quay, "topple_stack"))
    for keys in ({"W"}, {"W", "A"}, {"W"}, set()):
        live.advance(60, held_values(live.job.craft.channels, keys))
    made = live.finish()
    again = run.execute(made.job)
    assert again.digest == made.digest
    assert measures.measure("blocks_moved").read(made) is not None


def test_settings_change_in_mid_drive_and_the_freight_stays_where_it_is(quay):
    job = job_of(quay, "topple_stack")
    live = LiveDrive(job)
    live.advance(240, held_values(job.craft.channels, {"W"}))
    before = live.newest(1.0).column("block.stack_1.position.x")[-1]
    craft = job.craft.replace(body=job.craft.body.replace(mass=300.0))
    live.take(Job(craft, job.ground, job.drill, job.ticks, job.integrator))
    live.advance(1, held_values(craft.channels, {"W"}))
    assert live.newest(1.0).column("block.stack_1.position.x")[-1] == pytest.approx(before, abs=0.2)
    live.to_start()
    live.advance(1, held_values(craft.channels, set()))
    assert live.newest(1.0).column("block.stack_1.position.x")[-1] == pytest.approx(40.0, abs=0.01)


def test_every_drill_of_the_quay_meets_its_targets(quay):
    for drill in quay.drills:
        made = run.execute(job_of(quay, drill.id))
        assert drill.targets
        for verdict in measures.judge(drill, measures.read_all(made)):
            assert verdict.met, f"{drill.id}: {verdict.words()}"


# documents


def test_materials_meet_by_root_and_livelier_or_as_their_pair_says():
    ground = Ground(
        id="ground",
        friction=0.16,
        materials=(
            Material(id="felt", friction=0.81, restitution=0.0),
            Material(id="rubber", friction=0.49, restitution=0.8),
        ),
        pairs=(Pair(id="odd", one="felt", other="rubber", friction=2.0, restitution=0.1),),
    )
    names, pairs = surfaces.materials(ground)
    felt, rubber = names.index("felt"), names.index("rubber")
    assert pairs[0, felt] == pytest.approx([0.36, 0.0])
    assert pairs[rubber, 0] == pytest.approx([0.28, 0.8])
    assert pairs[felt, rubber].tolist() == pairs[rubber, felt].tolist() == [2.0, 0.1]


@pytest.mark.parametrize(
    ("fields", "said"),
    [
        ({"blocks": ({"id": "a", "material": "feld"},), "materials": ({"id": "felt"},)}, "no material 'feld'.*felt"),
        ({"blocks": ({"id": "a"}, {"id": "a"})}, "stands twice"),
        ({"materials": ({"id": "timber"},)}, "has it already"),
        ({"blocks": ({"id": "a", "mass": 0.0},)}, "mass"),
        ({"blocks": ({"id": "a", "mass": -5.0},)}, "mass"),
        ({"blocks": ({"id": "a", "mass": math.nan},)}, "mass"),
        ({"pairs": ({"id": "p", "one": "felt", "other": "ground"},)}, "no material 'felt'"),
        ({"blocks": ({"id": "a", "shape": "cube"},)}, "shape"),
    ],
)
def test_bad_things_are_refused_with_their_place(fields, said):
    with pytest.raises(Refused, match=said):
        document.checked(Ground, {"id": "ground", **fields}, "ground")


def test_an_attitude_turns_heading_then_pitch_then_roll():
    one = Block(id="a", heading_deg=90.0, pitch_deg=30.0)
    nose = rotations.rotation(np.array(one.attitude())) @ [1.0, 0.0, 0.0]
    assert nose == pytest.approx([0.0, math.cos(math.radians(30)), -math.sin(math.radians(30))], abs=1e-12)
    rolled = rotations.rotation(np.array(Block(id="a", roll_deg=40.0).attitude())) @ [0.0, 1.0, 0.0]
    assert rolled == pytest.approx([0.0, math.cos(math.radians(40)), math.sin(math.radians(40))], abs=1e-12)


@pytest.mark.parametrize("shape", ["box", "ball", "capsule", "cylinder", "wedge"])
def test_inertia_and_centre_are_those_of_a_fine_sum_over_the_shape(shape):
    one = Block(id="a", shape=shape, length=1.6, width=0.8, height=0.6, mass=30.0)
    ticks = [np.linspace(-h, h, 91)[:-1] + h / 90 for h in one.half_extents()]
    x, y, z = (axis.ravel() for axis in np.meshgrid(*ticks, indexing="ij"))
    a, b, c = one.half_extents()
    inside = {
        "box": np.ones_like(x, bool),
        "ball": x**2 + y**2 + z**2 <= a * a,
        "capsule": np.maximum(np.abs(x) - (a - b), 0.0) ** 2 + y**2 + z**2 <= b * b,
        "cylinder": x**2 + y**2 <= a * a,
        "wedge": z + c <= (x + a) * c / a,
    }[shape]
    spots = np.stack([x, y, z], axis=1)[inside]
    centre = spots.mean(axis=0)
    assert centre == pytest.approx(one.centre(), abs=0.012)
    off = spots - centre
    spread = off.T @ off / len(off)
    wanted = 30.0 * (np.trace(spread) * np.eye(3) - spread)
    _, found, _ = solidforms._pieces(one.shape, one.half_extents())
    assert 30.0 * found == pytest.approx(wanted, abs=0.02 * float(np.trace(wanted)))


def test_a_loose_ramp_lies_still_where_it_was_put(make):
    ramp = Block(id="ramp", shape="wedge", x=9.0, length=2.0, width=1.0, height=0.6, heading_deg=40.0, mass=60.0)
    made = make.run(body=BOX, ground={**FLOOR, "blocks": (ramp,)}, seconds=2.0)
    place = made.columns(*(f"block.ramp.position.{axis}" for axis in "xyz"))
    turned = math.radians(40.0)
    assert place[0] == pytest.approx([9.0 + math.cos(turned) / 3, math.sin(turned) / 3, 0.2], abs=1e-9)
    assert np.abs(place[-1] - place[0]).max() < 2e-3


def test_a_loose_ramp_on_end_falls_to_the_side_its_weight_is_on(make):
    """On end, past the point of balance, it falls; before it, it falls back."""
    for pitch, falls in ((-100.0, True), (-60.0, False)):
        one = Block(id="w", shape="wedge", x=9.0, z=0.9, length=2.0, width=1.0, height=0.6, pitch_deg=pitch, mass=60.0)
        made = make.run(body=BOX, ground={**FLOOR, "blocks": (one,)}, seconds=3.0)
        q = np.array([made.column(f"block.w.rotation.{name}")[-1] for name in "wxyz"])
        up = rotations.rotation(q)[2, 2]
        assert (abs(up) > 0.9 and up < 0.0) == falls or (not falls and up > 0.5)


def test_a_block_that_rests_stays_until_it_is_touched(make):
    """Even in the air: a wall that is to stand until it is hit need not be settled first."""
    blocks = (
        Block(id="high", x=4.0, z=2.0, rests=True),
        Block(id="low", x=-4.0, z=2.0),
        Block(id="hit", x=9.0, rests=True),
    )
    made = make.run(body=BOX, ground={**FLOOR, "blocks": blocks}, seconds=2.0,
                    drill={"events": (Event(id="e", what="poke", target="hit", t=1.0, x=300.0),)})  # fmt: skip
    high, low, hit = (made.columns(*(f"block.{name}.position.{a}" for a in "xyz")) for name in ("high", "low", "hit"))
    assert np.array_equal(high[0], high[-1])
    assert low[-1, 2] == pytest.approx(0.5, abs=2e-3)
    assert np.array_equal(hit[0], hit[made.at(1.0)])
    assert hit[-1, 0] > 9.2
