"""Looks of things: the shader programs of a picture, and solids that can be drawn with each of them.

Each look has a program of its own, since a software renderer works through every branch of a program for every pixel,
taken or not, and tests depth early only where nothing is discarded.
"""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np

from oak_sled.core.base.arrays import Floats

Rgb = tuple[float, float, float]
SUN = (-0.42, 0.34, 0.84)
PLAIN, VEILED, GROUND, VEILED_GROUND = "plain", "veiled", "ground", "veiled ground"
ALL = (PLAIN, VEILED, GROUND, VEILED_GROUND)
"""Solids; those that are a veil where they stand before the subject; uneven ground, with its rules; and both."""

_DEFINES: dict[str, dict[str, float]] = {
    PLAIN: {"FLAT": 1},
    VEILED: {"VEIL": 1, "CLEAR": 0.1},  # a crate that leans on the subject hides it as well as one before it
    GROUND: {"RULED": 0.8},
    VEILED_GROUND: {"RULED": 0.8, "VEIL": 1, "CLEAR": 1.0},  # the ground that it stands on stays whole
}
"""CLEAR : radii before the subject from which on nothing is a veil. RULED : how strong the rules are."""

_SOLID_VERTEX = """
uniform mat4 clip; uniform vec3 sun;
#ifdef FLAT
uniform float flatten; in float level;
#endif
in vec3 place; in vec3 normal; in vec3 colour;
in mat4 model; in vec4 over;
out vec3 tint; out float mist; out vec3 spot; flat out vec4 paint;
#ifdef RULED
out vec3 ruled;
#endif
void main() {
    paint = over;
    vec4 world = model * vec4(place, 1.0);
#ifdef FLAT
    if (flatten > 0.5) { world.xyz -= sun * ((world.z - level) / sun.z); world.z = level; }
#endif
    gl_Position = clip * world;
    vec3 n = normalize(mat3(model) * normal);
    float light = 0.66 + 0.30 * max(dot(n, sun), 0.0) + 0.10 * n.z;
    tint = colour * light;
    spot = world.xyz;
    mist = (gl_Position.w - 90.0) * 0.002;
#ifdef RULED
    ruled = spot * vec3(0.5, 0.5, 4.0);  // 2 m apart, and lines of one height a quarter of a metre
#endif
}
"""
_SOLID_FRAGMENT = """
uniform vec3 haze;
in vec3 tint; in float mist; in vec3 spot; flat in vec4 paint;
out vec4 pixel;
#ifdef RULED
uniform vec3 rule;
in vec3 ruled;
#endif
#ifdef VEIL
uniform vec3 eye; uniform vec4 subject; uniform float veil;
float covered() {
    // 1 before a cone from the eye round the subject, 0 beside it and behind it
    vec3 way = subject.xyz - eye, to = spot - eye;
    float far = length(way), along = dot(to, way) / far, share = along / far;
    float off = length(to - way * (along / far)) / (subject.w * max(share, 0.02));
    float before = 1.0 - smoothstep(far - (CLEAR + 0.3) * subject.w, far - CLEAR * subject.w, along);
    return before * (1.0 - smoothstep(1.0, CONE, off));
}
#endif
void main() {
    float shown = 1.0;
#ifdef VEIL
    shown = 1.0 - 0.84 * covered();
    if ((shown > 0.999) == (veil > 0.5)) discard;
#endif
    vec3 base = mix(tint, paint.rgb, paint.a);
#ifdef RULED
    vec3 wide = fwidth(ruled) + 1e-5, far = abs(fract(ruled + 0.5) - 0.5);
    vec3 on = min(vec3(1.5, 1.5, 1.6) - far / wide, 1.0) * max(1.0 - wide * vec3(2.0, 2.0, 1.0), 0.0);
    base = mix(base, rule, 0.6 * RULED * max(max(on.x, on.y), 0.0));
    base = mix(base, rule * 0.72, spot.z < 0.02 ? 0.0 : RULED * max(on.z, 0.0));
#endif
    pixel = vec4(mix(base, haze, clamp(mist, 0.0, 0.85)), shown).bgra;
}
"""
CONE = 1.35
"""Radii of the subject past which nothing is a veil, as in the program."""


def balls_round(vertices: Floats) -> Floats:
    """Balls that hold the triangles of a solid, some in each: middle and radius, shape (n, 4). vertices : three a
    triangle, position first, shape (3 n, 9)."""
    if not len(vertices):
        return np.zeros((0, 4))
    each = 36  # a box
    spots = np.asarray(vertices[:, :3], dtype=float)
    starts = np.arange(0, len(spots), each)
    low, high = np.minimum.reduceat(spots, starts), np.maximum.reduceat(spots, starts)
    return np.column_stack([0.5 * (low + high), 0.5 * np.linalg.norm(high - low, axis=1)])


def is_veil(balls: Floats, eye: Floats, subject: tuple[float, float, float, float]) -> bool:
    """True if anything in balls, shape (n, 4), may be a veil before a subject: what the program finds of a pixel, with
    room for all of a ball. subject : its place and radius, m."""
    way = np.array(subject[:3]) - eye
    far = float(np.linalg.norm(way))
    if far < 1e-9 or not len(balls):
        return len(balls) > 0
    to, radius = balls[:, :3] - eye, balls[:, 3]
    along = to @ (way / far)
    off = np.sqrt(np.maximum(np.einsum("ij,ij->i", to, to) - along * along, 0.0))
    cone = CONE * subject[3] * np.maximum((along + radius) / far, 0.02)
    near = far - _DEFINES[VEILED]["CLEAR"] * subject[3]
    return bool(np.any((off - radius < cone) & (along - radius < near)))


ICE_VERTEX = """
#version 330
uniform mat4 clip;
in vec2 place; in float least;
out vec2 spot; out float mist; flat out float rim;
void main() {
    gl_Position = clip * vec4(place, 0.0, 1.0);
    spot = place * 0.5; rim = least;
    mist = (gl_Position.w - 60.0) * 0.00143;
    gl_Position.z = gl_Position.w;  // behind all that has a depth
}
"""
ICE_FRAGMENT = """
#version 330
uniform vec3 ice; uniform vec3 to_rule; uniform vec3 to_haze;
in vec2 spot; in float mist; flat in float rim;
out vec4 pixel;
void main() {
    // it fills the picture, so that every operation counts: what is below 0 is left to the last of the maxima
    vec2 wide = fwidth(spot) + 1e-5, sharp = 1.0 / wide;
    vec2 far2 = abs(fract(spot + 0.5) - 0.5), far10 = abs(fract(spot * 0.2 + 0.5) - 0.5);
    vec2 on10 = min(1.6 - 5.0 * far10 * sharp, 1.0) * max(0.85 - wide * 0.425, 0.0);
    vec2 on2 = min(1.5 - far2 * sharp, 1.0) * max(0.30 - wide * 0.75, 0.0), on = max(on10, on2);
    float lines = max(max(on.x, on.y), rim), hazy = clamp(mist, 0.0, 1.0);
    pixel = vec4(ice + hazy * to_haze + (lines - lines * hazy) * to_rule, 1.0).bgra;
}
"""
ICE_REACH, ICE_RIM = 2400.0, 0.35
"""m from the middle to which ice is drawn, and how strong it is ruled all over past the edges of the ground."""


def difference(one: Rgb, other: Rgb) -> Rgb:
    """Difference to add to a colour to make it another."""
    return other[0] - one[0], other[1] - one[1], other[2] - one[2]


def ice_sheet(edges: tuple[float, float, float, float]) -> Floats:
    """The ice in nine pieces, parted where the ground ends: corners of triangles with how strong they are ruled at
    least, shape (54, 3). edges : west, south, east and north, m."""
    xs, ys = ([-ICE_REACH, *np.clip(edges[k::2], -ICE_REACH, ICE_REACH), ICE_REACH] for k in (0, 1))
    made = []
    for i in range(3):
        for j in range(3):
            (a, c), (b, d), least = xs[i : i + 2], ys[j : j + 2], 0.0 if i == j == 1 else ICE_RIM
            made += [(x, y, least) for x, y in ((a, b), (c, b), (c, d), (a, b), (c, d), (a, d))]
    return np.array(made)


BAND_VERTEX = """
#version 330
uniform mat4 clip;
in vec3 place; in vec4 paint;
out vec4 tint; out float away;
void main() {
    gl_Position = clip * vec4(place, 1.0);
    tint = paint; away = gl_Position.w;
}
"""
BAND_FRAGMENT = """
#version 330
in vec4 tint; in float away;
out vec4 pixel;
void main() { pixel = vec4(tint.bgr, tint.a * clamp(1.2 - away / 420.0, 0.15, 1.0)); }
"""

PLACE = 21
"""Numbers that a solid is drawn with for each place where it stands: the columns of its model matrix, what it is
painted over with, and the level of the ground below, on which its shadow lies."""
_PLACE_OF = {PLAIN: ("16f 4f 1f/i", "model", "over", "level")}
_PLACE_WITHOUT_SHADOW = "16f 4f 4x/i", "model", "over"


class Program:
    """A shader program; a number that it has already is not handed over again."""

    def __init__(self, made: moderngl.Program):
        self.made = made
        self._uniforms: dict[str, Any] = {name: made[name] for name in made if isinstance(made[name], moderngl.Uniform)}
        self._has: dict[str, object] = {}

    def set(self, name: str, value: object) -> None:
        """Sets a number, a tuple of them, or a matrix as its bytes."""
        if self._has.get(name) != value:
            self._has[name] = value
            if isinstance(value, bytes):
                self._uniforms[name].write(value)
            else:
                self._uniforms[name].value = value


class Looks:
    """The programs that solids are drawn with, by their looks."""

    def __init__(self, gl: moderngl.Context, instances: moderngl.Buffer):
        """instances : the numbers of each place of a solid, see `PLACE`."""
        self.context, self.instances = gl, instances
        self.programs: dict[str, Program] = {}
        for look, defines in _DEFINES.items():
            head = "#version 330\n" + "".join(
                f"#define {name} {value}\n" for name, value in {"CONE": CONE, **defines}.items()
            )
            made = gl.program(vertex_shader=head + _SOLID_VERTEX, fragment_shader=head + _SOLID_FRAGMENT)
            self.programs[look] = Program(made)
            self.programs[look].set("sun", SUN)

    def set(self, name: str, value: object, *looks: str) -> None:
        """Sets a number of several programs."""
        for look in looks:
            self.programs[look].set(name, value)

    def solid(self, vertices: Floats) -> Solid:
        """Triangles of shape (n, 9): place, normal, colour. Corners that several of them share are worked out once: on
        a software renderer that is half the time."""
        corners, index = np.unique(np.ascontiguousarray(vertices[:, :9], "f4"), axis=0, return_inverse=True)
        order = self.context.buffer(index.astype("i4").tobytes())
        return Solid(self, self.context.buffer(np.ascontiguousarray(corners).tobytes()), order)


class Solid:
    """Vertices on the graphics card that can be drawn in any look."""

    def __init__(self, looks: Looks, buffer: moderngl.Buffer, index: moderngl.Buffer | None = None):
        self._looks, self._buffer, self._index = looks, buffer, index
        self._arrays: dict[str, moderngl.VertexArray] = {}

    def in_look(self, look: str) -> moderngl.VertexArray:
        """The same for one look."""
        if look not in self._arrays:
            told = [
                (self._buffer, "3f 3f 3f", "place", "normal", "colour"),
                (self._looks.instances, *_PLACE_OF.get(look, _PLACE_WITHOUT_SHADOW)),
            ]
            program = self._looks.programs[look].made
            self._arrays[look] = self._looks.context.vertex_array(program, told, self._index)
        return self._arrays[look]
