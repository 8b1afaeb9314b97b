"""What is not the kernel's language is refused with file, line, what was found and what would be right."""

from __future__ import annotations

import importlib.util
import math
import sys

import numpy as np
import pytest

from oak_sled.core.base.faults import Refused
from oak_sled.core.compiler import kernel, llvm, source, types

FRONT = """import math
import numpy as np
from oak_sled.core.compiler.kernel import Address, compiled, unit
from oak_sled.core.compiler.types import FLOAT, INT
ACT = Address((None, INT), FLOAT)
FIVE = (1.0, 2.0, 3.0, 4.0, 5.0)
@compiled
def twice(a):
    return 2.0 * a
@compiled
def again(n):
    return again(n - 1)
@compiled
def made(x, n, row, f, i):
"""
LINES = FRONT.count("\n")
RECORD = np.dtype([("mass", "f8"), ("count", "i8"), ("place", "f8", (3,))])


@pytest.fixture
def read(tmp_path):
    """Reads a function `made(x, n, row, f, i)` of this body: arrays of floats and ints, a record, a float, an int."""

    def made(*body, call=False):
        file = tmp_path / "odd_kernels.py"
        file.write_text(FRONT + "".join(f"    {line}\n" for line in body))
        spec = importlib.util.spec_from_file_location("odd_kernels", file)
        module = sys.modules["odd_kernels"] = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(module)
        values = (np.arange(4.0), np.arange(4), np.zeros(1, RECORD)[0], 1.5, 2)
        if call:
            return module.made(*values)
        return kernel.PROGRAM.read(module.made, tuple(types.of_value(one) for one in values))

    yield made
    sys.modules.pop("odd_kernels", None)


@pytest.mark.parametrize(
    ("body", "line", "what", "right"),
    [
        (["with f:", "    pass"], 1, "With is not part of the language", "assignment"),
        (["return [1.0]"], 1, "List is not part of the language", "tuples"),
        (["return 'a'"], 1, "'a'", "numbers"),
        (["f = 1.0", "return row.weight"], 2, "no field weight", "known: mass, count, place"),
        (["return row.mas"], 1, "no field mas", "did you mean mass"),
        (["g = 0", "g = 1.5"], 2, "g is float here, and int before", "one type for a name"),
        (["if f > 0.0:", "    g = 1.0", "return g"], 3, "g may have no value here", "every way"),
        (["for k in range(i):", "    g = 1.0", "return g"], 3, "g may have no value here", "every way"),
        (["if f > 0.0:", "    return 1", "return 2.5"], 3, "returns float, and int before", "one type of result"),
        (["if f > 0.0:", "    return 1.0"], None, "may end without a value", "return on every way"),
        (["return again(i)"], None, "again calls itself", "a loop"),
        (["for v in x:", "    pass"], 1, "this loop|something else than a range", "range"),
        (["for k in range(0, 9, i):", "    pass"], 1, "a step that is no constant", "other than 0"),
        (["for k in range(f):", "    pass"], 1, "a range over float", "ints"),
        (["if i:", "    pass"], 1, "int as a truth", "!= 0"),
        (["return x[f]"], 1, "float as an index", "an int"),
        (["return x[1:2]"], 1, "a slice", "a loop"),
        (["return x[0, 1]"], 1, "2 indices of an array of floats", "as many dimensions"),
        (["return row.place[3]"], 1, "element 3 of 3", "0 to 2"),
        (["n[0] = f"], 1, "float where int stands", "int"),
        (["return f // 2.0"], 1, "// of floats", "math.floor"),
        (["return i << i"], 1, "a shift that is no constant", "such a number"),
        (["return np.uint64(i) + i"], 1, "an unsigned and another", "np.uint64"),
        (["return np.sum(x)"], 1, "sum is not part of the language", "a kernel function"),
        (["return twice(f, f)"], None, "takes 1 arguments, not 2", "a"),
        (["return twice(a=f)"], 1, "an argument by its name", "in their order"),
        (["return nobody"], 1, "nobody has no value here", "a name"),
        (["return math.square(f)"], 1, "has no square", "known"),
        (["return FIVE[i + 9] if f else f"], 1, "float as a truth", "comparison"),
        (["return f if f > 0.0 else row"], 1, "this is float or a record", "one type"),
        (["return ACT(row.count, f, i)"], 1, "float is handed to a unit", "declared"),
        (["a, b = f, f, f"], 1, "2 names for a tuple of 3", "as many"),
        (["f == f"], 1, "a value that goes nowhere", "a name for it"),
        (["return f < i < twice(f) < f"], 1, "a call between two comparisons", "a name"),
        (["x[0:2] = f"], 1, "a slice", "a loop"),
        (["return f ** 0"], 1, "the power 0", "1 to 64"),
        (["return not f"], 1, "float as a truth", "comparison"),
        (["f: float"], 1, "a name without a value", "a value"),
        (["while f > 0.0:", "    f = 0.0", "else:", "    f = 1.0"], 1, "else of a loop", "a name"),
        (["return f @ f"], 1, "MatMult", "\\+"),
        (["f @= f"], 1, "MatMult", "\\+"),
        (["x[twice(i)] += f"], 1, "made twice", "a name"),
        (["return f in x"], 1, "In", "<"),
        (["return lambda: f"], 1, "Lambda is not part", "calls"),
    ],
)
def test_what_is_not_the_language_is_refused_at_its_line(read, body, line, what, right):
    with pytest.raises(Refused) as caught:
        read(*body)
    (fault,) = caught.value.faults
    import re

    assert re.search(what, fault.what), fault
    assert re.search(right, fault.right), fault
    assert fault.where.startswith("odd_kernels.py line ")
    if line is not None:
        assert fault.where == f"odd_kernels.py line {LINES + line}"


def test_an_outcome_that_python_cannot_take_is_refused(read):
    with pytest.raises(Refused, match="gives a record of 3 fields back"):
        read("return row", call=True)
    for value in ("text", np.zeros(3, "f4"), np.zeros((4, 4))[:, 1], None, [1.0]):
        with pytest.raises(Refused):
            types.of_value(value)


def test_what_is_defined_where_machines_differ(read):
    body = (
        "z = 0.0 * f",
        "return 1.0 / z, math.log(z), int(1e30), int(math.sqrt(-1.0) * 1.0), i // 0, i % 0, -7 // i, -7 % i",
    )
    inf, low, most, nothing, none, left, quotient, rest = read(*body, call=True)
    assert inf == math.inf
    assert low == -math.inf
    assert most == 2**63 - 1
    assert nothing == 0
    assert (none, left) == (0, 0)
    assert (quotient, rest) == (-7 // 2, -7 % 2)


def test_two_files_of_one_name_are_two(read):
    assert read("return 3.0 * f", call=True) == 4.5
    assert read("return 4.0 * f", call=True) == 6.0, "not the code that was loaded before"
    assert read("return 3.0 * f", call=True) == 4.5


def test_a_checked_index_calls_with_its_line(read):
    function = read("return x[i + 1]")
    module = llvm.Module(checked=True)
    module.add(function)
    assert llvm.OUT_OF_RANGE in module.text()
    number = function.kernel.line_of(function.body[0].line)
    assert source.told_line(number) == f"odd_kernels.py line {LINES + 1}"
    plain = llvm.Module()
    plain.add(function)
    assert llvm.OUT_OF_RANGE not in plain.text()


def test_the_line_of_an_index_does_not_depend_on_what_was_read_before(read):
    """It stands in objects that are kept, and read by programs that import other files first."""
    number = read("return x[i]").kernel.line_of(1)
    told = source.told_line(number)
    source._files.insert(0, "another.py")
    try:
        assert source.told_line(number) == told
    finally:
        source._files.remove("another.py")


def test_the_seal_of_the_kernel_leaves_out_what_only_people_read():
    text = (
        'a = dial(1.0, "N", "push", low=0.0, high=2.0)\n\n@compiled\ndef push(x):\n    "Doubles."\n    return 2.0 * x\n'
    )
    seal = kernel.what_is_read(text)
    for same in (text.replace('"push"', '"force"'), text.replace("Doubles.", "Twice."), text + "# so\n"):
        assert kernel.what_is_read(same) == seal
    for other in (text.replace("2.0 * x", "3.0 * x"), text.replace("1.0", "1.5"), text.replace("@compiled\n", "")):
        assert kernel.what_is_read(other) != seal


def test_no_text_names_a_path_of_this_machine(demo_job):
    from oak_sled.core.files import handover
    from oak_sled.core.kernel import spatial

    given = tuple(types.of_value(one) for one in ((1.0, 2.0, 3.0), (1.0, 2.0, 3.0)))
    text = kernel.PROGRAM.text_of(kernel.PROGRAM.read(spatial.cross, given))
    for one in (text, handover.equations(demo_job).text):
        assert "/home" not in one
        assert str(source.PACKAGE) not in one
