"""Every kind of part, walked by the register: trims, mute, mirror and energy. A new kind is held to this at once."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.parts.register import KINDS

DOCUMENTS = [kind.document for kind in KINDS]
PUSHES = [kind.document for kind in KINDS if kind.command or "gas_density" in kind.document.model_fields]
"""Holders, which push toward what they hold, and what lifts."""
PASSIVE = [one for one in DOCUMENTS if one.FAMILY in ("air", "grip", "holder") and one not in PUSHES]
FLAT = {"mass": 120.0, "held": ("z", "roll", "pitch")}
MOVING = {"speed": 6.0, "side_speed": 1.5, "yaw_rate_deg": 40.0}
TRIMS = (0.1, 1.0, 2.0, 10.0)


def part(document, **fields):
    """A part of a kind with what it is by default, on the throttle where it takes a channel."""
    if "channel" in document.model_fields:
        fields.setdefault("channel", "throttle")
    return document(id="part", **fields)


def motion(run):
    return run.columns("position.x", "position.y", "velocity.x", "velocity.y", "spin.z")


def energy(run):
    """J of the motion on the level."""
    body = run.job.craft.body
    speed = np.sum(run.columns("velocity.x", "velocity.y") ** 2, axis=1)
    return 0.5 * body.true_mass() * speed + 0.5 * body.inertia_matrix()[2, 2] * run.column("spin.z") ** 2


@pytest.mark.parametrize("ticks", [60, 240])
@pytest.mark.parametrize("trim", TRIMS)
@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda one: one.__name__)
def test_at_any_trim_the_run_stays_finite_and_to_its_end(make, document, trim, ticks):
    made = make.run(
        [part(document, trim=trim)], body=FLAT, inputs={"throttle": 1.0}, seconds=2.0, ticks=ticks, **MOVING
    )
    assert made.ticks == 2 * ticks
    assert np.all(np.isfinite(motion(made)))


@pytest.mark.parametrize("ticks", [60, 240])
@pytest.mark.parametrize("trim", TRIMS)
@pytest.mark.parametrize("document", PASSIVE, ids=lambda one: one.__name__)
def test_what_only_resists_never_adds_energy_and_lets_nothing_tremble(make, document, trim, ticks):
    made = make.run(
        [part(document, trim=trim)], body=FLAT, inputs={"throttle": 1.0}, seconds=6.0, ticks=ticks, **MOVING
    )
    all_of_it = energy(made)
    assert np.all(np.diff(all_of_it) <= 1e-9 * all_of_it[0])
    speed = np.hypot(*made.columns("velocity.x", "velocity.y")[-1])
    assert speed < 1e-12 or speed > 0.05, "what has stopped stands"
    if document.__name__ == "Brake" and trim >= 1.0:
        assert speed < 1e-12


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda one: one.__name__)
def test_muted_and_trimmed_to_nothing_are_as_if_it_were_not_there(make, document):
    settings = {"body": FLAT, "inputs": {"throttle": 1.0}, "seconds": 1.0, **MOVING}
    bare = motion(make.run([], **settings))
    assert np.array_equal(motion(make.run([part(document, mute=True)], **settings)), bare)
    assert np.array_equal(motion(make.run([part(document, trim=0.0)], **settings)), bare)


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda one: one.__name__)
def test_left_and_right_are_alike(make, document):
    settings = {"body": FLAT, "inputs": {"throttle": 1.0}, "seconds": 2.0}
    one = motion(make.run([part(document)], **settings, **MOVING))
    other = motion(make.run([part(document)], **settings, speed=6.0, side_speed=-1.5, yaw_rate_deg=-40.0))
    turns = np.array([1.0, -1.0, 1.0, -1.0, -1.0])
    if "turns" in document.model_fields:  # likewise what turns one way round
        mirrored = part(document, turns=next(way for way in ("left", "right") if way != part(document).turns))
        other = motion(make.run([mirrored], **settings, speed=6.0, side_speed=-1.5, yaw_rate_deg=-40.0))
    if document.__name__ == "Torque":  # it turns to one side by itself: that side is mirrored by its sign
        other = motion(
            make.run([part(document)], **{**settings, "inputs": {"throttle": -1.0}}, speed=6.0, side_speed=-1.5,
            yaw_rate_deg=-40.0)
        )  # fmt: skip
    assert np.allclose(one, other * turns, rtol=1e-9, atol=1e-9)


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda one: one.__name__)
def test_what_is_booked_is_what_moves_it(make, document):
    """The sum of all ledger lines, integrated, is the change of momentum, on both axes of the level."""
    made = make.run([part(document)], body=FLAT, inputs={"throttle": 1.0}, seconds=1.0, **MOVING)
    total = sum(made.line(name)[1:, :2] for name in made.layout.lines) * made.job.dt
    change = np.diff(made.columns("velocity.x", "velocity.y"), axis=0) * made.job.craft.body.true_mass()
    assert np.allclose(total, change, rtol=1e-9, atol=1e-7)
