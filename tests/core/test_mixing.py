"""The mixer: its least squares against a library's, and what it makes of demands that cannot be met."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import linprog, lsq_linear

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.compiler import plain
from oak_sled.core.kernel.state import MIXING, MOST_ACTUATORS
from oak_sled.core.parts.holders import mixing
from oak_sled.core.parts.holders.mixer import Mixer
from oak_sled.core.parts.propeller import Propeller
from oak_sled.core.parts.rotor import Rotor
from oak_sled.core.results import ledger, run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground

SKY = Ground(id="sky", edges="open", air_density=1.225, floor=False, gravity=0.0)
BODY = Body(mass=20.0, length=1.0, width=1.0, height=0.3, held=())


def mixed(columns, low, high, demand, begins=None):
    """Commands and pivots of `mixing.solve`. columns : shape (n, 6)."""
    room, n = np.zeros(1, MIXING), len(columns)
    room[0]["columns"][:n], room[0]["low"][:n], room[0]["high"][:n] = columns, low, high
    if begins is not None:
        room[0]["value"][:n] = begins
    pivots = mixing.solve(room[0], n, tuple(float(one) for one in demand))
    return room[0]["value"][:n].copy(), pivots


def nearest(columns, low, high, demand):
    """The same by a library: the squares of the demand, and of the commands by their weight."""
    n = len(columns)
    left = np.vstack([np.asarray(columns).T, math.sqrt(mixing.EQUAL) * np.eye(n)])
    right = np.concatenate([demand, np.zeros(n)])
    return lsq_linear(left, right, (low, high), method="bvls", tol=1e-14).x


@pytest.mark.parametrize("seed", range(60))
def test_commands_are_those_of_a_librarys_bounded_least_squares(seed):
    dice = np.random.default_rng(seed)
    n = int(dice.integers(1, MOST_ACTUATORS + 1))
    columns = dice.normal(size=(n, 6)) / n
    low, high = -dice.random(n) - 0.01, dice.random(n) + 0.01
    demand = dice.normal(size=6) * dice.choice([0.05, 0.3, 2.0])
    found, pivots = mixed(columns, low, high, demand)
    assert pivots <= 2 * n
    assert np.all(found >= low)
    assert np.all(found <= high)

    def cost(commands):
        return np.sum((columns.T @ commands - demand) ** 2) + mixing.EQUAL * np.sum(commands**2)

    wanted = nearest(columns, low, high, demand)
    assert cost(found) <= cost(wanted) * (1.0 + 1e-9) + 1e-15
    assert columns.T @ found == pytest.approx(columns.T @ wanted, abs=1e-5)


def test_among_equal_answers_the_least_is_taken_wherever_it_begins():
    columns = np.zeros((3, 6))
    columns[:, 2] = 1.0 / 3.0
    for begins in ([0.0, 0.0, 0.0], [1.0, 0.0, 0.3], [0.2, 1.0, 1.0]):
        found, _ = mixed(columns, np.zeros(3), np.ones(3), [0, 0, 0.5, 0, 0, 0], begins)
        assert found == pytest.approx(np.full(3, 0.5), abs=1e-6)


def test_what_cannot_be_met_stands_at_its_bounds_and_what_has_no_choice_stays():
    columns = np.zeros((3, 6))
    columns[:, 2] = 1.0 / 3.0
    found, pivots = mixed(columns, np.zeros(3), np.array([1.0, 1.0, 0.0]), [0, 0, 5.0, 0, 0, 0])
    assert found.tolist() == [1.0, 1.0, 0.0]
    assert pivots <= 6


def test_plain_python_and_compiled_code_give_the_same_commands():
    dice = np.random.default_rng(7)
    columns, demand = dice.normal(size=(8, 6)), dice.normal(size=6) * 3.0
    low, high = -np.ones(8), np.ones(8)
    compiled = mixed(columns, low, high, demand)
    with plain.python():
        again = mixed(columns, low, high, demand)
    assert compiled[0].tobytes() == again[0].tobytes()
    assert compiled[1] == again[1]


# jets: as near as can be, and least fuel among equals

LAYOUTS = 1000
"""Random layouts of jets, in groups of a hundred."""


def layout(dice):
    """Columns of some jets, each over the most that all give, their costs, and a demand that they may not meet."""
    n = int(dice.integers(6, MOST_ACTUATORS + 1))
    at, way = dice.uniform(-1.0, 1.0, (n, 3)), dice.normal(size=(n, 3))
    way /= np.linalg.norm(way, axis=1)[:, None]
    columns = np.concatenate([way, np.cross(at, way)], axis=1)
    columns /= np.abs(columns).sum(axis=0)
    demand = dice.normal(size=6) * dice.choice([0.02, 0.1, 0.4])
    return columns, dice.choice([1.0, 1.0, 0.5], n), demand


def rule(cost, commands):
    """What is least among equals: fuel, and beside it by a little the commands themselves."""
    return cost @ commands + 0.5 * mixing.EQUAL / mixing.THRIFT * commands @ commands


@pytest.mark.parametrize("group", range(LAYOUTS // 100))
def test_what_jets_make_is_the_nearest_that_a_library_finds_and_burns_least(group):
    met, most = 0, 0.0
    for seed in range(100 * group, 100 * group + 100):
        columns, cost, demand = layout(np.random.default_rng(seed))
        room, n = np.zeros(1, MIXING), len(columns)
        room[0]["columns"][:n], room[0]["high"][:n], room[0]["cost"][:n] = columns, 1.0, cost
        mixing.square(room[0], n)
        mixing.solve_exactly(room[0], n, tuple(demand.tolist()))
        found = room[0]["value"][:n]
        assert np.all((found >= 0.0) & (found <= 1.0))
        nearest = lsq_linear(columns.T, demand, (0.0, 1.0), method="bvls", tol=1e-15, max_iter=1000)
        made, best = columns.T @ found, columns.T @ nearest.x
        assert np.abs(made - best).max() < 1e-9, f"layout {seed}"
        met += int(np.abs(best - demand).max() < 1e-9)
        thrift = linprog(cost, A_eq=columns.T, b_eq=made, bounds=(0.0, 1.0))
        if thrift.status == 0:
            assert rule(cost, found) <= rule(cost, thrift.x) + 1e-9, f"layout {seed} burns more than it must"
            most = max(most, cost @ found - thrift.fun)
    assert 10 < met < 100, "some demands can be met, and some cannot"
    assert most < 1e-3, "of a full command: what the least commands cost in fuel"


# on a craft


def six(**more):
    found = []
    for number in range(6):
        angle = math.radians(30.0 + 60.0 * number)
        turns = "left" if number in (0, 1, 4) else "right"
        found.append(
            Rotor(id=f"r{number}", lift=60.0, lag=0.0, turns=turns, x=math.cos(angle), y=math.sin(angle), z=0.0, **more)
        )
    return found


def flown(
    *parts, seconds=0.2, ticks=240, events=(), body=BODY, channels=("lift", "roll", "pitch", "yaw"), told=(), **start
):
    made = Craft(
        id="craft", body=body, channels=tuple(Channel(id=name, rise=1e6, fall=1e6) for name in channels),
        parts=tuple(sorted(parts, key=lambda part: part.STAGE)),
    )  # fmt: skip
    tracks = tuple(Track(channel=name, knots=(Knot(t=0.0, value=value),)) for name, value in told)
    drill = Drill(
        id="d", ground="sky", duration=seconds, start=Start(height=50.0, **start), tracks=tracks, events=events
    )
    return run.execute(Job(made, SKY, drill, ticks))


def total(made, row=-1):
    parts = [part.id for part in made.job.craft.parts]
    return sum(made.line(name)[row] for name in parts)


def test_a_lift_that_is_asked_comes_without_a_moment():
    made = flown(*six(), Mixer(id="mixer", lift_channel="lift", share=0.5), told=(("lift", 0.6),))
    found = total(made, 1)
    assert found[2] == pytest.approx(0.6 * 0.5 * 360.0, rel=1e-5)
    assert found[:2] == pytest.approx(np.zeros(2), abs=1e-6)
    assert found[3:] == pytest.approx(np.zeros(3), abs=1e-3)
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_what_is_given_up_first_is_a_choice():
    asked = (("lift", 1.0), ("roll", 0.5), ("yaw", 1.0))
    left = {}
    for choice in ("yaw", "lift", "tilt"):
        mixer = Mixer(
            id="mixer", gives_up=choice, share=1.0, lift_channel="lift", roll_channel="roll", yaw_channel="yaw"
        )
        found = total(flown(*six(), mixer, told=asked), 1)
        left[choice] = (found[2], found[3], found[5])
    assert left["yaw"][2] < left["lift"][2] - 0.1
    assert left["lift"][0] < left["tilt"][0] - 10.0
    assert left["tilt"][1] < left["lift"][1] - 5.0


def test_a_failed_rotor_gives_nothing_and_the_mixer_counts_on_it_no_more_or_does_as_chosen():
    lost = (Event(id="loss", what="fail", target="r0", t=0.1),)
    for again in (True, False):
        mixer = Mixer(id="mixer", lift_channel="lift", roll_channel="roll", pitch_channel="pitch", yaw_channel="yaw",
                      share=0.5, solves_again=again)  # fmt: skip
        heavy = BODY.replace(mass=1e6)
        made = flown(*six(), mixer, told=(("lift", 0.6),), events=lost, body=heavy, seconds=2.0)
        before, after = made.at(0.1), made.at(0.1) + 1
        assert made.line("r0")[before, 2] > 10.0
        assert not made.line("r0")[after:].any()
        found = total(made)
        turned = math.hypot(found[3], found[4])
        assert (turned < 0.1) if again else (turned > 10.0)
        assert found[2] == pytest.approx(108.0, rel=1e-4) if again else found[2] < 100.0


def test_a_swivelled_propeller_pushes_where_the_mixer_asks():
    fan = Propeller(
        id="fan", mixed=True, thrust=100.0, lag=0.0, inertia=0.0, swivel_deg=120.0, swivel_rate_deg=1e4, x=0.0, z=0.0
    )
    mixer = Mixer(id="mixer", ahead_channel="lift", lift_channel="roll", share=1.0)
    made = flown(fan, mixer, told=(("lift", 0.2), ("roll", 0.4)), seconds=0.1)
    assert made.line("fan")[2, :3] == pytest.approx([20.0, 0.0, 40.0], abs=0.5)


def test_a_propeller_that_reverses_pushes_back_by_its_share():
    fan = Propeller(id="fan", channel="lift", thrust=100.0, lag=0.0, inertia=0.0, reverse=0.5, x=0.0, z=0.0)
    made = flown(fan, told=(("lift", -1.0),), seconds=0.05)
    assert made.line("fan")[1, 0] == pytest.approx(-50.0, rel=1e-3)
    stuck = flown(fan.replace(reverse=0.0), told=(("lift", -1.0),), seconds=0.05)
    assert made.line("fan")[1, 3] > 0.0, "its torque is turned round too"
    assert not stuck.line("fan").any()
