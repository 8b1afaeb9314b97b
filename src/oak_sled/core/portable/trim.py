"""Leaves out of a folded program what nothing asks for: numbers that are written and never read, names, calls."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from oak_sled.core.portable import code
from oak_sled.core.portable.code import Call, Cell, Function, Lit, Var
from oak_sled.core.portable.fold import leaves

Spot = tuple[str, tuple[int | None, ...]]
"""A kept number by its name and indices; None: any."""


def ordered(roots: Sequence[Function]) -> list[Function]:
    """Functions and all that they call, each behind those that it calls."""
    found: list[Function] = []

    def walk(one: Function) -> None:
        if any(one is other for other in found):
            return
        for called in calls_of(one.body):
            walk(called)
        if not any(one is other for other in found):
            found.append(one)

    for root in roots:
        walk(root)
    return found


def trimmed(roots: Sequence[Function], wanted: set[str]) -> list[Function]:
    """The functions that are left, each behind those that it calls. wanted : what of the craft is looked at from
    outside, by name."""
    while True:
        functions = ordered(roots)
        writing = writers(functions)
        read = {spot for one in functions for spot in spots_read(one.body)}
        changed = False
        for one in functions:
            names = {leaf.name for leaf in all_leaves(one.body) if isinstance(leaf, Var)}
            body = _Cut(read, wanted, writing, names).block(one.body)
            changed = changed or repr_of(body) != repr_of(one.body)
            one.body = body
            given = assigned(body)
            one.names = {name: kind for name, kind in one.names.items() if name in given}
        changed = _drop_arguments(functions, roots) or changed
        if not changed:
            return [one for one in functions if one.body or one in roots]


def repr_of(body: Sequence[code.Statement]) -> int:
    """A number that changes when anything is left out."""
    return sum(1 for _ in all_leaves(body))


def _drop_arguments(functions: Sequence[Function], roots: Sequence[Function]) -> bool:
    """Leaves out arguments that a function does not read, from it and from its calls."""
    unread: dict[int, list[int]] = {}
    for one in functions:
        read = {leaf.name for leaf in all_leaves(one.body) if isinstance(leaf, Var)}
        read |= assigned(one.body)
        places = [k for k, (name, _) in enumerate(one.arguments) if name not in read]
        if places and not any(one is root for root in roots):
            unread[id(one)] = places
    if not unread:
        return False
    writing = writers(functions)
    for one in functions:
        for leaf in all_leaves(one.body):
            if isinstance(leaf, Call) and id(leaf.function) in unread:
                gone = unread[id(leaf.function)]
                if any(writes(leaf.values[k], writing) for k in gone):
                    return False
    for one in functions:
        for leaf in all_leaves(one.body):
            if isinstance(leaf, Call) and id(leaf.function) in unread:
                gone = unread[id(leaf.function)]
                leaf.values[:] = [value for k, value in enumerate(leaf.values) if k not in gone]
    for one in functions:
        if id(one) in unread:
            one.arguments[:] = [given for k, given in enumerate(one.arguments) if k not in unread[id(one)]]
    return True


def all_leaves(body: Sequence[code.Statement]) -> Iterator[Any]:
    """All nodes of statements."""
    for one in body:
        yield from leaves(one)


def calls_of(body: Sequence[code.Statement]) -> list[Function]:
    """The functions that statements call."""
    return [leaf.function for leaf in all_leaves(body) if isinstance(leaf, Call)]


def writers(functions: Sequence[Function]) -> set[int]:
    """Ids of functions that write what the craft keeps, or call one that does. functions : callees first."""
    found: set[int] = set()
    for one in functions:
        if any(isinstance(leaf, code.Put) for leaf in all_leaves(one.body)) or any(
            id(called) in found for called in calls_of(one.body)
        ):
            found.add(id(one))
    return found


def writes(value: Any, writing: set[int]) -> bool:
    """True if an expression calls what writes."""
    return any(isinstance(leaf, Call) and id(leaf.function) in writing for leaf in leaves(value))


def spot_of(cell: Cell) -> Spot:
    """The name of a kept number and its indices."""
    return cell.name, tuple(int(one.value) if isinstance(one, Lit) else None for one in cell.indices)


def spots_read(body: Sequence[code.Statement]) -> Iterator[Spot]:
    """Kept numbers that are read; one that is only added to itself is not."""
    for one in all_leaves(body):
        if isinstance(one, code.Put):
            own = spot_of(one.cell)
            yield from (spot for leaf in leaves(one.value) if isinstance(leaf, Cell) and (spot := spot_of(leaf)) != own)
            for index in one.cell.indices:
                yield from (spot_of(leaf) for leaf in leaves(index) if isinstance(leaf, Cell))
        elif isinstance(one, code.Set | code.Do | code.Ret) and one.value is not None:
            yield from (spot_of(leaf) for leaf in leaves(one.value) if isinstance(leaf, Cell))
        elif isinstance(one, code.If | code.While):
            yield from (spot_of(leaf) for leaf in leaves(one.test) if isinstance(leaf, Cell))
        elif isinstance(one, code.For):
            for value in (one.first, one.last):
                yield from (spot_of(leaf) for leaf in leaves(value) if isinstance(leaf, Cell))


def meets(one: Spot, other: Spot) -> bool:
    """True if two may be the same number."""
    return one[0] == other[0] and all(a is None or b is None or a == b for a, b in zip(one[1], other[1], strict=True))


def assigned(body: Sequence[code.Statement]) -> set[str]:
    """Names that statements give values to."""
    return {one.name for one in all_leaves(body) if isinstance(one, code.Set | code.For)}


class _Cut:
    """Leaves out of one function what nothing reads."""

    def __init__(self, read: set[Spot], wanted: set[str], writing: set[int], names: set[str]):
        self.read, self.wanted, self.writing, self.names = read, wanted, writing, names
        self.by_name: dict[str, list[Spot]] = {}
        for spot in read:
            self.by_name.setdefault(spot[0], []).append(spot)

    def block(self, body: Sequence[code.Statement]) -> list[code.Statement]:
        """The statements that are left."""
        left: list[code.Statement] = []
        for one in body:
            made = self.statement(one)
            if made is not None:
                left.append(made)
        while left and isinstance(left[-1], code.Ret) and left[-1].value is None:
            left.pop()
        return left

    def statement(self, one: code.Statement) -> code.Statement | None:
        if isinstance(one, code.Put):
            spot = spot_of(one.cell)
            kept = spot[0] in self.wanted or any(meets(spot, other) for other in self.by_name.get(spot[0], ()))
            return one if kept else self.effect(one.value)
        if isinstance(one, code.Set):
            return one if one.name in self.names else self.effect(one.value)
        if isinstance(one, code.Do):
            return one if writes(one.value, self.writing) else None
        if isinstance(one, code.If):
            yes, no = self.inner(one.yes), self.inner(one.no)
            if not yes and not no:
                return self.effect(one.test)
            if not yes:
                return code.If(code.One(one.test.type, "not", one.test), no, [])
            return code.If(one.test, yes, no)
        if isinstance(one, code.While):
            return code.While(one.test, self.inner(one.body))
        if isinstance(one, code.For):
            body = self.inner(one.body)
            return code.For(one.name, one.first, one.last, one.step, body) if body else None
        return one

    def inner(self, body: Sequence[code.Statement]) -> list[code.Statement]:
        """Statements of a side or a loop; a return without a value at their end still leaves the function."""
        left = [made for one in body if (made := self.statement(one)) is not None]
        return left

    def effect(self, value: code.Expr) -> code.Statement | None:
        """The calls that write in a value that nobody reads."""
        calls = [leaf for leaf in leaves(value) if isinstance(leaf, Call) and id(leaf.function) in self.writing]
        return code.Do(calls[0]) if calls else None
