"""Dry friction at several points of a craft: what each of them gives so that it comes to rest, and stays.

Each point goes on from what it gave in the tick before (`support.rub`): the speed that is foreseen has the friction of
the last tick in it, and a point adds what would stop its share of what is left. What stands therefore stands, whatever
is pushed, at every tick rate; of what slides, no more is taken than stops it. Sharing by the load and by the mass that
each point feels never overshoots: all of them together answer a common slip with at most the whole of it.
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import spatial


@compiled
def foot_lever(support, body):
    """m from the centre of mass to a foot, world axes."""
    return spatial.to_world(body.axes, (support.at[0], support.at[1], support.at[2]))


@compiled
def found_lever(support, body):
    """m from the centre of mass to what a ray found, world axes."""
    return (
        support.point[0] - body.position[0],
        support.point[1] - body.position[1],
        support.point[2] - body.position[2],
    )


@compiled
def add_felt(total, support, lever):
    """A sum of forces and torques, N and N m, with what friction gave at a support in the tick before."""
    f = (support.rub[0], support.rub[1], support.rub[2])
    t = spatial.cross(lever, f)
    return (total[0] + f[0], total[1] + f[1], total[2] + f[2], total[3] + t[0], total[4] + t[1], total[5] + t[2])


@compiled
def add_foreseen(total, body, now):
    """Adds to the foreseen velocity and spin what a sum of forces and torques, N and N m, gives in a tick."""
    turned = spatial.times(body.inverse_inertia, (total[3], total[4], total[5]))
    for i in range(3):
        now.next_velocity[i] += now.dt * total[i] / body.mass
        now.next_spin[i] += now.dt * turned[i]


@compiled
def holding(support, body, lever, way, share, slip, dt):
    """N along the unit vector `way` that would bring a point to rest after this tick.

    share : of the craft's load, by which it answers. slip : m/s along `way` that is foreseen, with the friction of the
    tick before.
    """
    before = support.rub[0] * way[0] + support.rub[1] * way[1] + support.rub[2] * way[2]
    return before - share * body_module.effective_mass(body, lever, way) * slip / dt


@compiled
def keep(support, force):
    """Keeps what friction gives at a support, N, world axes."""
    for i in range(3):
        support.rub[i] = force[i]
