"""Compiled kernels on disk: used from any path, whole or compiled again, and never in the way."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

import oak_sled
from oak_sled.core.compiler import cache, kernel

SOURCE = Path(oak_sled.__file__).parent
SMALL = """
import sys, json
from oak_sled.core.kernel import spatial
from oak_sled.core.compiler.kernel import PROGRAM
made = spatial.cross((1.0, 2.0, 3.0), (3.0, 2.0, 1.0))
print(json.dumps([made, len(PROGRAM.compiled_anew)]))
"""
RIGHT = [-4.0, 8.0, -4.0]


def call(folder, source=SOURCE, code=SMALL, **more):
    """What a new process says that calls a small kernel function: its result and how many units it compiled."""
    env = {**os.environ, "OAK_SLED_CACHE": str(folder), "PYTHONPATH": str(source.parent), **more}
    done = subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    made, anew = json.loads(done.stdout)
    assert made == RIGHT
    return anew, done.stderr


def test_what_was_compiled_is_used_again_from_any_path_of_the_sources(tmp_path):
    assert call(tmp_path)[0] == 2  # the unit, and the door by which Python enters
    assert call(tmp_path) == (0, "")
    elsewhere = tmp_path / "moved" / "oak_sled"
    shutil.copytree(SOURCE, elsewhere, ignore=shutil.ignore_patterns("__pycache__", "fonts", "demo"))
    assert call(tmp_path, elsewhere) == (0, "")
    file = elsewhere / "core" / "kernel" / "spatial.py"
    file.write_text(file.read_text().replace("def dot(a, b):", "def dot(b, a):"))
    assert call(tmp_path, elsewhere)[0] == 0, "its text is the same, whatever else was edited"


def test_an_edited_source_is_seen_by_its_size_or_time(tmp_path):
    """What is known of the sources is read from the cache only while none of them was touched."""
    elsewhere = tmp_path / "moved" / "oak_sled"
    shutil.copytree(SOURCE, elsewhere, ignore=shutil.ignore_patterns("__pycache__", "fonts", "demo"))
    asks = SMALL.replace("made = ", "PROGRAM._hashed = lambda: 1 / 0\nmade = ")
    call(tmp_path, elsewhere)
    call(tmp_path, elsewhere, asks)  # found in the cache: nothing is hashed again
    file = elsewhere / "core" / "kernel" / "spatial.py"
    text, stands = file.read_text(), file.stat()
    file.write_text(text.replace("def dot(a, b):", "def dot(b, a):"))
    os.utime(file, ns=(stands.st_atime_ns, stands.st_mtime_ns - 1))
    with pytest.raises(AssertionError, match="ZeroDivisionError"):
        call(tmp_path, elsewhere, asks)
    assert call(tmp_path, elsewhere)[0] == 0
    call(tmp_path, elsewhere, asks)


@pytest.mark.parametrize("damage", [lambda raw: raw[: len(raw) // 2], lambda raw: b"", lambda raw: b"x" + raw[1:]])
def test_a_damaged_file_is_compiled_again_and_said_once(tmp_path, damage):
    call(tmp_path)
    for file in (tmp_path / "kernel").iterdir():
        file.write_bytes(damage(file.read_bytes()))
    anew, said = call(tmp_path)
    assert anew == 2
    assert said.count("is damaged") == 1
    assert call(tmp_path) == (0, "")


def test_two_processes_at_once(tmp_path):
    env = {**os.environ, "OAK_SLED_CACHE": str(tmp_path)}
    both = [subprocess.Popen([sys.executable, "-c", SMALL], env=env, stdout=subprocess.PIPE) for _ in range(4)]
    for one in both:
        assert json.loads(one.communicate()[0])[0] == RIGHT
        assert one.returncode == 0
    assert call(tmp_path) == (0, "")
    assert not [file for file in (tmp_path / "kernel").iterdir() if file.suffix not in (".o", ".json")]


THREADS = """
from concurrent.futures import ThreadPoolExecutor
from oak_sled.core.assembly import jobs
from oak_sled.core.project import demos
from oak_sled.core.results import run
names = ("ice-truck", "ferry", "mortar", "quay", "floe-probe", "shunting", "puck", "crate-drop")
yards = [demos.load(name) for name in names]
made = [jobs.job_of(yard, yard.drills[0].replace(duration=0.2)) for yard in yards]
with ThreadPoolExecutor(8) as pool:
    digests = list(pool.map(lambda job: run.execute(job).digest, made))
assert digests == [run.execute(job).digest for job in made]
"""


def test_threads_that_take_in_the_kernel_at_once_do_not_meet_half_of_it():
    """Every craft needs other units; each thread loads those of its own, in a process that has none of them yet."""
    for _ in range(3):
        done = subprocess.run([sys.executable, "-c", THREADS], capture_output=True, text=True)
        assert done.returncode == 0, done.stderr[-500:]


def test_threads_may_write_the_same_at_once(tmp_path):
    kept = cache.Cache(tmp_path)

    def write(number):
        for place in range(30):
            kept.keep_index(f"one_{place % 3}", {"x": 1})
            assert kept.index(f"one_{place % 3}") == {"x": 1}
        return number

    with ThreadPoolExecutor(8) as pool:
        assert list(pool.map(write, range(8))) == list(range(8))
    assert not kept.memory


def test_where_nothing_can_be_written_it_stays_in_memory(tmp_path):
    (tmp_path / "kernel").write_text("no folder")
    anew, said = call(tmp_path)
    assert anew == 2
    assert said == ""
    made = cache.Cache(tmp_path / "kernel")
    made.keep_object("a", b"code")
    assert made.object("a") == b"code"


def test_what_is_shipped_needs_no_compiling(tmp_path):
    """The objects that a wheel carries serve any processor of the family: nothing is compiled, nothing written."""
    shipped = SOURCE.parents[1] / "scripts" / "ship_kernel.py"
    package = tmp_path / "wheel" / "oak_sled"
    shutil.copytree(SOURCE, package, ignore=shutil.ignore_patterns("__pycache__", "fonts"))
    env = {**os.environ, "PYTHONPATH": str(package.parent), "OAK_SLED_CACHE": str(tmp_path / "own")}
    done = subprocess.run([sys.executable, shipped], env=env, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    assert list((package / "core" / "compiler" / "shipped").glob("*.o"))
    code = """
import json
from oak_sled.core.project import warmup
from oak_sled.core.compiler.kernel import PROGRAM
ready = PROGRAM.is_ready()
warmup.compile_all()
print(json.dumps([ready, PROGRAM.compiled_anew]))
"""
    env["OAK_SLED_CACHE"] = str(tmp_path / "user")
    done = subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout) == [True, []]


def open_to_all(folder):
    folder.chmod(0o777)


def objects_open_to_all(folder):
    for file in folder.iterdir():
        file.chmod(0o666)


def another_owner(folder):
    os.chown(folder, 12345, 12345)


def objects_of_another(folder):
    for file in folder.iterdir():
        os.chown(file, 12345, 12345)


def a_link(folder):
    folder.rename(folder.with_name("elsewhere"))
    folder.symlink_to(folder.with_name("elsewhere"))


@pytest.mark.parametrize("how", [open_to_all, objects_open_to_all, another_owner, objects_of_another, a_link])
def test_what_another_could_have_written_is_never_run(tmp_path, how, caplog):
    """An object's seal is a hash of itself: whoever can write there can write both."""
    if how in (another_owner, objects_of_another) and os.geteuid():
        pytest.skip("only root can give files away")
    folder = tmp_path / "kernel"
    cache.Cache(folder).keep_object("a", b"code")
    assert cache.Cache(folder).object("a") == b"code"
    how(folder)
    before = [(file.name, file.read_bytes()) for file in folder.iterdir()]
    asked = cache.Cache(folder)
    assert asked.object("a") is None
    assert asked.object("a") is None
    if how is not a_link:  # the system refuses that by itself
        assert [record.message for record in caplog.records if "not used" in record.message] == caplog.messages[:1]
    asked.keep_object("b", b"more")
    assert asked.object("b") == b"more", "in memory"
    if how in (open_to_all, another_owner, a_link):
        assert [(file.name, file.read_bytes()) for file in folder.iterdir()] == before, "nothing is written there"


def test_a_folder_open_to_all_is_said_once_and_not_used(tmp_path):
    call(tmp_path)
    assert (tmp_path / "kernel").stat().st_mode & 0o777 == 0o700
    assert {file.stat().st_mode & 0o777 for file in (tmp_path / "kernel").iterdir()} == {0o600}
    open_to_all(tmp_path / "kernel")
    anew, said = call(tmp_path)
    assert anew == 2
    assert said.count("not used") == 1


DEEP = b"[" * 100_000 + b"]" * 100_000
OTHERS = [
    b"{}",
    b"[]",
    DEEP,
    b'{"objects": {"a": 3}, "gives": "float"}',
    b'{"objects": 3}',
    b'{"objects": {}, "gives": 3}',
]


def written_over(folder, content):
    for file in folder.glob("*.json"):
        file.write_bytes(hashlib.sha256(content).digest() + content)


def test_an_index_that_says_something_else_is_made_again(tmp_path):
    call(tmp_path)
    folder = tmp_path / "kernel"
    program = kernel.Program(kernel.kernel_sources, cache.Cache(folder))
    for content in OTHERS:
        written_over(folder, content)
        assert [program._from_index(file.stem) for file in folder.glob("*.json")] == [None, None], content
    written_over(folder, b'{"objects": {}, "gives": "float"}')  # it fits, and names nothing of what is wanted
    assert call(tmp_path) == (0, ""), "the objects are there still"


@pytest.mark.parametrize("kind", ["fifo", "link", "folder", "endless"])
def test_only_regular_files_are_opened(tmp_path, kind):
    file = tmp_path / "kernel" / "a.o"
    cache.Cache(file.parent).keep_object("a", b"code")
    content = file.read_bytes()
    file.unlink()
    if kind == "fifo":
        os.mkfifo(file)
    elif kind == "link":
        (tmp_path / "b.o").write_bytes(content)
        file.symlink_to(tmp_path / "b.o")
    elif kind == "folder":
        file.mkdir()
    else:
        file.symlink_to("/dev/zero")
    asked = cache.Cache(file.parent)
    assert asked.object("a") is None
    asked.keep_object("a", b"code")
    assert asked.object("a") == b"code"


def test_a_program_that_fell_while_it_loaded_leaves_a_mark(tmp_path):
    """The next one compiles again; a mark of one that still runs says nothing."""
    falls = SMALL.replace("made = ", "PROGRAM; from oak_sled.core.compiler import machine\n"
                          "import os; machine.load = lambda objects: os.abort()\nmade = ", 1)  # fmt: skip
    falls = falls.replace("from oak_sled.core.compiler.kernel import PROGRAM\n", "", 1)
    falls = "from oak_sled.core.compiler.kernel import PROGRAM\n" + falls
    call(tmp_path)
    assert call(tmp_path) == (0, "")
    env = {**os.environ, "OAK_SLED_CACHE": str(tmp_path)}
    assert subprocess.run([sys.executable, "-c", falls], env=env, capture_output=True).returncode < 0
    assert len(list((tmp_path / "kernel").glob("loading-*"))) == 1
    with cache.Cache(tmp_path / "kernel").loading():
        anew, said = call(tmp_path)
        assert anew == 2
        assert said.count("ended while it loaded") == 1
    with cache.Cache(tmp_path / "kernel").loading():
        assert call(tmp_path) == (0, "")
    assert not list((tmp_path / "kernel").glob("loading-*"))


def test_old_files_go_where_there_is_too_much(tmp_path, monkeypatch):
    monkeypatch.setattr(cache, "MOST_BYTES", 3000)
    made = cache.Cache(tmp_path)
    for k in range(5):
        made.keep_object(f"object{k}", bytes(900))
        os.utime(tmp_path / f"object{k}.o", (k, k))
    made.keep_index("index", {"k": 1})
    left = sorted(file.name for file in tmp_path.iterdir())
    assert "object4.o" in left
    assert "object0.o" not in left
    assert sum(file.stat().st_size for file in tmp_path.iterdir()) <= 3000


def test_nothing_in_it_is_run_when_it_is_read():
    for file in Path(kernel.__file__).parent.glob("*.py"):
        text = file.read_text()
        assert "import pickle" not in text
        assert "marshal" not in text


def test_only_what_a_craft_has_is_compiled(tmp_path):
    code = """
import json
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.assembly import jobs
from oak_sled.core.compiler.kernel import PROGRAM
yard = demos.load("fan-sled")
drill = yard.drill().replace(duration=0.05)
craft = yard.craft()
open_ice = yard.ground_of(drill).replace(walls=(), edges="open")
run.execute(jobs.Job(craft.replace(parts=()), open_ice, drill))
bare = list(PROGRAM.compiled_anew)
run.execute(jobs.Job(craft, open_ice, drill))
print(json.dumps([bare, PROGRAM.compiled_anew[len(bare):]]))
"""
    env = {**os.environ, "OAK_SLED_CACHE": str(tmp_path)}
    done = subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    bare, more = json.loads(done.stdout)
    assert not [symbol for symbol in bare if symbol.startswith(("parts.", "contact.solver.p", "contact.broad"))]
    kinds = {symbol.split(".")[1] for symbol in more if symbol.startswith("parts.")}
    assert {"thruster", "runnerforce", "brake"} <= kinds
    assert not kinds & {"launcher", "knockback", "fin", "sling"}
