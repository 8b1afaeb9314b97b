"""An upright craft on one leg: the leap just past an edge, control in the air, step height and slope limit."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.project import demos
from oak_sled.core.results import measures, run
from oak_sled.core.yard.drill import Knot, Track


def go(drill, **edits):
    yard = demos.load("floe-probe")
    for path, value in edits.items():
        yard = yard.edit(path.replace("__", "."), value)
    chosen = next(one for one in yard.drills if one.id == drill)
    return run.execute(jobs.job_of(yard.replace(bench=yard.bench.replace(drill=drill, ground=chosen.ground)), chosen))


def highest(made):
    return float(made.column("position.z").max() - made.column("position.z")[0])


def test_a_leap_just_past_the_edge_works_within_its_grace_and_not_without():
    with_grace, without = go("late"), go("late", crafts__probe__parts__leap__grace_s=0.0)
    pressed = round(0.86 * 120)
    assert with_grace.column("on_ground")[pressed] == 0.0, "it has left the floe when the leap is pressed"
    assert highest(with_grace) > 1.0
    assert highest(without) < 0.05
    assert np.count_nonzero(np.diff(with_grace.line("leap")[:, 2] > 0.0)) <= 2, "one leap, not two"


def test_the_grace_after_a_leap_gives_no_second_one_however_short_its_cool_down():
    taps = Track(
        channel="leap", knots=tuple(Knot(t=0.4 + 0.05 * k, value=float(k % 2)) for k in range(20)), shape="steps"
    )
    tracks = (*(track for track in go("late").job.drill.tracks if track.channel != "leap"), taps)
    edits = {
        "drills__late__tracks": tracks,
        "crafts__probe__parts__leap__cool_down": 0.0,
        "crafts__probe__parts__leap__grace_s": 0.4,
    }
    made = go("late", **edits)
    pushed, on = made.line("leap")[:, 2] > 0.0, made.column("on_ground") > 0.0
    left = np.flatnonzero(~on & np.roll(on, 1))
    assert pushed.any()
    assert len(left)
    in_air = np.flatnonzero(pushed & ~on)
    assert not len(in_air), "every later press finds it in the air by its own leap"


def test_a_second_press_in_the_air_is_no_second_leap():
    made = go("late", drills__late__tracks=go("cross").job.drill.tracks)
    leaps = np.flatnonzero(made.line("leap")[:, 2] > 0.0)
    on = made.column("on_ground")
    aloft = np.array([row - max(np.flatnonzero(on[:row] > 0.0), default=0) for row in leaps])
    assert (aloft <= 0.12 * 120 + 2).all()


@pytest.mark.parametrize("share", [1.0, 0.25, 0.0])
def test_in_the_air_only_its_share_pushes(share):
    made = go("late", crafts__probe__parts__walk__air_share=share)
    force, in_air = np.abs(made.line("walk")[:, 0]), made.column("on_ground") == 0.0
    late = np.roll(in_air, 1) & in_air
    assert force[late].max(initial=0.0) <= 900.0 * share + 1e-9


def test_it_walks_up_steps_and_a_slope_but_not_up_what_is_too_steep():
    for drill in ("steps", "slope", "too_steep"):
        made = go(drill)
        found = measures.Readings(made)
        for target in made.job.drill.targets:
            value = found[target.measure]
            assert target.low is None or value >= target.low, drill
            assert target.high is None or value <= target.high, drill


def test_without_a_slope_limit_it_would_climb_higher():
    limited = go("too_steep")
    free = go(
        "too_steep", crafts__probe__parts__leg__slope_limit_deg=90.0, crafts__probe__parts__walk__aim_limit=3000.0
    )
    assert highest(free) > highest(limited) + 0.1


def test_the_twin_that_is_moved_by_its_speed_is_at_it_at_once():
    yard = demos.load("floe-probe")
    forced, placed = go("cross"), run.execute(jobs.twin_jobs(yard)[0])
    at = round(0.1 * 120)
    assert placed.column("velocity.x")[at] == pytest.approx(5.0, abs=0.3)
    assert forced.column("velocity.x")[at] < 2.0


def test_a_slope_past_the_limit_counts_as_no_ground_below_the_leg():
    made = go("too_steep")
    reach = next(part for part in made.job.craft.parts if part.id == "leg").reach
    assert (made.column("leg.1.force")[made.column("leg.1.gap") == reach] == 0.0).all()
    assert made.column("leg.1.gap").max() == reach, "it hangs against the steep ramp with its leg off the ground"
