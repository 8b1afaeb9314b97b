"""Figures of what leaves for a game: the time of an export, and the tick of exported C."""

from __future__ import annotations

import ctypes
import time
from collections.abc import Callable

import numpy as np

from oak_sled.bench.lines import interleaved, line
from oak_sled.bench.yardstick import Library
from oak_sled.core.assembly import jobs
from oak_sled.core.portable import alone, crafts, folder
from oak_sled.core.portable.c import C
from oak_sled.core.project import demos

AIM_S = 2.0
"""s in which a craft should leave."""
LOOP = """
void run_all(const double *inputs, int count, int ticks, double *place)
{{
    static {record} craft;
    {name}_begin(&craft);
    for (int tick = 0; tick < ticks; tick++) {{
        {name}_tick(&craft, inputs + tick * count);
    }}
    memcpy(place, craft.position, sizeof craft.position);
}}
"""


def exporting(count: int, c_tick_ns: Callable[[], float]) -> None:
    """A craft leaves; then its tick in C against that of the loop written by hand, which has walls and gates besides.
    c_tick_ns : ns of a tick of that loop."""
    yard = demos.load("fan-sled")
    job = jobs.job_of(yard, yard.drill("slalom"))
    folder.files_of(job, "c")
    began = time.perf_counter()
    folder.files_of(job, "c")
    took = time.perf_counter() - began
    line("export of the sled as C", f"{took:.2f} s", f"{AIM_S:.0f} s", took / AIM_S, "aim 1.0")
    single = alone.Alone.of(job)
    program, _ = crafts.program_of(single)
    writer = C(program)
    try:
        library = Library("exported.c", writer.text() + LOOP.format(record=writer.record, name=program.name))
    except RuntimeError as error:
        print(f"the tick of exported C is not measured: {error}")
        return
    inputs, place = np.ascontiguousarray(single.inputs), np.zeros(3)
    pointers = [ctypes.c_void_p(one.ctypes.data) for one in (inputs, place)]

    def exported() -> float:
        began = time.perf_counter()
        library.loaded.run_all(pointers[0], ctypes.c_int(inputs.shape[1]), ctypes.c_int(len(inputs)), pointers[1])
        return (time.perf_counter() - began) / len(inputs) * 1e9

    ours, other = interleaved(count, exported, c_tick_ns)
    note = "aim 1.05; without walls, gates and the record"
    line("a tick of the exported sled", f"{ours:.0f} ns", f"the loop by hand {other:.0f} ns", ours / other, note)
    library.close()
