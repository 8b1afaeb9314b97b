"""A game's own units and axes: what goes out comes back, physics holds in them, and no result changes."""

from __future__ import annotations

import csv
import itertools
import json
import math
import re
from dataclasses import replace

import numpy as np
import pytest

from oak_sled import cli
from oak_sled.core.assembly import jobs
from oak_sled.core.base import dial as dial_module
from oak_sled.core.base import document, units
from oak_sled.core.base.axes import WAYS, Axes
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import run_table, yard_json
from oak_sled.core.files.game_table import GameTable
from oak_sled.core.project import demos
from oak_sled.core.results import measures, run, traces
from oak_sled.core.yard.drill import Knot, Track
from oak_sled.core.yard.game import PRESETS, Game

GAMES = {
    **PRESETS,
    "everything else": Game(
        length="px", pixels=37.0, lasts="tick", rates="tick", ticks=50.0, angle="turn", mass="own", kilograms=12.0,
        forward="-y", up="-x", hand="left", quaternion="xyzw",
    ),
    "millimetres, tonnes, radians": Game(length="mm", mass="t", angle="rad", forward="y", up="-z", hand="left"),
}  # fmt: skip
EVERY_AXES = [
    Axes(forward, up, hand)
    for forward, up, hand in itertools.product(WAYS, WAYS, ("right", "left"))
    if forward[-1] != up[-1]
]


@pytest.fixture(autouse=True)
def in_si_again():
    yield
    units.use(units.Display())


def every_dial():
    """Dials of all demos with a value of each, once."""
    seen = {}
    for name in demos.DEMOS:
        for path, dial, value in document.all_dials(demos.load(name)):
            seen.setdefault((dial.name, dial.unit, value), (path, dial, value))
    return list(seen.values())


@pytest.fixture(scope="module")
def dials():
    return every_dial()


@pytest.mark.parametrize("game", GAMES)
def test_every_number_is_typed_and_copied_as_it_is_shown(game, dials):
    with units.using(GAMES[game].told()):
        for path, dial, value in dials:
            close = pytest.approx(value, rel=1e-13, abs=1e-300)
            number = dial.exact(value).partition(" ")[0]
            assert dial.read(number) == close, f"{path}: a number without a unit is one of the game"
            if "tick" not in dial.unit:  # 1/tick is none that can be typed, in SI neither
                assert dial.read(dial.exact(value)) == close, f"{path}: {dial.exact(value)}"
            shown = units.show(value, dial.unit)
            assert shown.strip("—"), path


def test_the_setting_itself_is_told_in_what_it_says_whatever_is_in_use():
    """A dial that says how many kilograms a unit has would else always read 1."""
    for game in GAMES.values():
        with units.using(game.told()):
            for dial in dial_module.dials(game):
                value = getattr(game, dial.name)
                assert units.in_use().shown(value, dial.unit) == (value, ""), dial.name


def test_a_unit_that_is_typed_wins():
    with units.using(GAMES["everything else"].told()):
        assert units.read("12 kN", "N") == 12_000.0
        assert units.read("90 deg", "°") == 90.0
        assert units.read("37 px", "m") == 1.0
        assert units.read("50 tick", "s") == 1.0
        assert units.read("0.25 turn", "°") == pytest.approx(90.0)
        assert units.read("2 mu", "kg") == pytest.approx(24.0)
        with pytest.raises(Refused, match="no unit of this quantity"):
            units.read("3 px", "kg")
    with pytest.raises(Refused, match="is not a unit"):
        units.read("37 px", "m")


@pytest.mark.parametrize("game", GAMES)
def test_units_of_a_game_fit_together(game):
    """Newton's law, work and power hold among numbers as the game has them."""
    shown = GAMES[game].told().shown
    mass, long, second = shown(1.0, "kg")[0], shown(1.0, "m")[0], 1.0 / shown(1.0, "1/s")[0]
    speed, boost = shown(1.0, "m/s")[0], shown(1.0, "m/s2")[0]
    assert speed == pytest.approx(long / second)
    assert boost == pytest.approx(long / second**2)
    assert shown(1.0, "N")[0] == pytest.approx(mass * boost)
    assert shown(1.0, "J")[0] == pytest.approx(shown(1.0, "N")[0] * long)
    assert shown(1.0, "W")[0] == pytest.approx(shown(1.0, "J")[0] / second)
    assert shown(1.0, "N s/m")[0] == pytest.approx(mass / second)
    assert shown(1.0, "kg m2")[0] == pytest.approx(mass * long**2)
    assert shown(1.0, "m/s1.5")[0] == pytest.approx(long / second**1.5)
    assert shown(90.0, "°")[0] == pytest.approx(shown(math.pi / 2.0, "rad")[0])
    if GAMES[game].lasts == "tick":
        assert shown(1.0, "ms")[0] == pytest.approx(shown(0.001, "s")[0])
    assert shown(0.7, "g") == (0.7, "g")


@pytest.mark.parametrize("game", GAMES)
def test_no_metre_newton_or_kilogram_is_left_where_the_game_has_others(game):
    told = GAMES[game].told()
    declared = {dial.unit for _, dial, _ in every_dial()} | {one.unit for one in measures.MEASURES}
    for unit in declared:
        _, name = told.shown(1.0, unit)
        words = re.findall(r"[A-Za-z°]+", name)
        if told.basis.length[0] != "m":
            assert not {"m", "N", "kN", "J", "W"} & set(words), f"{unit} -> {name}"
        if told.basis.mass[0] != "kg":
            assert not {"kg", "N", "kN", "J", "W"} & set(words), f"{unit} -> {name}"
        if told.basis.rate[0] != "s":
            assert "s" not in words or unit == "s", f"{unit} -> {name}"


def test_axes_are_rotations_or_reflections_and_come_back():
    rng = np.random.default_rng(4)
    ours = rng.normal(size=(50, 3))
    turned = rng.normal(size=(50, 4))
    turned /= np.linalg.norm(turned, axis=1, keepdims=True)
    assert len(EVERY_AXES) == 48
    assert len({axes.matrix.tobytes() for axes in EVERY_AXES}) == 48
    for axes in EVERY_AXES:
        assert np.linalg.det(axes.matrix) == pytest.approx(axes.mirrors)
        back = axes.back()
        assert np.array_equal(back.vectors(axes.vectors(ours)), ours)
        assert np.array_equal(back.axials(axes.axials(ours)), ours)
        assert np.array_equal(back.attitudes(axes.attitudes(turned)), turned)
        for k, letter in enumerate("xyz"):
            there, sign = axes.component(letter)
            assert axes.vectors(np.eye(3)[k])["xyz".index(there)] == sign
        # what the attitude turns in ours, its counterpart turns there
        game = axes.attitudes(turned)
        assert np.allclose(axes.vectors(rotated(turned, ours)), rotated(game, axes.vectors(ours)), atol=1e-14)
        # by components, an arm and a force make the torque of the game's own hand
        force = rng.normal(size=(50, 3))
        assert np.allclose(axes.axials(np.cross(ours, force)), np.cross(axes.vectors(ours), axes.vectors(force)))


def rotated(q, v):
    """Vectors turned by unit quaternions, by the formula that any book gives for either hand."""
    t = 2.0 * np.cross(q[:, 1:], v)
    return v + q[:, :1] * t + np.cross(q[:, 1:], t)


@pytest.mark.parametrize(("forward", "up"), [("x", "x"), ("z", "-z"), ("-y", "y")])
def test_axes_that_are_no_rotation_or_reflection_are_refused_in_place(forward, up):
    yard = demos.load("fan-sled")
    with pytest.raises(Refused) as told:
        yard.edit("game", {"forward": forward, "up": up})
    fault = told.value.faults[0]
    assert fault.where == "game.up"
    assert "no rotation or reflection" in fault.what
    assert "one of" in fault.right
    assert yard.game.facing("forward", "z").up == "x", "the two change places"


def table_of(made, game=None):
    """The table of a run by column, as the game has it."""
    ours = np.concatenate(list(run_table.rows_of(made)))
    labels = run_table.labels(made)
    if game is not None:
        told = GameTable(labels, game.told())
        labels, ours = told.labels, told.rows(ours)
    return dict(zip([label.partition(" ")[0] for label in labels], ours.T, strict=True))


def three(table, name):
    return np.stack([table[f"{name}.{letter}"] for letter in "xyz"], axis=1)


TUMBLING = {"yaw_rate_deg": 70.0, "pitch_rate_deg": 250.0, "roll_rate_deg": -130.0, "height": 40.0}


def tumble(**start):
    """A body without an axis of symmetry that tumbles: its spin moves about in it, as that of a gyroscope."""
    yard = demos.load("mail-pod")
    drill = yard.drills[0]
    free = drill.replace(
        tracks=(), events=(), targets=(), duration=4.0, cast=(), start=drill.start.replace(**{**TUMBLING, **start})
    )
    job = jobs.job_of(yard, free)
    body = job.craft.body.replace(
        inertia_from="given", roll_inertia=500.0, pitch_inertia=900.0, yaw_inertia=1300.0,
        centre_x=0.0, centre_y=0.0, centre_z=0.0,
    )  # fmt: skip
    craft = job.craft.replace(body=body, parts=())
    return run.execute(replace(job, craft=craft))


@pytest.mark.parametrize("game", GAMES)
def test_a_tumbling_body_obeys_its_equations_in_the_axes_of_the_game(game):
    """A quaternion that turns by the spin, Euler's equations and momentum, by the components of the table alone."""
    made, told = tumble(), GAMES[game]
    name = made.job.craft.id
    table = table_of(made, told)
    order = "wxyz"
    q = np.stack([table[f"{name}.rotation.{letter}"] for letter in order], axis=1)
    spin = three(table, f"{name}.spin") / told.told().shown(1.0, "rad/s")[0]  # rad/s, in the game's axes
    assert np.ptp(spin, axis=0).min() > 0.05, "it does tumble"
    dt = made.job.dt
    change = (q[2:] - q[:-2]) / (2.0 * dt)
    w, v = q[1:-1, :1], q[1:-1, 1:]
    spun = 0.5 * np.concatenate(
        [-np.sum(spin[1:-1] * v, axis=1, keepdims=True), w * spin[1:-1] + np.cross(spin[1:-1], v)], axis=1
    )
    assert np.abs(change - spun).max() < 0.05 * np.abs(spun).max()
    inertia = told.axes.matrix @ np.diag([500.0, 900.0, 1300.0]) @ told.axes.matrix.T
    inside = rotated(q * np.array([1.0, -1.0, -1.0, -1.0]), spin)
    momentum = rotated(q, inside @ inertia.T)
    assert np.abs(momentum - momentum[0]).max() < 1e-3 * np.linalg.norm(momentum[0])


def test_a_mirrored_run_is_the_run_as_a_game_of_the_other_hand_has_it():
    """Steering to the other side is a physical mirror: its table is that of the run itself, told left-handed."""
    yard = demos.load("fan-sled")
    drill, steering = yard.drills[0], ((0.0, 0.0), (2.0, 0.7), (4.0, -1.0))

    def steered(side):
        tracks = (
            Track(channel="throttle", knots=(Knot(t=0.0, value=1.0),)),
            Track(channel="steer", knots=tuple(Knot(t=t, value=value * side) for t, value in steering)),
        )
        start = drill.start.replace(y=3.0 * side, heading_deg=11.0 * side, yaw_rate_deg=20.0 * side, speed=6.0)
        return drill.replace(tracks=tracks, events=(), targets=(), duration=6.0, start=start)

    ground = yard.ground().replace(walls=(), gates=(), blocks=(), wind_speed=0.0)
    calm = yard.replace(grounds=(ground,), drills=(drill.replace(ground=ground.id),), spreads=())
    runs = [run.execute(jobs.job_of(calm, steered(side))) for side in (1.0, -1.0)]
    other = Game(hand="left")
    told, mirrored = table_of(runs[0], other), table_of(runs[1])
    name = runs[0].job.craft.id
    turned = 0
    for column, values in told.items():
        if ".channel." in column or ".input." in column or column.endswith(("ahead", "activity")):
            continue
        if column.rpartition(".")[2] in "wxyz" and column.startswith(name):
            scale = max(1.0, np.abs(values).max())
            back = np.rad2deg(1.0) if ".spin." in column else 1.0
            assert np.abs(values / back - mirrored[column]).max() < 1e-6 * scale, column
            turned += 1
    assert turned > 40
    assert np.abs(told[f"{name}.spin.z"]).max() > 0.2, "it yawed"
    roll = np.abs(three(table_of(runs[0]), f"{name}.runners.torque")[:, 0]).max()
    assert roll > 1.0, "and was tilted"


@pytest.mark.parametrize("name", demos.DEMOS)
def test_the_table_of_every_demo_comes_back(name):
    yard = demos.load(name)
    made = run.execute(jobs.job_of(yard, yard.drill().replace(duration=min(1.0, yard.drill().duration))))
    labels, ours = run_table.labels(made), np.concatenate(list(run_table.rows_of(made)))
    for game in GAMES.values():
        told = GameTable(labels, game.told())
        assert len(told.labels) == len(set(told.labels)) == len(labels)
        rows = told.rows(ours)
        # back again, by the factors and axes that the game declares: column by column
        there = dict(zip(told.labels, rows.T, strict=True))
        for base in {label.rpartition(".")[0] for label in labels if label.partition(" ")[0].endswith(".x")}:
            group = [label for label in told.labels if label.startswith(f"{base}.") and label[len(base) + 1] in "xyz"]
            if len(group) == 3 and f"{base}.w" not in labels:
                own = [label for label in labels if label.startswith(f"{base}.") and label[len(base) + 1] in "xyz"]
                unit = re.search(r"\[(.*)\]", own[0])[1]
                factor = game.told().shown(1.0, unit)[0]
                back = game.axes.back()
                turn = back.axials if base.endswith(("spin", "torque")) else back.vectors
                mine = turn(np.stack([there[label] for label in sorted(group)], axis=1)) / factor
                want = np.stack([ours[:, labels.index(label)] for label in own], axis=1)
                assert np.allclose(mine, want, rtol=1e-13, atol=1e-300), base


def test_nothing_inside_changes(tmp_path, capsys):
    plain, told = tmp_path / "plain.json", tmp_path / "told.json"
    sets = ["--set", "game.used=true", "--set", "game.length=px", "--set", "game.rates=tick", "--set", "game.up=y"]
    sets += ["--set", "game.forward=z", "--set", "game.hand=left"]
    assert cli._status(["run", "demo:fan-sled", "--json", str(plain), "--csv", str(tmp_path / "plain.csv")]) in (0, 1)
    assert cli._status(["run", "demo:fan-sled", "--json", str(told), "--csv", str(tmp_path / "told.csv"), *sets]) in (
        0,
        1,
    )
    here, there = json.loads(plain.read_text()), json.loads(told.read_text())
    assert here["digest"] == there["digest"]
    assert there["measures"]["top_speed"]["unit"] == "px/tick"
    assert there["measures"]["top_speed"]["value"] == pytest.approx(here["measures"]["top_speed"]["value"] * 64 / 60)
    assert [one["met"] for one in here["targets"]] == [one["met"] for one in there["targets"]]
    heads = [next(csv.reader((tmp_path / f"{one}.csv").read_text().splitlines())) for one in ("plain", "told")]
    assert "fan_sled.position.x [m]" in heads[0]
    assert "fan_sled.position.x [px]" in heads[1]
    capsys.readouterr()
    cli._status(["list", "demo:fan-sled", "--json"])
    ours = {one["path"]: one for one in json.loads(capsys.readouterr().out)["dials"]}
    path = tmp_path / "sled.json"
    yard = demos.load("fan-sled")
    game = Game(used=True, length="px", rates="tick", up="y", forward="z", hand="left")
    path.write_text(yard_json.dumps(yard.replace(game=game)))
    cli._status(["list", str(path), "--json"])
    listed = {one["path"]: one for one in json.loads(capsys.readouterr().out)["dials"]}
    thrust = "crafts.fan_sled.parts.fan.thrust"
    assert listed[thrust]["unit"] == "kg px/tick2"
    assert listed[thrust]["value"] == pytest.approx(ours[thrust]["value"] * 64 / 3600)
    # what the list says can be set again, each number as it stands there
    chosen = [
        one for name, one in listed.items() if name.startswith("crafts.fan_sled.") and one["unit"] != ours[name]["unit"]
    ]
    assert len(chosen) > 10
    again = [part for one in chosen for part in ("--set", f"{one['path']}={one['value']!r}")]
    assert cli._status(["run", str(path), "--json", str(told), *again]) in (0, 1)
    # to the last digits: what was typed went through a factor and back
    assert json.loads(told.read_text())["measures"]["top_speed"]["value"] == pytest.approx(
        there["measures"]["top_speed"]["value"], rel=1e-9
    )


def test_traces_along_an_axis_are_named_and_signed_as_in_the_game():
    made = run.execute(jobs.job_of(demos.load("fan-sled")))
    with units.using(Game(up="y", forward="z", hand="left").told()):
        x, y = (traces.describe(made, name) for name in ("x", "y"))
        assert (x.heading, y.heading) == ("position z", "position x")
        assert np.array_equal(traces.seen(made, "y"), -traces.values(made, "y"))
        assert np.array_equal(traces.seen(made, "x"), traces.values(made, "x"))
    assert traces.describe(made, "x").heading == "position x"


def test_a_file_is_read_in_si_whatever_is_in_use():
    yard = demos.load("fan-sled")
    data = json.loads(yard_json.dumps(yard))
    data["crafts"][0]["parts"][0]["thrust"] = "620"
    with units.using(GAMES["everything else"].told()):
        read = yard_json.of(data)
    assert read.crafts[0].parts[0].thrust == 620.0
