"""The ledger of a run: what every line booked in a tick, how far it is from closing, energy and work."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import rotations, traces
from oak_sled.core.results.run import Run
from oak_sled.core.tick.rowlayout import BLOCK_LINES

_BLOCK_LINES = {
    "pushes": ("pushes of crafts and shots", "impulse"),
    "gravity": ("gravity", "gravity"),
    "air": ("air drag", "air"),
    "contacts": ("contacts and ties", "support"),
}


@dataclass(frozen=True)
class LedgerRow:
    """A line of the ledger at one moment. force N and torque N m about the centre of mass, in the axes asked for."""

    name: str
    title: str
    family: str
    force: tuple[float, float, float]
    torque: tuple[float, float, float]


_FIXED = {
    "gravity": ("gravity", "gravity"),
    "damping": ("damping", "holder"),
    "held axes": ("held axes", "holder"),
    "walls": ("walls", "impulse"),
    "edge": ("edge", "impulse"),
    "integrator": ("integrator", "holder"),
    "contact": ("contact", "support"),
    "ties": ("ties", "tie"),
    "poke": ("poke", "impulse"),
}


def title_of(run: Run, name: str) -> tuple[str, str]:
    """Title and family of a ledger line."""
    part = next((part for part in run.job.single.parts if part.id == name), None)
    volume = next((one for one in run.job.ground.volumes if one.line == name), None)
    if volume is not None:
        return volume.heading, volume.FAMILY_OF[volume.does]
    return _FIXED[name] if part is None else (part.heading, part.FAMILY)


def ledger(run: Run, row: int, craft_axes: bool) -> tuple[LedgerRow, ...]:
    """The bookings of the tick that ended at `row`: every line, in the order in which they act."""
    numbers = run.own_row(row)
    axes = np.eye(3)
    if craft_axes:
        axes = rotations.rotation(numbers[3:7]).T
    found = []
    for name in run.layout.lines:
        place = run.layout.own_place(f"{name}.force.x")
        force, torque = axes @ numbers[place : place + 3], axes @ numbers[place + 3 : place + 6]
        title, family = title_of(run, name)
        found.append(LedgerRow(name, title, family, tuple(force), tuple(torque)))
    return tuple(found)


def ledger_of_all(run: Run, row: int, craft_axes: bool) -> tuple[LedgerRow, ...]:
    """The bookings of all bodies of the craft that is looked at in the tick that ended at `row`, body by body, without
    lines that booked nothing. In the axes of the first body, or of the world; torques about the centre of each."""
    bodies = [run.seen_from(one.id) for one in run.job.bodies]
    axes = rotations.rotation(bodies[0].own_row(row)[3:7]).T if craft_axes else np.eye(3)
    found = []
    for one in bodies:
        whose = "" if one is bodies[0] else one.job.single.heading
        for line in ledger(one, row, False):
            if any(line.force) or any(line.torque):
                force, torque = axes @ np.array(line.force), axes @ np.array(line.torque)
                named = f"{one.job.single.id}/{line.name}"
                is_named = not whose or line.title.lower().startswith(whose.lower())
                title = line.title if is_named else f"{whose}: {line.title}"
                found.append(LedgerRow(named, title, line.family, tuple(force), tuple(torque)))
    return tuple(found)


def ledger_of_block(run: Run, name: str, row: int, own_axes: bool) -> tuple[LedgerRow, ...]:
    """The same for a block that the drill watches, about its centre of mass, in its own axes or those of the world."""
    numbers, place = run.record.row(row), run.layout.place
    axes = np.eye(3)
    if own_axes:
        first = place(f"block.{name}.rotation.w")
        axes = rotations.rotation(numbers[first : first + 4]).T
    found = []
    for line in BLOCK_LINES:
        first = place(f"block.{name}.{line}.force.x")
        force, torque = axes @ numbers[first : first + 3], axes @ numbers[first + 3 : first + 6]
        found.append(LedgerRow(line, _BLOCK_LINES[line][0], _BLOCK_LINES[line][1], tuple(force), tuple(torque)))
    return tuple(found)


def mass_of_block(run: Run, name: str) -> float:
    """kg of a block of the ground of a run."""
    return next(one.mass for one in run.job.ground.blocks if one.id == name)


def ledger_gap(run: Run) -> tuple[float, float]:
    """The error of closing of the ledger: the worst tick, linear and angular, relative to its largest line.

    Sum of forces against mass x change of velocity; sum of torques against change of angular momentum.
    """
    dt = run.job.dt
    lines = [run.line(name)[1:] for name in run.layout.lines]
    total = np.sum(lines, axis=0)
    largest = np.max(np.abs(np.stack(lines)), axis=(0, 2))
    mass = run.job.single.body.true_mass()
    moved = np.diff(traces.velocity(run), axis=0) * mass / dt
    momentum = angular_momentum(run)
    turned = np.diff(momentum, axis=0) / dt
    # what floats can tell apart, when velocities are divided by a short tick
    floor = 1e-3 * (mass + np.max(np.abs(momentum), initial=0.0)) + 1e-12
    scale = np.maximum(largest, floor)
    linear = np.max(np.abs(total[:, :3] - moved), axis=1) / scale
    angular = np.max(np.abs(total[:, 3:] - turned), axis=1) / scale
    return float(np.max(linear, initial=0.0)), float(np.max(angular, initial=0.0))


def angular_momentum(run: Run) -> Floats:
    """N m s about the centre of mass, world axes, shape (rows, 3): R I R^T w from the recorded state."""
    inertia = run.job.single.body.inertia_matrix()
    spins = run.columns("spin.x", "spin.y", "spin.z")
    attitudes = run.columns("rotation.w", "rotation.x", "rotation.y", "rotation.z")
    matrices = np.array([rotations.rotation(q) for q in attitudes])
    craft_spin = np.einsum("nji,nj->ni", matrices, spins)
    return np.einsum("nij,nj->ni", matrices, craft_spin @ inertia.T)


def energy(run: Run) -> Floats:
    """J of motion: translation and rotation, shape (rows,)."""
    mass = run.job.single.body.true_mass()
    spins = run.columns("spin.x", "spin.y", "spin.z")
    turning = 0.5 * np.sum(spins * angular_momentum(run), axis=1)
    return 0.5 * mass * np.sum(traces.velocity(run) ** 2, axis=1) + turning


def work(run: Run, name: str, first: int = 0, last: int | None = None) -> float:
    """J that a ledger line put into the craft between two rows, else in the whole run: force times mean velocity and
    torque times mean spin, summed over the ticks."""
    last = run.ticks if last is None else last
    booked = run.line(name)[first + 1 : last + 1]
    v = traces.velocity(run)[first : last + 1]
    w = traces.spin(run)[first : last + 1]
    moved = np.einsum("ij,ij->", booked[:, :3], v[1:] + v[:-1])
    turned = np.einsum("ij,ij->", booked[:, 3:], w[1:] + w[:-1])
    return float(0.5 * run.job.dt * (moved + turned))
