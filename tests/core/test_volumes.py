"""Volumes of a ground: wind and its gusts, gravity, drag, water, boosts, launches and ways back, on crafts and
blocks."""

from __future__ import annotations

import math
from typing import get_args

import numpy as np
import pytest
from scipy.integrate import quad

from oak_sled.core.advice import cautions
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.geometry import shapes, wetted
from oak_sled.core.kernel import volumes
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.results import ledger, run
from oak_sled.core.results.record import Layout
from oak_sled.core.study import batch
from oak_sled.core.study.variantbuild import VariantBuild
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.volume import DOES, Does, Volume

BODY = Body(mass=600.0, length=2.0, width=1.0, height=1.0, held=(), damping=0.0, spin_damping=0.0)
RHO = 1.2
G = 9.81


def void(*found, **more):
    return Ground(**{"id": "g", "edges": "open", "floor": False, "air_density": 0.0, "gravity": 0.0,
                     "length": 1000.0, "width": 1000.0, "volumes": found, **more})  # fmt: skip


def flown(ground, *parts, seconds=2.0, ticks=120, body=BODY, **start):
    start = Start(**{"height": 5.0, **start})
    drill = Drill(id="d", ground="g", duration=seconds, start=start)
    return run.execute(Job(Craft(id="craft", body=body, parts=parts), ground, drill, ticks))


def lake(**more):
    """Water everywhere, its surface at height 0."""
    return Volume(**{"id": "lake", "does": "water", "everywhere": True, "z": -50.0, "height": 50.0,
                     "linear_drag": 0.0, "added_mass": 0.0, **more})  # fmt: skip


# where a volume is


@pytest.mark.parametrize("shape", ["box", "cylinder", "ball"])
def test_a_volume_is_where_it_is_drawn_and_fades_at_its_edge(shape):
    one = Volume(id="v", does="gravity", gravity=4.0, shape=shape, x=3.0, y=-2.0, z=1.0, length=8.0, width=4.0,
                 height=6.0, heading_deg=90.0, fade=1.0, rise_deg=-90.0)  # fmt: skip
    row = np.zeros(1, volumes.VOLUME)
    for name, value in one.record((0.0, 0.0, 0.0)).items():
        row[0][name] = value

    def share(x, y, z):
        return volumes.share_at(row[0], float(x), float(y), float(z))

    x, y, z = one.middle()
    assert share(x, y, z) == 1.0
    half = one.half_extents()
    along, across = (half[0], half[1]) if shape == "box" else (half[0], half[0])
    for away, wanted in ((0.0, 0.0), (0.5, 0.5), (1.0, 1.0)):  # m inside the edge
        assert share(x, y + along - away, z) == pytest.approx(wanted, abs=1e-12), "its length points north"
        assert share(x + across - away, y, z) == pytest.approx(wanted, abs=1e-12)
        assert share(x, y, z + half[2] - away) == pytest.approx(wanted, abs=1e-12)
    assert share(x, y + along + 0.01, z) == 0.0


# wind and gusts


def test_its_wind_adds_to_that_of_the_ground_and_several_add_up():
    side = Volume(id="a", speed=3.0, to_deg=90.0, length=50.0, width=50.0, height=50.0)
    updraft = Volume(id="b", speed=2.0, rise_deg=90.0, length=50.0, width=50.0, height=50.0)
    air = AirDrag(id="air", front_area=1.0, side_area=1.0, top_area=1.0, drag_coefficient=1.0)
    heavy = BODY.replace(mass=1e8)
    made = flown(void(side, updraft, air_density=RHO, wind_speed=4.0), air, body=heavy)
    push = made.line("air")[5, :3]
    speed = math.sqrt(4.0**2 + 3.0**2 + 2.0**2)
    assert push / np.linalg.norm(push) == pytest.approx(np.array([4.0, 3.0, 2.0]) / speed, abs=1e-6)
    outside = flown(void(side, updraft, air_density=RHO), air, body=heavy, x=80.0)
    assert not outside.line("air").any()


def test_the_energy_of_gusts_is_that_of_the_stated_spectrum_and_their_variance_exact():
    for seed in range(4):
        waves = volumes.gust_waves(2.5, 40.0, np.array([6.0, 0.0, 0.0]), seed)
        size, number = waves["size"], waves["number"]
        assert size.T @ size / 2.0 == pytest.approx(2.5**2 * np.eye(3), abs=1e-3 * 2.5**2)
        assert np.abs(np.sum(size * number, axis=1)).max() < 1e-9, "air that keeps its density"
        each = np.linalg.norm(number, axis=1)
        energy = 0.25 * np.sum(size**2, axis=1)
        assert energy.sum() == pytest.approx(1.5 * 2.5**2, rel=1e-3)
        # between the edges of the shares of two waves lies as much as the spectrum has there
        edges = [0.0, *np.sqrt(each[:-1] * each[1:])]
        spectrum = lambda k: 8.0 * 2.5**2 * 40.0 / math.pi * (40.0 * k) ** 4 / (1.0 + (40.0 * k) ** 2) ** 3  # noqa: E731
        for first, last, share in ((0, 6, 0.25), (0, 12, 0.5), (0, 18, 0.75)):
            grid = np.geomspace(1e-5, 10.0, 4001)
            below = float(np.interp(share, volumes.energy_below(grid, 40.0), grid))
            held = quad(spectrum, 0.0, below, limit=200)[0]
            assert energy[first:last].sum() == pytest.approx(held, rel=1e-3)
            assert each[last - 1] < below < each[last]
        assert len(edges) == volumes.WAVES


def test_samples_of_gusts_scatter_as_they_are_stated_and_drift_with_the_wind():
    one = Volume(id="v", speed=8.0, gusts=2.0, gust_length=20.0, everywhere=True, seed=3)
    row = np.zeros(1, volumes.VOLUME)
    for name, value in one.record((0.0, 0.0, 0.0)).items():
        row[0][name] = value
    dice = np.random.default_rng(1)
    places = dice.uniform(-3000.0, 3000.0, size=(4000, 3))
    found = np.array([volumes.wind_of(row[0], 0.0, *place) for place in places]) - [8.0, 0.0, 0.0]
    # the mean square of a sum of waves at random places scatters by that of its terms
    own = np.std(found**2, axis=0) / math.sqrt(len(places))
    assert np.all(np.abs(np.mean(found**2, axis=0) - 4.0) < 3.0 * own)
    assert np.all(np.abs(np.mean(found, axis=0)) < 3.0 * 2.0 / math.sqrt(len(places)))
    here = volumes.wind_of(row[0], 0.0, 10.0, 5.0, 2.0)
    later = volumes.wind_of(row[0], 2.5, 10.0 + 8.0 * 2.5, 5.0, 2.0)
    assert later == pytest.approx(here, abs=1e-9)


def test_gusts_are_the_same_again_and_another_seed_is_another_weather():
    air = AirDrag(id="air", at_point=True, front_area=3.0, side_area=3.0, top_area=3.0)
    gusty = Volume(id="v", speed=8.0, gusts=3.0, everywhere=True)
    one, again = (flown(void(gusty, air_density=RHO), air) for _ in range(2))
    other = flown(void(gusty.replace(seed=2), air_density=RHO), air)
    assert one.digest == again.digest != other.digest
    assert max(ledger.ledger_gap(one)) < 1e-9


# gravity


def test_things_fall_by_the_gravity_of_where_they_are():
    up = Volume(id="v", does="gravity", gravity=3.0, rise_deg=90.0, length=40.0, width=40.0, height=40.0)
    made = flown(void(up, gravity=G))
    assert made.column("velocity.z")[-1] == pytest.approx(3.0 * 2.0, rel=1e-9)
    assert flown(void(up, gravity=G), x=100.0).column("velocity.z")[-1] == pytest.approx(-G * 2.0, rel=1e-9)
    east = Volume(id="w", does="gravity", gravity=2.0, length=40.0, width=40.0, height=40.0)
    both = flown(void(up, east, gravity=G))
    assert both.column("velocity.x")[-1] == pytest.approx(4.0, rel=1e-9), "the last one holds"
    block = Block(id="crate", x=0.0, y=8.0, z=3.0)
    loose = flown(void(up, gravity=G, blocks=(block,)))
    assert loose.column("block.crate.velocity.z")[-1] == pytest.approx(6.0, rel=1e-9)


# drag, boost, launch, return


@pytest.mark.parametrize("ticks", [60, 480])
def test_snow_slows_as_its_law_says_and_never_turns_anything_round(ticks):
    snow = Volume(id="snow", does="drag", linear_drag=1.5, square_drag=0.3, everywhere=True)
    made = flown(void(snow), speed=12.0, yaw_rate_deg=90.0, ticks=ticks)
    speed = made.column("velocity.x")
    wanted, dt = 12.0, 1.0 / ticks
    for _ in range(made.ticks):
        wanted /= 1.0 + dt * (1.5 + 0.3 * wanted)
    assert speed[-1] == pytest.approx(wanted, rel=1e-9)
    assert np.all(np.diff(speed) <= 0.0)
    deep = flown(void(snow.replace(linear_drag=1e4)), speed=12.0, ticks=ticks)
    assert deep.column("velocity.x").min() >= 0.0
    assert made.column("spin.z")[-1] == pytest.approx(math.radians(90.0) * (1.0 + 1.5 * dt) ** -made.ticks, rel=1e-6)
    assert max(ledger.ledger_gap(made)) < 1e-9
    assert np.array_equal(made.line("volume.snow")[1:, 0] != 0.0, np.ones(made.ticks, bool))


def test_a_boost_accelerates_up_to_its_speed_along_the_heading_or_the_world():
    boost = Volume(id="boost", does="boost", boost=5.0, everywhere=True)
    assert flown(void(boost)).column("velocity.x")[-1] == pytest.approx(10.0, rel=1e-9)
    turned = flown(void(boost.replace(along_heading=True)), heading_deg=90.0)
    assert turned.column("velocity.y")[-1] == pytest.approx(10.0, rel=1e-9)
    capped = flown(void(boost.replace(top_speed=4.0)))
    assert 4.0 <= capped.column("velocity.x")[-1] < 4.0 + 5.0 / 120.0 + 1e-9


def test_a_launch_acts_once_on_entry_and_again_after_it_has_cooled_down():
    ramp = Volume(id="ramp", does="launch", launch_speed=7.0, rise_deg=90.0, x=10.0, length=4.0, width=20.0,
                  height=60.0, cool_down=1.0)  # fmt: skip
    made = flown(void(ramp), speed=8.0, seconds=3.0)
    rises = made.column("velocity.z")
    assert rises[-1] == pytest.approx(7.0, rel=1e-9)
    assert np.count_nonzero(np.diff(rises)) == 1
    entered = made.column("position.x")[np.flatnonzero(np.diff(rises))[0]]
    assert entered == pytest.approx(8.0, abs=8.0 / 120.0 + 1e-9)
    far = void(ramp.replace(cool_down=0.5), edges="wrap", length=40.0, width=40.0)
    again = flown(far, speed=20.0, seconds=6.0)
    assert again.column("velocity.z")[-1] == pytest.approx(7.0 * 3.0, rel=1e-9)
    slow = flown(far.replace(volumes=(ramp.replace(cool_down=3.0),)), speed=20.0, seconds=6.0)
    assert slow.column("velocity.z")[-1] == pytest.approx(7.0 * 2.0, rel=1e-9)


def test_what_falls_into_a_way_back_returns_to_its_start_at_rest():
    pit = Volume(id="pit", does="return", x=0.0, y=0.0, z=-60.0, length=200.0, width=200.0, height=50.0, delay=0.5)
    crate = Block(id="crate", x=5.0, y=6.0, z=2.0, heading_deg=30.0)
    made = flown(void(pit, gravity=G, blocks=(crate,)), seconds=3.0, ticks=240)
    for name in ("", "block.crate."):
        height = made.column(f"{name}position.z")
        back = int(np.argmax(np.diff(height))) + 1
        assert height[back] == height[0]
        assert made.column(f"{name}velocity.z")[back] == 0.0
        fell = math.sqrt(2.0 * (height[0] + 10.0) / G)
        assert back / 240.0 == pytest.approx(fell + 0.5, abs=0.02)
    assert made.column("block.crate.rotation.z")[back] == pytest.approx(math.sin(math.radians(15.0)), rel=1e-6)
    assert made.line("volume.pit")[:, 2].max() > 0.0
    assert max(ledger.ledger_gap(made)) < 1e-9


# water


@pytest.mark.parametrize("kind", ["craft", "block"])
def test_a_box_floats_at_its_draught(kind):
    """Draught m / (rho A), and so is that of a block."""
    deep = 600.0 / (1000.0 * 2.0 * 1.0)
    sea = lake(linear_drag=4.0)
    if kind == "craft":
        upright = BODY.replace(held=("roll", "pitch"))  # as high as that it would capsize
        made = flown(void(sea, gravity=G), height=0.0, seconds=60.0, body=upright)
        height = made.column("position.z")[-1]
    else:
        block = Block(id="crate", x=9.0, z=0.0, length=2.0, width=1.0, height=1.0, mass=600.0)
        made = flown(void(sea, gravity=G, blocks=(block,)), seconds=60.0)
        height = made.column("block.crate.position.z")[-1]
    assert 0.5 - height == pytest.approx(deep, abs=1e-4)


@pytest.mark.parametrize("added", [0.0, 0.5, 1.0])
def test_it_bobs_with_the_period_of_its_mass_and_of_what_moves_along(added):
    sea = lake(added_mass=added)
    made = flown(void(sea, gravity=G), height=0.0, seconds=20.0, ticks=240, body=BODY.replace(held=("roll", "pitch")),
                 rise_speed=0.0)  # fmt: skip
    rest = 0.5 - 0.3
    job = Job(made.job.craft, made.job.ground, made.job.drill, 240)
    machine = Machine.of(job)
    machine.scene.solids["position"][1, 2] = rest + 0.01
    out = np.zeros((240 * 20, Layout.of(job).width))
    machine.advance(np.zeros((240 * 20, 0)), out)
    off = out[:, Layout.of(job).place("position.z")] - rest
    crossings = np.flatnonzero((off[:-1] > 0.0) & (off[1:] <= 0.0))
    period = np.diff(crossings).mean() / 240.0
    mass = 600.0 + added * 600.0
    assert period == pytest.approx(math.tau * math.sqrt(mass / (1000.0 * G * 2.0)), rel=1e-2)
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_the_moment_of_a_tilted_box_is_that_of_its_water_plane():
    """The moment at a small angle: rho g V (I / V - a), a from the middle of what is below to the centre of mass; this
    one is too narrow for its height, and goes on tipping."""
    angle = math.radians(2.0)
    sea = lake()
    made = flown(void(sea, gravity=G), height=0.0, roll_deg=2.0, seconds=0.1, ticks=1000)
    job = made.job
    machine = Machine.of(job)
    machine.scene.solids["position"][1, 2] = 0.2
    out = np.zeros((1, Layout.of(job).width))
    machine.advance(np.zeros((1, 0)), out)
    moment = out[0, Layout.of(job).place("volume.lake.torque.x")]
    volume, plane = 0.6, 2.0 * 1.0**3 / 12.0
    high = 0.5 - 0.15  # from the middle of what is below to the centre of mass, along the mast
    wanted = -1000.0 * G * volume * (plane / volume - high) * math.sin(angle)
    assert moment == pytest.approx(wanted, rel=2e-2)


def test_shapes_push_aside_what_they_should():
    ball = wetted.of([shapes.ball(0.7)])
    assert ball.volume == pytest.approx(4.0 / 3.0 * math.pi * 0.7**3, rel=1e-9)
    rod = wetted.of([shapes.capsule(0.3, 0.8)])
    assert rod.volume == pytest.approx(math.pi * 0.3**2 * 1.6 + 4.0 / 3.0 * math.pi * 0.3**3, rel=1e-9)
    drum = wetted.of([shapes.cylinder(0.4, 0.5)])
    assert drum.volume == pytest.approx(math.pi * 0.4**2 * 1.0, rel=1e-9)
    box = wetted.of([shapes.box((1.0, 0.5, 0.25))])
    assert box.volume == pytest.approx(1.0, rel=1e-12)
    two = wetted.of([shapes.box((1.0, 0.5, 0.25)), shapes.box((0.1, 0.1, 0.1)).moved(np.eye(3), np.array([3.0, 0, 0]))])
    assert two.volume == pytest.approx(1.008, rel=1e-12)


def test_a_ball_of_half_the_weight_floats_half_way():
    mass = 0.5 * 1000.0 * 4.0 / 3.0 * math.pi * 0.4**3
    drum = Block(id="buoy", shape="ball", x=5.0, z=0.0, length=0.8, mass=mass)
    made = flown(void(lake(linear_drag=3.0), gravity=G, blocks=(drum,)), seconds=60.0)
    assert made.column("block.buoy.position.z")[-1] == pytest.approx(0.0, abs=2e-3)


def test_water_of_a_basin_is_only_over_its_floor():
    basin = lake(everywhere=False, x=20.0, length=10.0, width=10.0, z=-4.0, height=4.0)
    inside = flown(void(basin, gravity=G), x=20.0, height=0.0, seconds=6.0)
    outside = flown(void(basin, gravity=G), x=0.0, height=0.0, seconds=1.0)
    assert inside.column("position.z").min() > -2.0
    assert outside.column("position.z")[-1] < -3.0


# all of them


EVERY = [Volume(id="v", does=does, everywhere=True, z=-50.0, height=50.0, gusts=2.0) for does in get_args(Does)]


@pytest.mark.parametrize("one", EVERY, ids=lambda one: one.does)
def test_every_volume_goes_on_from_a_saved_state_to_the_bit_and_in_batches(one):
    block = Block(id="crate", x=6.0, y=6.0, z=1.0)
    ground = void(one, gravity=G, air_density=RHO, blocks=(block,))
    air = AirDrag(id="air", front_area=2.0)
    drill = Drill(id="d", ground="g", duration=3.0, start=Start(height=1.0, speed=4.0))
    job = Job(Craft(id="craft", body=BODY, parts=(air,)), ground, drill, 120)
    made = run.execute(job)
    assert not made.message
    assert max(ledger.ledger_gap(made)) < 1e-9
    machine = Machine.of(job)
    width = Layout.of(job).width
    inputs = np.zeros((180, 0))
    first, rest, again = np.zeros((180, width)), np.zeros((180, width)), np.zeros((180, width))
    machine.advance(inputs, first)
    state = machine.save()
    machine.advance(inputs, rest)
    other = Machine.of(job)
    other.load(state)
    other.advance(inputs, again)
    assert rest.tobytes() == again.tobytes()
    assert batch.Bench(VariantBuild(job)).execute(job).digest == made.digest
    assert (one.line in made.layout.lines) == one.pushes


def test_every_way_of_acting_tells_its_fields():
    names = set(Volume.model_fields)
    for words, fields in DOES.values():
        assert words
        assert set(fields) <= names
    assert set(DOES) == set(get_args(Does))


def found_on(*found, gravity=G, **start):
    ground = void(*found, gravity=gravity)
    job = Job(Craft(id="craft", body=BODY), ground, Drill(id="d", ground="g", start=Start(**start)), 120)
    return {one.name for one in cautions.find(job)}


def test_what_a_volume_cannot_do_is_said():
    pit = Volume(id="pit", does="return", length=4.0, width=4.0, height=4.0)
    assert "holds_the_start" in found_on(pit)
    assert "holds_the_start" not in found_on(pit, x=50.0)
    assert "gusts_stand_still" in found_on(Volume(id="v", speed=0.0, gusts=2.0))
    assert "water_without_gravity" in found_on(lake(), gravity=0.0)
    assert "no_air_to_blow" in found_on(Volume(id="v", speed=5.0))
    assert "sinks" in found_on(lake(density=100.0))
