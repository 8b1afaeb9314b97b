"""Hover pads and the rays they stand on: closed forms, statics, a peer integrator, momentum, and every shape below."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from oak_sled.core.advice import cautions, outlook
from oak_sled.core.assembly import ground_shape
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.contact import broad, rays
from oak_sled.core.geometry.terrain import Relief, pack
from oak_sled.core.parts import padlaws
from oak_sled.core.parts.pad import Pad
from oak_sled.core.results import run
from oak_sled.core.results.run import Run
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Member, Start
from oak_sled.core.yard.ground import Ground

MASS, GRAVITY = 200.0, 9.80665
GROUND = Ground(id="ice")


def job(*pads: Pad, height=0.0, seconds=4.0, ticks=240, ground=GROUND, body=None, **start) -> Job:
    craft = Craft(id="craft", body=body or Body(mass=MASS, held=()), channels=(), parts=pads)
    drill = Drill(id="d", ground=ground.id, craft="craft", start=Start(height=height, **start), duration=seconds)
    return Job(craft, ground, drill, ticks)


def go(*pads: Pad, **options) -> Run:
    return run.execute(job(*pads, **options))


def names(made: Run) -> list[str]:
    return [f"{part.id}.{k + 1}" for part in made.job.craft.parts for k in range(len(part.rays()))]


FOUR = Pad(id="pads", spread_x=1.0, spread_y=0.6, stiffness=8000.0, damping=1200.0)


# closed forms


@pytest.mark.parametrize("law", [law.name for law in padlaws.LAWS if law.stands])
def test_it_rests_where_its_law_equals_the_weight(law):
    pad = FOUR.replace(law=law, damping=3000.0)
    made = go(pad, height=0.05, seconds=60.0)
    gap = made.column("pads.1.gap")[-1]
    assert 4.0 * pad.push_at(gap) == pytest.approx(MASS * GRAVITY, rel=1e-9)
    assert gap == pytest.approx(pad.rest_gap(MASS * GRAVITY / 4.0), rel=1e-9)
    if law == "spring":
        assert pad.reach - gap == pytest.approx(MASS * GRAVITY / (4.0 * pad.stiffness), rel=1e-9)


@pytest.mark.parametrize("law", [law.name for law in padlaws.LAWS if law.stands])
def test_it_starts_at_rest_where_it_stands(law):
    height = go(FOUR.replace(law=law), seconds=2.0).column("position.z")
    assert np.ptp(height) < 1e-9


def test_a_bounce_is_a_damped_sinusoid():
    """x'' = -(k x + c x') / m about rest, any text on vibrations: within 1 % of its amplitude at 240 ticks/s.

    Semi-implicit Euler goes through the same bounce half a tick early: its speed is that of the end of a tick.
    """
    pad = FOUR.replace(damping=150.0, reach=2.0)
    drop = 0.05
    made = go(pad, height=drop, seconds=3.0)
    k, c = 4.0 * pad.stiffness, 4.0 * pad.damping
    free, share = math.sqrt(k / MASS), c / (2.0 * math.sqrt(k * MASS))
    swings, fades = free * math.sqrt(1.0 - share**2), share * free
    t = made.t + 0.5 / 240.0
    wanted = drop * np.exp(-fades * t) * (np.cos(swings * t) + fades / swings * np.sin(swings * t))
    height = made.column("position.z")
    assert np.abs(height - height[-1] - (wanted - wanted[-1])).max() < 0.01 * drop


@pytest.mark.parametrize("ticks", [240, 480])
def test_a_drop_onto_pads_that_only_push_agrees_with_a_peer_integrator(ticks):
    pad = FOUR.replace(damping=400.0, reach=0.8)
    made = go(pad, height=1.0, seconds=2.0, ticks=ticks)
    k, c, start = 4.0 * pad.stiffness, 4.0 * pad.damping, float(made.column("position.z")[0])
    mount = float(made.column("position.z")[-1] - made.column("pads.1.gap")[-1])

    def rates(t, y):
        gap = y[0] - mount
        push = max(k * (pad.reach - gap) - c * y[1], 0.0) if gap < pad.reach else 0.0
        return [y[1], push / MASS - GRAVITY]

    peer = solve_ivp(rates, (0.0, 2.0), [start, 0.0], rtol=1e-10, atol=1e-12, max_step=1e-3, t_eval=made.t)
    error = np.abs(made.column("position.z") - peer.y[0]).max()
    # semi-implicit Euler is of first order: its offset in a free fall of 1 s is g dt t / 2
    shift = 0.5 * GRAVITY / ticks * math.sqrt(2.0 / GRAVITY)
    assert error < 1e-3 * (start - 0.0) + shift


def test_a_ridge_of_first_order():
    """The error of the drop above falls with the tick."""
    heights = [go(FOUR.replace(damping=400.0), height=1.0, seconds=1.5, ticks=ticks) for ticks in (120, 240, 480, 960)]
    ends = [float(made.column("position.z")[-1]) for made in heights]
    coarse, fine = abs(ends[1] - ends[3]), abs(ends[2] - ends[3])
    assert fine < 0.6 * coarse


def test_weights_of_front_and_rear_follow_from_statics():
    front = Pad(id="front", x=1.2, spread_y=0.5, damping=3000.0)
    rear = Pad(id="rear", x=-0.8, spread_y=0.5, damping=3000.0)
    body = Body(mass=MASS, held=(), centre_x=0.1)
    made = go(front, rear, body=body, seconds=30.0, height=0.02)
    loads = {name: made.column(f"{name}.force")[-1] for name in names(made)}
    pitch = 2.0 * math.asin(float(made.column("rotation.y")[-1]))
    level = math.cos(pitch)
    # moments about the centre of mass, lever arms in the plane of the ground; rays lean with the craft
    held_up = sum(loads.values()) * level
    assert held_up == pytest.approx(MASS * GRAVITY, rel=1e-6)
    arm = {"front": 1.1, "rear": 0.9}
    moment = (
        sum(loads[f"front.{k}"] for k in (1, 2)) * arm["front"] - sum(loads[f"rear.{k}"] for k in (1, 2)) * arm["rear"]
    )
    assert abs(moment) < 1e-6 * MASS * GRAVITY
    assert loads["front.1"] == pytest.approx(loads["front.2"], rel=1e-6)


def test_two_tick_rates_agree_and_the_ledger_closes():
    made = go(FOUR, height=0.4, ticks=120, pitch_deg=8.0, roll_deg=-5.0, speed=6.0)
    lines = [*made.layout.lines]
    total = sum(made.line(name)[1:, :3] for name in lines)
    velocity = made.columns("velocity.x", "velocity.y", "velocity.z")
    realised = MASS * np.diff(velocity, axis=0) * 120.0
    assert np.abs(total - realised).max() < 1e-9 * np.abs(total).max() + 1e-9
    fine = go(FOUR, height=0.4, ticks=480, pitch_deg=8.0, roll_deg=-5.0, speed=6.0)
    assert fine.column("position.z")[-1] == pytest.approx(made.column("position.z")[-1], abs=1e-3)


# what it does


def test_pads_only_push_unless_they_are_told_to_pull():
    hard = FOUR.replace(damping=6000.0)
    rising = go(hard, height=0.0, rise_speed=3.0, seconds=0.5)
    assert min(rising.column(f"{name}.force").min() for name in names(rising)) == 0.0
    pulled = go(hard.replace(pulls=True), height=0.0, rise_speed=3.0, seconds=0.5)
    assert pulled.column("pads.1.force").min() < -100.0
    assert pulled.column("position.z").max() < rising.column("position.z").max()


def test_a_cap_is_kept_after_the_gain():
    made = go(FOUR.replace(max_force=600.0, trim=5.0), height=2.0)
    assert made.column("pads.1.force").max() == 600.0


def test_a_muted_pad_finds_nothing_and_is_as_if_absent():
    made = go(FOUR.replace(mute=True), height=0.5)
    bare = go(height=0.5)
    assert made.column("position.z").tolist() == bare.column("position.z").tolist()
    assert (made.column("pads.1.gap") == FOUR.reach).all()


HOLE = (
    Block(id="near", moves="fixed", length=20.0, width=8.0, height=1.0, x=0.0, z=-1.0),
    Block(id="far", moves="fixed", length=20.0, width=8.0, height=1.0, x=21.5, z=-1.0),
)


def test_a_gap_that_is_held_over_a_hole_jolts_behind_it_and_harder_at_more_ticks():
    """While the rays find nothing the craft falls; its first gap behind the hole is compared with that before it."""
    ground = Ground(id="ice", floor=False, blocks=HOLE)
    over = {"ground": ground, "body": Body(mass=MASS, held=("roll", "pitch", "yaw")), "speed": 10.0, "seconds": 1.6}
    hands_on = FOUR.replace(damping_from="gap_change", spread_x=0.3)

    def hardest(pad: Pad, ticks: int) -> float:
        made = go(pad, ticks=ticks, **over)
        assert (made.column("pads.1.gap") == pad.reach).any(), "it was over the hole"
        return float(made.column("pads.1.force").max())

    plain = hardest(FOUR.replace(spread_x=0.3), 240)
    forgets = {ticks: hardest(hands_on, ticks) for ticks in (60, 240)}
    holds = {ticks: hardest(hands_on.replace(on_miss="hold"), ticks) for ticks in (60, 240)}
    assert forgets[240] == pytest.approx(plain, rel=0.1)
    assert holds[240] > 3.0 * forgets[240]
    assert holds[240] > 2.0 * holds[60]


def test_an_on_and_off_law_never_comes_to_rest():
    made = go(FOUR.replace(law="on_off", lift=900.0, damping=100.0, reach=1.0, band=0.05), seconds=12.0)
    late = made.column("position.z")[-5 * 240 :]
    assert np.ptp(late) > 0.01
    assert np.ptp(late[-240:]) > 0.5 * np.ptp(late[:240]), "a cycle that neither grows nor dies"
    names_of = [one.name for one in cautions.find(made.job, made)]
    assert "never_still" in names_of


@pytest.mark.parametrize("share", [0.97, 1.03])
def test_the_stiffest_spring_of_the_caution_is_where_a_bounce_begins_to_grow(share):
    """Semi-implicit Euler of m x'' = -k x - c x' holds up to k dt2 + 2 c dt = 4 m."""
    ticks, damping = 60, 500.0
    stiffest = (4.0 * MASS * ticks**2 - 2.0 * 4.0 * damping * ticks) / 4.0
    pad = FOUR.replace(stiffness=share * stiffest, damping=damping, pulls=True, reach=1.0)
    body = Body(mass=MASS, held=("roll", "pitch", "yaw"))
    made = go(pad, body=body, ticks=ticks, height=1e-4, seconds=10.0)
    rest = made.job.craft.stands_above(GRAVITY)
    swing = np.abs(made.column("position.z") - rest)
    assert (swing[-20:].max() > 1e-4) == (share > 1.0)
    told = "too_stiff_for_the_tick" in [one.name for one in cautions.find(made.job, made)]
    assert told == (share > 1.0)


def test_cautions_name_what_is_amiss():
    weak = job(FOUR.replace(stiffness=300.0))
    assert "cannot_carry" in [one.name for one in cautions.find(weak)]
    loose = job(FOUR.replace(damping=10.0))
    assert "bounces_on" in [one.name for one in cautions.find(loose)]
    held = job(FOUR.replace(damping_from="gap_change", on_miss="hold"))
    assert "damper_spike" in [one.name for one in cautions.find(held)]
    ramp = Block(id="ramp", shape="wedge", moves="fixed", x=10.0)
    assert not cautions.find(job(FOUR, ground=GROUND.replace(blocks=(ramp,))))


def test_rays_that_start_in_the_ground_or_find_none_are_said():
    block = Block(id="sill", moves="fixed", length=6.0, width=6.0, height=1.2)
    sunk = go(FOUR, ground=GROUND.replace(blocks=(block,)), seconds=0.2)
    assert "starts_in_the_ground" in [one.name for one in cautions.find(sunk.job, sunk)]
    high = go(FOUR, height=50.0, seconds=0.5)
    assert "finds_no_ground" in [one.name for one in cautions.find(high.job, high)]


def test_the_outlook_is_what_a_run_shows():
    setting = outlook.setting_of(job(FOUR).craft, GROUND, 240)
    lines = FOUR.outlook(setting)
    made = go(FOUR.replace(damping=0.0), height=0.05, seconds=4.0)
    z = made.column("position.z") - made.column("position.z").mean()
    turns = np.flatnonzero((z[:-1] < 0.0) & (z[1:] >= 0.0))
    rate = (len(turns) - 1) / ((turns[-1] - turns[0]) / 240.0)
    assert f"{rate:.2f}"[:3] in lines[1]
    assert lines[0].startswith("rides at 939 mm") or "0.939" in lines[0]


# on other bodies


def test_a_pad_pushes_a_loose_block_down_and_momentum_is_kept():
    """Over a block that floats without gravity, what the craft gains the block loses, linear and angular."""
    ground = Ground(id="ice", gravity=0.0, floor=False, blocks=(Block(id="raft", mass=80.0, z=0.0, moves="free"),))
    pad = Pad(id="pads", spread_x=0.3, stiffness=3000.0, damping=0.0, reach=2.0)
    body = Body(mass=MASS, held=())
    made = go(pad, ground=ground, body=body, height=0.6, rise_speed=-2.0, seconds=1.0, x=0.15)
    block = [f"block.raft.velocity.{axis}" for axis in "xyz"]
    craft = [f"velocity.{axis}" for axis in "xyz"]
    total = MASS * made.columns(*craft) + 80.0 * made.columns(*block)
    assert made.column("velocity.z")[-1] > made.column("velocity.z")[0] + 0.2
    assert np.abs(total - total[0]).max() < 1e-9 * MASS * np.abs(made.columns(*craft)).max()
    spin = made.columns(*(f"block.raft.spin.{axis}" for axis in "xyz"))
    assert np.abs(spin[-1]).max() > 0.01, "it stands beside its middle, and turns it"


def test_a_pad_over_a_craft_is_felt_by_that_craft():
    below = Craft(id="below", body=Body(mass=500.0, held=()), channels=(), parts=())
    upper = job(Pad(id="pads", damping=500.0), height=1.0, rise_speed=-2.0, seconds=1.0)
    drill = upper.drill.replace(cast=(Member(id="below"),))
    both = replace(upper, drill=drill, others=(below,), ground=Ground(id="ice", gravity=0.0, floor=False))
    made = run.execute(both)
    other = made.seen_from("below")
    total = MASS * made.column("velocity.z") + 500.0 * other.column("velocity.z")
    assert made.column("velocity.z")[-1] > made.column("velocity.z")[0] + 0.2
    assert np.abs(total - total[0]).max() < 1e-9
    gained = 500.0 * np.diff(other.column("velocity.z")) * 240.0
    assert np.abs(other.line("contact")[1:, 2] - gained).max() < 1e-6


def test_it_rides_a_driven_block_and_sees_its_speed():
    ram = Block(id="lift", moves="driven", length=6.0, width=6.0, height=0.5, z=0.0, sway_z=0.3, period=2.0)
    made = go(FOUR.replace(damping=2500.0), ground=GROUND.replace(blocks=(ram,)), seconds=6.0)
    lifts = made.column("block.lift.position.z")
    gap = made.column("pads.1.gap")
    assert np.ptp(lifts) > 0.5
    assert np.ptp(gap[600:]) < 0.5 * np.ptp(lifts), "the damper follows the block and not the world"


def test_a_ray_passes_over_its_own_craft_and_what_is_far_away_changes_no_bit():
    far = tuple(Block(id=f"far_{k}", x=400.0 + 5.0 * k, y=300.0) for k in range(5))
    near = go(FOUR, height=0.3)
    both = go(FOUR, height=0.3, ground=GROUND.replace(blocks=far))
    for name in ("position.z", "pads.1.force", "rotation.y"):
        assert near.column(name).tolist() == both.column(name).tolist()


# what a ray finds

SHAPES = [
    Block(id="b", shape="box", length=1.4, width=0.8, height=0.6, moves="fixed", z=0.2, heading_deg=33.0),
    Block(id="b", shape="box", length=1.4, width=0.8, height=0.6, moves="fixed", z=0.2, pitch_deg=17.0),
    Block(id="b", shape="ball", length=1.2, moves="fixed", z=0.4),
    Block(id="b", shape="cylinder", length=1.1, width=1.1, height=0.7, moves="fixed", z=0.1, pitch_deg=40.0),
    Block(id="b", shape="capsule", length=2.0, width=0.6, moves="fixed", z=0.3, heading_deg=70.0, pitch_deg=20.0),
    Block(id="b", shape="wedge", length=1.6, width=0.9, height=0.7, moves="fixed", z=0.1, heading_deg=-50.0),
]


def inside(block: Block, points: np.ndarray) -> np.ndarray:
    """How far points of the world lie outside a block, m, shape (n,); by its size alone, not by its pieces."""
    axes = ground_shape.axes_of(block)
    x, y, z = ((points - np.array(block.middle())) @ axes).T
    a, b, c = block.half_extents()
    if block.shape == "ball":
        return np.sqrt(x * x + y * y + z * z) - a
    if block.shape == "cylinder":
        return np.maximum(np.hypot(x, y) - a, np.abs(z) - c)
    if block.shape == "capsule":
        return np.sqrt(np.maximum(np.abs(x) - (a - b), 0.0) ** 2 + y * y + z * z) - b
    slabs = np.maximum(np.maximum(np.abs(x) - a, np.abs(y) - b), np.abs(z) - c)
    if block.shape == "wedge":
        return np.maximum(slabs, (a * z - c * x) / math.hypot(a, c))
    return slabs


def test_a_ray_far_from_its_hull_finds_what_lies_under_it():
    """The shape may stand beside the craft's origin, and the pad with it."""
    block = Block(id="plinth", moves="fixed", length=1.0, width=1.0, height=0.5)
    body = Body(mass=MASS, shape_x=6.0, held=("x", "y", "z", "roll", "pitch", "yaw"))
    pad = Pad(id="pads", reach=1.5)
    for mount, finds in (((0.0, 0.0, 1.5), True), ((3.0, 0.0, 1.5), False)):
        x, y, z = mount
        one = pad.replace(x=x, y=y, z=z)
        made = go(one, ground=GROUND.replace(floor=False, blocks=(block,)), body=body, seconds=0.1)
        over = made.column("position.z")[0] + z - body.centre()[2] - block.height
        assert made.column("pads.1.gap")[-1] == pytest.approx(over if finds else pad.reach, abs=1e-9)


@pytest.mark.parametrize("block", SHAPES, ids=lambda block: f"{block.shape}{block.pitch_deg:.0f}")
def test_a_ray_ends_on_the_surface_of_every_shape_and_nowhere_before(block):
    machine = Machine.of(job(FOUR, ground=GROUND.replace(floor=False, blocks=(block,)), height=3.0))
    scene = machine.scene
    broad.seek_neighbours(scene, 1.0 / 120.0)  # the boxes round what never moves
    scene.sighted[0] = 2
    dice, hits = np.random.default_rng(7), 0
    for _ in range(300):
        origin = np.array([*dice.uniform(-1.2, 1.2, 2), 2.5])
        way = np.array([*dice.uniform(-0.4, 0.4, 2), -1.0])
        way /= np.linalg.norm(way)
        found, below, normal = rays.nearest(scene, 1, tuple(origin), tuple(way), 6.0, 1)
        along = np.linspace(0.0, 6.0, 4001)
        out = inside(block, origin + along[:, None] * way)
        enters = np.flatnonzero(out < 0.0)
        if below < 0:
            assert len(enters) == 0 or out.min() > -2e-3
            continue
        hits += 1
        assert abs(inside(block, (origin + found * way)[None])[0]) < 1e-6
        assert len(enters) == 0 or along[enters[0]] >= found - 1e-9
        assert np.linalg.norm(normal) == pytest.approx(1.0, abs=1e-9)
        assert np.dot(normal, way) < 1e-9
        ahead = inside(block, (origin + found * way + 1e-5 * np.array(normal))[None])[0]
        assert ahead == pytest.approx(1e-5, rel=0.2, abs=1e-7)
    assert hits > 40


def test_a_ray_over_a_relief_ends_at_its_height(uneven_ground):
    machine = Machine.of(job(FOUR, ground=uneven_ground, height=3.0))
    dice = np.random.default_rng(3)
    for _ in range(200):
        x, y = dice.uniform(-8.0, 8.0, 2)
        found, below, normal = rays.nearest(machine.scene, 1, (x, y, 9.0), (0.0, 0.0, -1.0), 20.0, 0)
        assert below == 0
        assert 9.0 - found == pytest.approx(ground_shape.height_at(uneven_ground, x, y), abs=1e-9)
        assert normal[2] > 0.0


@pytest.fixture
def uneven_ground() -> Ground:
    waves = np.sin(np.arange(24)[:, None] * 0.7) + np.cos(np.arange(24)[None, :] * 0.9)
    grey = ((waves + 2.0) / 4.0 * 65535.0).astype("<u2")
    relief = Relief(columns=24, rows=24, data=pack(grey), length=24.0, width=24.0, low=0.0, high=1.2)
    return Ground(id="ice", relief=relief)
