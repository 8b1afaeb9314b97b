"""A recording of a game from a table: columns, units and axes are guessed with a reason, and it is what happened."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import recording_table, recording_taken
from oak_sled.core.project import demos, retold
from oak_sled.core.results import recorded, traces
from oak_sled.core.results.run import execute
from oak_sled.core.yard.game import PRESETS, Game
from oak_sled.core.yard.recording import MOVES, PLACE, SPINS, TURN

HEADS = {
    "plain": ("time", "x", "y", "z", "qw", "qx", "qy", "qz", "vx", "vy", "vz", "wx", "wy", "wz", "{}"),
    "dotted": ("t", *PLACE, *TURN, *MOVES, *SPINS, "input.{}"),
    "spoken": ("Timestamp", "Pos X", "Pos Y", "Pos Z", "Rot W", "Rot X", "Rot Y", "Rot Z", "Vel.x", "Vel.y", "Vel.z",
               "Omega X", "Omega Y", "Omega Z", "Input {}"),
}  # fmt: skip


@pytest.fixture(scope="module")
def sled():
    return execute(jobs.job_of(demos.load("fan-sled")))


def table_of(run, game, heads, unit=""):
    """The CSV that a game would write of a run."""
    display, axes = game.told(), game.axes
    names = [one.id for one in run.job.craft.channels]
    columns = [
        run.t[:, None],
        display.shown(1.0, "m")[0] * axes.vectors(run.columns(*PLACE)),
        axes.attitudes(run.columns(*TURN)),
        display.shown(1.0, "m/s")[0] * axes.vectors(run.columns(*MOVES)),
        display.shown(1.0, "rad/s")[0] * axes.axials(run.columns(*SPINS)),
        run.columns(*(f"channel.{name}" for name in names)),
    ]
    head = [*heads[:-1], *(heads[-1].format(name) for name in names)]
    head[1] += f" [{unit}]" if unit else ""
    rows = np.concatenate(columns, axis=1).tolist()
    return "\n".join([",".join(head), *(",".join(map(repr, row)) for row in rows)])


@pytest.mark.parametrize("heads", HEADS)
@pytest.mark.parametrize("setting", PRESETS)
def test_a_run_written_as_a_game_has_it_comes_back_as_it_was(setting, heads, sled):
    game = PRESETS[setting].replace(lasts="s", rates="second", up=PRESETS[setting].up)
    if game.up.startswith("-"):
        game = game.replace(up=game.up[1:])
    craft = sled.job.craft
    table = recording_table.read(table_of(sled, game, HEADS[heads], game.length), "lake")
    found = recording_table.guess(table, craft, Game(quaternion=game.quaternion))
    assert (found.game.up, found.game.forward, found.game.length) == (game.up, game.forward, game.length)
    assert found.game.hand == game.hand
    assert set(found.reasons) >= {"time", "length", "up", "forward", "hand"}
    assert found.unsure == ()
    recording, notes = recording_taken.taken(found)
    assert notes == ()
    told = recorded.as_run(recording, sled.job)
    for name in (*PLACE, *MOVES, *SPINS):
        assert np.allclose(told.column(name), sled.column(name), atol=1e-8), name
    assert np.allclose(traces.values(told, "heading"), traces.values(sled, "heading"), atol=1e-6)
    for channel in craft.channels:
        assert np.array_equal(told.column(f"input.{channel.id}"), sled.column(f"channel.{channel.id}"))
    assert recording.ticks == pytest.approx(120.0)


def test_what_the_numbers_do_not_decide_is_taken_from_the_yard_and_said(sled):
    rows = ["frame,x,y"] + [f"{k},{10 * k},{0.1 * k * k}" for k in range(60)]
    table = recording_table.read("\n".join(rows), "plan")
    found = recording_table.guess(table, sled.job.craft, Game(length="px", pixels=50.0, ticks=30.0))
    assert found.time == "tick"
    assert "30 a second" in found.reasons["time"]
    assert found.reasons["length"] == "as the yard has it: px"
    assert set(found.unsure) == {"length", "hand"}
    recording, _ = recording_taken.taken(found)
    assert recording.duration == pytest.approx(59 / 30.0)
    assert recording.column("position.x")[-1] == pytest.approx(10 * 59 / 50.0)
    told = recorded.as_run(recording, sled.job)
    assert np.isfinite(traces.values(told, "speed")).all()


def test_milliseconds_headings_in_degrees_and_a_games_own_numbers(sled):
    angle = np.linspace(0.0, 400.0, 80)
    rows = ["ms,x,y,yaw,load [kg],gas"]
    for k, one in enumerate(angle):
        rows.append(f"{1000 + 16.6667 * k},{math.cos(k)},{math.sin(k)},{one},{k % 3},{0.01 * k}")
    found = recording_table.guess(recording_table.read("\n".join(rows), "a"), sled.job.craft, Game())
    assert found.time == "ms"
    recording, notes = recording_taken.taken(found)
    assert notes == ()
    assert recording.ticks == pytest.approx(60.0, rel=1e-3)
    assert recording.column("number.load")[4] == 1.0
    assert recording.inputs == ("throttle",)
    told = recorded.as_run(recording, sled.job)
    heading = traces.values(told, "heading")
    assert heading[-1] == pytest.approx(400.0, abs=6.0)


def test_rows_that_cannot_be_used_are_left_out_and_said(sled):
    rows = ["t,x,y,z,steer"] + [f"{0.1 * k},{k},{0.2 * k},0.5,{0.1}" for k in range(60)]
    rows[6] = "0.5,,1.0,0.5,0.1"
    rows[11] = "0.2,10,2.0,0.5,0.1"
    rows[21] = "2.0,20,4.0,0.5,oak"
    rows[40:45] = []
    rows += [f"{0.1 * k},{5000 + k},0,0.5,0.1" for k in range(60, 70)]
    recording, notes = recording_taken.taken(
        recording_table.guess(recording_table.read("\n".join(rows), "lake"), sled.job.craft, Game())
    )
    said = " | ".join(notes)
    assert "line 7: no time or place" in said
    assert "line 12: the time jumps back" in said
    assert "1 rows without steer" in said
    assert "jumps to another place" in said
    assert "a gap of" in said
    assert recording.column("position.x").max() < 60.0
    assert np.all(recording.column("input.steer") == 0.1)


@pytest.mark.parametrize(
    ("text", "what"),
    [
        ("x,y\n1,2\n3,4\n", "no column of time"),
        ("t,speed\n0,1\n1,2\n2,3\n", "no columns of a place"),
        ("t,x,y\n0,1,2\n", "has 1 rows"),
        ('t,x,y\n0,"1,2\n1,"2"3,3\n', "is not CSV"),
        ("t,x,y\n0," + "1" * 200_000 + ",2\n1,2,3\n", "is not CSV"),
        ("t,x,y\n0,1,2\n0,2,3\n0,3,4\n", "never grows"),
        ("t,x,y\n0,a,b\n1,c,d\n2,e,f\n", "can be used"),
        ("t,x,y\n0,1e300,2\n1,1e300,3\n2,1e300,4\n", "less than or equal|at most|1e"),
        ("t,x,y\n0,1e300,2\n1e300,1,3\n1e301,1,4\n", "."),
    ],
)
def test_a_table_that_is_no_recording_is_refused(text, what, sled):
    with pytest.raises(Refused, match=what):
        recording_taken.taken(recording_table.guess(recording_table.read(text, "lake"), sled.job.craft, Game()))


def test_a_game_that_is_farther_away_than_any_start_is_refused(sled):
    text = "t,x,y\n" + "\n".join(f"{k},{1e9 + k},0" for k in range(30))
    recording, _ = recording_taken.taken(
        recording_table.guess(recording_table.read(text, "lake"), sled.job.craft, Game())
    )
    with pytest.raises(Refused, match=r"start\.x"):
        retold.drill_of(recording, sled.job, "far")


def test_a_parquet_file_reads_as_the_csv_does_and_a_broken_one_is_refused(sled, tmp_path):
    import pyarrow as pa
    import pyarrow.parquet as pq

    text = table_of(sled, Game(), HEADS["plain"])
    (tmp_path / "lake.csv").write_text(text)
    csv = recording_table.load(tmp_path / "lake.csv")
    pq.write_table(pa.table(dict(csv.columns)), tmp_path / "lake.parquet")
    parquet = recording_table.load(tmp_path / "lake.parquet")
    assert list(parquet.columns) == list(csv.columns)
    assert all(np.array_equal(parquet.columns[name], csv.columns[name]) for name in csv.columns)
    pq.write_table(pa.table({"t": np.zeros(recording_table.MOST_READ + 1)}), tmp_path / "long.parquet")
    assert (tmp_path / "long.parquet").stat().st_size < 100_000, "it unpacks to a thousand times its bytes"
    with pytest.raises(Refused, match="has 1000001 rows"):
        recording_table.load(tmp_path / "long.parquet")
    (tmp_path / "bad.parquet").write_bytes(b"no such thing")
    with pytest.raises(Refused, match="cannot be read"):
        recording_table.load(tmp_path / "bad.parquet")


def test_a_hand_written_game_loop_becomes_a_drill_that_is_held_against_it(sled):
    """Forty lines of a game that damps and clamps by the frame, as its author logs it."""
    x = y = heading = vx = vy = 0.0
    rows = ["time,x,y,heading [deg],throttle,steer"]
    for frame in range(300):
        throttle, steer = 1.0, 0.4 if frame > 120 else 0.0
        rows.append(f"{frame / 60.0},{x},{y},{math.degrees(heading)},{throttle},{steer}")
        heading += steer * 1.2 / 60.0
        vx = (vx + 9.0 * throttle * math.cos(heading) / 60.0) * 0.985
        vy = (vy + 9.0 * throttle * math.sin(heading) / 60.0) * 0.985
        speed = math.hypot(vx, vy)
        if speed > 8.0:
            vx, vy = 8.0 * vx / speed, 8.0 * vy / speed
        x, y = x + vx / 60.0, y + vy / 60.0
    found = recording_table.guess(recording_table.read("\n".join(rows), "loop"), sled.job.craft, Game())
    assert found.game.hand == "right"
    assert "steering" in found.reasons["hand"]
    recording, notes = recording_taken.taken(found)
    assert notes == ()
    drill = retold.drill_of(recording, sled.job, "loop")
    assert {track.channel for track in drill.tracks} == {"throttle", "steer"}
    run = execute(jobs.job_of(demos.load("fan-sled"), drill))
    off = traces.values(run, "off.place")
    assert np.isfinite(off).all()
    assert off[0] == pytest.approx(0.0, abs=1e-6) or off[0] < 0.6, "it stands where the game begins"
    assert off.max() > 1.0, "the sled is another craft"
