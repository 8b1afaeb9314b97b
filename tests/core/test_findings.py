"""Cautions, measures, tick check, live drives, records and the C twin of the kernel."""

from __future__ import annotations

import shutil
import threading
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import pytest

from oak_sled.bench.yardstick import Yardstick
from oak_sled.core.advice import cautions, cost, modes
from oak_sled.core.assembly import jobs, tracks, world
from oak_sled.core.base import document
from oak_sled.core.kernel import state
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.limiter import Limiter
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.project import blank, demos
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.project.sources import held_values
from oak_sled.core.results import ledger, measures, run, traces
from oak_sled.core.results.record import BLOCK, Layout, Record, Recorder
from oak_sled.core.study import tickcheck
from oak_sled.core.tick import rowlayout
from oak_sled.core.tick.rows import Sealed
from oak_sled.core.yard.drill import Target

PUSH = Thruster(id="push", channel="throttle", thrust=300.0)
FULL = {"throttle": 1.0}


def names(job, made=None):
    return {caution.name for caution in cautions.find(job, made)}


@pytest.mark.parametrize(
    ("parts", "body", "name"),
    [
        ([PUSH, Limiter(id="cap", limit=500.0)], {}, "limit_never_acts"),
        ([PUSH, Limiter(id="cap", limit=1.0)], {}, "limit_mostly_acts"),
        ([PUSH], {"damping_law": "per_tick", "damping": 0.01}, "tick_dependent_damping"),
        ([PUSH], {"damping_law": "explicit", "damping": 150.0}, "overshooting_damping"),
        ([PUSH.replace(at_point=True, y=0.3)], {}, "off_centre_push"),
        ([PUSH.replace(thrust=10.0), Runner(id="skid", glide=0.05, z=-0.25)], {}, "too_weak"),
        ([PUSH, AirDrag(id="air", front_area=4.0), Limiter(id="cap", limit=90.0)], {}, "limit_out_of_reach"),
        ([PUSH, AirDrag(id="air", front_area=0.1), Limiter(id="cap", limit=3.0)], {}, "top_speed_far_above_limit"),
        ([PUSH.replace(way="impulse")], {}, "repeated_impulse"),
        ([Runner(id="skid", law="share", z=-0.25)], {}, "tick_dependent_grip"),
        ([PUSH], {"held": ()}, "nothing_below"),
        ([PUSH], {}, "unused_channel"),
        ([PUSH, Brake(id="brake")], {}, "always_on"),
        ([PUSH.replace(channel="")], {}, "always_on"),
        ([AirDrag(id="air", front_area=1e5, drag_coefficient=100.0), PUSH.replace(thrust=1e6)], {}, "diverged"),
    ],
)
def test_each_caution_is_given_where_it_belongs(make, planar, parts, body, name):
    parts = sorted(parts, key=lambda part: part.STAGE)
    made = make.run(parts, body={**planar, **body}, inputs=FULL, ticks=60)
    found = [caution for caution in cautions.find(made.job, made) if caution.name == name]
    assert found
    assert found[0].says
    assert found[0].helps


def test_a_sound_craft_gets_no_caution(make, planar):
    parts = [PUSH, Torque(id="turn", channel="steer"), AirDrag(id="air"), Brake(id="brake", channel="brake")]
    job = make.job([*parts, Limiter(id="cap", limit=12.0)], body=planar, inputs=FULL, seconds=8.0)
    assert names(job, run.execute(job)) == set()


def test_a_drill_for_another_craft_says_which_channel_is_missing(yard):
    bare = blank.bare_craft("bare", "Bare")
    job = jobs.Job(bare, yard.ground(), yard.drill("brake_to_stop"))
    assert "no_such_channel" in names(job)


# measures


def test_measures_of_a_steady_circle(make, planar):
    """Speed 5 m/s and 0.5 rad/s by construction: radius 10 m, 2.5 m/s2 to the side."""
    parts = [
        Thruster(id="aim", thrust=5.0, way="speed_aim", aim_limit=1e5, timing="always"),
        Thruster(id="in", thrust=2.5, way="acceleration", azimuth_deg=90.0, timing="always"),
        Torque(id="turn", turn=0.5, way="spin_aim", aim_limit=1e5, timing="always"),
    ]
    made = make.run(parts, body=planar, seconds=20.0, speed=5.0, yaw_rate_deg=np.degrees(0.5), ticks=480)
    found = measures.read_all(made)
    assert found["turn_radius"] == pytest.approx(10.0, rel=0.01)
    assert found["held_side_g"] == pytest.approx(2.5 / 9.80665, rel=0.02)
    assert found["turned"] == pytest.approx(np.degrees(10.0), rel=1e-3)
    assert found["path_width"] == pytest.approx(20.0, rel=0.02)


def test_energy_put_in_is_what_the_craft_gains(make, planar):
    made = make.run([PUSH], body=planar, seconds=3.0, inputs=FULL)
    gained = ledger.energy(made)[-1] - ledger.energy(made)[0]
    assert measures.measure("drive_energy").read(made) == pytest.approx(gained, rel=1e-9)


def test_halving_time_of_exact_damping(make, planar):
    made = make.run(body={**planar, "damping": 0.7}, seconds=5.0, speed=9.0)
    assert measures.measure("halving_time").read(made) == pytest.approx(np.log(2) / 0.7, abs=1.5 / 120)


def test_yaw_response_of_a_damped_turn(make, planar):
    """First order: r = r0 (1 - exp(-c t)); 90 % after ln(10) / c; no overshoot."""
    turn = Torque(id="turn", channel="steer", turn=40.0)
    made = make.run(
        [turn],
        body={**planar, "spin_damping": 2.0},
        seconds=8.0,
        inputs={"steer": [(1.0, 1)]},
        drill={"event_time": 1.0},
    )
    assert measures.measure("yaw_response").read(made) == pytest.approx(np.log(10) / 2.0, rel=0.02)
    assert measures.measure("yaw_overshoot").read(made) == pytest.approx(0.0, abs=0.1)


def test_what_a_run_does_not_show_is_none(make, planar):
    made = make.run(body=planar, seconds=1.0, speed=3.0)
    found = measures.read_all(made)
    assert found["stop_distance"] is None
    assert found["gates_missed"] is None
    assert found["limit_share"] is None
    verdict = measures.judge(made.job.drill.replace(targets=(Target(measure="stop_distance", high=3.0),)), found)[0]
    assert not verdict.met
    assert "not shown" in verdict.words()


def test_every_measure_is_declared_whole():
    assert len({known.name for known in measures.MEASURES}) == len(measures.MEASURES)
    for known in measures.MEASURES:
        assert known.title
        assert known.says


def test_every_demo_target_is_met(yard):
    judged = 0
    for drill in yard.drills:
        made = run.execute(jobs.Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks))
        for verdict in measures.judge(drill, measures.read_all(made)):
            judged += 1
            assert verdict.met, f"{drill.id}: {verdict.words()}"
    assert judged >= 8


# tick check


def test_the_tick_check_shows_what_depends_on_the_tick(make, planar):
    body = {**planar, "damping_law": "per_tick", "damping": 0.01}
    progress = []
    result = tickcheck.check(
        make.job([PUSH], body=body, inputs=FULL, seconds=4.0), on_progress=lambda done, of: progress.append((done, of))
    )
    assert progress == [(k, 5) for k in range(1, 6)]
    assert result.spread("top_speed") > 0.5
    steady = tickcheck.check(make.job([PUSH], body={**planar, "damping": 0.6}, inputs=FULL, seconds=4.0))
    assert steady.spread("top_speed") < 0.02
    assert steady.error <= tickcheck.TOLERANCE


# live drives and records


def test_a_live_drive_is_the_drill_of_its_inputs(yard):
    drill = yard.drill("straight_pull")
    live = LiveDrive(jobs.Job(yard.craft(), yard.ground_of(drill), drill))
    random = np.random.default_rng(3)
    keys = ["W", "A", "D", "S", "Space"]
    for _ in range(60):
        held = {key for key in keys if random.random() < 0.4}
        live.advance(int(random.integers(1, 40)), held_values(live.job.craft.channels, held))
    driven = live.finish()
    again = run.execute(driven.job)
    assert again.digest == driven.digest, "bit for bit"


def test_a_drive_that_leaves_the_numbers_ends_with_its_part_and_tick(yard):
    drill = yard.drill("straight_pull")
    craft = document.edit(yard.craft(), "body.centre_x", -1000.0)
    live = LiveDrive(jobs.Job(craft, yard.ground_of(drill), drill))
    rows = live.recorder.recent()
    live._machine.scene.solids["position"][1, 0] = np.nan  # what a law that is wrong would leave behind
    live.advance(30, held_values(craft.channels, {"W"}))
    assert live.status == state.DIVERGED
    made = live.finish()
    assert np.isfinite(np.concatenate(list(made.record.chunks(100)))).all()
    assert made.ticks == len(rows) - 1 == 0
    assert "became NaN or infinite" in made.message
    assert "centre of mass lies 1000 m off" in made.message


def test_a_heavy_ground_says_what_costs_most():
    quay = demos.load("quay")
    drill = quay.drill("topple_stack")
    job = jobs.Job(quay.craft(), quay.ground_of(drill), drill, quay.ticks)
    made = run.execute(job)
    assert 0.0 < cost.tick_seconds(made) < 1.0
    assert not cost.is_heavy(job, 0.5 * job.dt)
    assert cost.is_heavy(job, 3.0 * job.dt)
    loose = sum(one.moves == "free" for one in job.ground.blocks)
    what, saved = cost.heaviest(job, cost.tick_seconds(made))
    assert what == f"{loose} dynamic blocks"
    assert saved > 0.0
    told = cost.caution_of(job, 2.0 * job.dt)
    assert "17 ms a tick; driving runs at 0.5 of real time" in told.says
    assert "dynamic blocks" in told.helps
    assert "fewer than 120 ticks/s" in told.helps


def test_opposing_keys_cancel(yard):
    throttle = yard.craft().channels[0]
    assert held_values([throttle], {"W"})[0] == 1.0
    assert held_values([throttle], {"W", "S"})[0] == 0.0
    assert held_values([yard.craft().channels[2]], {"Space"})[0] == 1.0
    assert held_values([throttle], {"Q"})[0] == 0.0


def test_settings_change_in_mid_drive_and_other_parts_begin_anew(yard):
    drill = yard.drill("straight_pull")
    live = LiveDrive(jobs.Job(yard.craft(), yard.ground_of(drill), drill))
    live.advance(120, held_values(yard.craft().channels, {"W"}))
    at = live.ticks
    stronger = yard.edit("crafts.fan_sled.parts.fan.thrust", 2000.0)
    live.take(jobs.Job(stronger.craft(), yard.ground_of(drill), drill))
    live.advance(1, held_values(yard.craft().channels, {"W"}))
    assert live.ticks == at + 1
    assert live.recorder.recent()[-1][live.layout.place("fan.force.x")] > 1500.0
    live.take(jobs.Job(yard.craft().without_part("air"), yard.ground_of(drill), drill))
    assert live.ticks == 0


def test_a_long_record_is_sealed_without_loss(yard):
    layout = Layout.of(jobs.job_of(yard))
    recorder, rows = Recorder(layout), []
    random = np.random.default_rng(1)
    for _ in range(9):
        chunk = recorder.room(2000)
        chunk[:] = random.normal(size=chunk.shape) * (random.random(layout.width) < 0.5)
        rows.append(chunk.copy())
    record = recorder.finish()
    whole = np.concatenate(rows)
    assert len(record) == len(whole)
    assert isinstance(record.blocks[0], Sealed)
    for place in (0, 7, 50, layout.width - 1):
        assert np.array_equal(record.column(place), whole[:, place])
    assert np.array_equal(record.row(BLOCK - 1), whole[BLOCK - 1])
    assert np.array_equal(record.block(3, 4), whole[:, 3:7])
    assert record.nbytes < whole.nbytes


def test_a_record_names_its_columns(yard, demo_job):
    made = run.execute(demo_job)
    assert isinstance(made.record, Record)
    assert made.layout.width == rowlayout.craft_width(len(yard.craft().parts), len(yard.craft().channels))
    with pytest.raises(Exception, match="did you mean position"):
        made.column("position.xx")


def test_traces_agree_with_the_record(demo_job):
    made = run.execute(demo_job)
    for trace in traces.catalogue(demo_job.craft):
        values = traces.values(made, trace.name)
        assert values.shape == (made.ticks + 1,)
        assert np.all(np.isfinite(values))
    v = made.columns("velocity.x", "velocity.y")
    assert np.allclose(traces.values(made, "speed"), np.hypot(*v.T))
    along, side = traces.values(made, "forward_speed"), traces.values(made, "side_speed")
    assert np.allclose(np.hypot(along, side), traces.values(made, "speed"))


# the twin


@pytest.mark.skipif(shutil.which("cc") is None and shutil.which("gcc") is None, reason="no C compiler")
@pytest.mark.parametrize("ticks", [60, 240])
def test_the_kernel_agrees_with_the_same_equations_in_c(demo_job, ticks):
    job = replace(demo_job, ticks=ticks)
    count = world.check_size(job)
    twin = Yardstick(job)
    out = np.zeros((count, Layout.of(job).width))
    done = twin.run(tracks.inputs(job, count), out)
    made = run.execute(job)
    ours = made.record.block(0, made.layout.width)[1:]
    assert done == made.ticks
    assert np.max(np.abs(out[:done] - ours)) < 1e-6 * np.max(np.abs(ours))
    twin.close()


def test_the_kernel_counts_its_ticks(demo_job):
    out = np.zeros((25, Layout.of(demo_job).width))
    assert run.Machine.of(demo_job).advance(np.zeros((25, 3)), out) == (0, 25)


def test_a_spread_against_nothing_is_not_a_percentage():
    def rates(*values):
        return tuple((rate, {"hits": value}) for rate, value in zip(tickcheck.RATES, values, strict=True))

    def spread(*values, reference):
        return tickcheck.TickCheck(rates(*values), {"hits": reference}, 16, 0.0, ()).spread("hits")

    assert spread(1.0, 0.0, 0.0, 0.0, reference=0.0) is None
    assert spread(0.0, 0.0, 0.0, 0.0, reference=0.0) == 0.0
    assert spread(3.0, 2.0, 2.0, 2.0, reference=2.0) == 0.5
    assert spread(None, 2.0, 2.0, 2.0, reference=2.0) is None


def test_what_is_derived_from_a_run_is_computed_once_by_whichever_thread_asks_first(make, planar):
    made = make.run([PUSH], body=planar, inputs=FULL, seconds=1.0)
    asked, gate = [], threading.Barrier(4)

    def slow():
        asked.append(threading.get_ident())
        return traces.values(made, "speed").sum()  # a result may be made of others

    def ask():
        gate.wait(10)
        return made.analysis.once("sum", slow)

    with ThreadPoolExecutor(4) as pool:
        found = [one.result(20) for one in [pool.submit(ask) for _ in range(4)]]
    assert len(asked) == 1
    assert len(set(found)) == 1
    with pytest.raises(ZeroDivisionError):
        made.analysis.once("bad", lambda: 1 / 0)
    assert made.analysis.once("bad", lambda: 7) == 7


def test_a_divergence_is_laid_to_what_drove_it_not_to_the_drag_that_held_against_it(make, planar):
    """The greatest force of the last ticks is that of the drag, which takes energy out; the push puts it in."""
    made = make.run([PUSH, AirDrag(id="air")], body=planar, inputs=FULL, ticks=60)
    layout = Layout.of(made.job)
    rows = np.zeros((8, layout.width))
    for k in range(6):
        rows[k - 6, layout.place("velocity.x")] = 10.0**k
        rows[k - 6, layout.place("push.force.x")] = 10.0**k
        rows[k - 6, layout.place("air.force.x")] = -(10.0 ** (k + 2))
    assert run.thrown_by(layout, rows) == "push"
    said = run.explain_divergence(made.job, layout, rows)
    assert "push grew without bound" in said
    assert "Drag" not in said


def test_a_divergence_of_a_mild_drag_is_not_laid_to_it():
    mild = AirDrag(id="air").blew_up(30.0, 1.3, 500.0, 60)
    assert "overshoots" not in mild
    strong = AirDrag(id="air", front_area=1e5, drag_coefficient=100.0).blew_up(30.0, 1.3, 500.0, 60)
    assert "overshoots" in strong


@pytest.mark.parametrize(
    ("stiffest", "strongest"), [(np.inf, np.inf), (0.5, np.inf), (np.inf, 0.2), (0.5, 0.2), (3, 0.4)]
)
def test_what_would_hold_a_mode_that_grows_is_less_of_something(stiffest, strongest):
    said = modes.Mode("bounce", 30.0, 0.2, True, stiffest, strongest).would_hold()
    assert "inf" not in said
    assert ("times the springs" in said) == (stiffest < 1.0)
    assert ("times the dampers" in said) == (strongest < 1.0)
    assert said.endswith("more ticks/s")
