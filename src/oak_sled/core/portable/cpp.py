"""C++17: one header, with everything of a craft in a namespace of its name."""

from __future__ import annotations

from typing import ClassVar

from oak_sled.core.compiler.types import Type
from oak_sled.core.portable.c import C


class Cpp(C):
    """Writes C++."""

    EXTENSION, NONE = "hpp", ""
    ARROW, HANDED, DOOR, OWN = ".", "&", "inline ", "inline "
    INCLUDES: ClassVar[tuple[str, ...]] = ("#pragma once", "", "#include <cmath>", "#include <cstring>")

    def open(self) -> None:
        self.put(f"namespace {self.prefix} {{")
        self.put("")

    def close(self) -> None:
        self.put("")
        self.put(f"}}  // namespace {self.prefix}")

    def row(self, of: Type, items: list[str]) -> str:
        return f"{self.kind(of)}{{{', '.join(items)}}}"

    def maths(self, name: str, values: list[str]) -> str:
        return f"std::{name}({', '.join(values)})"

    def cleared(self) -> str:
        return f"c = {self.record}{{}};"

    def copied(self) -> str:
        return "c"

    def address(self, name: str) -> str:
        return name
