"""The kernel's language three ways: machine code, C99 and plain Python give the same bits.

Random functions of the language, the whole kernel on demo drills, and the demo craft's C file.
"""

from __future__ import annotations

import ctypes
import importlib.util
import random
import shutil
import subprocess
import sys

import numpy as np
import pytest

from oak_sled.bench import yardstick
from oak_sled.core.assembly import jobs, tracks
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.compiler import kernel, machine, plain, types
from oak_sled.core.compiler.c99 import File
from oak_sled.core.files import handover
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.results.record import Layout
from oak_sled.core.tick import stopping

CC = shutil.which("cc") or shutil.which("gcc")
FLAGS = ["-std=c99", "-O2", "-ffp-contract=off", "-Wall", "-Wextra", "-Werror", "-shared", "-fPIC"]
FLAGS += ["-Wno-unused", "-Wno-tautological-compare"]  # random functions are full of both


def built(text, folder):
    """C as a library."""
    source, library = folder / "made.c", folder / "made.so"
    source.write_text(text)
    done = subprocess.run([CC, *FLAGS, "-o", library, source, "-lm"], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr[:3000]
    return ctypes.CDLL(str(library))


def same(a, b):
    """Whether two floats, ints or arrays are the same to the bit; any NaN is as good as another."""
    a, b = np.asarray(a), np.asarray(b)
    return a.shape == b.shape and bool(((a == b) & (np.signbit(a) == np.signbit(b)) | (a != a) & (b != b)).all())


# random functions


class Writer:
    """Writes functions of the language at random. f0 to f3 are floats, i0 to i3 ints; x, n arrays of 8 of them."""

    def __init__(self, seed):
        self.random = random.Random(seed)

    def pick(self, *ways):
        return self.random.choice(ways)()

    def index(self, deep):
        return self.pick(lambda: str(self.random.randrange(-8, 8)), lambda: f"{self.whole(deep - 1)} % 8")

    def number(self, deep):
        r = self.random
        leaf = (
            lambda: repr(r.choice([0.0, 1.0, -1.5, 0.1, 1e300, 1e-300, 3.25, -7.0, 1e9])),
            lambda: f"f{r.randrange(4)}",
            lambda: f"x[{r.randrange(-8, 8)}]",
        )
        if deep <= 0:
            return self.pick(*leaf)
        inner = lambda: self.number(deep - 1)  # noqa: E731
        return self.pick(
            *leaf,
            lambda: f"x[{self.index(deep)}]",
            lambda: f"({inner()} {r.choice('+-*/')} {inner()})",
            lambda: f"({inner()} {r.choice('+-*/')} {self.whole(deep - 1)})",
            lambda: f"({self.whole(deep - 1)} / {self.whole(deep - 1)})",
            lambda: f"{r.choice(['min', 'max'])}({inner()}, {inner()}, {inner()})",
            lambda: f"{r.choice(['abs', '-', 'float'])}({inner()})",
            lambda: f"math.{r.choice(['sqrt', 'sin', 'cos', 'exp', 'log', 'atan', 'acos', 'tan'])}({inner()})",
            lambda: f"math.{r.choice(['atan2', 'hypot'])}({inner()}, {inner()})",
            lambda: f"({inner()} if {self.truth(deep - 1)} else {inner()})",
            lambda: f"{inner()} ** {r.choice(['2', '3', '5', '1.5', '-0.5'])}",
            lambda: f"float({self.whole(deep - 1)})",
            lambda: f"(f0, {inner()}, f2)[{r.randrange(3)}]",
            lambda: f"(f0, {inner()}, f2)[{self.whole(deep - 1)} % 3]",
        )

    def whole(self, deep):
        r = self.random
        leaf = (
            lambda: str(r.choice([0, 1, -1, 2, 7, -13, 2654435761, 2**62])),
            lambda: f"i{r.randrange(4)}",
            lambda: f"n[{r.randrange(-8, 8)}]",
        )
        if deep <= 0:
            return self.pick(*leaf)
        inner = lambda: self.whole(deep - 1)  # noqa: E731
        name = f"i{r.randrange(4)}"  # of two constants too large an int would come, which is refused
        return self.pick(
            *leaf,
            lambda: f"({name} {r.choice(['+', '-', '*', '//', '%', '&', '|', '^'])} {inner()})",
            lambda: f"({name} {r.choice(['<<', '>>'])} {r.randrange(64)})",
            lambda: f"{r.choice(['min', 'max'])}({inner()}, {inner()})",
            lambda: f"abs({name})",
            lambda: f"(-{name})",
            lambda: f"int({self.number(deep - 1)})",
            lambda: f"math.{r.choice(['floor', 'ceil'])}({self.number(deep - 1)})",
            lambda: f"int(dice(np.uint64({name}), np.uint64(i{r.randrange(4)})) >> np.uint64({r.randrange(1, 64)}))",
            lambda: f"({inner()} if {self.truth(deep - 1)} else {inner()})",
            lambda: f"int({self.truth(deep - 1)})",
        )

    def truth(self, deep):
        r = self.random
        sign = lambda: r.choice(["<", "<=", ">", ">=", "==", "!="])  # noqa: E731
        if deep <= 0:
            return f"(f{r.randrange(4)} {sign()} f{r.randrange(4)})"
        return self.pick(
            lambda: f"({self.number(deep - 1)} {sign()} {self.number(deep - 1)})",
            lambda: f"({self.whole(deep - 1)} {sign()} {self.whole(deep - 1)})",
            lambda: f"({self.number(deep - 1)} {sign()} {self.number(deep - 1)} {sign()} {self.number(deep - 1)})",
            lambda: f"({self.truth(deep - 1)} {r.choice(['and', 'or'])} {self.truth(deep - 1)})",
            lambda: f"(not {self.truth(deep - 1)})",
        )

    def block(self, deep, pad, looping=False):
        lines = []
        for _ in range(self.random.randint(1, 4)):
            lines += [pad + line for line in self.statement(deep, looping)]
        return lines

    def statement(self, deep, looping):
        r = self.random
        f, g, i = f"f{r.randrange(4)}", f"f{r.randrange(4)}", f"i{r.randrange(4)}"
        plain_ways = [
            lambda: [f"{f} = {self.number(3)}"],
            lambda: [f"{i} = {self.whole(3)}"],
            lambda: [f"{f} {r.choice('+-*/')}= {self.number(2)}"],
            lambda: [f"{i} {r.choice(['+', '-', '*', '//', '%', '^'])}= {self.whole(2)}"],
            lambda: [f"x[{self.index(1)}] = {self.number(2)}"],
            lambda: [f"n[{self.index(1)}] = {self.whole(2)}"],
            lambda: [f"x[{self.index(0)}] += {self.number(2)}"],
            lambda: [f"{f}, {i} = {self.number(2)}, {self.whole(2)}"],
            lambda: [f"{f}, {g} = {g}, {f}"] if f != g else [f"{f} = {g}"],
            lambda: [f"{f}, {g} = swapped({self.number(1)}, {self.number(1)})"] if f != g else ["f0 = 1.0"],
            lambda: [f"{f} = noted(x, {self.number(1)}, {r.randrange(8)})"],
        ]
        if deep <= 0:
            return r.choice(plain_ways)()
        inner = lambda looping: self.block(deep - 1, "    ", looping)  # noqa: E731
        ways = [
            *plain_ways,
            lambda: [f"if {self.truth(2)}:", *inner(looping)],
            lambda: [
                f"if {self.truth(2)}:",
                *self.block(deep - 1, "    ", looping),
                "else:",
                *self.block(deep - 1, "    "),
            ],
            lambda: [
                f"for k{deep} in range({r.choice(['4', '1, 5', '6, 0, -2'])}):",
                *self.block(deep - 1, "    ", True),
            ],
            lambda: [f"w{deep} = 0", f"while w{deep} < 3 and {self.truth(1)}:", f"    w{deep} += 1", *inner(False)],
        ]
        if looping:
            ways += [lambda: [f"if {self.truth(1)}:", f"    {r.choice(['break', 'continue'])}"]]
        return r.choice(ways)()

    def function(self, name):
        lines = ["@compiled", f"def {name}(x, n, f0, i0):"]
        lines += ["    f1, f2, f3 = x[1], x[2], 0.5", "    i1, i2, i3 = n[1], n[2], 3", "    w1, w2 = 0, 0"]
        lines += self.block(2, "    ") + self.block(2, "    ")
        return [*lines, "    n[7] = i0 ^ i1 ^ i2 ^ i3 ^ w1 ^ w2", "    return f0, f1 + f2 * f3, i0", "", ""]


FRONT = """
import math
import numpy as np
from oak_sled.core.compiler.kernel import compiled

@compiled
def dice(a, b):
    z = (a ^ (a >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9) + b
    return z ^ (z >> np.uint64(31))

@compiled
def swapped(a, b):
    return b, a

@compiled
def noted(x, value, place):
    x[place] = value
    return value + x[0]

"""


@pytest.fixture(scope="module")
def functions(tmp_path_factory):
    """Sixty random functions, in a module of their own."""
    folder = tmp_path_factory.mktemp("random")
    names = [f"made_{k}" for k in range(60)]
    text = FRONT + "\n".join(line for k, name in enumerate(names) for line in Writer(k).function(name))
    (folder / "random_kernels.py").write_text(text)
    spec = importlib.util.spec_from_file_location("random_kernels", folder / "random_kernels.py")
    module = sys.modules["random_kernels"] = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    yield [getattr(module, name) for name in names]
    del sys.modules["random_kernels"]


def inputs(seed):
    rng = np.random.default_rng(seed)
    x = rng.choice([0.0, -0.0, 1.0, -2.5, 1e200, -1e-200, np.inf, -np.inf, np.nan, 3.7, 1e10], 8)
    n = rng.choice([0, 1, -1, 5, -9, 2**40, -(2**63), 2**63 - 1], 8).astype(np.int64)
    return np.array(x), n, float(rng.normal()), int(rng.integers(-20, 20))


CASES = range(12)


def test_random_functions_as_plain_python_and_compiled(functions):
    for function in functions:
        for case in CASES:
            x, n, f, i = inputs(case)
            made = function(x, n, f, i)
            px, pn, f, i = inputs(case)
            with plain.python():
                wanted = function(px, pn, f, i)
            where = f"{function.__name__}, case {case}"
            assert same(made[:2], wanted[:2]), where
            assert made[2] == wanted[2], where
            assert same(x, px), where
            assert (n == pn).all(), where


class Result(ctypes.Structure):
    _fields_ = (("v0", ctypes.c_double), ("v1", ctypes.c_double), ("v2", ctypes.c_int64))


@pytest.mark.skipif(CC is None, reason="no C compiler here")
def test_random_functions_in_c_and_compiled(functions, tmp_path):
    file = File()
    given = tuple(types.of_value(one) for one in inputs(0))
    for function in functions:
        file.add(kernel.PROGRAM.read(function, given), function.__name__)
    library = built(file.text(), tmp_path)
    for function in functions:
        called = getattr(library, function.__name__)
        called.restype = Result
        for case in CASES:
            x, n, f, i = inputs(case)
            made = function(x, n, f, i)
            cx, cn, f, i = inputs(case)
            cells, _keep = yardstick.handed(cx, cn, f, i)
            wanted = called(*cells)
            where = f"{function.__name__}, case {case}"
            assert same(made[:2], (wanted.v0, wanted.v1)), where
            assert made[2] == wanted.v2, where
            assert same(x, cx), where
            assert (n == cn).all(), where


HELD = (
    FRONT
    + """
@compiled
def helped(x, n, f0, i0):
    least, greatest = min(f0, x[0]), max(f0, x[0])
    floor_div, to_int = i0 // 3, int(f0)
    return min(least, 1.0), max(greatest, 2.0), floor_div % 5 + to_int
"""
)


@pytest.mark.skipif(CC is None, reason="no C compiler here")
def test_a_variable_may_be_called_as_a_function_that_c_is_given(tmp_path):
    (tmp_path / "helped_kernels.py").write_text(HELD)
    spec = importlib.util.spec_from_file_location("helped_kernels", tmp_path / "helped_kernels.py")
    module = sys.modules["helped_kernels"] = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    file = File()
    file.add(kernel.PROGRAM.read(module.helped, tuple(types.of_value(one) for one in inputs(0))), "helped")
    called = built(file.text(), tmp_path).helped
    called.restype = Result
    for case in CASES:
        given = inputs(case)
        cells, _keep = yardstick.handed(*given)
        wanted, made = called(*cells), module.helped(*given)
        assert same(made[:2], (wanted.v0, wanted.v1))
        assert made[2] == wanted.v2
    del sys.modules["helped_kernels"]


# the whole kernel


def first_ticks(job, ticks):
    """Status and rows of the first ticks of a job."""
    rows = np.empty((ticks + 1, Layout.of(job).width))
    machine = Machine.of(job)
    machine.first_row(rows[0])
    status, done = machine.advance(tracks.inputs(job, ticks), rows[1:], job.substeps)
    return status, rows[: done + 1]


def job_of(name, drill):
    yard = demos.load(name)
    found = yard.drill(drill)
    return jobs.Job(yard.craft(), yard.ground_of(found), found, yard.ticks, yard.integrator)


ALL = [(name, drill.id) for name in demos.DEMOS for drill in demos.load(name).drills]
QUICK = {"fan-sled": 120, "mortar": 4, "shove": 6, "puck": 30}
"""Ticks of each demo in the quick test: a tick among many contacts takes seconds in plain Python."""


def check_twin(name, drill, ticks):
    job = job_of(name, drill)
    status, rows = first_ticks(job, ticks)
    with plain.python():
        slow_status, slow = first_ticks(job, ticks)
    assert status == slow_status
    assert same(rows, slow)


@pytest.mark.parametrize(("name", "drill"), [one for one in ALL if one[0] in QUICK])
def test_the_kernel_is_its_own_source(name, drill):
    check_twin(name, drill, QUICK[name])


def test_the_kernel_is_its_own_source_among_freight():
    check_twin("quay", "over_ridges", 5)
    check_twin("quay", "odds_and_ends", 1)


@pytest.mark.slow
@pytest.mark.timeout(3600)
@pytest.mark.parametrize(("name", "drill"), ALL)
def test_the_first_120_ticks_of_every_demo_drill_are_its_own_source(name, drill):
    check_twin(name, drill, 120)


@pytest.fixture(scope="module")
def libraries(tmp_path_factory):
    """Builds C, the same only once."""
    known = {}

    def library_of(text):
        if text not in known:
            known[text] = built(text, tmp_path_factory.mktemp("c"))
        return known[text]

    return library_of


class Ended(ctypes.Structure):
    _fields_ = (("status", ctypes.c_int64), ("done", ctypes.c_int64))


@pytest.mark.skipif(CC is None, reason="no C compiler here")
@pytest.mark.parametrize(
    ("name", "drill"),
    [(name, drill) for name, drill in ALL if name == "fan-sled"]
    + [
        ("ferry", "ridges"),
        ("lamp-truck", "turn_high"),
        ("crate-drop", "soft_landing"),
        ("floe-probe", ""),
        ("ice-truck", "circle"),
        ("ice-truck", "drift"),
    ],
)
def test_demo_crafts_in_c_give_the_same_rows(name, drill, libraries):
    job = job_of(name, drill)
    made = run.execute(job)
    rows = np.concatenate(list(made.record.chunks(10_000)))
    handed_over = handover.equations(job)
    library = libraries(handed_over.text)
    machine = Machine.of(job)
    arrays, scene, nows = machine.world, machine.scene, machine.nows
    yardstick.connect(machine, job, handed_over, library)
    told, ours = tracks.inputs(job, made.ticks), made.layout.room(made.ticks + 1)
    cells, _first = yardstick.handed(arrays, scene, nows, ours.crafts[0], ours.beside[0])
    library.first_row.restype = None
    library.first_row(*cells)
    then = (ours.crafts[1:], ours.beside[1:], ours.which[1:])
    cells, _keep = yardstick.handed(arrays, scene, machine.shot_memory, nows, told, *then, 1, stopping.word())
    library.advance.restype = Ended
    ended = library.advance(*cells)
    assert (ended.status, ended.done) == (made.status, made.ticks)
    ours.which[1:] += 1
    assert same(rows, ours.whole())
    assert "/* Moves every body by one tick" in handed_over.text


def test_the_c_file_is_the_same_each_time():
    job = job_of("fan-sled", "slalom")
    assert handover.equations(job).text == handover.equations(job).text


def test_what_cleans_registers_is_one_instruction_where_there_are_such_registers():
    import llvmlite.binding as llvm

    clean = machine.registers_cleaner()
    assert clean() is None
    assert machine.registers_cleaner() is clean
    if llvm.get_host_cpu_features().get("avx", False) and llvm.get_process_triple().startswith("x86_64"):
        code = ctypes.string_at(ctypes.cast(clean, ctypes.c_void_p).value, 4)
        assert code == b"\xc5\xf8\x77\xc3", "vzeroupper, and back"
