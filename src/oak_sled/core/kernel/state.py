"""The records the kernel works on: what a craft is, and what it is doing at this moment.

Everything is SI; angles in radians; vectors in world axes unless their name says craft. The
records are filled by `assembly/world.py` and by the tick itself, never by a document.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oak_sled.core.base.arrays import Floats, Ints, Records
from oak_sled.core.kernel import surface, volumes

FIXED_LINES = ("gravity", "damping", "held axes", "walls", "edge", "integrator", "contact", "ties", "poke")
"""The ledger lines every craft has behind those of its parts, in this order."""
GRAVITY, DAMPING, HOLDS, WALLS, EDGE, INTEGRATOR, CONTACT, TIES, POKE = range(len(FIXED_LINES))

MOST_PARTS = 64
MOST_LINES = MOST_PARTS + len(FIXED_LINES) + volumes.MOST_VOLUMES
"""Of a ledger: the parts, the fixed lines, and the volumes of the ground that push."""
MOST_CHANNELS = 16
MEMORY = 8
"""Numbers a part may keep from tick to tick: see the equation that uses them."""

RUNNING, ENDED, DIVERGED, STOPPED = 0, 1, 2, 3
"""Status codes of the kernel."""

BUMPER = np.dtype([("wall_response", "i8"), ("tangential_share", "f8"), ("restitution", "f8"), ("wall_friction", "f8")])

CRAFT = np.dtype(
    [
        ("body", "i8"),  # its rigid body among those of the scene
        ("lead", "i8"),  # the row of the first body of its craft, which has the channels; its own row for that one
        ("first_part", "i8"),  # its stretch of the parts, channels and supports
        ("parts", "i8"),
        ("first_limiter", "i8"),  # where limiters begin among its parts
        ("first_channel", "i8"),
        ("channels", "i8"),
        ("first_support", "i8"),
        ("feet", "i8"),  # supports that belong to feet; those of the hull stand behind them
        ("supports", "i8"),
        ("rays", "i8"),  # supports that rays find, behind those
        ("tires", "i8"),  # of them, those whose wheels have tires
        ("inertia", "f8", (3, 3)),  # kg m2, craft axes, about the centre of mass
        ("free", "f8", (3,)),  # 1 where translation along a world axis is free, 0 where held
        ("free_spin", "f8", (3,)),  # likewise for rotation about world axes
        ("gravity_scale", "f8"),
        ("damping_law", "i8"),
        ("damping", "f8"),
        ("spin_damping", "f8"),
        ("foot", "f8"),  # m, lowest point below the centre of mass of a level craft
        ("bumper_line", "i8"),  # ledger line of the wall response
        ("integrator", "i8"),  # 0 semi-implicit, 1 explicit
        ("late_first", "i8"),  # its rows of `World.late`; none where its driver sees and acts at once
        ("late_room", "i8"),
        ("driver_channel", "i8"),  # -1: nobody aims
        ("driver_gain", "f8"),
        ("driver_damping", "f8"),
        ("driver_sight", "f8"),
        ("pace_channel", "i8"),  # -1: nobody holds a speed
        ("pace", "f8"),  # m/s at a raw value of 1
        ("pace_gain", "f8"),
        ("start", "f8", (13,)),  # position, attitude, velocity, spin
    ]
)
"""A body of a craft as it is set: its body of the scene, which stretches of the arrays, and what stays as it is during
a run. A craft is a list of bodies, a record each, one after another: each has its own NOW and ledger, and the parts
that are on it. Channels, driver and gates belong to the craft, whose first body leads."""

AXLE = np.dtype(
    [
        ("radius", "f8"),  # m, of the wheel that stands there; 0: there is none
        ("tired", "i8"),  # 1 where a tire answers for its friction, and its turning is a state
        ("steer", "f8"),  # rad to the left, asked of it in this tick, as the next six are
        ("drive", "f8"),  # N m
        ("brake", "f8"),  # N m at most
        ("grip", "f8"),  # share of its grip that is left
        ("farther", "f8"),  # m past full droop that its ray looks for the ground, for what holds the craft down
        ("spin_limit", "f8"),  # slip ratio past which drive is taken back; 0: never
        ("lock_limit", "f8"),  # likewise of the brake
        ("binding", "f8"),  # N m s/rad by which a differential holds it to `bound`
        ("bound", "f8"),  # rad/s
        ("turn", "f8"),  # rad/s, positive while it rolls forward
        ("slip_along", "f8"),  # how far its tire is deflected, as the slip ratio that deflects it so
        ("slip_side", "f8"),  # likewise, as the tangent of a slip angle
        ("loose", "f8"),  # 1 since it slid until it grips again
        ("sliding", "f8"),  # share of the second set of grip
        ("inertia", "f8"),  # kg m2
        ("slope", "f8"),  # N m s/rad by which its tire answers a turn rate, and N m at none, in the last tick
        ("rest", "f8"),
        ("along", "f8"),  # N along it and to its left, and the most it can give to its left
        ("side", "f8"),
        ("limit", "f8"),
        ("limit_along", "f8"),
        ("slip", "f8"),  # both slips together, 1 where it gives its most
        ("slip_angle", "f8"),  # rad, positive to its left
        ("slip_ratio", "f8"),
    ]
)
"""A wheel at the end of a ray: what is asked of it in a tick, how it turns, and what its tire gives."""
AXLE_KEEPS = ("turn", "slip_along", "slip_side", "loose", "sliding", "slope", "rest")
"""The fields that are state, kept from tick to tick."""

SUPPORT = np.dtype(
    [
        ("part", "i8"),  # of the craft, whose foot it is; -1: the hull
        ("foot", "i8"),
        ("below", "i8"),  # the body that carries
        ("material", "i8"),
        ("at", "f8", (3,)),  # m, of the foot from the centre of mass, craft axes
        ("point", "f8", (3,)),  # m, world axes
        ("normal", "f8", (3,)),  # unit, away from what carries
        ("gap", "f8"),  # m
        ("load", "f8"),  # N along the normal
        ("loaded", "f8"),  # N, of a ray: its load in the tick before
        ("velocity", "f8", (3,)),  # m/s of the surface below
        ("senses", "i8"),  # of a ray: 1 where it only looks, and carries nothing
        ("muted", "i8"),  # of a ray: 1 where its part is, so that it finds nothing
        ("aim", "i8"),  # where it points: see `rays.AIM_CRAFT`
        ("layer", "i8"),  # it finds what this layer collides with
        ("reach", "f8"),  # m
        ("radius", "f8"),  # m, of the sphere that is swept along it; 0: a ray
        ("way", "f8", (3,)),  # unit, world axes
        ("rate", "f8"),  # m/s by which its gap grows, by the velocity of its mount along it
        ("before", "f8"),  # m, the gap of the tick before; -1 where it found nothing
        ("force", "f8", (3,)),  # N that its part gives the craft there, world axes
        ("last_friction", "f8", (3,)),  # what dry friction gave in the tick before, over the load: see `dryfriction`
        # of a ray that a game casts: m to what it met, below 0 for nothing; its normal, m/s of it, and m where it is
        ("hit", "f8", (10,)),
        ("axle", AXLE),
    ]
)
"""A point on which a craft stands, whoever found it: the level plane under a craft whose height is held, a contact, or
a ray."""

HULL_SUPPORTS = 8
"""Supports of a hull that are kept apart; what is more is added to the last."""

CHANNEL = np.dtype(
    [
        ("sensitivity", "f8"),
        ("smoothing", "f8"),  # s
        ("dead_zone", "f8"),
        ("exponent", "f8"),
        ("rise", "f8"),
        ("fall", "f8"),
        ("low", "f8"),
        ("least_input", "f8"),
        ("takes", "i8"),  # LEVEL, INCREMENT or NOTCH: what its raw input is
        ("stays", "i8"),  # RETURNS, LEVER, TOGGLE or SELECTOR
        ("notches", "f8"),
        ("offset", "f8"),
        ("start", "f8"),
    ]
)
RETURNS, LEVER, TOGGLE, SELECTOR, SPENT = range(5)
"""Behaviour of a channel without input: it returns to 0, or stays where it is; or its value is the input of the tick,
as a movement that is given once."""
LEVEL, INCREMENT, NOTCH = range(3)
"""Kinds of raw input of a channel: how far it is pushed, how far it was moved in the tick, or steps."""
PRESSED = 0.5
"""Input past which a toggle or a selector counts as pressed."""

MOST_WELLS = 8
"""Bodies of a ground that attract."""
WELL = np.dtype(
    [
        ("solid", "i8"),  # that attracts
        ("mu", "f8"),  # m3/s2
        ("radius", "f8"),  # m; inside of it the attraction falls to nothing in its middle
        ("middle", "f8", (3,)),  # m, where it is now
    ]
)
"""A body that attracts all others by its gravity, and is not attracted back: it is static or kinematic."""

GROUND = np.dtype(
    [
        ("gravity", "f8"),
        ("air_density", "f8"),
        ("wind", "f8", (3,)),
        ("grip", "f8"),
        ("patch_count", "i8"),
        ("patches", surface.PATCH, (surface.MOST_PATCHES,)),
        ("edge_kind", "i8"),  # 0 open, 1 wrap, 2 wall, 3 return
        ("low", "f8", (3,)),  # m, of its edges
        ("high", "f8", (3,)),
        ("period", "f8", (3,)),  # m from edge to edge where it wraps; 0: it does not
        ("time", "f8"),  # s, of this tick, for what passes
        ("pushing", "i8"),  # volumes that push, before those of wind and those of gravity
        ("winds", "i8"),
        ("fields", "i8"),
        ("wells", "i8"),  # bodies that attract
        ("well", WELL, (MOST_WELLS,)),
        ("volumes", volumes.VOLUME, (volumes.MOST_VOLUMES,)),
    ]
)

GATE = np.dtype([("x", "f8"), ("y", "f8"), ("cos", "f8"), ("sin", "f8"), ("half_width", "f8")])

DRILL = np.dtype(
    [
        ("end_kind", "i8"),  # 0 time, 1 distance, 2 stopped, 3 hit, 4 last gate, 5 left the ground
        ("end_value", "f8"),
    ]
)

TRIGGER, HOLD, RELEASE, DROP, PUSHED, FAIL, LET_GO, SWITCH = range(8)
"""Kinds of events: fire a part, let a sling hold the craft, release it, drop a block, poke a body, fail a part, let
a tie go."""

EVENT = np.dtype(
    [
        ("time", "f8"),
        ("what", "i8"),
        ("craft", "i8"),  # whose part it is
        ("part", "i8"),  # of that craft, that is fired, holds or releases; -1: none
        ("solid", "i8"),  # that is dropped or poked; -1: none
        ("link", "i8"),  # that lets go; -1: none
        ("vector", "f8", (3,)),  # m of a pull, N s of a poke, world axes
        ("point", "f8", (3,)),  # m from the centre of mass, own axes: where it is poked
    ]
)

WISH_FORCE, WISH_TORQUE, WISH_LEAN = 0, 3, 6
"""Places in `NOW.wish`: N ahead, left and up, N m about these, craft axes; and rad of roll and pitch added to the
attitude that is held."""
WISHES = 8
MOST_ACTUATORS = 24
"""Columns of a mixer: an actuator that swivels takes two."""
MIXING = np.dtype(
    [
        ("ready", "i8"),  # one more than the bits of those that are lost, while columns and square are theirs
        ("most", "f8", (6,)),  # N and N m that all give along and about each axis
        ("scale", "f8", (6,)),  # from N or N m to what the squares are counted in
        ("asked", "f8", (6,)),  # what was asked beyond the demand in the last tick: see `mixing.solve_exactly`
        ("columns", "f8", (MOST_ACTUATORS, 6)),  # what each gives at a full command, weighted
        ("square", "f8", (MOST_ACTUATORS, MOST_ACTUATORS)),  # their products
        ("factor", "f8", (MOST_ACTUATORS, MOST_ACTUATORS)),
        ("low", "f8", (MOST_ACTUATORS,)),
        ("high", "f8", (MOST_ACTUATORS,)),
        ("cost", "f8", (MOST_ACTUATORS,)),  # fuel of a full command, over the most of all; 0: it burns none
        ("value", "f8", (MOST_ACTUATORS,)),
        ("aim", "f8", (MOST_ACTUATORS,)),
        ("right", "f8", (MOST_ACTUATORS,)),
        ("bound", "i8", (MOST_ACTUATORS,)),  # -1 and 1 where a command stands at its lower or upper bound
        ("free", "i8", (MOST_ACTUATORS,)),
    ]
)
"""Room in which a mixer seeks the commands: see `mixing.solve`."""

LATENESS, ARRIVES, STEERING, FORWARD = range(4)
"""Of a row of `World.late` on its way: ticks it takes, the tick in which it comes in, what the driver steers, and m/s
by which he holds his pace."""
TICK, NEWEST = range(2)
"""Of the row before those: ticks so far, and one more than the newest that came in, in the places of the first two."""

OTHERS, FLY, COLLIDE, LAND, CAST, PUSH_BACK, COMMAND = range(7)
"""Places in `World.calls`: what parts do to other bodies, shots in the air, contacts, where shots hit, rays, what the
bodies below feel of them, and controllers."""

LOOSE, IN_PLACE, WEIGHTLESS = range(3)
"""Holds of a sling on its craft: none, where it is, or floating."""

NOW = np.dtype(
    [
        ("dt", "f8"),  # s, of this tick or substep
        ("nominal_dt", "f8"),  # s, of the tick the settings were made for
        ("time", "f8"),
        ("load", "f8"),  # N, the sum of its supports
        ("up", "f8", (3,)),  # away from the ground that carries it
        ("below", "f8", (3,)),  # m/s of the surfaces that carry it, by their loads
        ("on_ground", "f8"),  # 1 while something below carries it
        ("aloft", "f8"),  # s since something below carried it
        ("leaning", "f8"),  # 1 while it leans on something upright
        ("speed", "f8"),  # m/s
        ("forward", "f8"),  # m/s, along the heading, level
        ("side", "f8"),  # m/s, to the left of the heading, level
        # its columns, world axes: east, north and up of the level frame where it is. East and north are those of the
        # world, but where gravity is not the same everywhere: see `environment.tip`
        ("level", "f8", (3, 3)),
        ("tipped", "i8"),  # 1 where that is so
        ("tipping", "f8", (3,)),  # rad/s at which the frame turns, world axes
        ("tilt", "f8", (3, 3)),  # the axes of the body in that frame, for what holds an attitude
        ("heading_x", "f8"),  # along its east and north
        ("heading_y", "f8"),
        ("in_wall", "f8"),  # 1 while touching a wall
        ("clear_for", "f8"),  # s since a wall was last touched
        ("next_gate", "f8"),
        ("gates_missed", "f8"),
        ("moved", "f8"),  # m, path length since the start
        ("stood", "f8"),  # 1 once the ground has carried it
        ("held", "f8"),  # how a sling holds it
        ("next_event", "i8"),
        ("pull", "f8", (3,)),  # m, of the sling that is released in this tick
        ("inertia", "f8", (3, 3)),  # kg m2, world axes
        ("momentum", "f8", (3,)),  # N m s, angular, world axes
        ("start_velocity", "f8", (3,)),
        ("start_spin", "f8", (3,)),
        ("next_velocity", "f8", (3,)),  # m/s, what the lines booked so far would make of it
        ("next_spin", "f8", (3,)),
        ("turning", "f8", (3, 3)),  # 1/(kg m2), inverse of the inertia in craft axes, of a body that turns freely
        ("parts", "i8"),  # how many of the rows below are in use
        ("volumes", "i8"),  # of the ground that push: a ledger line each, behind the fixed ones
        ("channel_count", "i8"),
        ("channels", "f8", (MOST_CHANNELS,)),  # what parts read: the shaped input, or what a controller commands
        ("before", "f8", (MOST_CHANNELS,)),  # channel values a tick ago
        ("shaped", "f8", (MOST_CHANNELS,)),  # the shaped input
        ("raw", "f8", (MOST_CHANNELS,)),  # the input as it was given
        ("smooth", "f8", (MOST_CHANNELS,)),  # the smoothed level, or what of a movement is still to be given
        (
            "pressed",
            "f8",
            (MOST_CHANNELS,),
        ),  # -1, 0 or 1: how a toggle or a selector was pressed last tick
        ("fuel", "f8"),  # kg in its tanks
        ("fuel_before", "f8"),  # the same a tick ago
        ("burn", "f8"),  # kg/s that its parts burn in this tick
        ("burnt", "f8"),  # the same a tick ago
        ("wish", "f8", (WISHES,)),  # what holders ask of the actuators in this tick: see WISH_FORCE and behind it
        ("asked", "f8", (MOST_PARTS, 2)),  # what a mixer asks of each actuator, shares of its greatest
        ("lost", "f8", (MOST_PARTS,)),  # 1 for a part that has failed
        ("mixing", MIXING),  # room for the mixer
        ("memory", "f8", (MOST_PARTS, MEMORY)),
        ("activity", "f8", (MOST_PARTS,)),
        ("trigger", "f8", (MOST_PARTS,)),  # 1 in the tick in which an event fires a part
        ("reaction", "f8", (MOST_PARTS, 6)),  # N and N m that a shot or a blow puts on the craft in this tick
        ("lines", "f8", (MOST_LINES, 6)),  # N and N m about the centre of mass
        ("moved_along", "i8"),  # 1 where anything moves along with the craft in this tick
        # kg of it along the craft's axes and kg m2 about them, by the line whose part or volume moves it
        ("added", "f8", (MOST_LINES, 6)),
        (
            "last",
            "f8",
            (MOST_LINES, 6),
        ),  # the same of the tick before, of a craft that may roll or pitch
        ("points", "f8", (MOST_PARTS, 3)),  # m, where each part acts
    ]
)
"""A body of a craft in this moment, beside its motion: memory of its parts, the ledger, and the channels of
the craft as its parts read them."""


class World(NamedTuple):
    """All that stays as it is during a run, and the supports.

    crafts : a row a body of a craft. ground, drill : one record each. parts, channels : of all crafts, one after
    another. events : in order of time. calls : addresses of units that only some runs need, see OTHERS; 0: not needed.
    late : what drivers sent and what of it came in, see LATENESS; shape (rows, 4).
    """

    crafts: Records
    ground: Records
    drill: Records
    parts: Records
    channels: Records
    gates: Records
    events: Records
    supports: Records
    calls: Ints
    late: Floats
