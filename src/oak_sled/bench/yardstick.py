"""The demo craft in hand-written C, built and run by the benchmark: the yardstick of the kernel."""

from __future__ import annotations

import ctypes
import math
import shutil
import subprocess
import tempfile
from importlib import resources
from pathlib import Path
from typing import Any

import numpy as np

from oak_sled.core.assembly import bodynames, world
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.base.arrays import Floats
from oak_sled.core.compiler import types
from oak_sled.core.compiler.entry import cells_of
from oak_sled.core.contact import solver
from oak_sled.core.contact.records import Scene
from oak_sled.core.files import handover
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.parts.context import Pack
from oak_sled.core.tick import stopping


class Library:
    """A C source, of the benchmark or as handed over, built with cc. Raises RuntimeError without a compiler."""

    def __init__(self, name: str, text: str = "", level: str = "-O2"):
        compiler = shutil.which("cc") or shutil.which("gcc")
        if compiler is None:
            raise RuntimeError("no C compiler here")
        self._folder = tempfile.TemporaryDirectory(prefix="oak-sled-bench-")
        source = Path(self._folder.name) / name
        source.write_text(text or (resources.files("oak_sled") / "bench" / name).read_text())
        library = source.with_suffix(".so")
        made = subprocess.run(
            [compiler, level, "-ffp-contract=off", "-shared", "-fPIC", "-o", str(library), str(source), "-lm"],
            capture_output=True,
            text=True,
        )
        if made.returncode:
            raise RuntimeError(f"the C compiler failed: {made.stderr.splitlines()[0] if made.stderr else '?'}")
        self.loaded = ctypes.CDLL(str(library))

    def close(self) -> None:
        """Removes what was built."""
        self._folder.cleanup()


class HeapInC:
    """The very steps of the solver, `solver.run_alone`, written as C99 and built with the C compiler."""

    def __init__(self, scene: Scene) -> None:
        self._library = Library("heap.c", handover.function_text(solver.run_alone, "run_alone", self._given(scene)))
        self._run = self._library.loaded.run_alone
        self._run.restype = None

    @staticmethod
    def _given(scene: Scene) -> tuple[Any, ...]:
        return (scene, still_air(0.0)[0], 0.0, 0, np.zeros((1, 1, 13)))

    def run(self, scene: Scene, ground: np.void, dt: float, ticks: int, out: Floats) -> None:
        """The same as `solver.run_alone`."""
        cells, _keep = handed(scene, ground, dt, ticks, out)
        self._run(*cells)

    def close(self) -> None:
        """Removes what was built."""
        self._library.close()


def handed(*arguments: Any) -> tuple[list[Any], list[Any]]:
    """Arguments cell by cell, as compiled code takes them, and what has to live as long."""
    keep: list[Any] = []
    cells: list[Any] = []
    for one in arguments:
        of = types.of_value(one)
        kinds = {"double": ctypes.c_double, "i1": ctypes.c_bool}
        cells += [
            kinds.get(cell, ctypes.c_int64)(value)
            for cell, value in zip(types.cells(of), cells_of(one, of, keep), strict=True)
        ]
    return cells, keep


def connect(machine: Machine, job: Job, made: handover.Equations, library: ctypes.CDLL) -> None:
    """Writes into the records of a run where the functions of a C file are, in the place of our own."""

    def address(name: str) -> int:
        return int(ctypes.cast(getattr(library, name), ctypes.c_void_p).value or 0)

    row = 0
    for one in job.actors:
        for part in one.craft.parts:
            record = machine.world.parts[row]
            for word, function in made.acts.get(int(record["kind"]), {}).items():
                record[word] = address(function)
            for place in part.PLACES if made.law else ():
                if getattr(part, place.field):
                    record[part.kind][place.field]["at"] = address(made.law)
            row += 1
    for number, name in made.stages.items():
        machine.world.calls[number] = address(name)


class _Ended(ctypes.Structure):
    _fields_ = (("status", ctypes.c_int64), ("done", ctypes.c_int64))


class CraftInC:
    """The equations of a job as they are handed over, built with the C compiler. Raises RuntimeError without one."""

    def __init__(self, job: Job, level: str = "-O2"):
        self.job, self._made = job, handover.equations(job)
        self._library = Library("craft.c", self._made.text, level)
        self._library.loaded.advance.restype = _Ended

    def run(self, machine: Machine, inputs: Floats, out: Floats) -> int:
        """Runs the drill of a machine that stands at its start into `out`; returns the ticks done."""
        connect(machine, self.job, self._made, self._library.loaded)
        beside = out[:, out.shape[1] :]
        which = np.zeros(len(out), np.int64)
        given = (
            machine.world,
            machine.scene,
            machine.shot_memory,
            machine.nows,
            inputs,
            out,
            beside,
            which,
            1,
            stopping.word(),
        )
        cells, _keep = handed(*given)
        return int(self._library.loaded.advance(*cells).done)

    def close(self) -> None:
        """Removes what was built."""
        self._library.close()


def _wall(x: float, y: float, heading_deg: float, length: float, width: float, height: float) -> list[float]:
    """A wall as the C loop wants it: middle, direction, half length and width, top, reach."""
    angle = math.radians(heading_deg)
    reach = 0.5 * math.hypot(length, width)
    return [x, y, math.cos(angle), math.sin(angle), 0.5 * length, 0.5 * width, height, reach]


class Yardstick:
    """The C loop, built for one job of the demo craft. Raises RuntimeError where there is no compiler."""

    def __init__(self, job: Job, level: str = "-O2"):
        self.job = job
        self._library = Library("fan_sled.c", level=level)
        self._run = self._library.loaded.run
        self._run.restype = ctypes.c_int
        self._arrays = world.build(job)
        self._walls = np.array([_wall(*one) for one in bodynames.walls_of(job.ground)]).reshape(-1, 8)
        self._setup = self._pack()
        # the very records of the kernel, all doubles, so that both see the same numbers
        self._gates = np.ascontiguousarray(self._arrays.gates).view(np.float64)
        self._start = np.ascontiguousarray(self._arrays.crafts["start"][0])

    def _pack(self) -> Floats:
        craft, ground, body = self._arrays.crafts[0], self._arrays.ground[0], self.job.craft.body
        bumper = next(part for part in self.job.craft.parts if part.kind == "bumper").record(Pack((), body.centre()))
        parts = {part.kind: self._arrays.parts[k][part.kind] for k, part in enumerate(self.job.craft.parts)}
        fan, rudder, runner = parts["thruster"], parts["torque"], parts["runner"]
        air, brake, limiter = parts["air_drag"], parts["brake"], parts["limiter"]
        channels = self._arrays.channels
        numbers = [
            body.true_mass(), np.diag(craft["inertia"]), body.half_extents(), math.hypot(*body.half_extents()),
            [-offset for offset in body.centre()], craft["foot"], float(craft["feet"]), craft["spin_damping"],
            ground["gravity"], ground["air_density"], ground["wind"], ground["grip"],
            fan["thrust"], fan["reverse"], fan["vane"], fan["point"],
            rudder["turn"], rudder["full_effect_speed"],
            runner["side_grip"], runner["curve"], runner["glide"], runner["slides_past"], runner["grips_below"],
            runner["slide_grip"], runner["blend_rate"], runner["point"], runner["spread_x"], runner["spread_y"],
            air["area"], air["viscous"], air["point"],
            brake["bite"], brake["point"],
            bumper["tangential_share"], bumper["restitution"], bumper["wall_friction"],
            limiter["limit"], limiter["knee"], limiter["rate"],
            channels["rise"], channels["fall"], channels["low"],
            craft["driver_gain"], craft["driver_damping"], craft["driver_sight"],
            float(len(self._walls)), float(len(self._arrays.gates)), self.job.dt,
        ]  # fmt: skip
        return np.concatenate([np.atleast_1d(np.asarray(number, dtype=np.float64)) for number in numbers])

    def run(self, inputs: Floats, out: Floats) -> int:
        """Runs the drill into `out`, shape (ticks, width); returns the ticks done."""

        def pointer(array: Floats) -> ctypes.c_void_p:
            return ctypes.c_void_p(array.ctypes.data)

        return int(
            self._run(
                pointer(self._setup), pointer(self._walls), pointer(self._gates), pointer(self._start), pointer(inputs),
                ctypes.c_int(len(out)), pointer(out), ctypes.c_int(out.shape[1]),
            )
        )  # fmt: skip

    def close(self) -> None:
        """Removes what was built."""
        self._library.close()
