"""Words of exported files, the same in every language: what stands at the top, and what a game calls."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

from oak_sled.core.portable.code import Kept, Program

LICENCE = (
    "Licence: whoever exported this file may use it, and the equations written into it, under any terms "
    "(a permission under section 7 of the GNU General Public License, version 3; see LICENSE of Oak Sled)."
)
FRAMES = (
    "SI units and radians. World axes: x and y level, z up. Craft axes: x forward, y left, z up. The attitude is a "
    "unit quaternion (w, x, y, z) from craft axes to world axes; position, velocity (m/s), spin (rad/s) and momentum "
    "(N m s) are those of the centre of mass, in world axes."
)
KEPT_SAYS = {
    "position": "m, of the centre of mass, world axes",
    "velocity": "m/s, world axes",
    "attitude": "quaternion w, x, y, z, craft to world",
    "spin": "rad/s, world axes",
    "momentum": "N m s, angular, world axes",
    "inputs": "-1 to 1, as they were given",
    "channels": "what the parts read: the inputs when they are shaped",
    "shaped": "inputs that are shaped",
    "raw": "inputs within their bounds",
    "before": "channels of the tick before",
    "smooth": "inputs that are smoothed",
    "lines": "N and N m of each part in this tick, world axes",
    "time": "s",
    "axes": "craft to world",
    "inertia": "kg m2, world axes",
    "inverse_inertia": "its inverse",
    "memory": "what parts keep",
    "heading_x": "where the nose points, level",
    "forward": "m/s along the heading",
    "side": "m/s to its left",
    "speed": "m/s",
    "load": "N on the ground",
    "on_ground": "1 while it stands",
    "aloft": "s since it stood",
    "start_velocity": "m/s at the start of the tick",
    "start_spin": "rad/s at the start of the tick",
    "next_velocity": "m/s as pushed so far",
    "next_spin": "rad/s as pushed so far",
}


def record_name(program: Program) -> str:
    """The name of a craft as that of a type."""
    made = "".join(word.capitalize() for word in program.name.split("_"))
    return f"{made}Craft" if made in RESERVED else made


RESERVED = {
    "Begin",
    "Tick",
    "Push",
    "Set",
    "Copy",
    "Numbers",
    "Math",
    "Object",
    "Array",
    "Vec2",
    "Vec3",
    "Vec4",
    "Test",
}
"""Names that mean something else in one of the languages."""


def heading(program: Program) -> str:
    """The words at the top of a file."""
    return f"{program.title}, as tuned on Oak Sled.\n{program.about}\n{FRAMES}\n{program.assumed}\n{LICENCE}"


def interface(program: Program) -> dict[str, str]:
    """The functions that a game calls, each in words."""
    inputs = ", ".join(program.inputs) or "none"
    return {
        "begin": "Puts the craft at its start, with the numbers that it was exported with.",
        "tick": f"Moves the craft by one tick of n.dt seconds. inputs: {inputs}; each as its channel takes it.",
        "push": (
            "For a game that moves bodies itself: write its position, attitude, velocity, spin and momentum into the "
            "craft; this gives the force (N) and the torque (N m, about the centre of mass) of the coming tick, in "
            "world axes. Then call tick as well, for what the parts keep, or copy the motion of the game over it."
        ),
        "set": "Sets a number by its name while it runs; false where there is none of that name.",
    }


def shape_words(one: Kept) -> Iterator[tuple[tuple[int, ...], float | int]]:
    """Indices and start of every number of what is kept."""
    yield from zip(itertools.product(*(range(n) for n in one.shape)), one.start, strict=True)
