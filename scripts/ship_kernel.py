"""Compiles the kernel into the package, so that a wheel built now needs to compile nothing where it is installed."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path

with tempfile.TemporaryDirectory() as own:
    os.environ["OAK_SLED_CACHE"] = own  # before the import, which looks for it
    from oak_sled.core.compiler.kernel import SHIPPED
    from oak_sled.core.project import warmup

    shutil.rmtree(SHIPPED, ignore_errors=True)
    SHIPPED.mkdir()
    seconds = warmup.compile_all()
    files = sorted((Path(own) / "kernel").iterdir())
    for file in files:
        shutil.copyfile(file, SHIPPED / file.name)
size = sum(file.stat().st_size for file in SHIPPED.iterdir())
print(f"{len(files)} files, {size / 1e6:.1f} MB, compiled in {seconds:.1f} s of computing")
