"""Draws the yard off screen with OpenGL 3.3 and hands the picture over as an image.

One standalone context; the picture is read back and painted by a plain widget, so that the rest of
the window never passes through GL. A software renderer gets flat shadows and no smoothing while
bodies move, and one smoothed picture once they stand still; a GPU gets smoothing always.

A picture is begun and finished apart: between the two the renderer's own threads fill it, while
the desk goes on with its work. It is drawn upside down and in the byte order of a 32-bit QImage,
so that no pixel is moved twice.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

import moderngl
import numpy as np
from PyQt6.QtGui import QImage

from oak_sled.core.assembly import ground_shape
from oak_sled.core.base.arrays import Floats
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview import freight, glcalls, looks, meshes, space
from oak_sled.desk.yardview.camera import Camera
from oak_sled.desk.yardview.craftsolids import CraftSolids
from oak_sled.desk.yardview.looks import GROUND, PLAIN, VEILED, VEILED_GROUND, Looks, Program, Solid
from oak_sled.desk.yardview.scene import LEVEL, PLAINLY, WHERE_IT_IS, Batch, Draw, Figure, Scene, batches, level_below
from oak_sled.desk.yardview.uneven import Uneven

SOFTWARE = ("llvmpipe", "softpipe", "swrast", "swiftshader", "software")
_UPSIDE_DOWN = np.diag([1.0, -1.0, 1.0, 1.0])


class Picture(QImage):
    """An image over the renderer's memory, which it keeps alive."""

    def __init__(self, pixels: Any, width: int, height: int):
        super().__init__(pixels, width, height, 4 * width, QImage.Format.Format_RGB32)
        self.pixels = pixels


class Renderer:
    """Raises RuntimeError when there is no OpenGL 3.3; the yard view then draws a plan instead."""

    def __init__(self) -> None:
        # a software renderer that takes every core takes this thread's too, which has the rest of the window to draw
        os.environ.setdefault("LP_NUM_THREADS", str(max(1, len(os.sched_getaffinity(0)) - 1)))
        settings: dict[str, Any] = {"backend": "egl"}  # needs no display of its own
        try:
            self.context = moderngl.create_standalone_context(require=330, **settings)
        except Exception as error:
            raise RuntimeError(f"no OpenGL 3.3 here: {error}") from error
        self.name = str(self.context.info.get("GL_RENDERER", ""))
        self.is_software = any(word in self.name.lower() for word in SOFTWARE)
        self._frames: dict[tuple[int, int, int], tuple[moderngl.Framebuffer, moderngl.Framebuffer]] = {}
        self._meshes: dict[object, Solid | None] = {}
        self._balls: dict[object, Floats] = {}
        """Of meshes that may be a veil, by the same keys."""
        self._buffer = bytearray()
        self._freight: tuple[object, freight.Freight, moderngl.Buffer, Solid] | None = None
        self._lies: tuple[Ground, float] | None = None
        self._uneven: tuple[object, Uneven, Solid, Batch, moderngl.Buffer] | None = None
        self._eye = np.zeros(3)
        self._veiled = (0, 0, 0, 0)
        self._begun: tuple[int, int, moderngl.Framebuffer, moderngl.Framebuffer] | None = None
        self._flush = glcalls.flush_call()
        with self.context as gl:
            self._flat = Program(gl.program(vertex_shader=looks.BAND_VERTEX, fragment_shader=looks.BAND_FRAGMENT))
            self._ice = Program(gl.program(vertex_shader=looks.ICE_VERTEX, fragment_shader=looks.ICE_FRAGMENT))
            self._instances = gl.buffer(reserve=1 << 14, dynamic=True)
            self._looks = Looks(gl, self._instances)
            self._crafts = CraftSolids(self._looks)
            self._edges: tuple[float, ...] = ()
            self._sheet_buffer = gl.buffer(reserve=54 * 12)
            self._sheet = gl.vertex_array(self._ice.made, [(self._sheet_buffer, "2f 1f", "place", "least")])
            ring, _ = meshes.hills()
            padded = np.zeros((len(ring), 9), "f4")
            padded[:, :3] = ring
            padded[:, 5] = 1.0
            padded[:, 6:] = 1.0
            self._hills = self._looks.solid(padded)
            self._stars = self._looks.solid(space.stars())
            self._tile_buffer = gl.buffer(reserve=1 << 16, dynamic=True)
            self._tiles = Solid(self._looks, self._tile_buffer)
            self._band_buffer = gl.buffer(reserve=1 << 20, dynamic=True)
            self._bands = gl.vertex_array(self._flat.made, [(self._band_buffer, "3f 4f", "place", "paint")])

    def forget_meshes(self) -> None:
        """Drops built meshes, after the theme changed."""
        self._meshes.clear()
        self._crafts.forget()
        self._freight = None
        self._uneven = None

    def _mesh(self, key: object, build: Callable[[], Floats]) -> Solid | None:
        if key not in self._meshes:
            if len(self._meshes) > 60:
                self._meshes.clear()
                self._balls.clear()
            vertices = build()
            self._meshes[key] = self._looks.solid(vertices) if len(vertices) else None
            self._balls[key] = looks.balls_round(vertices)
        return self._meshes[key]

    def _frame(self, width: int, height: int, samples: int) -> tuple[moderngl.Framebuffer, moderngl.Framebuffer]:
        key = (width, height, samples)
        if key not in self._frames:
            for old in self._frames.values():
                for frame in dict.fromkeys(old):
                    glcalls.release(frame)
            self._frames.clear()
            gl = self.context
            plain = gl.framebuffer([gl.renderbuffer((width, height))], gl.depth_renderbuffer((width, height)))
            drawn = plain
            if samples:
                drawn = gl.framebuffer(
                    [gl.renderbuffer((width, height), samples=samples)],
                    gl.depth_renderbuffer((width, height), samples=samples),
                )
            self._frames[key] = (drawn, plain)
        return self._frames[key]

    def draw(self, scene: Scene, camera: Camera, width: int, height: int, smooth: bool) -> QImage:
        """The scene as an image of `width` x `height` px."""
        self.begin(scene, camera, width, height, smooth)
        return self.finish().copy()

    def begin(self, scene: Scene, camera: Camera, width: int, height: int, smooth: bool) -> None:
        """Sets the renderer to work on a picture; `finish` hands it over."""
        width, height = max(width, 8), max(height, 8)
        with self.context as gl:
            drawn, plain = self._frame(width, height, 4 if smooth else 0)
            drawn.use()
            gl.viewport = (0, 0, width, height)
            low = theme.rgb("sky_low")
            drawn.clear(*low[::-1], 1.0)
            matrix = _UPSIDE_DOWN @ camera.matrix
            self._veiled = glcalls.veiled_part(matrix, scene.subject, width, height)
            clip = matrix.T.astype("f4").tobytes()
            self._looks.set("clip", clip, *looks.ALL)
            self._looks.set("eye", tuple(camera.eye.tolist()), VEILED, VEILED_GROUND)
            self._looks.set("rule", theme.rgb("ice_line"), GROUND, VEILED_GROUND)
            self._looks.set("haze", low, VEILED, GROUND, VEILED_GROUND)
            self._eye = camera.eye
            if scene.ground.is_space:
                self._draw_space(gl, scene, camera, clip)
            else:
                self._draw_on_ground(gl, scene, camera, matrix, clip)
            self._flush()
        self._begun = (width, height, drawn, plain)

    def _draw_on_ground(self, gl: moderngl.Context, scene: Scene, camera: Camera, matrix: Floats, clip: bytes) -> None:
        """Ice or uneven ground, what lies on it, and what stands there."""
        uneven = ground_shape.is_uneven(scene.ground)
        veil = self._draw_relief(gl, scene, matrix) if uneven else []
        self._draw_far(gl, scene.ground, camera, clip, theme.rgb("sky_low"), uneven)
        self._draw_veil(gl, veil, VEILED_GROUND)
        self._draw_tiles(gl, scene)
        self._draw_bands(gl, meshes.ribbons(scene.bands), scene, clip)
        self._draw_solids(gl, scene)

    def _draw_space(self, gl: moderngl.Context, scene: Scene, camera: Camera, clip: bytes) -> None:
        """Stars, then what is there, and then the lines, which it hides where they pass behind it."""
        gl.disable(moderngl.DEPTH_TEST | moderngl.BLEND)
        model = np.eye(4)
        model[:3, 3] = camera.eye
        star = theme.rgb("star")
        self._looks.set("flatten", 0.0, PLAIN)
        self._looks.set("haze", star, PLAIN)
        self._render(batches([(self._stars, model, (*star, 1.0), 0.0)], LEVEL), PLAIN)
        self._looks.set("haze", theme.rgb("sky_low"), PLAIN)
        self._draw_solids(gl, scene)
        gl.enable(moderngl.DEPTH_TEST)
        self._draw_bands(gl, space.threads(scene.bands, camera), scene, clip)

    def finish(self) -> QImage:
        """The picture begun last; it shares the renderer's memory, and holds until the next one."""
        assert self._begun is not None
        width, height, drawn, plain = self._begun
        with self.context as gl:
            if plain is not drawn:
                gl.copy_framebuffer(plain, drawn)
            size = width * height * 4
            if len(self._buffer) != size:
                self._buffer = bytearray(size)
            plain.read_into(self._buffer, components=4)
        return Picture(self._buffer, width, height)

    def _draw_far(
        self,
        gl: moderngl.Context,
        ground: Ground,
        camera: Camera,
        clip: bytes,
        low: tuple[float, float, float],
        is_covered: bool,
    ) -> None:
        """The hills and the ice, behind all else. is_covered : whether there is ground over it already: what that hides
        is not worked out."""
        gl.disable(moderngl.DEPTH_TEST | moderngl.BLEND)
        if is_covered:
            gl.enable(moderngl.DEPTH_TEST)
            gl.depth_func = "<="  # the ice is as far as the picture is deep
            gl.fbo.depth_mask = False
        model = np.eye(4)
        model[:2, 3] = camera.eye[:2]
        self._looks.set("flatten", 0.0, PLAIN)
        self._looks.set("haze", theme.rgb("hill"), PLAIN)
        self._render(batches([(self._hills, model, (*theme.rgb("hill"), 1.0), 0.0)], LEVEL), PLAIN)
        self._looks.set("haze", low, PLAIN)
        self._ice.set("clip", clip)
        ice = theme.rgb("ice")
        self._ice.set("ice", ice)
        self._ice.set("to_rule", looks.difference(ice, theme.rgb("ice_line")))
        self._ice.set("to_haze", looks.difference(ice, low))
        edges = ground.edges_at()
        if edges != self._edges:
            self._edges = edges
            self._sheet_buffer.orphan()  # the picture before may still be in work
            self._sheet_buffer.write(looks.ice_sheet(edges).astype("f4").tobytes())
        self._sheet.render()
        if is_covered:
            gl.depth_func = "<"
            gl.fbo.depth_mask = True
            gl.disable(moderngl.DEPTH_TEST)

    def _draw_relief(self, gl: moderngl.Context, scene: Scene, matrix: Floats) -> list[Batch]:
        """Uneven ground, over which the rest is drawn. Gives what of it may be a veil, which is drawn once all is there
        that shows through it."""
        ground = scene.ground
        # other blocks than those that are ground have no part in it: moving one builds nothing of this anew
        key = (ground.relief, ground.slope(), tuple(one for one in ground.blocks if one.is_laid), theme.is_night())
        if self._uneven is None or self._uneven[0] != key:
            shape = Uneven.of(ground)
            buffer = self.context.buffer(np.ascontiguousarray(shape.vertices, "f4").tobytes())
            index = self.context.buffer(np.ascontiguousarray(shape.drawn.index, "i4").tobytes())
            some = self.context.buffer(reserve=max(shape.index.nbytes, 12), dynamic=True)
            veil = Batch(Solid(self._looks, buffer, some), WHERE_IT_IS, 0)
            self._uneven = (key, shape, Solid(self._looks, buffer, index), veil, some)
        _, shape, whole, veil, some = self._uneven
        shown = shape.drawn.shown(matrix)
        met = np.zeros_like(shown)
        gl.enable(moderngl.DEPTH_TEST)
        found = shape.index[:0]
        if scene.subject[3] > 0.0:
            met = shape.drawn.met(*shape.between(self._eye, scene.subject))
            found = shape.before(self._eye, scene.subject, 1.0)
        if len(found):
            veil.corners = found.size
            some.orphan()  # the picture before may still be in work
            some.write(np.ascontiguousarray(found, "i4").tobytes())
        # where no part of it can be a veil, it is drawn without a look at each pixel
        pieces = [shape.drawn.runs(one) for one in (shown & ~met, shown & met)]
        aside, between = ([Batch(whole, WHERE_IT_IS, 3 * count, 3 * first) for first, count in runs] for runs in pieces)
        self._render(aside, GROUND)
        self._render_whole(between, VEILED_GROUND, scene.subject)
        gl.disable(moderngl.DEPTH_TEST)
        return [veil] if len(found) else []

    def _draw_tiles(self, gl: moderngl.Context, scene: Scene) -> None:
        """Pieces of ground, over which the rest is drawn."""
        if scene.tiles is None or not len(scene.tiles):
            return
        raw = np.ascontiguousarray(scene.tiles, "f4").tobytes()
        self._tile_buffer.orphan(max(len(raw), self._tile_buffer.size))
        self._tile_buffer.write(raw)
        gl.enable(moderngl.DEPTH_TEST)
        self._render([Batch(self._tiles, WHERE_IT_IS, len(scene.tiles))], GROUND)
        gl.disable(moderngl.DEPTH_TEST)

    def _draw_bands(self, gl: moderngl.Context, corners: Floats, scene: Scene, clip: bytes) -> None:
        pieces = [corners]
        if scene.bars is not None and not scene.ground.is_space:
            bars = scene.bars
            pieces.append(meshes.painted(meshes.crossbars(bars.places, bars.width), (*bars.colour, bars.alpha)))
        vertices = np.concatenate(pieces)
        if not len(vertices):
            return
        raw = vertices.tobytes()
        self._band_buffer.orphan(max(len(raw), self._band_buffer.size))  # the picture before may still be in work
        self._band_buffer.write(raw)
        gl.enable(moderngl.BLEND)
        if ground_shape.is_uneven(scene.ground) or scene.ground.is_space:
            gl.enable(moderngl.DEPTH_TEST)
        gl.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA
        self._flat.set("clip", clip)
        self._bands.render(vertices=len(vertices))
        gl.disable(moderngl.BLEND | moderngl.DEPTH_TEST)

    def _draw_solids(self, gl: moderngl.Context, scene: Scene) -> None:
        parts = (scene.ground.walls, scene.ground.gates, scene.ground.edges, scene.ground.blocks, scene.ground.rails)
        key, fixed = ("ground", *parts), freight.still_mesh
        shade = self._mesh(
            ("shade", *parts), lambda: np.concatenate([meshes.shade_mesh(scene.ground), *fixed(scene.ground)])
        )
        # last, so that the balls round it are still known when the mesh before it has filled the memory of meshes
        still = self._mesh(key, lambda: np.concatenate([meshes.ground_mesh(scene.ground), *fixed(scene.ground)]))
        level, loose = self._still_level(scene.ground), self._loose(scene)
        moving: list[Draw] = [] if loose is None else [(loose, np.eye(4), PLAINLY, level)]
        around, shading = (batches([*_at_images(one, scene, level), *moving], scene.ground) for one in (still, shade))
        crafts, veils = (self._batches_of(some, scene) for some in scene.split(self._eye))
        self._looks.set("flatten", 0.0 if scene.ground.is_space else 1.0, PLAIN)
        cast = (
            batches([self._crafts.box_of(one) for one in scene.figures], scene.ground)
            if scene.crowd
            else crafts + veils
        )
        if not scene.ground.is_space:  # where nothing is below, a shadow falls on nothing
            self._render([batch.shaded(theme.rgb("ice_dark")) for batch in shading + cast], PLAIN)
        gl.enable(moderngl.DEPTH_TEST)
        self._looks.set("flatten", 0.0, PLAIN)
        self._render(crafts, PLAIN)
        balls = [self._balls.get(key, np.zeros((0, 4)))]
        if loose is not None and self._freight is not None and scene.places is not None:
            balls.append(np.column_stack([scene.places[:, :3], self._freight[1].reach]))
        around += veils
        if veils or (scene.subject[3] > 0.0 and looks.is_veil(np.concatenate(balls), self._eye, scene.subject)):
            self._render_whole(around, VEILED, scene.subject)
            self._draw_veil(gl, around, VEILED)
        else:
            self._render(around, PLAIN)
        gl.disable(moderngl.DEPTH_TEST)

    def _batches_of(self, figures: list[Figure], scene: Scene) -> list[Batch]:
        return batches([draw for one in figures for draw in self._crafts.draws_of(one, scene.ground)], scene.ground)

    def _render(self, wanted: list[Batch], look: str) -> None:
        for batch in wanted:
            raw = batch.places.tobytes()
            self._instances.orphan(max(len(raw), self._instances.size))  # the draw before may still be in work
            self._instances.write(raw)
            array = batch.solid.in_look(look)
            array.render(vertices=batch.corners, first=batch.first, instances=len(batch.places))

    def _render_whole(self, draws: list[Batch], look: str, subject: tuple[float, float, float, float]) -> None:
        """Draws what may stand between the eye and the subject, but for what of it is a veil. look : one that can be a
        veil."""
        self._looks.set("subject", subject, look)
        self._looks.set("veil", 0.0, look)
        self._render(draws, look)

    def _draw_veil(self, gl: moderngl.Context, draws: list[Batch], look: str) -> None:
        """Draws what stands between the eye and the subject as a veil, after `_render_whole`. It comes last and writes
        no depth, so that all behind it shows, several layers of it too."""
        if not draws:
            return
        self._looks.set("veil", 1.0, look)
        gl.enable(moderngl.BLEND | moderngl.DEPTH_TEST)
        gl.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA
        gl.fbo.depth_mask = False
        gl.scissor = self._veiled  # nothing beside it is veiled, and its pixels need not be looked at
        self._render(draws, look)
        gl.scissor = None
        gl.fbo.depth_mask = True
        gl.disable(moderngl.BLEND | moderngl.DEPTH_TEST)

    def _loose(self, scene: Scene) -> Solid | None:
        """The moving blocks where they are, as one mesh."""
        if scene.places is None or not len(scene.places):
            return None
        key = scene.ground.blocks
        if self._freight is None or self._freight[0] != key:
            made = freight.Freight(scene.ground)
            buffer = self.context.buffer(reserve=made.vertices.size * 4, dynamic=True)
            array = Solid(self._looks, buffer)
            self._freight = (key, made, buffer, array)
        _, mesh, buffer, array = self._freight
        buffer.orphan()  # the picture before may still be in work
        buffer.write(np.ascontiguousarray(mesh.placed(scene.places), "f4").tobytes())
        return array

    def _still_level(self, ground: Ground) -> float:
        """m at which the shadows of what stands about lie, found once for each ground."""
        if self._lies is None or self._lies[0] is not ground:
            self._lies = (ground, level_below(ground, np.eye(4)))
        return self._lies[1]

    def close(self) -> None:
        """Gives the context back."""
        self.context.release()


def _at_images(solid: Solid | None, scene: Scene, level: float) -> list[Draw]:
    """The things that never move, at all images of a scene that are near."""
    found: list[Draw] = []
    for by in scene.images if solid is not None else ():
        model = np.eye(4)
        model[:3, 3] = by
        assert solid is not None
        found.append((solid, model, PLAINLY, level))
    return found
