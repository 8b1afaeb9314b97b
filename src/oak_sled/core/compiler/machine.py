"""LLVM text to an object, and objects to code in this process; the one place that knows llvmlite and the machine.

LLVM is imported by what needs it: it takes longer than to read a yard.
"""

from __future__ import annotations

import ctypes
import functools
import mmap
import os
import platform
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import llvmlite.binding as llvm

OUT_OF_RANGE = "oak_out_of_range"
"""The handler of a checked index that lies outside: takes (line, index, size) and never returns."""
TUNING = {"loop_vectorization": True, "slp_vectorization": True, "loop_unrolling": True}
"""Options of LLVM beyond its third level; fast maths is not among them."""
told_line: list[Callable[[int], str]] = [str]
"""The function that makes file and line of the number that a checked index hands over."""


@functools.cache
def _target() -> llvm.TargetMachine:
    """For any processor of this machine's family: code for the very one was no faster, gave the same bits, and could
    not be shipped."""
    import llvmlite.binding as llvm

    llvm.initialize_native_target()
    llvm.initialize_native_asmprinter()
    return llvm.Target.from_default_triple().create_target_machine(
        cpu="", features="", opt=3, jit=True, codemodel="jitdefault", reloc="static"
    )


@functools.cache
def _engine() -> llvm.ExecutionEngine:
    import llvmlite.binding as llvm

    engine = llvm.create_mcjit_compiler(llvm.parse_assembly(""), _target())
    llvm.add_symbol(OUT_OF_RANGE, ctypes.cast(_out_of_range, ctypes.c_void_p).value)
    return engine


@ctypes.CFUNCTYPE(None, ctypes.c_int64, ctypes.c_int64, ctypes.c_int64)
def _out_of_range(line: int, index: int, size: int) -> None:
    print(f"{told_line[0](line)}: element {index} of {size}", file=sys.stderr, flush=True)
    os.abort()  # nothing can be unwound through compiled code


def describe() -> str:
    """Everything that an object depends on: versions, options of LLVM, and the family of processors."""
    import llvmlite
    import llvmlite.binding as llvm

    versions = f"{llvmlite.__version__} {'.'.join(map(str, llvm.llvm_version_info))}"
    return f"{versions} {sorted(TUNING.items())} {llvm.get_process_triple()}"


_pages: list[mmap.mmap] = []


@functools.cache
def registers_cleaner() -> Callable[[], object]:
    """A function that clears the upper halves of this thread's vector registers.

    Libraries that draw text and pictures leave them in use, and a new thread begins with those of the thread that made
    it. Until they are cleared, every instruction that works on their lower halves waits for the upper: a tick took one
    and a half times as long here. Where processors have no such registers it does nothing.
    """
    try:
        has_them = " avx " in Path("/proc/cpuinfo").read_text()
        page = mmap.mmap(-1, mmap.PAGESIZE, prot=mmap.PROT_READ | mmap.PROT_WRITE | mmap.PROT_EXEC)
    except OSError:  # no such file, or a machine that lets nobody write code
        return lambda: None
    if platform.machine() != "x86_64" or not has_them:
        return lambda: None
    # written by hand: LLVM's engine may be at work in another thread, and bears no second one
    page.write(b"\xc5\xf8\x77\xc3")  # vzeroupper, and back
    clean = ctypes.PYFUNCTYPE(None)(ctypes.addressof(ctypes.c_char.from_buffer(page)))
    _pages.append(page)  # as long as it may be called
    return clean


def compile_text(text: str) -> bytes:
    """The object of a module: optimised to the full, without fast maths."""
    import llvmlite.binding as llvm

    target = _target()
    module = llvm.parse_assembly(f'target triple = "{llvm.get_process_triple()}"\n{text}')
    module.data_layout = str(target.target_data)
    module.verify()
    tuning = llvm.create_pipeline_tuning_options(speed_level=3)
    for name, is_on in TUNING.items():
        setattr(tuning, name, is_on)
    passes = llvm.create_pass_builder(target, tuning)
    passes.getModulePassManager().run(module, passes)
    made: bytes = target.emit_object(module)
    return made


def load(objects: list[bytes]) -> Callable[[str], int]:
    """Takes objects into this process; gives the address of a symbol of theirs, or of one that was there."""
    import llvmlite.binding as llvm

    engine = _engine()
    for one in objects:
        engine.add_object_file(llvm.ObjectFileRef.from_data(one))
    engine.finalize_object()
    address: Callable[[str], int] = engine.get_function_address
    return address
