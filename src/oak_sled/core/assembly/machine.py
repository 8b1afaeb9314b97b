"""A job under way: its arrays, ticks run on them, and the whole of its state saved and loaded in one call."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from oak_sled.core.assembly import scenecache, scenes, world
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats, Records
from oak_sled.core.compiler.machine import registers_cleaner
from oak_sled.core.contact.records import Scene
from oak_sled.core.kernel import state
from oak_sled.core.parts.shots import ShotMemory
from oak_sled.core.tick import loop, rowlayout, stopping
from oak_sled.core.tick.rows import Rows

STAYS = {
    *("crafts", "drill", "channels", "gates", "events", "calls"),
    *("triangles", "grid", "grid_first", "grid_items", "grid_top", "block_top", "pairs", "layers", "answer", "patches"),
    *("recorded", "counted", "slots", "start", "origins", "wet", "wet_first", "wet_volume", "rail_points"),
}
"""Arrays of `World`, `Scene` and `ShotMemory` that no tick writes to."""
_NO_ROWS = np.zeros(0, np.int64)


def bytes_of(array: np.ndarray) -> np.ndarray:
    """The bytes of a contiguous array, shape (n,): records are copied many times faster so than field by field."""
    return array.reshape(-1).view(np.uint8)


@dataclass(frozen=True, eq=False)
class State:
    """The world of a machine at the end of a tick: every array that a tick may change, by name."""

    arrays: dict[str, np.ndarray]

    def differs(self, other: State) -> list[str]:
        """Names of the arrays that are not the same to the bit."""
        return [name for name, one in self.arrays.items() if one.tobytes() != other.arrays[name].tobytes()]


MOST_BESIDE = 1 << 14
"""Numbers of a row beside those of crafts, at most, where no row is kept."""


@dataclass
class Machine:
    """The arrays of a job under way: what stays, the bodies, the memory of shots and knockbacks, and the crafts."""

    world: state.World
    scene: Scene
    shot_memory: ShotMemory
    nows: Records
    _spare: Rows | None = None

    @classmethod
    def of(cls, job: Job) -> Machine:
        """Everything at its start."""
        arrays, scene = world.build(job), scenecache.scene_of(job)
        nows = world.begin(arrays, scene.solids, job)
        made = cls(arrays, scene, scenes.shot_memory_of(job, scene), nows)
        made.connect(job)
        return made

    def save(self) -> State:
        """The whole world as it is now: bodies, contacts of the last tick, memories, sleep, shots, dice."""
        return State({name: array.copy() for name, array in self._moving()})

    def load(self, state: State) -> None:
        """Puts the world back into a state of this machine, or of another of the same job; what follows is the same to
        the bit. Raises ValueError for a state of another world."""
        for name, array in self._moving():
            kept = state.arrays.get(name)
            if kept is None or kept.shape != array.shape or kept.dtype != array.dtype:
                raise ValueError(f"{name} is not of this world")
            bytes_of(array)[...] = bytes_of(kept)

    def _moving(self) -> Iterator[tuple[str, np.ndarray]]:
        """Every array that a tick may change, by name."""
        for group, of in (("world", self.world), ("scene", self.scene), ("shot_memory", self.shot_memory)):
            for name, array in zip(of._fields, of, strict=True):
                if name not in STAYS:
                    yield f"{group}.{name}", array
        yield "nows", self.nows

    def connect(self, job: Job) -> None:
        """Gives the records the addresses of what only some runs need."""
        scenes.connect(self.world, self.scene, self.shot_memory, self.nows, job)

    def first_row(self, row: Floats) -> None:
        """Writes the state as it is into a row, shape (width,)."""
        own = self._own_width
        rowlayout.first_row(self.world, self.scene, self.nows, row[:own], row[own:])

    def advance(self, inputs: Floats, out: Floats, substeps: int = 1) -> tuple[int, int]:
        """Runs ticks. inputs : shape (ticks, channels); out : shape (ticks, width). Returns status and ticks done."""
        own = self._own_width
        if out.shape[1] == own:
            return self.write(inputs, Rows(out, out[:, own:], _NO_ROWS), substeps)
        rows = Rows(np.empty((len(out), own)), np.empty((len(out), out.shape[1] - own)), np.empty(len(out), np.int64))
        status, done = self.write(inputs, rows, substeps)
        out[:done, :own], out[:done, own:] = rows.crafts[:done], rows.beside[rows.which[:done]]
        return status, done

    def record(self, inputs: Floats, rows: Rows, substeps: int = 1) -> tuple[int, int]:
        """Writes the state as it is into the first of `rows`, and runs ticks into the others. inputs : shape (ticks,
        channels). Returns status and ticks done."""
        rowlayout.first_row(self.world, self.scene, self.nows, rows.crafts[0], rows.beside[0])
        status, done = self.write(inputs, Rows(rows.crafts[1:], rows.beside[1:], rows.which[1:]), substeps)
        rows.which[1 : done + 1] += 1  # behind that of the start
        return status, done

    def write(self, inputs: Floats, rows: Rows, substeps: int = 1) -> tuple[int, int]:
        """Runs ticks into all of `rows`. inputs : shape (ticks, channels). Returns status and ticks done; raises
        `Stopped` where it is ended from outside."""
        registers_cleaner()()
        given = (
            self.world,
            self.scene,
            self.shot_memory,
            self.nows,
            inputs,
            rows.crafts,
            rows.beside,
            rows.which,
            substeps,
        )
        status, done = loop.advance(*given, stopping.word())
        if status == state.STOPPED:
            raise stopping.Stopped
        return int(status), int(done)

    def tick(self, inputs: Floats) -> None:
        """Runs one tick, and records nothing. inputs : shape (channels,)."""
        if self._spare is None:
            self._spare = Rows(np.empty((1, self._own_width)), np.empty((1, MOST_BESIDE)), np.zeros(1, np.int64))
        self.write(inputs[None, :], self._spare)

    @cached_property
    def _own_width(self) -> int:
        """Numbers of the crafts in a row."""
        pairs = zip(self.world.crafts, self.nows, strict=True)
        return sum(
            rowlayout.craft_width(now["parts"], now["channel_count"], craft["rays"], craft["tires"], now["volumes"])
            for craft, now in pairs
        )
