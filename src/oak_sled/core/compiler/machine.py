"""LLVM text to an object, and objects to code in this process; the one place that knows llvmlite and the machine."""

from __future__ import annotations

import ctypes
import functools
import os
import sys
from collections.abc import Callable

import llvmlite
import llvmlite.binding as llvm

from oak_sled.core.compiler.llvm import OUT_OF_RANGE

told_line: list[Callable[[int], str]] = [str]
"""What makes file and line of the number that a checked index hands over."""
PLAIN = "plain"
"""The processor that every 64-bit machine of its family is: for objects that are shipped."""


@functools.cache
def _target(cpu: str) -> llvm.TargetMachine:
    llvm.initialize_native_target()
    llvm.initialize_native_asmprinter()
    plain = cpu == PLAIN
    return llvm.Target.from_default_triple().create_target_machine(
        cpu="" if plain else llvm.get_host_cpu_name(),
        features="" if plain else llvm.get_host_cpu_features().flatten(),
        opt=3,
        jit=True,
        codemodel="jitdefault",
        reloc="static",
    )


@functools.cache
def _engine() -> llvm.ExecutionEngine:
    engine = llvm.create_mcjit_compiler(llvm.parse_assembly(""), _target(""))
    llvm.add_symbol(OUT_OF_RANGE, ctypes.cast(_out_of_range, ctypes.c_void_p).value)
    return engine


@ctypes.CFUNCTYPE(None, ctypes.c_int64, ctypes.c_int64, ctypes.c_int64)
def _out_of_range(line: int, index: int, size: int) -> None:
    print(f"{told_line[0](line)}: element {index} of {size}", file=sys.stderr, flush=True)
    os.abort()  # nothing can be unwound through compiled code


@functools.cache
def describe(cpu: str = "") -> str:
    """What decides what an object is made for: versions, the processor and what it can do."""
    words = [llvmlite.__version__, ".".join(map(str, llvm.llvm_version_info)), llvm.get_process_triple()]
    if cpu != PLAIN:
        features = llvm.get_host_cpu_features()
        words += [llvm.get_host_cpu_name(), ",".join(sorted(name for name, on in features.items() if on))]
    return " ".join(words)


def compile_text(text: str, cpu: str = "") -> bytes:
    """The object of a module: optimised to the full, without fast maths, without packing scalars into vectors.

    Packing them (SLP) made the tick half as slow again; loops over rows are still unrolled and vectorised.
    """
    target = _target(cpu)
    module = llvm.parse_assembly(f'target triple = "{llvm.get_process_triple()}"\n{text}')
    module.data_layout = str(target.target_data)
    module.verify()
    tuning = llvm.create_pipeline_tuning_options(speed_level=3)
    tuning.loop_vectorization, tuning.slp_vectorization, tuning.loop_unrolling = True, False, True
    passes = llvm.create_pass_builder(target, tuning)
    passes.getModulePassManager().run(module, passes)
    made: bytes = target.emit_object(module)
    return made


def load(objects: list[bytes]) -> Callable[[str], int]:
    """Takes objects into this process; gives the address of a symbol of theirs, or of one that was there."""
    engine = _engine()
    for one in objects:
        engine.add_object_file(llvm.ObjectFileRef.from_data(one))
    engine.finalize_object()
    address: Callable[[str], int] = engine.get_function_address
    return address
