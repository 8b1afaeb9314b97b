"""A film from pictures: animated WebP by Pillow, animated PNG, and MP4 by ffmpeg where it is installed.

Pictures are written as they come: Pillow would keep all those of a PNG in memory, so its few chunks are written here.
"""

from __future__ import annotations

import itertools
import shutil
import struct
import subprocess
import threading
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.base import disk
from oak_sled.core.base.faults import refuse

Picture = NDArray[np.uint8]
"""Shape (height, width, 3): red, green, blue."""
SUFFIXES = (".webp", ".png", ".mp4")


def suffixes() -> tuple[str, ...]:
    """The endings of films that can be written here."""
    return tuple(one for one in SUFFIXES if one != ".mp4" or shutil.which("ffmpeg"))


def check(path: Path) -> None:
    """Raises `Refused` for a film that cannot be written here."""
    if path.suffix.lower() not in SUFFIXES:
        raise refuse(str(path), f"{path.suffix or 'no ending'} is no film", f"one of {', '.join(suffixes())}")
    if path.suffix.lower() not in suffixes():
        raise refuse(str(path), "MP4 needs ffmpeg, which is not installed", "ffmpeg from your system, or .webp")
    disk.check_folder(path)


def write(
    pictures: Iterator[Picture], count: int, a_second: float, path: Path, on_picture: Callable[[int], object] = int
) -> int:
    """Writes the film, whole or not at all; gives the number of its pictures. Raises `Refused`.

    pictures : `count` of one size, taken as they are needed. a_second : how many are shown in one. on_picture : told
    how many were taken; what it raises ends the writing.
    """
    check(path)
    if count < 1:
        raise refuse(str(path), "there is no picture", "a run that lasts")
    taken = 0

    def counted() -> Iterator[Picture]:
        nonlocal taken
        for picture in pictures:
            taken += 1
            on_picture(taken)
            yield picture

    with disk.written(path) as file:
        kind = path.suffix.lower()
        if kind == ".mp4":
            _as_mp4(counted(), a_second, file, path)
        elif kind == ".png":
            _as_png(counted(), count, a_second, file)
        else:
            _as_webp(counted(), a_second, file)
    return taken


def _as_webp(pictures: Iterator[Picture], a_second: float, file: BinaryIO) -> None:
    from PIL import Image  # heavy, and most commands draw nothing

    first, *_ = [Image.fromarray(picture) for picture in itertools.islice(pictures, 1)]
    more = (Image.fromarray(picture) for picture in pictures)
    lasts = round(1000.0 / a_second)
    first.save(file, "WEBP", save_all=True, append_images=more, duration=lasts, loop=0, quality=75, method=1)


def _as_png(pictures: Iterator[Picture], count: int, a_second: float, file: BinaryIO) -> None:
    """Chunks of the PNG specification, third edition: the first picture is also that of viewers without animation."""
    number = 0

    def chunk(kind: bytes, content: bytes) -> None:
        file.write(struct.pack(">I", len(content)) + kind + content + struct.pack(">I", zlib.crc32(kind + content)))

    for place, picture in enumerate(pictures):
        tall, wide = picture.shape[:2]
        if place == 0:
            file.write(b"\x89PNG\r\n\x1a\n")
            chunk(b"IHDR", struct.pack(">IIBBBBB", wide, tall, 8, 2, 0, 0, 0))
            chunk(b"acTL", struct.pack(">II", count, 0))
        chunk(b"fcTL", struct.pack(">IIIIIHHBB", number, wide, tall, 0, 0, 1000, round(1000.0 * a_second), 0, 0))
        number += 1
        rows = picture.reshape(tall, -1)
        filtered = np.full((tall, rows.shape[1] + 1), 2, np.uint8)  # every row as what differs from the one above
        filtered[0, 1:], filtered[1:, 1:] = rows[0], rows[1:] - rows[:-1]
        packed = zlib.compress(filtered.tobytes(), 3)
        if place == 0:
            chunk(b"IDAT", packed)
        else:
            chunk(b"fdAT", struct.pack(">I", number) + packed)
            number += 1
    chunk(b"IEND", b"")


def _as_mp4(pictures: Iterator[Picture], a_second: float, file: BinaryIO, path: Path) -> None:
    first = next(pictures)
    tall, wide = (size - size % 2 for size in first.shape[:2])  # MP4 takes even sizes
    line = ["ffmpeg", "-hide_banner", "-loglevel", "error", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s"]
    line += [f"{wide}x{tall}", "-r", f"{a_second:g}", "-i", "pipe:0", "-pix_fmt", "yuv420p"]
    line += ["-movflags", "frag_keyframe+empty_moov", "-f", "mp4", "pipe:1"]
    with subprocess.Popen(line, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as made:
        assert made.stdin is not None
        assert made.stdout is not None
        reader = threading.Thread(target=shutil.copyfileobj, args=(made.stdout, file), daemon=True)
        reader.start()
        try:
            for picture in itertools.chain([first], pictures):
                made.stdin.write(np.ascontiguousarray(picture[:tall, :wide]).tobytes())
        except BrokenPipeError:  # what it says follows
            pass
        except BaseException:
            made.kill()
            raise
        finally:
            try:
                made.stdin.close()
            except BrokenPipeError:
                pass
            reader.join()
        said = made.stderr.read().decode(errors="replace") if made.stderr is not None else ""
    if made.returncode != 0:
        raise refuse(str(path), f"ffmpeg cannot write it: {said.strip()[:200]}", "another ending, such as .webp")
