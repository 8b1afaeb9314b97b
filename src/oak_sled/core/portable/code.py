"""The equations of one craft as a small program that every writer writes: numbers, memory, functions, statements."""

from __future__ import annotations

from dataclasses import dataclass, field

from oak_sled.core.compiler.types import Type

# expressions


@dataclass(slots=True)
class Lit:
    """A float, an int or a truth that stands in the source."""

    type: Type
    value: float | int | bool


@dataclass(slots=True)
class Var:
    """A name of the function."""

    type: Type
    name: str


@dataclass(slots=True)
class Num:
    """A number of the craft, by its name in the block of numbers. indices : of a table."""

    type: Type
    name: str
    indices: list[Expr]


@dataclass(slots=True)
class Cell:
    """A number that the craft keeps. indices : of what is an array."""

    type: Type
    name: str
    indices: list[Expr]


@dataclass(slots=True)
class Row:
    """A tuple of values."""

    type: Type
    items: list[Expr]


@dataclass(slots=True)
class Item:
    """One of a tuple."""

    type: Type
    owner: Expr
    place: int


@dataclass(slots=True)
class One:
    """An operator with one operand: "-", "not", or a cast to "float" or "int"."""

    type: Type
    op: str
    value: Expr


@dataclass(slots=True)
class Two:
    """An operator with two operands: arithmetic, comparison, "and", "or", "min", "max"."""

    type: Type
    op: str
    left: Expr
    right: Expr


@dataclass(slots=True)
class Choose:
    """yes if test else no."""

    type: Type
    test: Expr
    yes: Expr
    no: Expr


@dataclass(slots=True)
class Maths:
    """A function of floats, by its name in C."""

    type: Type
    name: str
    values: list[Expr]


@dataclass(slots=True)
class Call:
    """A function of the program."""

    type: Type
    function: Function
    values: list[Expr]


Expr = Lit | Var | Num | Cell | Row | Item | One | Two | Choose | Maths | Call

# statements


@dataclass(slots=True)
class Set:
    """A name takes a value."""

    name: str
    value: Expr


@dataclass(slots=True)
class Put:
    """A number that the craft keeps is written."""

    cell: Cell
    value: Expr


@dataclass(slots=True)
class If:
    """if, else."""

    test: Expr
    yes: list[Statement]
    no: list[Statement]


@dataclass(slots=True)
class While:
    """while."""

    test: Expr
    body: list[Statement]


@dataclass(slots=True)
class For:
    """for name from first up to last, without it."""

    name: str
    first: Expr
    last: Expr
    step: int
    body: list[Statement]


@dataclass(slots=True)
class Jump:
    """break or continue."""

    word: str


@dataclass(slots=True)
class Ret:
    """return."""

    value: Expr | None


@dataclass(slots=True)
class Do:
    """A call for what it writes."""

    value: Expr


Statement = Set | Put | If | While | For | Jump | Ret | Do


@dataclass(slots=True, eq=False)
class Function:
    """A function. says : its comment; touches : whether it reads or writes what the craft keeps."""

    name: str
    says: str
    arguments: list[tuple[str, Type]]
    returns: Type
    names: dict[str, Type] = field(default_factory=dict)
    body: list[Statement] = field(default_factory=list)
    touches: bool = False


@dataclass(slots=True)
class Kept:
    """A number or an array that the craft keeps from tick to tick or within one. shape : () for a number; start : its
    values at the start, in C order; rows : what the first index says, by name, where it has names."""

    type: Type
    shape: tuple[int, ...]
    start: list[float | int]
    rows: tuple[str, ...] = ()


@dataclass(slots=True)
class Number:
    """A number of the craft, or a table of them. unit : ""; says : what it is; in_game : itself as the game has it, ""
    where that is the same."""

    shape: tuple[int, ...]
    values: list[float | int]
    unit: str = ""
    says: str = ""
    in_game: str = ""
    places: list[tuple[str | int, ...]] = field(default_factory=list)
    """Its places in the memory of the machine: several where parts that are alike share a number."""

    def words(self) -> str:
        """Its unit, what it is where that is short, and what it is in the game."""
        says = self.says if len(self.says) <= SHORT_WORDS else ""
        found = ", ".join(one for one in (self.unit, says) if one)
        return f"{found}; {self.in_game} in the game" if self.in_game else found


SHORT_WORDS = 60
"""Letters of a description up to which it stands beside its number."""


@dataclass(slots=True)
class Program:
    """All of it, the functions in the order in which they may be declared. name : in small letters; title, about : of
    the craft; assumed : what does not hold once numbers are 0; inputs : the channels, in their order."""

    name: str
    title: str
    about: str
    assumed: str
    inputs: tuple[str, ...]
    numbers: dict[str, Number]
    kept: dict[str, Kept]
    functions: list[Function]
