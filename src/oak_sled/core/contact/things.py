"""The records of the contact solver: solids, the convex pieces they are made of, and what they touch.

A piece is a core (a few corners, or an upright disc-ended rod for a cylinder) with a radius round it: a ball is one
corner and a radius, a capsule two. A box or hull has a core drawn in by a small radius, so that pieces
that touch still have cores apart, between which the closest points are well defined; its faces stand at
their true place. Solid 0 is the craft, solid 1 the ground, which never moves.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oak_sled.core.state import Floats, Ints, Records

FREE, FIXED, DRIVEN, TRIGGER, HUNG, PARKED = range(6)
"""How a solid moves: as it is pushed; not at all; as told, pushing others; what only reports; what waits to be
dropped, fixed until then; and a shot that is not in flight, which nothing meets."""
POINTS, CYLINDER = range(2)
CRAFT, GROUND = 0, 1

SLOP = 1e-3
"""m of overlap that is left alone, so that what rests keeps touching."""
TOUCHING = 2e-3
"""m of gap within which a fast meeting is answered; before that it is only kept from passing."""
MARGIN = 0.02
"""m of gap within which a contact is kept."""
BOUNCING = 0.3
"""m/s of approach below which nothing bounces."""
VELOCITY_ROUNDS, PLACE_ROUNDS = 14, 6
BOUNCE_ROUNDS = 4
SPARE_ROUNDS, SPARE_WORK = 60, 2400
"""Rounds more where contacts are few: so many at most, and no more than this many solved contacts."""
FIRST_ROUNDS, FIRST_WORK = 400, 250_000
"""The same for the tick in which a scene of many contacts begins: nothing is known of them yet, and what is found in
it is the first guess of every later tick, so that what stands well falls asleep soon."""
AGREED = 5e-6
"""m/s: contacts that change less than this in a round agree."""
SLEEP_SPEED, SLEEP_SPIN, SLEEP_AFTER = 0.03, 0.06, 0.5
"""m/s, rad/s and s: what has been slower for so long falls asleep, with all that it touches."""
UPRIGHT = 0.5
"""Upward part of a normal below which a contact is a wall, and above which it is ground."""
OVERLAP = 0.01
"""m of overlap at the start that is worth a word."""
MOST_POINTS = 4
MOST_OUTLINE = 24

SOLID = np.dtype(
    [
        ("kind", "i8"),
        ("first_piece", "i8"),
        ("pieces", "i8"),
        ("material", "i8"),
        ("asleep", "i8"),
        ("inside", "i8"),  # of a trigger: how many solids are in it now
        ("still", "f8"),  # s it has been slow
        ("mass", "f8"),
        ("inverse_mass", "f8", (3,)),  # 1/kg along the world axes; zero where held or fixed
        ("inertia", "f8", (3, 3)),  # kg m2, its own axes
        ("free_spin", "f8", (3,)),
        ("inverse_inertia", "f8", (3, 3)),  # world axes
        ("gravity_scale", "f8"),
        ("position", "f8", (3,)),  # of the centre of mass
        ("attitude", "f8", (4,)),
        ("axes", "f8", (3, 3)),
        ("velocity", "f8", (3,)),
        ("spin", "f8", (3,)),
        ("shift", "f8", (3,)),  # m/s that only moves it out of an overlap in this tick
        ("twist", "f8", (3,)),
        ("middle", "f8", (3,)),  # m, of its pieces, own axes
        ("reach", "f8"),  # m, radius round the middle
        ("half", "f8", (3,)),  # m, half extents of the box round it, own axes
        ("low", "f8", (3,)),
        ("high", "f8", (3,)),
        ("sway", "f8", (3,)),  # a driven solid goes to and fro: m along world axes
        ("period", "f8"),
        ("home", "f8", (3,)),
        ("time", "f8"),
        ("shot", "i8"),  # one more than the launcher's number among the parts; 0: no shot
        ("age", "f8"),  # s that a shot has flown; -1 while it is parked
    ]
)

PIECE = np.dtype(
    [
        ("kind", "i8"),
        ("first", "i8"),
        ("count", "i8"),
        ("first_face", "i8"),
        ("faces", "i8"),
        ("radius", "f8"),
        ("part", "i8"),  # of the craft's runner that it stands for; -1: none
        ("row", "i8"),  # on which side of it
        ("long", "i8"),  # 1: it has a foot at either end
        ("rub", "f8"),  # times the friction of its solid
        ("centre", "f8", (3,)),
        ("axis", "f8", (3,)),
        ("half", "f8"),  # m, of a cylinder's core
        ("disc", "f8"),
        ("full_half", "f8"),
        ("full_disc", "f8"),
    ]
)

FACE = np.dtype([("first", "i8"), ("count", "i8"), ("normal", "f8", (3,))])

TRIANGLE = np.dtype(
    [
        ("corners", "f8", (3, 3)),
        ("normal", "f8", (3,)),
        ("low", "f8", (3,)),
        ("high", "f8", (3,)),
        ("sharp", "i8"),  # 1, 2 and 4 for the edges that stand out, over which it may push aslant
    ]
)

GRID = np.dtype([("plane", "i8"), ("x", "f8"), ("y", "f8"), ("cell", "f8"), ("nx", "i8"), ("ny", "i8")])

CONTACT = np.dtype(
    [
        ("a", "i8"),
        ("b", "i8"),
        ("key", "i8"),
        ("fast", "i8"),  # 1: only kept from passing in this tick
        ("normal", "f8", (3,)),  # from b to a, world axes
        ("way", "f8", (3,)),
        ("across", "f8", (3,)),
        ("point", "f8", (3,)),
        ("local", "f8", (3,)),  # the point in the axes of a, by which it is known again
        ("lever_a", "f8", (3,)),
        ("lever_b", "f8", (3,)),
        ("gap", "f8"),  # m, negative when they overlap
        ("friction", "f8"),
        ("bounce", "f8"),
        ("approach", "f8"),  # m/s along the normal before anything answered
        ("mass", "f8"),  # kg felt along the normal
        ("mass_way", "f8"),
        ("mass_across", "f8"),
        ("arm_a", "f8", (3, 3)),  # lever x direction: along the normal, along and across the surface
        ("arm_b", "f8", (3, 3)),
        ("turn_a", "f8", (3, 3)),  # rad/s that an impulse of 1 N s along each of them gives
        ("turn_b", "f8", (3, 3)),
        ("push", "f8"),  # N s so far
        ("drag_way", "f8"),
        ("drag_across", "f8"),
        ("drag", "f8", (3,)),
        ("place_push", "f8"),
        ("wanted", "f8"),  # m/s of shift along the normal
    ]
)


class Scene(NamedTuple):
    """All that can touch. counts: contacts now, contacts before, candidate pairs met, contacts solved."""

    solids: Records
    pieces: Records
    corners: Floats
    faces: Records
    outline: Floats
    triangles: Records
    grid: Records
    grid_first: Ints
    grid_items: Ints
    pairs: Floats  # friction and bounce of two materials, shape (m, m, 2)
    contacts: Records
    before: Records
    table: Ints
    order: Ints  # solids along x
    turns: Ints  # contacts by height
    roots: Ints
    counts: Ints
    answer: Floats  # how the craft answers a wall: response (-1: as anything), share kept along, bounce, scrape
    work: Floats
    patches: Records  # see `surface.PATCH`
    start: Floats  # m of the deepest overlap at the start, and the two solids
