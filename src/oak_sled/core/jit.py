"""The one place of compiler policy. Every compiled function goes through `compiled`.

Imported before any compiled module, since it points numba's on-disk cache at a folder named after
a hash of the core's sources and the numba version: the cache itself does not notice an edit in a
callee that lives in another file. fastmath stays off: it changes results.
"""

from __future__ import annotations

import hashlib
import os
import re
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import platformdirs

from oak_sled.core.compiler import kernel

CORE = Path(__file__).parent
_KEEP_CACHES = 4


_IMPORTS = re.compile(r"^from (oak_sled\.core[\w.]*) import (\([^)]*\)|.*)$", re.MULTILINE)


def kernel_sources() -> list[Path]:
    """The files that what is compiled is made of: those that compile something, and all of the core they import."""
    texts = {file: file.read_text(encoding="utf-8") for file in sorted(CORE.rglob("*.py"))}
    wanted = [file for file, text in texts.items() if "oak_sled.core.jit import" in text]
    found: set[Path] = {Path(__file__)}
    while wanted:
        file = wanted.pop()
        if file in found:
            continue
        found.add(file)
        for module, names in _IMPORTS.findall(texts[file]):
            place = CORE.joinpath(*module.split(".")[2:])
            parts = [place / f"{name}.py" for name in re.findall(r"\w+", names)]
            wanted += [part for part in (place.with_suffix(".py"), *parts) if part in texts]
    return sorted(found)


def _sources_hash() -> str:
    digest = hashlib.sha256(numba.__version__.encode())
    for file in kernel_sources():
        digest.update(str(file.relative_to(CORE)).encode())
        digest.update(file.read_bytes())
    return digest.hexdigest()[:16]


def _point_cache() -> Path:
    root = Path(os.environ.get("OAK_SLED_CACHE") or platformdirs.user_cache_dir("oak-sled")) / "compiled"
    folder = root / _sources_hash()
    numba.config.CACHE_DIR = str(folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        os.utime(folder)
        old = sorted((item for item in root.iterdir() if item != folder), key=lambda item: item.stat().st_mtime)
        for stale in old[: max(0, len(old) - _KEEP_CACHES)]:
            shutil.rmtree(stale, ignore_errors=True)
    except OSError:
        pass  # a read-only home: numba falls back to compiling in memory
    return folder


OWN = os.environ.get("OAK_SLED_COMPILER", "own") == "own"
"""Whether the kernel goes through our own compiler; else through numba, to compare the two."""
if not OWN:
    import numba

    CACHE_FOLDER = _point_cache()


def is_warm() -> bool:
    """Whether the whole kernel, contacts too, has been compiled for these sources before."""
    if OWN:
        return True
    return all(any(CACHE_FOLDER.rglob(f"loop.{name}-*.nbi")) for name in ("advance", "advance_among"))


def compiled(function: Callable[..., Any]) -> Callable[..., Any]:
    """Compile at first call, keep on disk, release the GIL, no fast maths, no Python errors."""
    if OWN:
        return kernel.compiled(function)
    return numba.njit(cache=True, nogil=True, error_model="numpy")(function)


def inlined(function: Callable[..., Any]) -> Callable[..., Any]:
    """`compiled`, and always inlined into its caller: for a stage of a tick that is called from one place.

    Such a call hands over dozens of numbers (every array is a handful of them), which costs more
    than small stages do.
    """
    if OWN:
        return kernel.inlined(function)
    return numba.njit(cache=True, nogil=True, error_model="numpy", forceinline=True)(function)


def unit(function: Callable[..., Any]) -> Callable[..., Any]:
    """A kernel function that is compiled by itself, once, and called by its symbol."""
    if OWN:
        return kernel.unit(function)
    return compiled(function)
