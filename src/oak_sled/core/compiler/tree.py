"""The typed tree between reader and writers: every expression knows its type, every name has one."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from oak_sled.core.compiler.source import Source
from oak_sled.core.compiler.types import Array, Record, Type

# expressions


@dataclass(slots=True)
class Const:
    """A number or a truth that the source says. value : a float, an int, a bool, or None."""

    type: Type
    value: Any


@dataclass(slots=True)
class Name:
    """The value of a name of the function."""

    type: Type
    name: str


@dataclass(slots=True)
class TupleOf:
    """A tuple of these."""

    type: Type
    items: list[Expr]


@dataclass(slots=True)
class Item:
    """Item `place` of a tuple."""

    type: Type
    owner: Expr
    place: int


@dataclass(slots=True)
class Pick:
    """One item of a tuple of equal types, by an int that only the run knows; the last one for any other int."""

    type: Type
    owner: Expr
    index: Expr


@dataclass(slots=True)
class Member:
    """An array of a bundle. cell : where its cells begin."""

    type: Type
    owner: Expr
    name: str
    cell: int


@dataclass(slots=True)
class Field:
    """A field of a record: a number, or the record or array that lies in it."""

    type: Type
    owner: Expr
    name: str
    offset: int


@dataclass(slots=True)
class Element:
    """An element of an array, or the smaller array behind fewer indices than it has dimensions."""

    type: Type
    owner: Expr
    array: Array
    indices: list[Expr]
    line: int


@dataclass(slots=True)
class Size:
    """A size of an array."""

    type: Type
    owner: Expr
    axis: int


@dataclass(slots=True)
class Negate:
    """-x."""

    type: Type
    value: Expr


@dataclass(slots=True)
class Not:
    """not x."""

    type: Type
    value: Expr


@dataclass(slots=True)
class Binary:
    """a op b on two of its own type. op : + - * / // % & | ^ << >> **, ** on floats only."""

    type: Type
    op: str
    left: Expr
    right: Expr


@dataclass(slots=True)
class Compare:
    """a op b on two of one type."""

    type: Type
    op: str
    left: Expr
    right: Expr


@dataclass(slots=True)
class Logic:
    """and, or: the right side is looked at only where it decides."""

    type: Type
    op: str
    items: list[Expr]


@dataclass(slots=True)
class Choose:
    """a if test else b: only one of them is looked at."""

    type: Type
    test: Expr
    yes: Expr
    no: Expr


@dataclass(slots=True)
class Cast:
    """A number as one of another type. Float to int cuts off; what does not fit is the nearest int, NaN is 0."""

    type: Type
    value: Expr


@dataclass(slots=True)
class Extreme:
    """min or max: the second only if it is less, or greater, than the first."""

    type: Type
    which: str
    left: Expr
    right: Expr


@dataclass(slots=True)
class Maths:
    """A function of floats by its C name, or abs of an int ("abs")."""

    type: Type
    name: str
    values: list[Expr]


@dataclass(slots=True)
class Call:
    """A kernel function."""

    type: Type
    function: Function
    values: list[Expr]


@dataclass(slots=True)
class CallAt:
    """A unit by its address."""

    type: Type
    address: Expr
    values: list[Expr]


Expr = (
    Const | Name | TupleOf | Item | Pick | Member | Field | Element | Size | Negate | Not | Binary | Compare | Logic
    | Choose | Cast | Extreme | Maths | Call | CallAt
)  # fmt: skip

# statements


@dataclass(slots=True)
class Assign:
    """A name takes a value."""

    name: str
    value: Expr
    line: int = 0


@dataclass(slots=True)
class Store:
    """A number is written to a field or an element."""

    place: Field | Element
    value: Expr
    line: int = 0


@dataclass(slots=True)
class Copy:
    """A whole record is written over another of its kind."""

    place: Expr
    value: Expr
    record: Record
    line: int = 0


@dataclass(slots=True)
class If:
    """if, else."""

    test: Expr
    yes: list[Statement]
    no: list[Statement]
    line: int = 0


@dataclass(slots=True)
class While:
    """while."""

    test: Expr
    body: list[Statement]
    line: int = 0


@dataclass(slots=True)
class For:
    """for name in range(first, last, step): step is a constant."""

    name: str
    first: Expr
    last: Expr
    step: int
    body: list[Statement]
    line: int = 0


@dataclass(slots=True)
class Jump:
    """break or continue."""

    word: str
    line: int = 0


@dataclass(slots=True)
class Return:
    """return."""

    value: Expr | None
    line: int = 0


@dataclass(slots=True)
class Do:
    """A call for what it writes."""

    value: Expr
    line: int = 0


Statement = Assign | Store | Copy | If | While | For | Jump | Return | Do


@dataclass(slots=True)
class Function:
    """A kernel function for one set of argument types. writes : whether it, or what it calls, writes to memory."""

    kernel: Source
    arguments: list[tuple[str, Type]]
    returns: Type
    symbol: str
    is_unit: bool
    names: dict[str, Type] = field(default_factory=dict)
    body: list[Statement] = field(default_factory=list)
    writes: bool = False
    calls: list[Function] = field(default_factory=list)
