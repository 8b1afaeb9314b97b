"""A coupling between two bodies: slack, spring, damper and buffer, momenta, energy, breaking, sleep, documents."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.base.faults import Refused
from oak_sled.core.compiler import plain
from oak_sled.core.contact import coupling, scenery, solver
from oak_sled.core.contact.linkkind import BROKEN, HOLDS
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.files import yard_json
from oak_sled.core.geometry import shapes
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.project import demos
from oak_sled.core.results import ledger, run, traces
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.coupling import Coupling
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.rope import Rope

RATES = (30, 60, 120, 240, 480)
NONE = (0.0, 0.0, 0.0)


def ball(place, mass, velocity=NONE, spin=NONE):
    return Solid(
        [shapes.ball(0.2)], mass, shapes.ball_inertia(mass, 0.2), position=tuple(place), velocity=velocity, spin=spin
    )


def coupled(solids, **own):
    """A row of solids, each coupled to the next, far above the ground."""
    fields = {"at_a": NONE, "at_b": NONE, "least": 1.0, "most": 1.1, "draws": 2e5, "pushes": 2e5, "damping": 0.0,
              "breaks": 0.0, **own}  # fmt: skip
    scene = scenery.scene(solids, plane=False)
    return scenery.with_links(scene, [(coupling.KIND, (k, k + 1), fields) for k in range(1, len(solids))])


def train(masses, speed, **own):
    """Cars 1 m apart along x, the first ahead, which moves at a speed."""
    cars = [ball((-1.0 * k, 0.0, 500.0), mass, (speed if k == 0 else 0.0, 0.0, 0.0)) for k, mass in enumerate(masses)]
    return coupled(cars, **own)


def moved(scene, ticks, seconds, gravity=0.0):
    """Position, attitude, velocity and spin of every solid after each tick, shape (ticks, n, 13)."""
    out = np.zeros((round(seconds * ticks), len(scene.solids), 13))
    solver.run_alone(scene, still_air(gravity)[0], 1.0 / ticks, len(out), out)
    return out[:, 1:]


@pytest.mark.parametrize("ticks", RATES)
def test_within_its_slack_it_gives_nothing(ticks):
    made = moved(train([100.0, 100.0], 0.5), ticks, 0.15)
    assert np.array_equal(made[:, 1, 7], np.zeros(len(made)))
    assert np.array_equal(made[:, 0, 7], np.full(len(made), 0.5))


@pytest.mark.parametrize("ticks", [120, 240, 480])
def test_it_swings_as_two_masses_on_a_spring(ticks):
    """Without slack, damping and contact: omega^2 = k / reduced mass."""
    scene = train([100.0, 300.0], 0.2, least=1.0, most=1.0, draws=3000.0, pushes=3000.0)
    made = moved(scene, ticks, 6.0)
    apart = made[:, 0, 0] - made[:, 1, 0] - 1.0
    up = np.flatnonzero((apart[1:] >= 0.0) & (apart[:-1] < 0.0))
    times = (up + apart[up] / (apart[up] - apart[up + 1])) / ticks
    assert np.diff(times).mean() == pytest.approx(math.tau / math.sqrt(3000.0 / 75.0), rel=5e-3)
    assert apart.max() == pytest.approx(0.2 / math.sqrt(3000.0 / 75.0), rel=2e-2)


@pytest.mark.parametrize("ticks", RATES)
@pytest.mark.parametrize("stiffness", [900.0, 2e6, 1e10])
def test_a_free_train_keeps_its_momentum_and_gains_no_energy(ticks, stiffness):
    mass = np.array([5000.0, 2000.0, 2000.0, 300.0, 2000.0])
    made = moved(train(list(mass), 1.0, draws=stiffness, pushes=stiffness), ticks, 20.0)
    assert np.abs(made[:, :, 7] @ mass - 5000.0).max() < 1e-9 * 5000.0
    energy = 0.5 * made[:, :, 7] ** 2 @ mass
    assert energy.max() < 2500.0 * (1.0 + 1e-2), "bounded by that of a tick"
    assert energy[-10 * ticks :].max() < 2500.0 * (1.0 + 1e-2)


@pytest.mark.parametrize("ticks", RATES)
def test_a_pair_that_is_coupled_off_its_middles_keeps_both_momenta(ticks):
    pair = [
        ball((0.0, 0.0, 500.0), 2.0, (0.0, 3.0, 1.0)),
        ball((1.5, 0.0, 500.0), 7.0, (0.0, -2.0, 0.5), (1.0, 2.0, 0.0)),
    ]
    scene = coupled(pair, at_a=(0.1, 0.05, 0.0), at_b=(-0.1, 0.0, 0.05), least=1.2, most=1.3, draws=400.0, damping=5.0)
    made, mass = moved(scene, ticks, 4.0), np.array([2.0, 7.0])
    linear = np.einsum("k,tki->ti", mass, made[:, :, 7:10])
    angular = np.einsum("k,tki->ti", mass, np.cross(made[:, :, :3] - [0.0, 0.0, 500.0], made[:, :, 7:10]))
    angular += np.einsum("k,tki->ti", 0.4 * mass * 0.2**2, made[:, :, 10:13])
    assert np.abs(linear - linear[0]).max() < 1e-9
    assert np.abs(angular - angular[0]).max() < 1e-9 * np.linalg.norm(angular[0])


def start_times(masses, push, slack):
    """s at which each car begins to move, where every coupling takes up its slack at once and holds from then on."""
    times, moving, speed, now = [0.0], masses[0], 0.0, 0.0
    for mass in masses[1:]:
        pull = push / moving
        step = (-speed + math.sqrt(speed * speed + 2.0 * pull * slack)) / pull
        now, speed = now + step, speed + pull * step
        speed, moving = speed * moving / (moving + mass), moving + mass
        times.append(now)
    return times


@pytest.mark.parametrize("ticks", [60, 120, 240, 480])
def test_cars_start_one_after_another(ticks):
    """Against taking up slack by slack without a bounce: couplings that are stiff and damped enough for that."""
    masses, push, slack = [4000.0, 1500.0, 1500.0, 1500.0, 1500.0], 6000.0, 0.15
    scene = train(masses, 0.0, most=1.0 + slack, draws=5e7, pushes=5e7, damping=4e5)
    air = still_air(0.0)[0]
    out, starts = np.zeros((1, len(scene.solids), 13)), [math.inf] * len(masses)
    for tick in range(6 * ticks):
        scene.solids["velocity"][1, 0] += push / masses[0] / ticks
        solver.run_alone(scene, air, 1.0 / ticks, 1, out)
        for car in range(len(masses)):
            if starts[car] == math.inf and out[0, 1 + car, 7] > 0.02:
                starts[car] = (tick + 0.5) / ticks
    wanted = start_times(masses, push, slack)
    for found, one in zip(starts[1:], wanted[1:], strict=True):
        assert found == pytest.approx(one, rel=1e-2, abs=1.0 / ticks)


@pytest.mark.parametrize("ticks", RATES)
def test_what_hangs_on_it_stretches_it_by_its_weight(ticks):
    scene = scenery.scene([ball((0.0, 0.0, 500.0), 50.0)], plane=False)
    fields = {"at_a": NONE, "at_b": (0.0, 0.0, 501.0), "least": 0.5, "most": 1.0, "draws": 5000.0, "pushes": 0.0,
              "damping": 800.0, "breaks": 0.0}  # fmt: skip
    scene = scenery.with_links(scene, [(coupling.KIND, (1, 0), fields)])
    made = moved(scene, ticks, 8.0, gravity=9.81)
    assert 501.0 - made[-1, 0, 2] == pytest.approx(1.0 + 50.0 * 9.81 / 5000.0, abs=2e-5)  # it falls asleep
    assert scene.links["shown"][0, 0] == pytest.approx(50.0 * 9.81, rel=3e-4)


def test_it_breaks_past_its_pull_and_not_by_a_push():
    holds = train([100.0, 100.0], -2.0, breaks=10.0)
    moved(holds, 120, 0.03)
    assert holds.links["shown"][0, 0] < -100.0
    assert holds.links["state"][0] == HOLDS, "its buffer bears more than that"
    breaks = train([100.0, 100.0], 2.0, breaks=10.0)
    made = moved(breaks, 120, 2.0)
    assert breaks.links["state"][0] == BROKEN
    assert made[-1, 0, 0] - made[-1, 1, 0] > 2.0


def test_python_and_machine_code_give_the_same_bits():
    def one():
        return moved(train([100.0, 200.0, 50.0], 1.0, damping=300.0), 60, 0.5).tobytes()

    compiled = one()
    with plain.python():
        assert one() == compiled


# documents

CRATE = Block(id="crate", x=-4.0, length=0.8, width=0.8, height=0.8, mass=60.0)
HITCH = Coupling(id="hitch", one="fan_sled", other="crate", x=-1.0, z=0.4, end_x=-3.6, end_z=0.4, stiffness=20_000.0,
                 damping=500.0)  # fmt: skip


def towing(**changes):
    yard = demos.load("fan-sled")
    ground = yard.ground(yard.bench.ground)
    drill = yard.drills[0]
    tied = ground.replace(blocks=(CRATE,), ties=(HITCH.replace(**changes),), joints=(), walls=(), gates=())
    yard = yard.replace(
        grounds=tuple(tied if one.id == ground.id else one for one in yard.grounds),
        drills=(drill.replace(ground="", start=drill.start.replace(x=0.0, y=0.0)),),
    )
    return yard, run.execute(jobs.job_of(yard, yard.drills[0]))


def test_a_craft_tows_a_crate_and_its_ledger_closes():
    yard, made = towing()
    load, apart = traces.values(made, "tie.hitch.load"), traces.values(made, "tie.hitch.length")
    assert load.max() > 10.0
    assert apart.max() < 2.6 + 0.1 + load.max() / 20_000.0 + 1e-3
    assert max(ledger.ledger_gap(made)) < 1e-9
    assert traces.values(made, "tie.hitch.damped").max() > 0.0
    assert yard_json.loads(yard_json.dumps(yard)) == yard


def test_a_tie_without_a_kind_is_a_rope_as_files_of_before_have_it():
    told = {"id": "tow", "one": "a", "other": "b", "x": 0.0}
    assert isinstance(Ground.model_validate({"id": "g", "ties": [told]}).ties[0], Rope)
    made = Ground.model_validate({"id": "g", "ties": [{**told, "kind": "coupling", "slack": 0.2}]})
    assert isinstance(made.ties[0], Coupling)


@pytest.mark.parametrize(
    ("path", "value", "says"),
    [
        ("kind", "spring", "kind"),
        ("slack", -1.0, "slack"),
        ("stiffness", 0.0, "stiffness"),
        ("other", "fan_sled", "held to itself"),
        ("other", "nothing", "nothing"),
    ],
)
def test_bad_input_is_refused_where_it_stands(path, value, says):
    yard, _ = towing()
    data = yard_json.parse(yard_json.dumps(yard), "yard")
    tie = next(one for ground in data["grounds"] for one in ground["ties"])
    tie[path] = value
    with pytest.raises(Refused, match=says) as refused:
        yard_json.of(data, "yard")
    assert "hitch" in str(refused.value)
