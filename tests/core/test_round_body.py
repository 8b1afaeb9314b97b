"""Round a body that attracts "up" is away from it: every kind of part does the same on each side of it.

One craft glides low over a ball at two places of it, begun alike in its own level frame there; turned onto one another,
both runs are the same.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Literal, get_args, get_origin

import numpy as np
import pytest

from oak_sled.core.advice import cautions
from oak_sled.core.assembly import starts
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.register import KINDS
from oak_sled.core.results import run, traces
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.orbit import Orbit

DOCUMENTS = [kind.document for kind in KINDS]
BALL = Block(id="floe", shape="ball", length=40.0, z=-20.0, moves="fixed", attracts=6.0)
SPACE = Ground(id="space", gravity=0.0, air_density=1.0, floor=False, blocks=(BALL,))
WORLD = {"world"}
"""Values of fields that ask for the axes of the world, which are no others on the other side."""
GENTLE = {"Torque": {"turn": 0.3}}
"""Fields by which a kind leaves a motion that amplifies no rounding."""
SEES_NO_UP = {"Buoy": "floats on a level sea", "RailBrake": "has no rail to brake on"}


def variants(document) -> Iterator[dict[str, object]]:
    """The part as it is by default, and with each value of each of its choices that it takes alone."""
    yield {}
    for name, field in document.model_fields.items():
        if get_origin(field.annotation) is Literal and name != "kind":
            for value in get_args(field.annotation):
                if value not in WORLD and value != field.default:
                    yield {name: value}


def glide(part, anomaly: float) -> tuple[np.ndarray, np.ndarray]:
    """Place, velocity, spin and nose over time in the frame of the start, shape (ticks + 1, 12), and that frame."""
    orbit = Orbit(around="floe", altitude=1.6, inclination_deg=63.0, node_deg=25.0, anomaly_deg=anomaly)
    start = Start(orbit=orbit, speed=-4.0, side_speed=0.7, pitch_deg=4.0, roll_deg=6.0, yaw_rate_deg=9.0)
    knots = (Knot(t=0.0, value=0.0), Knot(t=0.1, value=0.8))
    drill = Drill(id="glide", duration=0.8, start=start, tracks=(Track(channel="throttle", knots=knots),))
    craft = Craft(id="one", body=Body(mass=120.0), channels=(Channel(id="throttle"),), parts=(part,))
    made = run.execute(Job(craft, SPACE, drill, 120))
    place, axes, _ = starts.orbit_frame(orbit, SPACE)
    numbers = made.columns(*(f"{what}.{axis}" for what in ("position", "velocity", "spin") for axis in "xyz"))
    w, x, y, z = made.columns(*(f"rotation.{one}" for one in "wxyz")).T
    nose = np.stack([1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + w * z), 2.0 * (x * z - w * y)], axis=1)
    turned = [numbers[:, :3] - place, numbers[:, 3:6], numbers[:, 6:9], nose]
    return np.concatenate([one @ axes for one in turned], axis=1), axes


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda one: one.__name__)
def test_every_kind_does_the_same_on_each_side_of_a_ball(document):
    if document.__name__ in SEES_NO_UP:
        pytest.skip(f"{document.__name__} {SEES_NO_UP[document.__name__]}")
    fields: dict[str, object] = {"channel": "throttle"} if "channel" in document.model_fields else {}
    fields |= GENTLE.get(document.__name__, {})
    tried = 0
    for more in variants(document):
        try:
            part = document(id="part", trim=0.2, **(fields | more))
        except ValueError:
            continue  # that choice needs another field with it
        (one, _), (other, _) = glide(part, 10.0), glide(part, 170.0)
        assert len(one) == len(other) > 50
        away = float(np.abs(one - other).max())
        assert away < 1e-5, f"{more}: {away:.2g}"
        tried += 1
    assert tried > 0
    assert math.isfinite(float(one.sum()))


@pytest.mark.parametrize("x", [0.0, 5.0, 39.0])
def test_a_craft_that_starts_inside_what_attracts_it_is_told_so_and_comes_out(x):
    ball = Block(id="ball", shape="ball", z=-40.0, length=80.0, width=80.0, height=80.0, moves="fixed", attracts=2.0)
    ground = Ground(id="g", gravity=0.0, air_density=0.0, floor=False, blocks=(ball,))
    craft = Craft(id="craft", body=Body(mass=100.0))
    made = run.execute(Job(craft, ground, Drill(id="d", duration=2.0, start=Start(x=x)), 120))
    told = [one.says for one in cautions.find(made.job, made) if one.name == "overlap"]
    assert len(told) == 1
    assert "craft starts" in told[0]
    assert "inside ball, to whose middle it falls" in told[0]
    assert not made.is_diverged
    away = np.linalg.norm(made.columns("position.x", "position.y", "position.z"), axis=1)
    assert away[-1] > away[0], "outward"
    assert np.linalg.norm(traces.velocity(made), axis=1).max() < 20.0, "and not as a shot"
