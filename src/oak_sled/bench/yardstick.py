"""The demo craft in hand-written C, built and run by the benchmark: the yardstick of the kernel."""

from __future__ import annotations

import ctypes
import shutil
import subprocess
import tempfile
from importlib import resources
from pathlib import Path

import numpy as np

from oak_sled.core import world
from oak_sled.core.state import Floats
from oak_sled.core.world import Job


class Library:
    """A C source of the benchmark, built with cc -O2. Raises RuntimeError where there is no compiler."""

    def __init__(self, name: str):
        compiler = shutil.which("cc") or shutil.which("gcc")
        if compiler is None:
            raise RuntimeError("no C compiler here")
        self._folder = tempfile.TemporaryDirectory(prefix="oak-sled-bench-")
        source = Path(self._folder.name) / name
        source.write_text((resources.files("oak_sled") / "bench" / name).read_text())
        library = source.with_suffix(".so")
        made = subprocess.run(
            [compiler, "-O2", "-shared", "-fPIC", "-o", str(library), str(source), "-lm"],
            capture_output=True,
            text=True,
        )
        if made.returncode:
            raise RuntimeError(f"the C compiler failed: {made.stderr.splitlines()[0] if made.stderr else '?'}")
        self.loaded = ctypes.CDLL(str(library))

    def close(self) -> None:
        """Removes what was built."""
        self._folder.cleanup()


class BallHeap:
    """The solver's steps for balls alone, in C."""

    def __init__(self) -> None:
        self._library = Library("ball_heap.c")
        self._run = self._library.loaded.run
        self._run.restype = ctypes.c_long

    def run(self, balls: Floats, gravity: float, dt: float, friction: float, out: Floats) -> int:
        """Drops balls of shape (n, 5): place, radius, mass; places into `out`, shape (ticks, n, 3). Contacts solved."""
        return int(
            self._run(
                ctypes.c_void_p(balls.ctypes.data), ctypes.c_int(len(balls)), ctypes.c_double(gravity),
                ctypes.c_double(dt), ctypes.c_int(len(out)), ctypes.c_double(friction),
                ctypes.c_void_p(out.ctypes.data),
            )
        )  # fmt: skip

    def close(self) -> None:
        """Removes what was built."""
        self._library.close()


class Yardstick:
    """The C loop, built for one job of the demo craft. Raises RuntimeError where there is no compiler."""

    def __init__(self, job: Job):
        self.job = job
        self._library = Library("fan_sled.c")
        self._run = self._library.loaded.run
        self._run.restype = ctypes.c_int
        self._arrays = world.build(job)
        self._setup = self._pack()
        # the very records of the kernel, all doubles, so that both see the same numbers
        self._walls = np.ascontiguousarray(self._arrays.walls).view(np.float64)
        self._gates = np.ascontiguousarray(self._arrays.gates).view(np.float64)
        self._start = np.ascontiguousarray(self._arrays.drill["start"][0])

    def _pack(self) -> Floats:
        body, ground, drill = self._arrays.body[0], self._arrays.ground[0], self._arrays.drill[0]
        parts = {part.kind: self._arrays.parts[k][part.kind] for k, part in enumerate(self.job.craft.parts)}
        fan, rudder, runner = parts["thruster"], parts["torque"], parts["runner"]
        air, brake, limiter = parts["air_drag"], parts["brake"], parts["limiter"]
        channels = self._arrays.channels
        numbers = [
            body["mass"], np.diag(body["inertia"]), body["half"], body["reach"], body["hull_centre"], body["foot"],
            body["contacts"], body["spin_damping"],
            ground["gravity"], ground["air_density"], ground["wind"], ground["grip"],
            fan["thrust"], fan["reverse"], fan["vane"], fan["point"],
            rudder["turn"], rudder["builds_by"],
            runner["side_grip"], runner["curve"], runner["glide"], runner["slides_past"], runner["bites_at"],
            runner["slide_grip"], runner["blend_rate"], runner["point"], runner["spread_x"], runner["spread_y"],
            air["area"], air["viscous"], air["point"],
            brake["bite"], brake["point"],
            body["bumper"]["keep_along"], body["bumper"]["bounce"], body["bumper"]["scrape"],
            limiter["limit"], limiter["knee"], limiter["rate"],
            channels["rise"], channels["fall"], channels["low"],
            drill["driver_gain"], drill["driver_damping"], drill["driver_sight"],
            float(len(self._arrays.walls)), float(len(self._arrays.gates)), self.job.dt,
        ]  # fmt: skip
        return np.concatenate([np.atleast_1d(np.asarray(number, dtype=np.float64)) for number in numbers])

    def run(self, told: Floats, out: Floats) -> int:
        """Runs the drill into `out`, shape (ticks, width); returns the ticks done."""

        def pointer(array: Floats) -> ctypes.c_void_p:
            return ctypes.c_void_p(array.ctypes.data)

        return int(
            self._run(
                pointer(self._setup), pointer(self._walls), pointer(self._gates), pointer(self._start), pointer(told),
                ctypes.c_int(len(out)), pointer(out), ctypes.c_int(out.shape[1]),
            )
        )  # fmt: skip

    def close(self) -> None:
        """Removes what was built."""
        self._library.close()
