"""The records of the contact solver: solids, the convex pieces they are made of, and what they touch.

A piece is a core (a few corners, or an upright disc-ended rod for a cylinder) with a radius round it: a ball is one
corner and a radius, a capsule two. A box or hull has a core drawn in by a small radius, so that pieces
that touch still have cores apart, between which the closest points are well defined; its faces stand at
their true place. Solid 0 is the ground, which never moves; crafts come next.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oak_sled.core.base.arrays import Floats, Ints, Records

FREE, FIXED, DRIVEN, TRIGGER, HUNG, PARKED = range(6)
"""Motions of a solid: as it is pushed; not at all; as told, pushing others; what only reports; what waits to be
dropped, fixed until then; and a shot that is not in flight, which nothing collides with."""
POINTS, CYLINDER = range(2)
GROUND = 0
COLLIDES, REPORTS, PASSES = range(3)
"""Answers of two layers to each other: collide, only report each other, or pass unnoticed."""

SLOP = 1e-3
"""m of overlap that is left alone, so that what rests keeps touching."""
TOUCHING = 2e-3
"""m of gap within which a fast meeting is answered; before that it is only kept from passing."""
RESERVE, RESERVE_S = 0.25, 0.3
"""Share of its reach, and s of its speed, by which the box in which a body's neighbours are known goes round it."""
MARGIN = 0.02
"""m of gap within which a contact is kept."""
BOUNCING = 0.3
"""m/s of approach below which nothing bounces."""
VELOCITY_ROUNDS, PLACE_ROUNDS = 14, 6
BLOW_ROUNDS, SHARED_ROUNDS = 4, 300
"""Rounds over all pairs that hit each other at least, and rounds over the points of one pair at most."""
SPARE_ROUNDS, SPARE_WORK = 150, 5000
"""Rounds more where contacts are few: so many at most, and no more than this many solved contacts."""
FIRST_ROUNDS, FIRST_WORK = 400, 250_000
"""The same for the tick in which a scene of many contacts begins: nothing is known of them yet, and what is found in
it is the first guess of every later tick, so that what stands well falls asleep soon."""
STANDING, STANDING_ROUNDS, STANDING_WORK = 0.3, 1600, 20_000
"""m/s below which an island stands, and rounds and solved contacts at most for one: what stands is not moved by what
its rounds leave undone, and soon falls asleep."""
TOLERANCE = 1e-5
"""m/s: contacts that change less than this in a round agree."""
SLEEP_SPEED, SLEEP_SPIN, SLEEP_AFTER = 0.03, 0.06, 0.5
"""m/s, rad/s and s: what has been slower for so long falls asleep, with all that it touches."""
CALM_SPEED, CALM_SPIN = 0.004, 0.02
"""m/s and rad/s by which that may change meanwhile: more, and something accelerates it."""
UPRIGHT = 0.5
"""Upward part of a normal below which a contact is a wall, and above which it is ground."""
OVERLAP = 0.01
"""m of overlap at the start that is worth a caution."""
MOST_POINTS = 4

SOLID = np.dtype(
    [
        ("kind", "i8"),
        ("craft", "i8"),  # whose body it is; -1: no craft's
        ("inverse_mass", "f8", (3,)),  # 1/kg along the world axes; zero where held or fixed
        ("velocity", "f8", (3,)),
        ("spin", "f8", (3,)),
        ("layer", "i8"),
        ("reports", "i8"),  # 1 where its layer has one that it only reports: its `inside` is recorded
        ("active", "i8"),  # 1 while its contacts are sought
        ("first_piece", "i8"),
        ("pieces", "i8"),
        ("material", "i8"),
        ("asleep", "i8"),
        ("inside", "i8"),  # of a trigger or one that reports: how many solids are in it now
        ("still", "f8"),  # s it has been slow
        ("rest_motion", "f8", (6,)),  # velocity and spin when that began
        ("mass", "f8"),
        ("inertia", "f8", (3, 3)),  # kg m2, its own axes
        ("free_spin", "f8", (3,)),
        ("inverse_inertia", "f8", (3, 3)),  # world axes
        ("gravity_scale", "f8"),
        ("position", "f8", (3,)),  # of the centre of mass
        ("attitude", "f8", (4,)),
        ("axes", "f8", (3, 3)),
        ("gained", "f8", (3,)),  # m/s and rad/s that its forces gave it in this tick
        ("gained_spin", "f8", (3,)),
        ("pushed", "f8", (3,)),  # m/s of it that rays gave it, which its velocity has already
        ("feel", "f8"),  # m that its rays reach beyond it
        ("shift", "f8", (3,)),  # m/s that only moves it out of an overlap in this tick
        ("twist", "f8", (3,)),
        ("middle", "f8", (3,)),  # m, of its pieces, own axes
        ("reach", "f8"),  # m, radius round the middle
        ("ball", "f8"),  # m, radius round the centre of mass
        ("half", "f8", (3,)),  # m, half extents of the box round it, own axes
        ("low", "f8", (3,)),
        ("high", "f8", (3,)),
        ("near_low", "f8", (3,)),  # the box for which its neighbours are known
        ("near_high", "f8", (3,)),
        ("looked", "i8"),  # the tick in which its contacts were sought last
        ("near_first", "i8"),
        ("near_last", "i8"),
        ("air", "f8"),  # m2, 1/2 Cd A
        ("belt", "f8", (3,)),  # m/s of its surface, own axes: a conveyor
        ("sway", "f8", (3,)),  # a driven solid goes to and fro: m along world axes
        ("period", "f8"),
        ("phase", "f8"),  # rad, where in its period it begins
        ("ramp", "f8"),  # s over which it takes up its motion
        ("home", "f8", (3,)),
        ("time", "f8"),
        ("catches", "i8"),  # 1 where thrown lines catch on it
        ("rail", "i8"),  # one more than the rail that a driven solid follows by the clock; 0: none
        ("rail_place", "f8"),  # m of arc length
        ("rail_speed", "f8"),  # m/s
        ("shot", "i8"),  # one more than the launcher's number among the parts of all crafts; 0: no shot
        ("owner", "i8"),  # the body of the craft that fires it
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
        ("friction_scale", "f8"),  # times the friction of its solid
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
        ("home", "i8", (2,)),  # the first cell of the grid along x and y that it reaches
        ("sharp", "i8"),  # 1, 2 and 4 for the edges that stand out, over which it may push aslant
    ]
)

GRID = np.dtype(
    [
        ("plane", "i8"),  # 1 where the ground is level at height 0 too
        ("origin", "f8", (2,)),  # m, the south-western corner
        ("cell", "f8", (2,)),  # m, a cell along x and y
        ("a_metre", "f8", (2,)),  # cells in it
        ("cells", "i8", (2,)),  # along x and y; 0: no triangles
        ("blocks", "i8"),  # of cells, along x
    ]
)
"""The cells from above by which the triangles of the ground are found: see `grid`."""

FOUND, BEFORE, MET, SOLVED, ACTIVE, STALE, TICKS, LOST, REPORTING = range(9)
"""Places in `Scene.counts`: contacts now, contacts before, pairs of pieces met, contacts solved, active solids, whether
neighbours have to be searched again, ticks done, contact points and neighbours that found no room, and solids that
report those of some layer."""

CONTACT = np.dtype(
    [
        ("a", "i8"),
        ("b", "i8"),
        ("fast", "i8"),  # 1: only kept from passing in this tick
        ("island", "i8"),  # a body of the group that is solved together
        ("normal", "f8", (3,)),  # from b to a, world axes
        ("way", "f8", (3,)),
        ("across", "f8", (3,)),
        ("arm_a", "f8", (3, 3)),  # lever x direction: along the normal, along and across the surface
        ("arm_b", "f8", (3, 3)),
        ("turn_a", "f8", (3, 3)),  # rad/s that an impulse of 1 N s along each of them gives
        ("turn_b", "f8", (3, 3)),
        ("belt_way", "f8"),  # m/s by which the surfaces themselves move along and across
        ("belt_across", "f8"),
        ("target", "f8"),  # m/s along the normal that it is held to at least
        ("mass", "f8"),  # effective mass along the normal, kg
        ("mass_way", "f8"),
        ("mass_across", "f8"),
        ("give", "f8", (3,)),  # 1/kg, the same three turned over
        ("from_way", "f8"),  # m/s along the normal that an impulse of 1 N s along and across gives
        ("from_across", "f8"),
        ("friction", "f8"),
        ("push", "f8"),  # N s so far
        ("drag_way", "f8"),
        ("drag_across", "f8"),
        ("step", "f8", (3,)),  # N s that the last round changed along the three directions
        ("course", "f8", (3,)),  # N s by which the rounds are hurried on: see `solver.hurry`
        ("piece", "i8"),  # of a
        ("key", "i8"),  # the pieces, or the piece and the triangle
        ("point", "f8", (3,)),
        ("local", "f8", (3,)),  # the point in the axes of a, by which it is known again
        ("seam", "f8", (3,)),  # m, by which b is moved to be beside a: see `seams`
        ("lever_a", "f8", (3,)),
        ("lever_b", "f8", (3,)),
        ("gap", "f8"),  # m, negative when they overlap
        ("bounce", "f8"),
        ("approach", "f8"),  # m/s along the normal before anything answered
        ("gained", "f8"),  # m/s of it that forces gave in this tick
        ("blow", "f8", (3,)),  # N s along the three directions with which a hit was answered first
        ("event", "f8", (3,)),  # the same, of one of several hits in a tick
        ("drag", "f8", (3,)),
        ("place_push", "f8"),
        ("wanted", "f8"),  # m/s of shift along the normal
        ("set_down", "i8"),  # 1 where two balls were put where they touch, or miss each other
    ]
)


JOINT = np.dtype(
    [
        ("a", "i8"),
        ("b", "i8"),  # the ground for a joint with the world
        ("at_a", "f8", (3,)),  # m, of its point from the centre of mass, own axes
        ("at_b", "f8", (3,)),
        ("island", "i8"),
        ("leads", "i8"),  # of the first joint of an island that has no contacts: how many joints it has; else 0
        ("tie_a", "i8"),  # the bodies among `Scene.ties`; -1: one that never moves freely
        ("tie_b", "i8"),
        ("first", "i8"),  # of the joints before it that share a body with it, or come behind one that does
        ("known", "i8"),  # 1 from its second tick on
        ("calmed", "i8"),  # 1 where this tick is done with friction: see `joints.calm`
        ("now_a", "f8", (3,)),  # the same in world axes
        ("now_b", "f8", (3,)),
        ("before_a", "f8", (3,)),  # a tick before
        ("before_b", "f8", (3,)),
        ("end_a", "f8", (3,)),  # a tick later
        ("end_b", "f8", (3,)),
        ("lever_a", "f8", (3,)),  # where its impulse acts, between these
        ("lever_b", "f8", (3,)),
        ("average", "f8"),  # the share of those before and later in it
        ("inverse", "f8", (3, 3)),  # kg, the impulse that takes a speed of 1 m/s away at its point
        ("impulse", "f8", (3,)),  # N s on a, the first guess of the next tick
        ("guess", "f8", (3,)),  # that of this tick
        ("drive", "f8", (3,)),  # m/s by which its point on a is moved, world axes
        ("part", "i8"),  # of the craft a that carries b by it; -1: none
    ]
)
"""A ball joint: a point of one body held to a point of another, three rows that are solved as one."""
TIE = np.dtype(
    [
        ("solid", "i8"),
        ("own_inverse", "f8", (3, 3)),  # of its inertia, own axes
        ("stiffness", "f8", (3, 3)),  # kg m2, that its pulled joints add to its inertia
        ("inverse", "f8", (3, 3)),  # rad/s that an impulse of 1 N m s gives it with that, world axes
        ("velocity", "f8", (3,)),  # without its joints
        ("spin", "f8", (3,)),
        ("given", "f8", (3,)),  # rad/s that joints gave it in this tick
        ("missing", "f8", (3,)),  # rad/s that their impulses would give it beyond that
        ("ahead", "f8", (3,)),  # the same with its stiffness
        ("torque", "f8", (3,)),  # N m s of impulses, about its centre of mass
        ("pull", "f8"),  # N m s, of the impulses of its joints along their levers
        ("press", "f8"),  # N m s, of contacts against theirs
    ]
)
"""A body that joints hold."""


PUSHES, WEIGHT, AIR, CONTACTS = range(4)
BOOKED = 4
"""Lines of the ledger of a watched block."""
WATCHED = np.dtype(
    [
        ("solid", "i8"),
        ("velocity", "f8", (3,)),  # as booked last
        ("spin", "f8", (3,)),
        ("lines", "f8", (BOOKED, 6)),  # N s and N m s of this tick, world axes: see PUSHES
    ]
)


class Scene(NamedTuple):
    """All bodies and shapes. counts : see FOUND and the names behind it."""

    solids: Records
    pieces: Records
    corners: Floats
    faces: Records
    outline: Floats
    triangles: Records
    grid: Records
    grid_first: Ints
    grid_items: Ints
    grid_top: Floats  # m, the highest point of the triangles of a cell
    block_top: Floats  # m, the same of a block of cells
    pairs: Floats  # friction and bounce of two materials, shape (m, m, 2)
    layers: Ints  # what each layer does with each, shape (n, n): see COLLIDES
    joints: Records
    links: Records  # see `linkkind.LINK`
    chain: Floats  # the nodes of ropes with mass, one rope behind another, shape (n, chain.COLUMNS)
    rails: Records  # see `railway.RAIL`
    rail_points: Floats  # point, tangent and top of all rails, one behind another, shape (n, 9)
    ties: Records  # the bodies that joints hold
    energy: Floats  # J of motion of an island before last tick's impulses and with them, by its root
    tie_rows: Floats  # the rows of all joints, shape (3 n, 3 n), and their factors
    tie_right: Floats  # m/s by which the points of each joint part, or N s that keep them together
    contacts: Records
    before: Records
    table: Ints
    order: Ints  # solids along x
    active: Ints  # solids whose contacts are sought, in their order
    couples: Ints  # neighbours while they are sought, shape (n, 2)
    near: Ints  # the neighbours of every solid, one stretch after another
    sighted: Ints  # bodies that rays of a craft may find
    turns: Ints  # contacts by height
    roots: Ints
    counts: Ints
    answer: Floats  # how each craft answers a wall: response (-1: as anything), share kept along, bounce, scrape
    work: Floats
    patches: Records  # see `surface.PATCH`
    recorded: Ints  # solids whose motion stands in a row, in their order
    counted: Ints  # those of which it stands there how many are in them
    slots: Ints  # shots
    watched: Records  # blocks whose ledger is kept
    start: Floats  # m of the deepest overlap at the start, and the two solids
    period: Floats  # m from seam to seam along each axis, shape (3,): see `seams`
    follows: Ints  # what a solid follows across a seam, shape (solids,): see `crossing`
    ranks: Ints  # those that follow one, each behind what it follows
    immersed: Floats  # s that a solid has been in a pushing volume, and s until that acts again, shape (solids, n, 2)
    origins: Floats  # where a solid begins, place and attitude, shape (solids, 7), where volumes push
    wet: Floats  # triangles of the shapes of solids from their centres of mass, own axes, m, shape (n, 3, 3), for water
    wet_first: Ints  # where those of a solid begin, shape (solids + 1,)
    wet_volume: Floats  # m3 of each solid
