"""How values are spelt as code, and what must be imported for that."""

from __future__ import annotations

import re
import sys
from collections.abc import Iterator, Set
from datetime import UTC, date, datetime, time, timedelta, timezone
from decimal import Decimal
from enum import Enum
from fractions import Fraction
from pathlib import Path, PurePath
from typing import Any, get_args, get_origin
from uuid import UUID

from urnshelf.records.description import snake_case
from urnshelf.records.literals import source_of
from urnshelf.types.forms import type_name

_LANGUAGE = {
    one.__name__: one
    for one in (datetime, date, time, timedelta, timezone, Decimal, UUID, Fraction)
}


class NotWritten(Exception):
    """A value that has no plain code."""


class Spelling:
    """Spells values, and remembers what must be imported for that."""

    def __init__(self) -> None:
        self.imports: dict[tuple[str, str], None] = {}
        """Module and name of each."""
        self.modules: dict[str, None] = {}
        """Modules imported whole."""

    # --- names ------------------------------------------------------------------------------------

    def ours(self, name: str) -> str:
        """A name of this library's."""
        self.imports["urnshelf", name] = None
        return name

    def pytest(self, name: str) -> str:
        """A name of pytest's."""
        self.modules["pytest"] = None
        return f"pytest.{name}"

    def named(self, thing: Any) -> str:
        """A class or a function, by its name; also one with type arguments."""
        if isinstance(thing, list):  # the parameters of a callable
            return f"[{', '.join(map(self.named, thing))}]"
        if thing is ...:
            return "..."
        origin = get_origin(thing)
        if origin is not None and get_args(thing):
            inner = ", ".join(self.named(one) for one in get_args(thing))
            return f"{self.named(origin)}[{inner}]"
        if thing is None or thing is type(None):
            return "None"
        module = getattr(thing, "__module__", "builtins")
        name = str(getattr(thing, "__qualname__", type_name(thing)))
        first = name.partition(".")[0]
        if module != "builtins" and "<" not in name:
            self.imports[_shortest(module, first, thing), first] = None
        return name

    # --- values -----------------------------------------------------------------------------------

    def plain(self, value: Any) -> str:
        """A plain value.

        Raises:
            NotWritten: there is no code for it.
        """
        names: dict[str, Any] = {**_LANGUAGE, "UTC": UTC}
        for one in _enums_in(value):
            names[one.__qualname__] = one
        if isinstance(value, PurePath):
            self.imports["pathlib", type(value).__name__.removeprefix("Posix")] = None
            return f'{type(value).__name__.removeprefix("Posix")}("{value}")'
        if type(value) is frozenset:
            return f"frozenset({self.plain(set(value)) if value else ''})"
        if type(value) is set and not value:
            return "set()"
        if type(value) is Fraction:
            self.imports["fractions", "Fraction"] = None
            return f"Fraction({value.numerator}, {value.denominator})"
        source = source_of(_in_utc(value), names)
        if source is None:
            raise NotWritten
        self._import_for(value, source)
        return source

    def _import_for(self, value: Any, source: str) -> None:
        for one in _enums_in(value):
            self.named(one)
        for name, one in _LANGUAGE.items():
            if re.search(rf"\b{name}\(", source):
                self.imports[one.__module__.lstrip("_"), name] = None
        if re.search(r"\btzinfo=UTC\b", source):
            self.imports["datetime", "UTC"] = None

    # --- the head of the file ---------------------------------------------------------------------

    def import_lines(self, used: Set[str] | None = None) -> list[str]:
        """The imports, as a linter sorts them: the language's, and others'.

        Args:
            used: the words of the file; what it does not name is not imported.
        """
        by_module: dict[str, list[str]] = {}
        for module, name in self.imports:
            if used is None or name in used:
                by_module.setdefault(module, []).append(name)
        groups: list[list[str]] = [[], [], []]
        for module in self.modules.keys() if used is None else used & self.modules.keys():
            groups[_group(module)].append(f"import {module}")
        for module in sorted(by_module):
            names = ", ".join(sorted(by_module[module], key=_as_sorted))
            groups[_group(module)].append(f"from {module} import {names}")
        lines: list[str] = []
        for group in groups:
            ordered = sorted(group, key=lambda line: (not line.startswith("import"), line))
            lines += [*([""] if lines and group else []), *ordered]
        return lines


def _group(module: str) -> int:
    top = module.partition(".")[0]
    if top in sys.stdlib_module_names:
        return 0
    # what stands in the project itself goes last
    places = [Path(), Path("src")]
    is_own = any((one / top).is_dir() or (one / f"{top}.py").is_file() for one in places)
    return 2 if is_own else 1


def _as_sorted(name: str) -> tuple[int, str]:
    """Constants, classes, and then the others; each as a dictionary sorts them."""
    if name.isupper() and len(name) > 1:
        return 0, name
    return (1, name.lower()) if name[:1].isupper() else (2, name)


def _shortest(module: str, name: str, thing: Any) -> str:
    """The outermost package that has a name, too, and means the same by it."""
    parts = module.split(".")
    for count in range(1, len(parts)):
        outer = ".".join(parts[:count])
        space = vars(sys.modules[outer]) if outer in sys.modules else {}
        if space.get(name) is thing:
            return outer
    return module


def _enums_in(value: Any) -> Iterator[type]:
    if isinstance(value, Enum):
        yield type(value)
    elif isinstance(value, dict):
        for pair in value.items():
            for one in pair:
                yield from _enums_in(one)
    elif isinstance(value, (list, tuple, set, frozenset)):
        for one in value:
            yield from _enums_in(one)


def _in_utc(value: Any) -> Any:
    """A moment in UTC, whatever its zone is called."""
    if isinstance(value, datetime) and value.tzinfo in (timezone.utc,):  # noqa: UP017
        return value.replace(tzinfo=UTC)
    return value


def variable_for(thing: Any) -> str:
    """What a value of a class is called."""
    return snake_case(str(getattr(thing, "__name__", "thing")))
