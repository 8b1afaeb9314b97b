"""Hinges, sliders and fixed joints: closed forms, momenta, motors, limits, springs, friction, breaking, documents."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.spatial.transform import Rotation
from scipy.special import ellipk

from oak_sled.core.advice import tying
from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import units
from oak_sled.core.base.faults import Refused
from oak_sled.core.compiler import plain
from oak_sled.core.contact import hinge, hingerows, loosebodies, scenery, solver
from oak_sled.core.contact.linkkind import BROKEN, HOLDS
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.files import yard_json
from oak_sled.core.geometry import shapes
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.project import blank
from oak_sled.core.results import run, traces
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.hinge import Cone, Fixed, Hinge, Latch, Slider

G = 9.80665
RATES = (30, 60, 120, 240, 480)
HIGH = np.array([0.0, 0.0, 500.0])
ROD = (1.0, 0.1, 0.1)
OPEN = {"low": -1e308, "high": 1e308, "motor": 0, "rate": 0.0, "aim": 0.0, "most": 0.0, "stiffness": 0.0,
        "damping": 0.0, "friction": 0.0, "breaks": 0.0}  # fmt: skip
ALONG_Y = {"axis_a": (0.0, 1.0, 0.0), "axis_b": (0.0, 1.0, 0.0), "mark_a": (1.0, 0.0, 0.0), "mark_b": (1.0, 0.0, 0.0)}
ALONG_X = {"axis_a": (1.0, 0.0, 0.0), "axis_b": (1.0, 0.0, 0.0), "mark_a": (0.0, 1.0, 0.0), "mark_b": (0.0, 1.0, 0.0)}
ALONG_Z = {"axis_a": (0.0, 0.0, 1.0), "axis_b": (0.0, 0.0, 1.0), "mark_a": (1.0, 0.0, 0.0), "mark_b": (1.0, 0.0, 0.0)}
KINDS = {
    hingerows.TURNS: hinge.HINGED, hingerows.SLIDES: hinge.SLIDING, hingerows.FIXED: hinge.FASTENED,
    hingerows.TILTS: hinge.TILTED,
}  # fmt: skip


def box(place, half=ROD, mass=6.0, velocity=(0.0, 0.0, 0.0), spin=(0.0, 0.0, 0.0)):
    return Solid(
        [shapes.box(half)], mass, shapes.box_inertia(mass, half), position=tuple(place), velocity=velocity, spin=spin
    )


def jointed(solids, mode, bodies, at_a, at_b, **own):
    """Solids far above the ground, two of which are joined."""
    scene = scenery.scene(solids, plane=False)
    fields = {**OPEN, **ALONG_Y, "mode": mode, "at_a": at_a, "at_b": at_b, **own}
    return scenery.with_links(scene, [(KINDS[mode], bodies, fields)])


def moved(scene, ticks, seconds, gravity=G):
    """Position, attitude, velocity and spin of every solid after each tick, shape (ticks, n, 13)."""
    out = np.zeros((round(seconds * ticks), len(scene.solids), 13))
    solver.run_alone(scene, still_air(gravity)[0], 1.0 / ticks, len(out), out)
    return out[:, 1:]


def hung(**own):
    """A rod of 2 m and 6 kg that is hinged at its left end, held level."""
    return jointed([box(HIGH + [1.0, 0.0, 0.0])], hingerows.TURNS, (1, 0), (-1.0, 0.0, 0.0), tuple(HIGH), **own)


ABOUT_END = shapes.box_inertia(6.0, ROD)[1, 1] + 6.0
"""kg m2 of the rod about its end."""


@pytest.mark.parametrize("ticks", [60, 120, 240, 480])
def test_a_rod_swings_with_the_period_of_the_elliptic_integral(ticks):
    made = moved(hung(), ticks, 12.0)
    x = made[:, 0, 0]
    down = np.flatnonzero((x[1:] <= 0.0) & (x[:-1] > 0.0))
    times = (down + x[down] / (x[down] - x[down + 1])) / ticks
    wanted = 4.0 * math.sqrt(ABOUT_END / (6.0 * G)) * ellipk(0.5)
    assert np.diff(times).mean() == pytest.approx(wanted, rel=1e-3)
    assert np.abs(np.linalg.norm(made[:, 0, :3] - HIGH, axis=1) - 1.0).max() < 1e-9
    assert np.abs(made[:, 0, 1]).max() < 1e-9
    assert (made[:, 0, 2] - HIGH[2]).max() < 1.0 / ticks, "and gains no height"


def angular(row, masses, halves):
    """Angular momentum of boxes about HIGH, kg m2/s."""
    total = np.zeros(3)
    for one, mass, half in zip(row, masses, halves, strict=True):
        turned = Rotation.from_quat(one[[4, 5, 6, 3]]).as_matrix()
        inertia = turned @ shapes.box_inertia(mass, half) @ turned.T
        total += mass * np.cross(one[:3] - HIGH, one[7:10]) + inertia @ one[10:13]
    return total


@pytest.mark.parametrize("ticks", RATES)
@pytest.mark.parametrize("mode", list(KINDS))
def test_a_free_pair_keeps_its_momenta(ticks, mode):
    halves, masses = ((0.5, 0.3, 0.2), (0.3, 0.5, 0.2)), (3.0, 5.0)
    pair = [
        box(HIGH, halves[0], 3.0, (1.0, 0.5, 0.0), (0.3, 0.2, 1.0)),
        box(HIGH + [3.0, 0.0, 0.0], halves[1], 5.0, (0.0, -0.5, 0.2), (-0.2, 0.4, -1.0)),
    ]
    scene = jointed(pair, mode, (1, 2), (1.5, 0.0, 0.0), (-1.5, 0.0, 0.0), **ALONG_Z)
    made = moved(scene, ticks, 3.0, gravity=0.0)
    linear = np.einsum("k,tki->ti", masses, made[:, :, 7:10])
    turning = np.array([angular(row, masses, halves) for row in made])
    assert np.abs(linear - linear[0]).max() < 1e-9
    assert np.abs(turning - turning[0]).max() < 1e-9 * np.linalg.norm(turning[0])


@pytest.mark.parametrize("ticks", RATES)
def test_a_slider_falls_along_its_axis_alone_and_ends_at_its_limit(ticks):
    held = jointed([box(HIGH)], hingerows.SLIDES, (1, 0), (0.0, 0.0, 0.0), tuple(HIGH), **ALONG_Z)
    made = moved(held, ticks, 1.0)
    assert made[-1, 0, 2] - HIGH[2] == pytest.approx(-0.5 * G * (1.0 + 1.0 / ticks), rel=1e-6)
    assert np.abs(made[:, 0, :2]).max() < 1e-9
    assert np.abs(made[:, 0, 4:7]).max() < 1e-9
    ends = jointed([box(HIGH)], hingerows.SLIDES, (1, 0), (0.0, 0.0, 0.0), tuple(HIGH), **ALONG_Z, low=-0.5)
    made = moved(ends, ticks, 2.0)
    assert made[:, 0, 2].min() > HIGH[2] - 0.5 - 1e-6
    assert ends.links["shown"][0, 1] == pytest.approx(-0.5, abs=1e-6)
    assert ends.links["shown"][0, 2] == pytest.approx(6.0 * G, rel=1e-3), "what stops it carries its weight"


@pytest.mark.parametrize("ticks", RATES)
def test_a_motor_holds_its_rate_up_to_its_torque(ticks):
    """Without gravity: T = I alpha until the rate is there, then it stays."""
    scene = hung(motor=hinge.BY_RATE, rate=1.5, most=4.0)
    made = moved(scene, ticks, 6.0, gravity=0.0)
    spin = made[:, 0, 11]
    time = (1.0 + np.arange(len(spin))) / ticks
    wanted = np.minimum(4.0 / ABOUT_END * time, 1.5)
    assert np.abs(spin - wanted).max() < 1e-3 * 1.5 + 1e-9


@pytest.mark.parametrize("ticks", [60, 240])
def test_a_motor_goes_to_a_place_and_holds_it_against_the_weight(ticks):
    scene = hung(motor=hinge.BY_PLACE, rate=1.0, aim=-0.5, most=500.0)
    moved(scene, ticks, 3.0)
    assert scene.links["shown"][0, 1] == pytest.approx(-0.5, abs=1e-4)
    assert abs(scene.links["shown"][0, 2]) == pytest.approx(6.0 * G * math.cos(0.5), rel=1e-2)


@pytest.mark.parametrize("ticks", [120, 240, 480])
def test_a_spring_and_a_damper_swing_it_as_an_oscillator(ticks):
    scene = hung(stiffness=60.0, damping=4.0)
    scene.solids["spin"][1, 1] = 0.5
    scene.solids["velocity"][1, 2] = -0.5
    made = moved(scene, ticks, 6.0, gravity=0.0)
    angle = 2.0 * np.arctan2(made[:, 0, 5], made[:, 0, 3])
    time = (1.0 + np.arange(len(angle))) / ticks
    rate, decay = math.sqrt(60.0 / ABOUT_END), 0.5 * 4.0 / ABOUT_END
    swing = math.sqrt(rate**2 - decay**2)
    wanted = 0.5 / swing * np.exp(-decay * time) * np.sin(swing * time)
    assert np.abs(angle - wanted).max() < 3.0 / ticks * np.abs(wanted).max()


@pytest.mark.parametrize("ticks", RATES)
def test_dry_friction_holds_it_below_its_torque_and_slows_it_above(ticks):
    held = moved(hung(friction=6.0 * G * 1.01), ticks, 2.0)
    assert np.abs(held[:, 0, :3] - (HIGH + [1.0, 0.0, 0.0])).max() < 1e-6
    slides = moved(hung(friction=6.0 * G * 0.5), ticks, 0.2)
    assert slides[-1, 0, 11] == pytest.approx(0.5 * 6.0 * G / ABOUT_END * 0.2, rel=5e-2)


@pytest.mark.parametrize("ticks", RATES)
def test_a_limit_is_not_passed_and_carries_the_weight(ticks):
    scene = hung(low=-0.3, high=0.3)
    moved(scene, ticks, 3.0)
    assert abs(scene.links["shown"][0, 1]) == pytest.approx(0.3, abs=1e-6)
    assert abs(scene.links["shown"][0, 2]) == pytest.approx(6.0 * G * math.cos(0.3), rel=1e-3)


@pytest.mark.parametrize("ticks", RATES)
def test_a_fixed_joint_holds_a_beam_out_and_tells_its_moment(ticks):
    scene = jointed([box(HIGH + [1.0, 0.0, 0.0])], hingerows.FIXED, (1, 0), (-1.0, 0.0, 0.0), tuple(HIGH))
    made = moved(scene, ticks, 3.0)
    assert np.abs(made[:, 0, :3] - (HIGH + [1.0, 0.0, 0.0])).max() < 1e-6
    assert scene.links["shown"][0, 0] == pytest.approx(6.0 * G, rel=1e-3)
    assert scene.links["shown"][0, 2] == pytest.approx(6.0 * G * 1.0, rel=1e-2)


def test_it_breaks_past_its_load():
    holds, breaks = (
        jointed([box(HIGH + [1.0, 0.0, 0.0])], hingerows.FIXED, (1, 0), (-1.0, 0.0, 0.0), tuple(HIGH), breaks=load)
        for load in (6.0 * G * 1.2, 6.0 * G * 0.8)
    )
    moved(holds, 120, 1.0)
    assert holds.links["state"][0] == HOLDS
    made = moved(breaks, 120, 1.0)
    assert breaks.links["state"][0] == BROKEN
    assert breaks.links["shown"][0, 3] == 1.0
    assert made[-1, 0, 2] < HIGH[2] - 3.0


def test_python_and_machine_code_give_the_same_bits():
    def one():
        return moved(hung(friction=3.0, stiffness=5.0, damping=1.0, low=-0.4, high=2.0), 60, 0.4).tobytes()

    compiled = one()
    with plain.python():
        assert one() == compiled


# cones


def tilting(**own):
    """A rod that hangs straight down from a ball joint, its axis along it, pushed aside."""
    down = Rotation.from_euler("y", 90.0, degrees=True).as_quat()
    rod = box(HIGH - [0.0, 0.0, 1.0])
    scene = jointed([rod], hingerows.TILTS, (1, 0), (-1.0, 0.0, 0.0), tuple(HIGH), axis_a=(1.0, 0.0, 0.0),
                    axis_b=(0.0, 0.0, -1.0), mark_a=(0.0, 1.0, 0.0), mark_b=(0.0, 1.0, 0.0), **own)  # fmt: skip
    scene.solids["attitude"][1] = (down[3], down[0], down[1], down[2])
    loosebodies.refresh_all(scene.solids[1:2])
    scene.solids["velocity"][1] = (0.0, 2.0, 0.0)
    scene.solids["spin"][1] = (2.0, 0.0, 0.0)
    return scene


@pytest.mark.parametrize("ticks", RATES)
def test_a_cone_is_not_left_and_within_it_the_rod_swings_as_a_pendulum(ticks):
    free = moved(tilting(), ticks, 4.0)
    assert np.abs(np.linalg.norm(free[:, 0, :3] - HIGH, axis=1) - 1.0).max() < 1e-9
    tilt = np.degrees(np.arccos(np.clip((HIGH[2] - free[:, 0, 2]), -1.0, 1.0)))
    energy = 0.5 * ABOUT_END * 2.0**2
    top = math.degrees(math.acos(1.0 - energy / (6.0 * G)))
    assert tilt.max() == pytest.approx(top, rel=3.0 / ticks)
    scene = tilting(high=math.radians(20.0))
    held = moved(scene, ticks, 4.0)
    tilt = np.degrees(np.arccos(np.clip((HIGH[2] - held[:, 0, 2]), -1.0, 1.0)))
    assert tilt.max() < 20.0 + 0.2
    assert scene.links["shown"][0, 1] <= math.radians(20.2)


def test_a_spring_holds_a_cone_joint_up():
    """A rod that stands on its joint: it stays up where the spring is stiffer than the weight tips it."""
    up = Rotation.from_euler("y", -90.0, degrees=True).as_quat()

    def fallen(stiffness):
        scene = jointed([box(HIGH + [0.0, 0.0, 1.0])], hingerows.TILTS, (1, 0), (-1.0, 0.0, 0.0), tuple(HIGH),
                        axis_a=(1.0, 0.0, 0.0), axis_b=(0.0, 0.0, 1.0), mark_a=(0.0, 1.0, 0.0), mark_b=(0.0, 1.0, 0.0),
                        stiffness=stiffness, damping=5.0)  # fmt: skip
        scene.solids["attitude"][1] = (up[3], up[0], up[1], up[2])
        loosebodies.refresh_all(scene.solids[1:2])
        scene.solids["spin"][1] = (0.0, 0.3, 0.0)
        scene.solids["velocity"][1] = (0.3, 0.0, 0.0)
        return HIGH[2] + 1.0 - moved(scene, 240, 6.0)[-1, 0, 2]

    assert fallen(1.5 * 6.0 * G) < 1e-3
    assert fallen(0.5 * 6.0 * G) > 0.3


# latches


def docking(speed, turned=0.0, aside=0.0, **own):
    """Two boxes that drift toward each other at a speed, points on their faces; the first turned about the vertical."""
    pair = [
        box(HIGH + [0.0, aside, 0.0], (0.5, 0.3, 0.2), 4.0, (speed, 0.0, 0.0)),
        box(HIGH + [1.6, 0.0, 0.0], (0.5, 0.3, 0.2), 6.0),
    ]
    fields = {"at_a": (0.55, 0.0, 0.0), "at_b": (-0.55, 0.0, 0.0), "latch": hinge.OPEN, "within": 0.1,
              "aligned": math.radians(20.0), "slower": 0.5, "mode": hingerows.FIXED, **own}  # fmt: skip
    scene = scenery.scene(pair, plane=False)
    turn = {**ALONG_X, "axis_a": (math.cos(turned), math.sin(turned), 0.0)}
    return scenery.with_links(scene, [(hinge.LATCHED, (1, 2), {**OPEN, **turn, **fields})])


@pytest.mark.parametrize("ticks", RATES)
def test_a_latch_closes_where_points_meet_slowly_and_keeps_the_momentum(ticks):
    scene = docking(0.4)
    made = moved(scene, ticks, 3.0, gravity=0.0)
    assert scene.links["shown"][0, 2] == 1.0
    assert made[-1, :, 7] == pytest.approx([0.16, 0.16], abs=1e-9), "as one"
    assert np.abs(4.0 * made[:, 0, 7] + 6.0 * made[:, 1, 7] - 1.6).max() < 1e-9
    apart = made[-1, 1, 0] - made[-1, 0, 0]
    assert 1.1 < apart < 1.1 + 0.1 + 1e-6, "held as they met"
    free = moved(docking(0.4), ticks, 0.3, gravity=0.0)
    assert np.array_equal(free[:, 1, 7], np.zeros(len(free))), "open, it gives nothing"


@pytest.mark.parametrize(
    "how", [{"speed": 0.7}, {"speed": 0.4, "turned": math.radians(30.0)}, {"speed": 0.4, "aside": 0.25}]
)
def test_a_latch_stays_open_for_what_is_fast_askew_or_aside(how):
    scene = docking(**how)
    moved(scene, 120, 1.5, gravity=0.0)
    assert scene.links["shown"][0, 2] == 0.0


# documents

POST = Block(id="post", moves="fixed", x=0.0, length=0.4, width=0.4, height=3.0)
ARM = Block(id="arm", x=1.6, z=2.4, length=2.6, width=0.3, height=0.3, mass=40.0)
DOCUMENTS = {
    "hinge": Hinge(id="tie", one="arm", other="post", x=0.2, z=2.55, azimuth_deg=90.0, limited=True, low_deg=-30.0),
    "slider": Slider(id="tie", one="arm", other="post", x=0.2, z=2.55, elevation_deg=90.0, limited=True, low=-0.4),
    "fixed": Fixed(id="tie", one="arm", other="", x=0.2, z=2.55),
    "cone": Cone(id="tie", one="arm", other="post", x=0.2, z=2.55, cone_deg=15.0, damping=50.0),
    "latch": Latch(id="tie", one="arm", other="", x=1.6, z=2.4, end_x=1.6, end_z=0.3, within=0.3, slower_than=50.0),
}


def yarded(tie):
    yard = blank.blank_yard()
    ground = yard.ground().replace(blocks=(POST, ARM), ties=(tie,))
    return yard.replace(grounds=(ground,))


@pytest.mark.parametrize("name", list(DOCUMENTS))
def test_a_document_holds_what_it_says_and_goes_round_a_file(name):
    yard = yarded(DOCUMENTS[name])
    assert yard_json.loads(yard_json.dumps(yard)) == yard
    made = run.execute(Job(yard.craft(), yard.ground(), Drill(id="d", duration=4.0), 120))
    height = made.column("block.arm.position.z")
    shown = [one.name for one in DOCUMENTS[name].ROWS.shows]
    end = {one: traces.values(made, f"tie.tie.{one}")[-1] for one in shown}
    assert end["broken"] == 0.0
    if name == "hinge":
        assert end["angle"] > math.radians(35.0), "it hangs down: a positive turn about north lowers what is east"
        assert height[-1] < height[0] - 0.3
    if name == "slider":
        assert end["travel"] == pytest.approx(-0.4, abs=1e-4)
        assert height[-1] - height[0] == pytest.approx(-0.4, abs=1e-4)
    if name == "cone":
        assert end["angle"] == pytest.approx(math.radians(15.0), abs=2e-3)
    if name == "latch":
        assert end["closed"] == 1.0
        assert height[0] - 2.5 < height[-1] < height[0] - 1.7, "it fell, and hangs where it was caught"
    if name == "fixed":
        assert height[-1] == pytest.approx(height[0], abs=1e-4)
        assert end["load"] == pytest.approx(40.0 * G, rel=1e-2)


def test_its_bodies_do_not_touch_each_other_unless_they_shall():
    overlapping = ARM.replace(x=1.3)  # it begins inside the post

    def rise(collide):
        tie = DOCUMENTS["hinge"].replace(collide=collide, limited=False)
        yard = yarded(tie)
        ground = yard.ground().replace(blocks=(POST, overlapping))
        made = run.execute(Job(yard.craft(), ground, Drill(id="d", duration=0.3), 120))
        return traces.values(made, "tie.tie.angle")[-1]

    assert rise(collide=False) > 0.2, "it swings freely"
    assert rise(collide=True) < 0.1, "the post holds it up"


@pytest.mark.parametrize(
    ("name", "field", "value", "says"),
    [
        ("hinge", "low_deg", 10.0, "low_deg"),
        ("hinge", "motor", "steam", "motor"),
        ("slider", "high", -1.0, "high"),
        ("fixed", "one", "post", "does not move"),
        ("hinge", "other", "arm", "held to itself"),
    ],
)
def test_bad_input_is_refused_where_it_stands(name, field, value, says):
    data = yard_json.parse(yard_json.dumps(yarded(DOCUMENTS[name])), "yard")
    data["grounds"][0]["ties"][0][field] = value
    with pytest.raises(Refused, match=says):
        yard_json.of(data, "yard")


# outlook and cautions

BEAM = Block(id="beam", x=2.0, z=3.0, length=4.0, width=0.4, height=0.4, mass=120.0)
PIVOT = Hinge(id="pivot", one="beam", x=0.0, y=0.0, z=3.2, azimuth_deg=90.0, motor="rate", motor_torque=4000.0)


def _cautions_of(*ties):
    yard = blank.blank_yard()
    other = BEAM.replace(id="other_beam", y=3.0)
    ground = yard.ground().replace(blocks=(BEAM, other), ties=ties)
    job = jobs.job_of(yard.replace(grounds=(ground,)))
    return ground, [one.name for one in tying.cautions(job)]


def test_the_outlook_of_a_hinge_is_its_inertia_weight_and_spring():
    ground, names = _cautions_of(PIVOT)
    lines = " ".join(tying.told_of(PIVOT, ground, (), 120))
    inertia = 120.0 * (4.0**2 + 0.4**2) / 12.0 + 120.0 * 2.0**2
    assert units.show(inertia, "kg m2") in lines
    assert units.show(120.0 * 9.80665 * 2.0, "N m") in lines
    assert "reaches 30.0" in lines
    assert not names
    sprung = PIVOT.replace(motor="none", stiffness=5000.0)
    swings = " ".join(tying.told_of(sprung, ground, (), 120))
    assert units.show(math.sqrt(5000.0 / inertia) / math.tau, "Hz") in swings
    upright = PIVOT.replace(elevation_deg=90.0)
    assert "weight" not in " ".join(tying.told_of(upright, ground, (), 120))


def test_weak_and_fighting_motors_and_loops_of_fixed_joints_are_told():
    assert "motor_too_weak" in _cautions_of(PIVOT.replace(motor_torque=1000.0))[1]
    assert "motors_fight" in _cautions_of(PIVOT, PIVOT.replace(id="second", motor_rate_deg=-30.0))[1]
    aside = PIVOT.replace(id="second", azimuth_deg=0.0)
    assert "motors_fight" not in _cautions_of(PIVOT, aside)[1]
    one = Fixed(id="one", one="beam", x=0.0, z=3.2)
    two = Fixed(id="two", one="beam", other="other_beam", x=2.0, y=1.5, z=3.2)
    three = Fixed(id="three", one="other_beam", x=0.0, y=3.0, z=3.2)
    assert "loop_of_fixed_joints" not in _cautions_of(one, two)[1]
    assert "loop_of_fixed_joints" in _cautions_of(one, two, three)[1]


def test_a_loop_of_fixed_joints_is_solved():
    ties = (
        Fixed(id="one", one="beam", x=0.0, z=3.2),
        Fixed(id="two", one="beam", other="other_beam", x=2.0, y=1.5, z=3.2),
        Fixed(id="three", one="other_beam", x=0.0, y=3.0, z=3.2),
    )
    yard = blank.blank_yard()
    ground = yard.ground().replace(blocks=(BEAM, BEAM.replace(id="other_beam", y=3.0)), ties=ties)
    found = run.execute(jobs.job_of(yard.replace(grounds=(ground,))))
    for name in ("beam", "other_beam"):
        assert np.ptp(found.record.column(found.layout.place(f"block.{name}.position.z"))) < 2e-3
