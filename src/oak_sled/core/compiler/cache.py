"""Compiled kernels on disk: objects by the hash of what they were made of, indexes by the sources.

An index says which objects a function of the kernel needs. Neither names a path, so that a cache serves the same
sources anywhere. A file that is damaged is compiled again, and said once; where nothing can be written, all stays in
memory. What was not used for long goes when there is too much. Objects are code that is run: only what nobody else
could have written is taken (see `private_folder`).
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import logging
import os
import re
from pathlib import Path
from typing import Any

import platformdirs

from oak_sled.core.base import disk
from oak_sled.core.base.faults import Refused
from oak_sled.core.base.private_folder import NotPrivate, PrivateFolder

log = logging.getLogger("oak_sled")

MOST_BYTES = 96_000_000
"""Of all files of the cache together."""
_SEAL = 32
"""Bytes at the front of an object: a hash of the rest, which tells damage, not who wrote it."""
_OBJECT = re.compile(r"[0-9A-Za-z_]{1,64}")


class Cache:
    """The files of one folder. `memory` keeps what is there already, and what could not be written.

    shipped : a folder of the program itself, as trusted as the sources beside it.
    """

    def __init__(self, folder: Path | None = None, shipped: Path | None = None):
        self.folder = folder or default_folder()
        self.shipped = shipped
        self.memory: dict[str, bytes] = {}
        self._own = PrivateFolder(self.folder)
        self._told: set[str] = set()
        self._looked = False

    def object(self, name: str) -> bytes | None:
        """The object of that name, or None where it has to be made."""
        return self._read(f"{name}.o") if _OBJECT.fullmatch(name) else None

    def keep_object(self, name: str, content: bytes) -> None:
        """Keeps an object."""
        self._write(f"{name}.o", content)

    def index(self, name: str) -> dict[str, Any] | None:
        """The entry of a function of the kernel, or None."""
        content = self._read(f"{name}.json")
        if content is None:
            return None
        try:
            read = json.loads(content)
        except (ValueError, RecursionError):
            return None
        return read if isinstance(read, dict) else None

    def keep_index(self, name: str, data: dict[str, Any]) -> None:
        """Writes about a function of the kernel."""
        self._write(f"{name}.json", json.dumps(data).encode())
        self._prune()

    def loading(self) -> contextlib.AbstractContextManager[None]:
        """To be entered while objects are taken in: where the program falls in there, the next one drops the cache."""
        return self._own.marked()

    def _read(self, name: str) -> bytes | None:
        kept = self.memory.get(name)
        if kept is not None:
            return kept
        self._look()
        try:
            content = _sealed(self._own.read(name, MOST_BYTES))
        except NotPrivate as refused:
            self._tell(
                "private", f"{refused}: what is compiled there is not used (remove it, or choose OAK_SLED_CACHE)"
            )
            content = None
        except OSError:
            content = None
        else:
            if content is None:
                where = self.folder / name
                self._tell("damaged", f"the compiled kernel in {where} is damaged; it is compiled again")
                return None
        if content is None and self.shipped is not None:
            with contextlib.suppress(Refused):
                content = _sealed(disk.read_whole(self.shipped / name, MOST_BYTES, "a compiled kernel"))
        return content

    def _look(self) -> None:
        """Drops what is there where a program fell while it took it in; looked for once."""
        if self._looked:
            return
        self._looked = True
        with contextlib.suppress(OSError, NotPrivate):
            if self._own.fallen():
                self._tell("fallen", "the program ended while it loaded the compiled kernel; it is compiled again")
                for name, _ in self._own.files():
                    self._own.remove(name)

    def _write(self, name: str, content: bytes) -> None:
        self.memory[name] = content
        try:
            self._own.write(name, hashlib.sha256(content).digest() + content)
        except (OSError, NotPrivate) as error:
            log.debug("the compiled kernel stays in memory: %s", error)
        else:
            self.memory.pop(name, None)  # another thread may have written the same

    def _tell(self, what: str, words: str) -> None:
        if what not in self._told:
            log.warning(words)
        self._told.add(what)

    def _prune(self) -> None:
        """Removes what was not used for longest, where there is too much."""
        with contextlib.suppress(OSError, NotPrivate):
            files = [(found.st_mtime, found.st_size, name) for name, found in self._own.files()]
            total = sum(size for _, size, _ in files)
            for _, size, name in sorted(files):
                if total <= MOST_BYTES:
                    break
                self._own.remove(name)
                total -= size


def _sealed(raw: bytes) -> bytes | None:
    """The content of a seal, or None if it is not whole."""
    content = raw[_SEAL:]
    return content if hashlib.sha256(content).digest() == raw[:_SEAL] else None


def default_folder() -> Path:
    """The folder of compiled kernels: OAK_SLED_CACHE, or the cache of the desktop."""
    return Path(os.environ.get("OAK_SLED_CACHE") or platformdirs.user_cache_dir("oak-sled")) / "kernel"
