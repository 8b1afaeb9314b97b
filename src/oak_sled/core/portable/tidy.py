"""Makes folded functions read as if written by hand: names that are used once go where they are used, and tuples whose
items alone are used fall apart. No value changes by it: nothing is moved past what writes what it reads."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

from oak_sled.core.compiler.types import INT, Tuple
from oak_sled.core.portable import code
from oak_sled.core.portable.code import Call, Cell, Function, Item, Row, Var
from oak_sled.core.portable.fold import leaves, replaced
from oak_sled.core.portable.trim import all_leaves, calls_of, writes

SHORT = 150
"""Nodes of a function that goes to the only place from which it is called."""
LONGEST = 30
"""Nodes of an expression that may still grow by what is put into it."""


def tidied(function: Function, writing: set[int]) -> None:
    """Rewrites the body of a function. writing : ids of functions that write what the craft keeps."""
    while True:
        before = function.body
        _take_apart(function)
        function.body = _block(function.body, _uses(function), writing)
        if _size(before) == _size(function.body) and not _apart(function):
            break
    used = {leaf.name for leaf in all_leaves(function.body) if isinstance(leaf, code.Set | code.For)}
    function.names = {name: kind for name, kind in function.names.items() if name in used}


def gathered(roots: Sequence[Function], functions: list[Function]) -> list[Function]:
    """The functions without those that are short and called from one place: they go there."""
    kept: set[int] = {id(root) for root in roots}
    while True:
        calls = Counter(
            id(leaf.function) for one in functions for leaf in all_leaves(one.body) if isinstance(leaf, Call)
        )
        short = [one for one in functions if id(one) not in kept and calls[id(one)] == 1 and _is_short(one)]
        if not short:
            return functions
        callers = {id(called): one for one in functions for called in calls_of(one.body)}
        for gone in short:  # callees first, so that none is in one that is gone
            caller = callers[id(gone)]
            if _inline(caller, caller.body, gone):
                functions = [one for one in functions if one is not gone]
                for called in calls_of(gone.body):
                    callers[id(called)] = caller
            else:
                kept.add(id(gone))


def _is_short(one: Function) -> bool:
    """True for a function of few nodes that ends in one place, its last line."""
    ends = [leaf for leaf in all_leaves(one.body) if isinstance(leaf, code.Ret)]
    last = bool(one.body) and isinstance(one.body[-1], code.Ret)
    given = ends[0].value if ends else None
    calls = [] if given is None else [leaf for leaf in leaves(given) if isinstance(leaf, Call)]
    return _size(one.body) <= SHORT and len(calls) <= 1 and (not ends or (len(ends) == 1 and last))


def _inline(into: Function, body: list[code.Statement], gone: Function) -> bool:
    """Puts a function in the place of the statement that is its call, or whose value is; False where there is none."""
    for place, one in enumerate(body):
        for part in ("yes", "no", "body"):
            if hasattr(one, part) and _inline(into, getattr(one, part), gone):
                return True
        value = getattr(one, "value", None)
        if not (isinstance(value, Call) and value.function is gone):
            continue
        taken = set(into.names) | {name for name, _ in into.arguments}
        taken |= {leaf.name for leaf in all_leaves(into.body) if isinstance(leaf, code.For)}
        own = dict([*gone.arguments, *gone.names.items()])
        own |= {leaf.name: INT for leaf in all_leaves(gone.body) if isinstance(leaf, code.For)}
        new = {name: f"{gone.name}_{name}" if name in taken else name for name in own}
        if any(name in taken for name in new.values()):
            return False
        values = {old: Var(kind, new[old]) for old, kind in own.items()}
        into.names |= {new[name]: kind for name, kind in own.items()}
        made: list[code.Statement] = [
            code.Set(new[name], given) for (name, _), given in zip(gone.arguments, value.values, strict=True)
        ]
        inner = _renamed(gone.body, new, values)
        last = inner.pop() if inner and isinstance(inner[-1], code.Ret) else None
        made += inner
        if isinstance(one, code.Do) and isinstance(last, code.Ret) and last.value is not None:
            # nobody asks for the value, but what finds it may write
            made += [code.Do(leaf) for leaf in leaves(last.value) if isinstance(leaf, Call)][:1]
        elif not isinstance(one, code.Do):
            assert isinstance(last, code.Ret)
            assert last.value is not None
            made.append(_valued(one, last.value))
        body[place : place + 1] = made
        return True
    return False


def _valued(one: code.Statement, value: code.Expr) -> code.Statement:
    """A statement with another value."""
    if isinstance(one, code.Set):
        return code.Set(one.name, value)
    if isinstance(one, code.Put):
        return code.Put(one.cell, value)
    return code.Ret(value)


def _renamed(body: Sequence[code.Statement], new: dict[str, str], values: dict[str, Any]) -> list[code.Statement]:
    made: list[code.Statement] = []
    for one in body:
        if isinstance(one, code.If):
            yes, no = (_renamed(side, new, values) for side in (one.yes, one.no))
            made.append(code.If(replaced(one.test, values), yes, no))
        elif isinstance(one, code.While):
            made.append(code.While(replaced(one.test, values), _renamed(one.body, new, values)))
        elif isinstance(one, code.For):
            first, last = replaced(one.first, values), replaced(one.last, values)
            made.append(code.For(new.get(one.name, one.name), first, last, one.step, _renamed(one.body, new, values)))
        elif isinstance(one, code.Set):
            made.append(code.Set(new.get(one.name, one.name), replaced(one.value, values)))
        elif isinstance(one, code.Jump):
            made.append(one)
        else:
            made.append(_with(one, values))
    return made


def _size(body: Sequence[code.Statement]) -> int:
    return sum(1 for _ in all_leaves(body))


def _uses(function: Function) -> tuple[Counter[str], Counter[str]]:
    """Counts of how often each name is read, and is given a value."""
    found = list(all_leaves(function.body))
    read = Counter(one.name for one in found if isinstance(one, Var))
    given = Counter(one.name for one in found if isinstance(one, code.Set | code.For))
    given.update(name for name, _ in function.arguments)
    return read, given


def _apart(function: Function) -> list[tuple[str, Row]]:
    """Names that are given a tuple of values once, and of which only items are read."""
    read, given = _uses(function)
    items = Counter(
        one.owner.name for one in all_leaves(function.body) if isinstance(one, Item) and isinstance(one.owner, Var)
    )
    return [
        (one.name, one.value)
        for one in all_leaves(function.body)
        if isinstance(one, code.Set) and isinstance(one.value, Row) and given[one.name] == 1
        and read[one.name] == items[one.name]
    ]  # fmt: skip


def _take_apart(function: Function) -> None:
    for name, row in _apart(function):
        assert isinstance(row.type, Tuple)
        pieces = [f"{name}_{k}" for k in range(len(row.items))]
        for piece, item in zip(pieces, row.items, strict=True):
            function.names[piece] = item.type
        function.body = _split(function.body, name, pieces)


def _split(body: Sequence[code.Statement], name: str, pieces: list[str]) -> list[code.Statement]:
    made: list[code.Statement] = []
    for one in body:
        if isinstance(one, code.Set) and one.name == name and isinstance(one.value, Row):
            made += [code.Set(piece, item) for piece, item in zip(pieces, one.value.items, strict=True)]
            continue
        made.append(_items(one, name, pieces))
    return made


def _items(of: Any, name: str, pieces: list[str]) -> Any:
    """A statement or an expression in which the items of a name are names of their own."""
    if isinstance(of, Item) and isinstance(of.owner, Var) and of.owner.name == name:
        return Var(of.type, pieces[of.place])
    made = {}
    for field in of.__slots__:
        one = getattr(of, field)
        if isinstance(one, list) and one and isinstance(one[0], code.Set | code.Put | code.If | code.While | code.For
                                                        | code.Jump | code.Ret | code.Do):  # fmt: skip
            made[field] = _split(one, name, pieces)
        elif isinstance(one, list):
            made[field] = [_items(item, name, pieces) if hasattr(item, "__slots__") else item for item in one]
        elif hasattr(one, "__slots__") and not isinstance(one, Function) and field != "type":
            made[field] = _items(one, name, pieces)
        else:
            made[field] = one
    return type(of)(**made)


def _block(
    body: Sequence[code.Statement], uses: tuple[Counter[str], Counter[str]], writing: set[int]
) -> list[code.Statement]:
    read, given = uses
    left = list(body)
    place = 0
    while place < len(left):
        one = left[place]
        if isinstance(one, code.Set):
            if isinstance(one.value, Var) and one.value.name == one.name:
                del left[place]
                continue
            if read[one.name] == 0 and not writes(one.value, writing):
                del left[place]
                continue
            if given[one.name] == 1 and read[one.name] == 1 and _moved(left, place, writing):
                continue
        elif isinstance(one, code.If):
            left[place] = code.If(one.test, _block(one.yes, uses, writing), _block(one.no, uses, writing))
        elif isinstance(one, code.While):
            left[place] = code.While(one.test, _block(one.body, uses, writing))
        elif isinstance(one, code.For):
            left[place] = code.For(one.name, one.first, one.last, one.step, _block(one.body, uses, writing))
        place += 1
    return left


def _moved(body: list[code.Statement], place: int, writing: set[int]) -> bool:
    """Puts the value of a name where it is read, if that changes nothing."""
    one = body[place]
    assert isinstance(one, code.Set)
    if writes(one.value, writing):
        return False
    names = {leaf.name for leaf in leaves(one.value) if isinstance(leaf, Var)}
    cells = {leaf.name for leaf in leaves(one.value) if isinstance(leaf, Cell)}
    called = any(isinstance(leaf, Call) and leaf.function.touches for leaf in leaves(one.value))
    looks = bool(cells) or called
    for at in range(place + 1, len(body)):
        here = body[at]
        spots = _read_at(here)
        if any(isinstance(leaf, Var) and leaf.name == one.name for spot in spots for leaf in leaves(spot)):
            if looks and any(writes(spot, writing) for spot in spots):
                return False
            if isinstance(here, code.For | code.While):
                return False
            if sum(1 for spot in spots for _ in leaves(spot)) + sum(1 for _ in leaves(one.value)) > LONGEST:
                return False
            body[at] = _with(here, {one.name: one.value})
            del body[place]
            return True
        if _disturbs(here, names, None if called else cells, writing) or one.name in _names_in(here):
            return False
    return False


def _read_at(one: code.Statement) -> list[Any]:
    """The expressions that a statement takes before anything in it happens."""
    if isinstance(one, code.Set | code.Do):
        return [one.value]
    if isinstance(one, code.Ret):
        return [] if one.value is None else [one.value]
    if isinstance(one, code.Put):
        return [one.value, *one.cell.indices]
    if isinstance(one, code.If | code.While):
        return [one.test]
    return [one.first, one.last] if isinstance(one, code.For) else []


def _names_in(one: code.Statement) -> set[str]:
    return {leaf.name for leaf in leaves(one) if isinstance(leaf, Var)}


def _with(one: code.Statement, values: dict[str, Any]) -> code.Statement:
    """A statement with values in the place of names, in what it takes first."""
    if isinstance(one, code.Set):
        return code.Set(one.name, replaced(one.value, values))
    if isinstance(one, code.Do):
        return code.Do(replaced(one.value, values))
    if isinstance(one, code.Ret):
        return code.Ret(replaced(one.value, values))
    if isinstance(one, code.Put):
        indices = [replaced(index, values) for index in one.cell.indices]
        return code.Put(Cell(one.cell.type, one.cell.name, indices), replaced(one.value, values))
    assert isinstance(one, code.If)
    return code.If(replaced(one.test, values), one.yes, one.no)


def _disturbs(one: code.Statement, names: set[str], cells: set[str] | None, writing: set[int]) -> bool:
    """True if a value may be another behind a statement. names, cells : what it reads; None: any kept number."""
    for leaf in leaves(one):
        if isinstance(leaf, code.Set | code.For) and leaf.name in names:
            return True
        if isinstance(leaf, code.Put) and (cells is None or leaf.cell.name in cells):
            return True
        if isinstance(leaf, Call) and cells != set() and id(leaf.function) in writing:
            return True
        if isinstance(leaf, code.Ret | code.Jump):
            return True
    return False
