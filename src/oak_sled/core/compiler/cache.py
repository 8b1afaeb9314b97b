"""Compiled kernels on disk: objects by the hash of what they were made of, indexes by the sources.

An index says which objects a function of the kernel needs. Neither names a path, so that a cache serves the same
sources anywhere. A file that is damaged is compiled again, and said once; where nothing can be written, all stays in
memory. What was not used for long goes when there is too much.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import logging
import os
from pathlib import Path
from typing import Any

import platformdirs

from oak_sled.core.documents.faults import Refused
from oak_sled.core.files import disk

log = logging.getLogger("oak_sled")

MOST_BYTES = 96_000_000
"""Of all files of the cache together."""
_SEAL = 32
"""Bytes at the front of an object: a hash of the rest."""


class Cache:
    """The files of one folder. `memory` keeps what is there already, and what could not be written."""

    def __init__(self, folder: Path | None = None, shipped: Path | None = None):
        self.folder = folder or default_folder()
        self.shipped = shipped
        self.memory: dict[str, bytes] = {}
        self._told = False

    def object(self, name: str) -> bytes | None:
        """The object of that name, or None where it has to be made."""
        return self._read(f"{name}.o")

    def keep_object(self, name: str, content: bytes) -> None:
        """Keeps an object."""
        self._write(f"{name}.o", content)

    def index(self, name: str) -> dict[str, Any] | None:
        """What was written about a function of the kernel, or None."""
        content = self._read(f"{name}.json")
        if content is None:
            return None
        try:
            read = json.loads(content)
        except ValueError:
            return None
        return read if isinstance(read, dict) else None

    def keep_index(self, name: str, data: dict[str, Any]) -> None:
        """Writes about a function of the kernel."""
        self._write(f"{name}.json", json.dumps(data).encode())
        self._prune()

    def _folders(self) -> list[Path]:
        return [self.folder] if self.shipped is None else [self.folder, self.shipped]

    def _read(self, name: str) -> bytes | None:
        kept = self.memory.get(name)
        if kept is not None:
            return kept
        for folder in self._folders():
            try:
                raw = (folder / name).read_bytes()
            except OSError:
                continue
            content = raw[_SEAL:]
            if hashlib.sha256(content).digest() == raw[:_SEAL]:
                with contextlib.suppress(OSError):
                    os.utime(folder / name)
                return content
            self._tell(f"the compiled kernel in {folder / name} is damaged; it is compiled again")
        return None

    def _write(self, name: str, content: bytes) -> None:
        self.memory[name] = content
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            disk.write_whole(self.folder / name, hashlib.sha256(content).digest() + content)
        except (OSError, Refused) as error:
            log.debug("the compiled kernel stays in memory: %s", error)
        else:
            self.memory.pop(name, None)  # another thread may have written the same

    def _tell(self, words: str) -> None:
        if not self._told:
            log.warning(words)
        self._told = True

    def _prune(self) -> None:
        """Removes what was not used for longest, where there is too much."""
        with contextlib.suppress(OSError):
            files = [(one.stat().st_mtime, one.stat().st_size, one) for one in self.folder.iterdir() if one.is_file()]
            total = sum(size for _, size, _ in files)
            for _, size, one in sorted(files, key=lambda item: item[0]):
                if total <= MOST_BYTES:
                    break
                one.unlink(missing_ok=True)
                total -= size


def default_folder() -> Path:
    """Where compiled kernels are kept: OAK_SLED_CACHE, or the cache of the desktop."""
    return Path(os.environ.get("OAK_SLED_CACHE") or platformdirs.user_cache_dir("oak-sled")) / "kernel"
