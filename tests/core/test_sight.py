"""Cameras of a yard: what they see against the closed forms of what follows, over a seam, and in every demo."""

from __future__ import annotations

import math
from typing import get_args

import numpy as np
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.faults import Refused
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.project import demos
from oak_sled.core.results import levels, rotations, run, traces
from oak_sled.core.results.sight import follow, sight
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.camera import YardCamera
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Member, Start
from oak_sled.core.yard.ground import Ground

KINDS = get_args(YardCamera.model_fields["kind"].annotation)
TRUCK = Body(mass=100.0, length=2.0, width=1.0, height=1.0, damping=0.0, spin_damping=0.0)


def coasting(ground=None, others=(), cast=(), ticks=120, seconds=2.0, **start):
    """A run of a body that nothing pushes, in empty space."""
    world = Ground.model_validate({"id": "g", "gravity": 0.0, "air_density": 0.0, "floor": False, **(ground or {})})
    drill = Drill(id="d", craft="c", duration=seconds, start=Start(**start), cast=cast)
    return run.execute(Job(Craft(id="c", body=TRUCK), world, drill, ticks, others=tuple(others)))


@pytest.mark.parametrize("damping", [0.2, 0.6, 1.0, 2.0])
@pytest.mark.parametrize("lag", [0.1, 0.8])
def test_what_follows_a_step_is_the_closed_form_of_a_spring_with_a_damper(lag, damping):
    """A step cannot fall between two steps of a hold: it is one of the ramps, over one of them."""
    dt = 1e-3
    t = np.arange(16000) * dt
    step = np.where(t > 0.0, 1.0, 0.0)[:, None]
    found = follow(step, dt, lag, damping)[:, 0]
    own = 2.0 * damping / lag
    roots = np.roots([1.0, 2.0 * damping * own, own**2]).astype(complex)
    one, other = roots
    since = t - 0.5 * dt  # the middle of that ramp
    if damping == 1.0:
        exact = 1.0 - (1.0 + own * since) * np.exp(-own * since)
    else:
        exact = 1.0 + ((other * np.exp(one * since) - one * np.exp(other * since)) / (one - other)).real
    assert np.abs(found - exact)[2:].max() < 2e-4
    camera = YardCamera(id="c", damping=damping)
    assert max(found.max() - 1.0, 0.0) == pytest.approx(camera.overshoot, abs=1e-4)
    rest = camera.settles_in(lag)
    assert np.all(np.abs(found[t >= rest] - 1.0) < 0.0205), "it has settled"
    if damping >= 1.0:
        assert abs(found[t < 0.9 * rest][-1] - 1.0) > 0.02, "and no sooner"


@pytest.mark.parametrize("damping", [0.3, 1.0, 2.0])
def test_behind_what_moves_evenly_it_is_by_its_lag_at_every_rate(damping):
    for dt in (1 / 30, 1 / 120, 1 / 960):
        t = np.arange(round(3.0 / dt)) * dt
        found = follow(5.0 + 7.0 * t[:, None], dt, 0.4, damping, np.array([7.0]))[:, 0]
        assert np.abs(found - (5.0 + 7.0 * (t - 0.4))).max() < 1e-9


@pytest.mark.parametrize("speed", [0.0, 12.0])
def test_a_chase_camera_is_behind_by_its_distance_and_by_its_lag_times_the_speed(speed):
    made = coasting(speed=speed, heading_deg=30.0)
    seen = sight(made, YardCamera(id="c", distance=6.0, distance_fast=6.0, height=2.0, place_lag=0.5, look_ahead=0.25))
    way = np.array([math.cos(math.radians(30.0)), math.sin(math.radians(30.0)), 0.0])
    place = traces.path(made)
    assert np.allclose(seen.eye, place - (6.0 + 0.5 * speed) * way + [0.0, 0.0, 2.0], atol=1e-9)
    assert np.allclose(seen.target, place + 0.25 * speed * way, atol=1e-9)
    assert np.allclose(seen.up, [0.0, 0.0, 1.0])


def test_over_speed_it_draws_back_and_widens():
    camera = YardCamera(id="c", distance=4.0, distance_fast=10.0, fov=40.0, fov_fast=80.0, fast=20.0, place_lag=0.0)
    for speed, share in ((0.0, 0.0), (5.0, 0.25), (20.0, 1.0), (50.0, 1.0)):
        seen = sight(coasting(speed=speed), camera)
        assert seen.fov[-1] == pytest.approx(40.0 + 40.0 * share)
        assert np.linalg.norm((seen.eye - seen.target)[-1, :2]) == pytest.approx(4.0 + 6.0 * share)


def test_a_whole_share_of_pitch_and_bank_is_the_attitude_of_the_craft_and_none_is_the_level():
    made = coasting(speed=3.0, pitch_deg=25.0, roll_deg=-40.0, heading_deg=70.0, roll_rate_deg=50.0, yaw_rate_deg=20.0)
    turns = rotations.rotations(made.columns(*(f"rotation.{one}" for one in "wxyz")))
    bound = {"turn_lag": 0.0, "place_lag": 0.0, "height": 0.0}
    own = sight(made, YardCamera(id="c", pitch_share=1.0, roll_share=1.0, **bound))
    forward = (own.target - own.eye) / np.linalg.norm(own.target - own.eye, axis=1, keepdims=True)
    assert np.allclose(forward, turns[:, :, 0], atol=1e-9)
    assert np.allclose(own.up, turns[:, :, 2], atol=1e-9)
    level = sight(made, YardCamera(id="c", **bound))
    assert np.allclose(level.up, [0.0, 0.0, 1.0])
    beside = sight(made, YardCamera(id="c", around=90.0, **bound))
    away = (beside.eye - traces.path(made))[:, :2]
    right = np.stack([traces.heading(made)[:, 1], -traces.heading(made)[:, 0]], axis=1)
    assert np.allclose(away, 6.0 * right, atol=1e-9), "90 degrees round, it is on its right"


def test_a_turn_is_followed_by_its_lag():
    made = coasting(speed=0.0, yaw_rate_deg=30.0, seconds=6.0)
    seen = sight(made, YardCamera(id="c", turn_lag=0.3, place_lag=0.0, height=0.0))
    looks = seen.target - seen.eye
    behind = traces.values(made, "heading")[-1] - np.degrees(np.unwrap(np.arctan2(looks[:, 1], looks[:, 0])))[-1]
    assert behind == pytest.approx(0.3 * 30.0, rel=0.01)


def test_a_head_gives_way_as_a_mass_on_a_spring(make):
    drive = Thruster(id="drive", channel="throttle", thrust=500.0)
    made = make.run(
        [drive],
        inputs={"throttle": 1.0},
        body={"mass": 100.0, "damping": 0.0},
        ground={"gravity": 0.0, "air_density": 0.0},
    )
    camera = YardCamera(id="c", kind="ride", place_lag=0.2, damping=0.7, x=0.5, z=1.0)
    seen = sight(made, camera)
    off = (seen.eye - traces.path(made))[-1]
    assert off == pytest.approx([0.5 - 5.0 / (2.0 * 0.7 / 0.2) ** 2, 0.0, 1.0], abs=1e-6)


def test_a_tripod_stays_and_pans():
    made = coasting(speed=10.0, x=-10.0, y=5.0)
    seen = sight(made, YardCamera(id="c", kind="tripod", x=1.0, y=-8.0, z=3.0, turn_lag=0.2))
    assert np.allclose(seen.eye, [1.0, -8.0, 3.0])
    assert np.allclose(seen.target, traces.path(made) - [0.2 * 10.0, 0.0, 0.0], atol=1e-9)


def test_a_camera_of_the_cast_has_all_of_it_within_its_angle():
    other = Craft(id="other", body=TRUCK)
    cast = (Member(id="other", start=Start(x=4.0, y=9.0, speed=6.0, heading_deg=120.0)),)
    made = coasting(speed=5.0, others=(other,), cast=cast, seconds=4.0)
    seen = sight(made, YardCamera(id="c", kind="cast", distance=2.6, distance_fast=2.6, place_lag=0.0, turn_lag=0.0))
    for one in (made, made.seen_from("other")):
        away = one.columns("position.x", "position.y", "position.z") - seen.eye
        ahead = seen.target - seen.eye
        cosine = np.sum(away * ahead, axis=1) / np.linalg.norm(away, axis=1) / np.linalg.norm(ahead, axis=1)
        assert np.degrees(np.arccos(cosine)).max() < 0.5 * 46.0


def test_shake_follows_its_trace_and_stands_still_without():
    still = coasting(speed=8.0)
    calm = YardCamera(id="c")
    shaken = calm.replace(shake_by="speed", shake=0.1, shake_lag=0.0)
    plain, moved = sight(still, calm), sight(still, shaken)
    looks = [(one.target - one.eye) / np.linalg.norm(one.target - one.eye, axis=1)[:, None] for one in (plain, moved)]
    angles = np.degrees(np.arccos(np.clip(np.sum(looks[0] * looks[1], axis=1), -1.0, 1.0)))
    assert 0.8 < angles.max() < 0.8 * math.sqrt(2.0) + 0.01
    assert np.array_equal(sight(still, calm.replace(shake_by="spin", shake=5.0)).target, plain.target)
    unknown = sight(still, calm.replace(shake_by="no_such_trace", shake=5.0))
    assert np.array_equal(unknown.target, plain.target), "a craft without that trace is not shaken by it"


def test_over_a_seam_it_goes_on_with_the_craft():
    """What it films is what it films in a world so large that there is no seam, seen from the craft."""
    films = []
    for size in (64.0, 1024.0):
        made = coasting({"length": size, "width": size, "edges": "wrap"}, speed=20.0, x=20.0, heading_deg=10.0)
        seen, places = sight(made, YardCamera(id="c")), made.columns("position.x", "position.y", "position.z")
        assert (np.abs(np.diff(places[:, 0])).max() > 1.0) == (size < 100.0)
        films.append((seen.eye - places, seen.target - places))
    for one, other in zip(*films, strict=True):
        assert np.abs(one - other).max() < 1e-9


def test_round_a_body_that_attracts_its_up_is_away_from_it():
    yard = demos.load("mail-pod")
    made = run.execute(jobs.job_of(yard, yard.drills[0]))
    seen = sight(made, YardCamera(id="c", turn_lag=0.0))
    frames = levels.frames(made)
    assert frames is not None
    assert np.allclose(seen.up, frames[:, :, 2], atol=1e-9)


@pytest.mark.parametrize("name", demos.DEMOS)
def test_every_kind_sees_every_demo(name):
    yard = demos.load(name)
    made = run.execute(jobs.job_of(yard))
    before = made.digest
    for kind in KINDS:
        seen = sight(made, YardCamera(id="c", kind=kind, shake_by="side_g", shake=1.0, roll_share=0.5))
        for part in (seen.eye, seen.target, seen.up):
            assert part.shape == (made.ticks + 1, 3)
            assert np.all(np.isfinite(part)), kind
        looks = seen.target - seen.eye
        assert np.linalg.norm(looks, axis=1).min() > 1e-3, kind
        assert np.linalg.norm(np.cross(looks, seen.up), axis=1).min() > 1e-6, kind
    assert made.digest == before


def test_a_camera_changes_no_run_and_bad_numbers_are_told():
    yard = demos.load("fan-sled")
    filmed = yard.replace(cameras=(YardCamera(id="behind"), YardCamera(id="tripod", kind="tripod")))
    assert jobs.job_of(filmed) == jobs.job_of(yard)
    assert filmed.runs_as(yard)
    assert not filmed.edit("ticks", 60).runs_as(yard)
    moved = filmed.edit("cameras.behind.place_lag", 0.7)
    assert moved.cameras[0].place_lag == 0.7
    assert moved.runs_as(filmed)
    for path, value in (("cameras.behind.fov", 170.0), ("cameras.behind.fast", 0.0), ("cameras.nowhere.fov", 50.0)):
        with pytest.raises(Refused) as refused:
            filmed.edit(path, value)
        assert "cameras" in str(refused.value.faults[0])


def rebuilt(values, dt, lag, damping, rate):
    """The follower anew, from the pseudo-code of docs/laws.md."""
    own, found = 2.0 * damping / lag, []
    at, speed = values[0] - lag * rate, rate
    for before, after in zip(values[:1] + values[:-1], values, strict=True):
        if found:
            ramp = (after - before) / dt
            off, slip = at - (before - lag * ramp), speed - ramp
            swing = own * math.sqrt(abs(1.0 - damping**2))
            if damping == 1.0:
                even, odd = 1.0, dt
            elif damping < 1.0:
                even, odd = math.cos(swing * dt), math.sin(swing * dt) / swing
            else:
                even, odd = math.cosh(swing * dt), math.sinh(swing * dt) / swing
            fades = math.exp(-damping * own * dt)
            at = after - lag * ramp + fades * (off * (even + damping * own * odd) + slip * odd)
            speed = ramp + fades * (slip * (even - damping * own * odd) - off * own**2 * odd)
        found.append(at)
    return found


@pytest.mark.parametrize("damping", [0.3, 1.0, 2.0])
@pytest.mark.parametrize("dt", [1 / 30, 1 / 120])
def test_the_pseudo_code_of_the_laws_follows_within_1e_9(damping, dt):
    made = np.cumsum(np.random.default_rng(4).normal(size=600)) * dt + 50.0
    values = made.tolist()
    found = follow(made[:, None], dt, 0.25, damping, np.array([3.0]))[:, 0]
    assert np.abs(found - rebuilt(values, dt, 0.25, damping, 3.0)).max() < 1e-9


def test_a_dial_that_is_dragged_through_many_cameras_fills_no_memory():
    made = coasting(speed=8.0, seconds=10.0)
    sight(made, YardCamera(id="c"))
    first, taken = made.nbytes, sight(made, YardCamera(id="c"))
    assert sight(made, YardCamera(id="c")) is taken, "kept"
    assert sum(part.nbytes for part in taken) < first, "and counted"
    for number in range(50):
        sight(made, YardCamera(id="c", place_lag=0.01 * (number + 1)))
    assert made.nbytes == first


def test_the_outlook_of_every_kind_says_what_its_lags_do():
    for kind in KINDS:
        lines = YardCamera(id="c", kind=kind, damping=0.5, place_lag=0.5, turn_lag=0.25).outlook()
        assert any("swings past by 16" in line for line in lines), kind
        assert any(line.startswith("in turn") for line in lines) == (kind != "ride")
        assert any(line.startswith("in place") for line in lines) == (kind != "tripod")
        assert any("15.0 m further behind" in line or "15 m further behind" in line for line in lines) == (
            kind in ("chase", "cast")
        )
    assert YardCamera(id="c", place_lag=0.0, turn_lag=0.0).outlook() == ("held fast in place", "held fast in turn")
