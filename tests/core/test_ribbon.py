"""Ways that are thinned to where they bend: near enough everywhere, and few where little happens."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.geometry import ribbon

SLACK = 0.05


def ways(seed: int) -> list[np.ndarray]:
    """A bend, a wander, a way and back, a climb, and a stand of some time."""
    rng = np.random.default_rng(seed)
    t = np.linspace(0.0, rng.uniform(1.0, 20.0), int(rng.integers(2, 400)))
    nought = np.zeros_like(t)
    return [
        np.stack([30.0 * np.cos(t / 5.0), 30.0 * np.sin(t / 5.0), np.sin(t)], axis=1),
        np.cumsum(rng.normal(0.0, 0.05, (len(t), 3)), axis=0),
        np.stack([3.0 * np.abs(t - 5.0), nought, nought], axis=1),
        np.stack([np.minimum(t, 3.0), nought, 0.5 * np.maximum(t - 3.0, 0.0)], axis=1),
        np.stack([np.maximum(t - 2.0, 0.0), nought, nought], axis=1),
    ]


def off_the_line(points: np.ndarray) -> tuple[float, float]:
    """m by which the points miss the straight line from the first to the last: level, and in all."""
    level, whole = points[:, :2] - points[0, :2], points - points[0]

    def off(to: np.ndarray) -> float:
        along = np.clip(to @ to[-1] / max(float(to[-1] @ to[-1]), 1e-12), 0.0, 1.0)
        return float(np.linalg.norm(to - along[:, None] * to[-1], axis=1).max())

    return off(level), off(whole)


@pytest.mark.parametrize("seed", range(60))
def test_no_point_is_missed_by_more_than_the_slack(seed):
    rng = np.random.default_rng(1000 + seed)
    for points in ways(seed):
        joined = rng.random(len(points)) > rng.choice([0.0, 0.1])
        rows = ribbon.bends(points, joined, np.full(len(points), SLACK))
        assert rows[0] == 0
        assert rows[-1] == len(points) - 1
        assert np.all(np.diff(rows) > 0)
        gaps = np.flatnonzero(~joined[:-1])
        assert set(gaps) | set(gaps + 1) <= set(rows), "both sides of a gap stay"
        for first, last in zip(rows[:-1], rows[1:], strict=True):
            level, whole = off_the_line(points[first : last + 1])
            assert level <= SLACK * (1.0 + 1e-9)
            assert whole <= 3.0 * SLACK, "steep ones lie off by more in all, where the level tells little"


def test_a_straight_way_is_its_ends_and_a_bend_takes_few():
    straight = np.stack([np.linspace(0.0, 90.0, 800), np.zeros(800), np.linspace(0.0, 4.0, 800)], axis=1)
    joined, slack = np.ones(800, bool), np.full(800, 0.02)
    assert ribbon.bends(straight, joined, slack).tolist() == [0, 799]
    t = np.linspace(0.0, 3.0, 2400)
    turn = np.stack([30.0 * np.cos(t), 30.0 * np.sin(t), np.zeros(2400)], axis=1)
    # the chord of an arc of radius r that lies s off it is sqrt(8 r s) long: 41 of 2.2 m each
    assert len(ribbon.bends(turn, np.ones(2400, bool), np.full(2400, 0.02))) == pytest.approx(90.0 / 2.19, rel=0.15)
    assert ribbon.bends(turn[:1], joined[:1], slack[:1]).tolist() == [0]
    assert len(ribbon.bends(turn, np.ones(2400, bool), np.zeros(2400))) == 2400, "no slack, no thinning"


def by_arrays(points, on, strength, width, paint, breaks):
    """A ribbon by whole arrays, with every point of its way."""
    step = np.diff(points, axis=0)
    size = np.hypot(step[:, 0], step[:, 1])
    keep = (size > 1e-9) & (size < breaks) & (on[1:] > 0.0) & (on[:-1] > 0.0)
    unit = step[:, :2] / np.where(size > 1e-9, size, 1.0)[:, None]
    unit[size <= 1e-9] = 0.0
    across = np.zeros((len(points), 2))
    across[:-1] += unit
    across[1:] += unit
    lengths = np.hypot(across[:, 0], across[:, 1])
    scale = np.where(lengths > 1e-9, 0.5 * width / np.where(lengths > 1e-9, lengths, 1.0), 0.0)
    side = np.stack([-across[:, 1] * scale, across[:, 0] * scale, np.zeros(len(scale))], axis=1)
    made = []
    for row in np.flatnonzero(keep):
        left, right = points + side, points - side
        for edge, at in ((left, 0), (right, 0), (right, 1), (left, 0), (right, 1), (left, 1)):
            made.append([*edge[row + at], *paint[:3], paint[3] * strength[row]])
    return np.array(made).reshape(-1, 7)


@pytest.mark.parametrize("seed", range(20))
def test_a_ribbon_with_no_slack_is_the_one_by_whole_arrays(seed):
    rng = np.random.default_rng(seed)
    wholes, given, looks = [], [], []
    for points in ways(seed)[:2]:  # those that bend: straight on is one piece whatever the slack
        on, strength = (rng.random(len(points)) > 0.2).astype(float), rng.random(len(points))
        look = (0.3, 0.0, 0.1, 0.2, 0.3, 0.8)
        wholes.append(by_arrays(points, on, strength, look[0], look[2:], 2.0))
        given.append((points, on, strength))
        looks.append(look)
    points, on, strength = (np.concatenate([one[k] for one in given]) for k in range(3))
    ends = np.cumsum([len(one[0]) for one in given])
    made = ribbon.corners(points, on, strength, ends, looks, 2.0)
    assert made.shape == np.concatenate(wholes).shape
    assert made == pytest.approx(np.concatenate(wholes), abs=1e-12)
