"""Dry friction at several points of a craft: what each of them gives so that it comes to rest, and stays.

Each point goes on from what it gave in the tick before (`support.last_friction`): the predicted speed contains what
acted then and is not booked yet now, this friction and what balances its torque (springs, contacts); a point adds
what would stop its share of what is left. What stands therefore stands, whatever pushes it, at every tick rate; of what
slides, no more is taken than stops it.
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.kernel import spatial
from oak_sled.core.kernel.state import CONTACT, TIES, WALLS

EASED = 0.5
"""Share of what is left of a slip that is taken in a tick where contacts carry: their loads are known of the last tick
only, and to take all of it at once would go to and fro with them."""


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
def add_pending(total, support, lever):
    """A sum of forces and torques, N and N m, with what friction gave at a support in the tick before."""
    f = (
        support.load * support.last_friction[0],
        support.load * support.last_friction[1],
        support.load * support.last_friction[2],
    )
    t = spatial.cross(lever, f)
    return (total[0] + f[0], total[1] + f[1], total[2] + f[2], total[3] + t[0], total[4] + t[1], total[5] + t[2])


@compiled
def leans(body):
    """True if a craft may roll or pitch, so that what carries it answers the torque of friction."""
    return body.free_spin[0] + body.free_spin[1] > 0.0


@compiled
def not_booked_yet(p, now):
    """N and N m that acted on a craft in the tick before and come behind part `p` in a tick, with part `p`: the parts
    from it on, and what contacts gave."""
    total = (0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    for k in range(p, now.parts):
        total = add_line(total, now, k)
    total = add_line(add_line(total, now, now.parts + WALLS), now, now.parts + CONTACT)
    return add_line(total, now, now.parts + TIES)


@compiled
def add_line(total, now, k):
    """A sum of forces and torques with line `k` of the tick before."""
    return (
        total[0] + now.last[k, 0],
        total[1] + now.last[k, 1],
        total[2] + now.last[k, 2],
        total[3] + now.last[k, 3],
        total[4] + now.last[k, 4],
        total[5] + now.last[k, 5],
    )


@compiled
def add_predicted(total, body, now):
    """Adds to the predicted velocity and spin what a sum of forces and torques, N and N m, gives in a tick."""
    turned = spatial.times(body.inverse_inertia, (total[3], total[4], total[5]))
    for i in range(3):
        now.next_velocity[i] += now.dt * total[i] / body.mass
        now.next_spin[i] += now.dt * turned[i]


@compiled
def mass_of_all(support, body, lever, way, sprung):
    """kg that all points of a craft together move along the unit vector `way`, seen from one of them.

    Points in a row slide alike, or turn about the normal of the ground: the greater give of the two overshoots in
    neither. sprung : 1 for what stands on springs: their load answers no tilt within the tick, as a contact does.
    """
    arm = spatial.cross(lever, way)
    n = (support.normal[0], support.normal[1], support.normal[2])
    about = spatial.dot(arm, n)
    upright = (about * n[0], about * n[1], about * n[2])
    moves = 1.0 / body.mass
    if sprung:
        tilt = (arm[0] - upright[0], arm[1] - upright[1], arm[2] - upright[2])
        moves += spatial.dot(tilt, spatial.times(body.inverse_inertia, tilt))
    give = max(moves, spatial.dot(upright, spatial.times(body.inverse_inertia, upright)))
    return (1.0 if sprung or not leans(body) else EASED) / give


@compiled
def holding(support, way, mass, slip, dt):
    """N along the unit vector `way` that would bring a point to rest after this tick.

    mass : kg by which it answers. slip : m/s along `way` that is predicted, with the friction of the tick before.
    """
    before = support.last_friction[0] * way[0] + support.last_friction[1] * way[1] + support.last_friction[2] * way[2]
    return support.load * before - mass * slip / dt


@compiled
def keep(support, force):
    """Keeps what friction gives at a support, N, world axes, over its load: where a load moves from foot to foot, as it
    may among more than three of them, friction moves with it."""
    for i in range(3):
        support.last_friction[i] = force[i] / support.load if support.load > 0.0 else 0.0
