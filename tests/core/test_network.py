"""A run over a network: closed forms of a copy that lags, no fault where none can be, and the same for a seed."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest
from test_feel import plain_yard

from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base.faults import Refused
from oak_sled.core.kernel import state
from oak_sled.core.link import overudp
from oak_sled.core.project import demos
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.results import copies as networks
from oak_sled.core.results import measures, run, shotsides, traces
from oak_sled.core.yard.drill import Knot, Start, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.network import Network

SCHEMES = list(itertools.product(("others", "driver"), ("server", "driver"), ("snap", "blend", "rollback")))


def pushed(speed=0.0, knots=((0.0, 0.0),), damping=0.0, seconds=4.0):
    """A block in space that starts at a speed and is pushed with 3 m/s2 at full."""
    yard = plain_yard(damping=damping, spin_damping=0.0)
    track = Track(channel="throttle", knots=tuple(Knot(t=t, value=value) for t, value in knots))
    drill = yard.drill().replace(start=Start(speed=speed), tracks=(track,), duration=seconds)
    return job_of(yard.replace(drills=(drill,)), drill)


@pytest.mark.parametrize(("seen_by", "authority", "correct"), SCHEMES)
def test_without_delay_jitter_and_loss_a_simulated_copy_is_the_truth(seen_by, authority, correct):
    job = job_of(demos.load("fan-sled"))
    setting = Network(seen_by=seen_by, authority=authority, correct=correct, delay=0.0, rate=120.0, blend=0.0)
    found = networks.seen(job, setting)
    if seen_by == "driver":
        assert found.most == 0.0
        assert len(found.corrected) == 0
    elif correct == "rollback":
        assert found.most < 1e-5, "only the input of the tick itself is not known"
    else:
        assert found.most < 2e-3, "carried on by its velocity for a tick"


@pytest.mark.parametrize("demo", ["fan-sled", "ice-truck", "ferry", "survey-copter", "shunting"])
def test_a_driver_whose_inputs_all_arrive_in_time_is_never_corrected(demo):
    job = job_of(demos.load(demo))
    alone = len({one.lead for one in job.actors}) == 1
    job = replace(job, drill=job.drill.replace(duration=min(job.drill.duration, 6.0), events=()))
    found = networks.seen(job, Network(seen_by="driver", correct="rollback", delay=150.0))
    if alone:
        assert found.most == pytest.approx(0.0, abs=1e-9)
    else:
        assert len(found.rolled) > 0, "the inputs of the others come by packets only"


def test_what_goes_straight_is_seen_where_it_is_at_any_delay():
    for correct in ("snap", "blend"):
        found = networks.seen(pushed(speed=8.0), Network(delay=200.0, authority="driver", correct=correct))
        assert found.most < 1e-6
        assert found.largest_jump < 1e-6


def test_a_copy_that_is_carried_on_lags_by_half_the_acceleration_times_its_age_squared():
    delay, rate = 0.1, 20.0
    job = pushed(knots=((0.0, 1.0),))
    found = networks.seen(job, Network(delay=1e3 * delay, rate=rate, authority="driver", correct="snap"))
    late = found.error[found.ticks * 2 :]
    oldest = delay + 1.0 / rate
    assert late.max() == pytest.approx(0.5 * 3.0 * oldest**2, rel=0.06)
    assert late.min() == pytest.approx(0.5 * 3.0 * delay**2, rel=0.2)
    assert found.largest_jump == pytest.approx(0.5 * 3.0 * (oldest**2 - delay**2), rel=0.1), (
        "back from oldest to newest"
    )
    assert found.corrections == pytest.approx(rate, rel=0.1)


def test_blending_makes_small_steps_of_a_jump_and_a_later_copy():
    job = pushed(knots=((0.0, 1.0),))
    plain = Network(delay=100.0, authority="driver")
    snap = networks.seen(job, plain.replace(correct="snap"))
    blend = networks.seen(job, plain.replace(correct="blend", blend=100.0))
    assert blend.largest_jump < 0.5 * snap.largest_jump
    assert blend.rms > snap.rms


def test_a_copy_that_is_simulated_again_knows_all_but_what_changed_meanwhile():
    job = pushed(knots=((0.0, 1.0), (2.0, -1.0)))
    found = networks.seen(job, Network(delay=100.0, authority="driver", correct="rollback", blend=0.0))
    row = found.ticks * 2
    assert found.error[row // 4 : row].max() < 1e-9, "the same push as before"
    assert found.error[row : row + found.ticks].max() > 0.005, "the reverse comes as a surprise"
    assert found.error[-found.ticks // 2 :].max() < 1e-9
    assert found.rolled.mean() == pytest.approx(0.1 * found.ticks, rel=0.15)
    assert found.cost > 0.0


def test_lost_packets_and_late_inputs_are_of_the_seed_and_counted():
    job = job_of(demos.load("fan-sled"))
    setting = Network(delay=80.0, jitter=40.0, loss=0.1, seed=4)
    one, same, other = (networks.seen(job, setting.replace(seed=seed)) for seed in (4, 4, 5))
    assert np.array_equal(one.shown, same.shown)
    assert not np.array_equal(one.shown, other.shown)
    assert one.lost / one.packets == pytest.approx(0.1, abs=0.06)
    assert one.late_inputs > 0.5, "jitter comes on top of the delay"
    buffered = networks.seen(job, setting.replace(buffer=40.0))
    assert buffered.late_inputs == pytest.approx(0.1, abs=0.05), "only those that were lost"


def test_a_buffer_as_long_as_the_jitter_keeps_the_driver_from_being_corrected():
    job = job_of(demos.load("fan-sled"))
    setting = Network(seen_by="driver", correct="snap", delay=80.0, jitter=30.0)
    assert networks.seen(job, setting).corrections > 0.3
    assert networks.seen(job, setting.replace(buffer=30.0)).most == pytest.approx(0.0, abs=1e-9)


def test_the_farther_away_the_farther_off():
    job = job_of(demos.load("fan-sled"))
    made = run.execute(job)
    found = [networks.seen(job, Network(delay=delay), made).rms for delay in (0.0, 60.0, 120.0, 240.0)]
    assert found == sorted(found)
    assert found[-1] > 4.0 * found[1]


def test_a_wrong_clock_puts_a_copy_ahead_or_behind_by_its_speed():
    job = pushed(speed=10.0)
    for clock in (-50.0, 50.0):
        found = networks.seen(job, Network(delay=100.0, authority="driver", correct="snap", clock=clock))
        assert found.error[-1] == pytest.approx(10.0 * 0.05, rel=0.05)


def test_beyond_the_limit_a_copy_stands_still():
    job = pushed(speed=10.0, seconds=3.0)
    found = networks.seen(job, Network(delay=0.0, rate=1.0, limit=200.0, authority="driver", correct="snap"))
    shown = found.shown[:, 0]
    row = int(1.6 * found.ticks)
    assert shown[row] == shown[row + 10], "its last packet is older than 200 ms"
    assert found.most == pytest.approx(10.0 * 0.8, rel=0.03)


def test_two_crafts_that_push_each_other_are_seen_with_what_each_knows():
    job = job_of(demos.load("shunting"))
    job = replace(job, drill=job.drill.replace(duration=4.0))
    assert len({one.lead for one in job.actors}) > 1
    near = networks.seen(job, Network(seen_by="driver", correct="rollback", delay=20.0, rate=60.0))
    far = networks.seen(job, Network(seen_by="driver", correct="rollback", delay=200.0, rate=60.0))
    assert far.rms >= near.rms
    watched = networks.seen(job, Network(seen_by="others", correct="rollback", delay=200.0, rate=60.0))
    assert watched.rms > far.rms, "its driver knows more than those who watch"


def test_a_drill_that_diverges_or_is_over_at_once_is_refused():
    job = pushed()
    diverged = replace(run.execute(job), status=state.DIVERGED, message="it blew up")
    with pytest.raises(Refused, match="blew up"):
        networks.seen(job, Network(), diverged)
    short = replace(job, drill=job.drill.replace(duration=0.05), ticks=20)
    with pytest.raises(Refused, match="over at once"):
        networks.seen(short, Network())


@pytest.mark.parametrize(
    ("field", "value"), [("loss", 1.5), ("delay", -1.0), ("rate", 0.0), ("correct", "hope"), ("seen_by", "nobody")]
)
def test_a_connection_that_cannot_be_is_refused(field, value):
    with pytest.raises(ValueError, match=field):
        Network(**{field: value})


def poked(speed=2.0, t=1.0):
    """A block that stands still and is poked to a speed."""
    job = pushed()
    event = Event(id="knock", what="poke", t=t, x=job.single.body.mass * speed)
    return replace(job, drill=job.drill.replace(events=(event,)))


def since(poses, ticks):
    """s from which on it moves."""
    return int(np.argmax(poses[:, 7] > 0.5)) / ticks


@pytest.mark.parametrize("correct", ["snap", "rollback"])
def test_a_poke_is_seen_at_once_by_the_side_that_decides_it_and_late_by_the_other(correct):
    setting = Network(authority="driver", correct=correct, delay=100.0, rate=40.0, blend=0.0)
    own = networks.seen(poked(), setting.replace(hits="victim"))
    theirs = networks.seen(poked(), setting.replace(hits="attacker"))
    dt = 1.0 / own.ticks
    assert since(own.truth, own.ticks) == pytest.approx(1.0 + dt, abs=1e-9)
    assert 1.1 <= since(own.shown, own.ticks) < 1.1 + 0.025 + 3 * dt
    assert since(theirs.shown, own.ticks) == pytest.approx(1.0 + dt, abs=1e-9)
    assert since(theirs.truth, own.ticks) == pytest.approx(1.1 + dt, abs=1e-9)


def test_inputs_that_come_as_late_as_a_poke_hide_who_decided_it():
    found = networks.seen(poked(), Network(hits="attacker", correct="rollback", delay=100.0))
    assert found.most == pytest.approx(0.0, abs=1e-9), "a server is behind its drivers by as much"


def test_what_its_driver_does_not_know_beforehand_moves_place_and_velocity_of_the_copy():
    found = networks.seen(poked(), Network(hits="attacker", seen_by="driver", correct="snap", delay=100.0, rate=40.0))
    assert found.most > 0.2
    assert found.error[-1] < 1e-9, "one packet puts both right"


def test_a_driver_s_copy_that_is_off_is_turned_as_well():
    job = job_of(demos.load("fan-sled"))
    found = networks.seen(job, Network(seen_by="driver", correct="snap", delay=80.0, jitter=60.0, loss=0.2, rate=60.0))
    assert found.turned.max() > 1e-4
    assert found.turned[-300:].max() < 0.1


DEMO = demos.load("fan-sled")
SEEN = [drill.id for drill in DEMO.drills if drill.network is not None]


@pytest.mark.parametrize("name", SEEN)
def test_a_drill_with_a_network_shows_its_copy_in_traces_measures_and_as_a_run(name):
    job = job_of(DEMO, DEMO.drill(name))
    made = run.execute(job)
    found = networks.seen(job, job.drill.network)
    readings = measures.Readings(made)
    assert readings["largest_jump"] == found.largest_jump
    assert readings["copy_off"] == pytest.approx(found.rms)
    assert readings["corrections"] == pytest.approx(found.corrections)
    for what in networks.COPY:
        assert f"copy.{what}" in traces.book(made)
        assert np.isfinite(traces.values(made, f"copy.{what}")).all()
    assert traces.values(made, "copy.jump").max() == found.largest_jump
    assert traces.values(made, "copy.corrections")[-1] == np.sum(found.corrected > made.ticks - made.job.ticks)
    copy = networks.as_run(made)
    assert copy.ticks == made.ticks
    assert np.allclose(copy.columns("position.x", "position.y"), found.shown[:, :2], atol=1e-9)
    plain = run.execute(job_of(DEMO, DEMO.drill(name).replace(network=None)))
    assert made.record.column(0).tobytes() == plain.record.column(0).tobytes(), "the craft itself is as without"
    assert networks.as_run(plain) is None
    assert "copy.error" not in traces.book(plain)


@pytest.mark.parametrize(
    ("seen_by", "correct"), list(itertools.product(("others", "driver"), ("snap", "blend", "rollback")))
)
def test_a_drive_is_seen_as_its_drill_will_be(seen_by, correct):
    network = Network(seen_by=seen_by, correct=correct, delay=90.0, jitter=30.0, loss=0.05)
    job = job_of(DEMO, DEMO.drill("straight_pull").replace(network=network))
    drive = LiveDrive(job)
    rng = np.random.default_rng(7)
    for _ in range(40):
        drive.advance(int(rng.integers(1, 9)), rng.uniform(-1.0, 1.0, len(job.channels)))
    live = drive.newest(100.0)
    done = drive.finish()
    again = run.execute(replace(job, drill=done.job.drill))
    assert np.array_equal(live.seen.shown, networks.beside(again).shown)
    assert np.array_equal(networks.beside(done).shown, networks.beside(again).shown)
    assert np.allclose(networks.as_run(live).column("position.x"), live.seen.shown[:, 0])
    short = drive.newest(0.2)
    assert len(traces.values(short, "copy.error")) == short.ticks + 1


def test_a_delay_that_is_turned_in_mid_drive_counts_from_there_on():
    job = job_of(DEMO, DEMO.drill("straight_pull").replace(network=Network(delay=0.0, rate=60.0)))
    drive = LiveDrive(job)
    drive.advance(240, np.array([1.0, 0.3, 0.0]))
    near = drive.newest(0.5).seen.error.max()
    drive.take(replace(job, drill=job.drill.replace(network=Network(delay=200.0))))
    drive.advance(120, np.array([1.0, -0.3, 0.0]))
    assert drive.newest(0.5).seen.error.max() > 5.0 * near
    told = traces.values(drive.newest(10.0), "copy.error")
    assert np.isnan(told[0])
    assert np.isfinite(told[-100:]).all()
    drive.take(replace(job, drill=job.drill.replace(network=None)))
    assert drive.newest(0.5).seen is None


def test_a_poke_while_driving_is_seen_late_by_others():
    job = replace(pushed(), drill=pushed().drill.replace(network=Network(delay=100.0, authority="driver", rate=40.0)))
    drive = LiveDrive(job)
    none = np.zeros(len(job.channels))
    drive.advance(120, none)
    drive.happen(Event(id="knock", what="poke", x=200.0))
    drive.advance(60, none)
    seen = drive.newest(10.0).seen
    assert since(seen.shown, seen.ticks) - since(seen.truth, seen.ticks) == pytest.approx(0.1, abs=0.03)


@pytest.mark.tools
@pytest.mark.parametrize("correct", ["snap", "blend"])
def test_another_process_that_gets_packets_over_udp_sees_what_was_simulated(correct):
    job = job_of(DEMO, DEMO.drill("step_steer"))
    proof = overudp.proved(job, Network(delay=120.0, jitter=20.0, loss=0.02, correct=correct))
    assert len(proof.error) == len(proof.simulated.error)
    assert proof.rms == pytest.approx(proof.simulated.rms, rel=0.15)


def test_the_copy_of_the_other_process_is_kept_by_packets_alone(tmp_path):
    """The whole way on this machine, with a drill of half a second: what is said is of the right size."""
    job = job_of(DEMO, DEMO.drill("step_steer").replace(duration=0.5))
    proof = overudp.proved(job, Network(delay=0.0, rate=60.0, correct="snap"))
    assert proof.error.shape == proof.jump.shape == proof.simulated.error.shape
    assert proof.error[0] == 0.0
    assert np.isfinite(proof.error).all()


def test_a_rollback_is_not_sent_over_udp():
    with pytest.raises(Refused, match="too long for UDP"):
        overudp.proved(pushed(), Network(correct="rollback"))


@pytest.fixture(scope="module")
def shot_at():
    """A courier that shoots at a shunter, looked at from the shunter, which drives across."""
    yard = demos.load("shunting")
    drill = yard.drill("line_shot")
    gun = f"crafts.courier.parts.{next(one.id for one in yard.craft('courier').parts if one.kind == 'launcher')}"
    [member] = drill.cast
    aside = member.start.replace(x=drill.start.x + 25.0, y=drill.start.y - 6.0, heading_deg=90.0, speed=9.0, height=0.0)
    events = tuple(
        Event(id=f"shot_{k}", what="trigger", craft="courier", target=gun.rpartition(".")[2], t=0.05 + 0.1 * k)
        for k in range(16)
    )
    still = drill.start.replace(heading_deg=0.0, speed=0.0)
    made = drill.replace(
        start=still, tracks=(), events=events, duration=3.0, cast=(member.replace(start=aside, tracks=()),)
    )
    fast = yard.edit_all([(f"{gun}.muzzle_speed", 60.0), (f"{gun}.rate", 20.0), (f"{gun}.in_flight", 8)])
    return run.execute(job_of(fast, made, "shunter"))


def test_shots_at_what_goes_across_hit_otherwise_where_it_is_seen_late(shot_at):
    job = shot_at.job
    assert job.craft.id == "shunter"
    near = shotsides.sides(shot_at, networks.seen(job, Network(delay=0.0, rate=120.0, authority="driver"), shot_at))
    late = Network(delay=200.0, limit=0.0, rate=20.0, authority="driver", correct="snap")
    far = shotsides.sides(shot_at, networks.seen(job, late, shot_at))
    assert near.shots == far.shots > 4
    assert near.victim == far.victim > 0
    assert near.differ <= 1, "of one at its edge"
    assert far.differ > near.differ + 2, "9 m/s for 200 ms: it is seen 1.8 m behind"
    assert far.both <= min(far.victim, far.attacker)


def test_nobody_shoots_at_a_craft_that_is_alone():
    job = job_of(DEMO)
    made = run.execute(job)
    assert shotsides.sides(made, networks.seen(job, Network(), made)).shots == 0


@pytest.mark.parametrize("correct", ["snap", "rollback"])
@pytest.mark.parametrize("seen_by", ["others", "driver"])
def test_an_authority_that_diverges_on_late_inputs_leaves_no_nonsense_in_the_copy(correct, seen_by):
    job = pushed()
    event = Event(id="knock", what="poke", t=0.5, x=1e7)
    light = job.craft.replace(body=job.craft.body.replace(mass=1e-3))
    connection = networks.Connection(
        replace(job, craft=light, drill=job.drill.replace(events=(event,))),
        Network(seen_by=seen_by, correct=correct, delay=50.0),
    )
    connection.advance(np.ones((job.ticks, len(job.channels))))
    found = connection.told()
    assert run.execute(replace(job, craft=light, drill=job.drill.replace(events=(event,)))).is_diverged
    assert len(found.error) == job.ticks + 1
    assert np.isfinite(found.shown).all()
    assert np.isfinite(found.truth).all()
