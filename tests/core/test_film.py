"""Films: what was put in comes out of each kind, and a film that is not finished leaves nothing."""

from __future__ import annotations

import shutil
import subprocess

import numpy as np
import pytest
from PIL import Image

from oak_sled.core.base.faults import Refused
from oak_sled.core.files import film


def pictures(count, tall=49, wide=75):
    """A bar that moves over shades."""
    for k in range(count):
        made = np.zeros((tall, wide, 3), np.uint8)
        made[:, :, 0] = np.arange(wide)[None, :] * 3
        made[:, 5 * k : 5 * k + 5, 1] = 255
        yield made


@pytest.mark.parametrize("suffix", [".webp", ".png"])
def test_pictures_come_out_as_they_went_in_at_their_rate(suffix, tmp_path):
    told = []
    path = tmp_path / f"film{suffix}"
    assert film.write(pictures(12), 12, 25.0, path, told.append) == 12
    assert told == list(range(1, 13))
    with Image.open(path) as read:
        assert read.n_frames == 12
        assert read.size == (75, 49)
        for k, wanted in enumerate(pictures(12)):
            read.seek(k)
            read.load()
            assert read.info.get("duration", 40) == pytest.approx(40.0)
            off = np.abs(np.asarray(read.convert("RGB")).astype(int) - wanted)
            assert off.max() == 0 if suffix == ".png" else off.mean() < 12.0


@pytest.mark.tools
def test_ffmpeg_writes_mp4_of_even_size(tmp_path):
    if shutil.which("ffmpeg") is None:
        pytest.skip("MP4 needs ffmpeg: make test-tools installs it")
    path = tmp_path / "film.mp4"
    assert film.write(pictures(30), 30, 25.0, path) == 30
    asked = [
        "ffprobe",
        "-v",
        "error",
        "-count_frames",
        "-show_entries",
        "stream=width,height,nb_read_frames,r_frame_rate",
    ]
    told = subprocess.run([*asked, "-of", "csv=p=0", path], capture_output=True, text=True, check=True).stdout
    assert told.strip() == "74,48,25/1,30"


@pytest.mark.parametrize("suffix", film.suffixes())
def test_a_film_that_is_broken_off_leaves_nothing(suffix, tmp_path):
    class Enough(Exception):
        pass

    def stop(taken):
        if taken == 5:
            raise Enough

    with pytest.raises(Enough):
        film.write(pictures(12), 12, 25.0, tmp_path / f"film{suffix}", stop)
    assert list(tmp_path.iterdir()) == []


def test_what_cannot_be_written_is_refused_before_a_picture_is_taken(tmp_path, monkeypatch):
    def never():
        pytest.fail("a picture was taken")
        yield

    with pytest.raises(Refused, match=r"\.gif is no film.*\.webp"):
        film.write(never(), 3, 25.0, tmp_path / "film.gif")
    with pytest.raises(Refused, match="there is no folder"):
        film.write(never(), 3, 25.0, tmp_path / "none" / "film.png")
    with pytest.raises(Refused, match="there is no picture"):
        film.write(never(), 0, 25.0, tmp_path / "film.png")
    monkeypatch.setenv("PATH", str(tmp_path))
    assert film.suffixes() == (".webp", ".png")
    with pytest.raises(Refused, match="needs ffmpeg, which is not installed"):
        film.write(never(), 3, 25.0, tmp_path / "film.mp4")


def test_a_full_disk_is_said_and_nothing_is_left(tmp_path):
    full = "/dev/full"
    (tmp_path / "film.png").symlink_to(full)
    with pytest.raises(Refused, match="no space left"):
        film.write(pictures(12, 200, 300), 12, 25.0, tmp_path / "film.png")
