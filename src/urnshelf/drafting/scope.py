"""The code that a draft is about: the method, and what it calls in its own package."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from types import CodeType, FunctionType, ModuleType
from typing import Any

from urnshelf.drafting.decisions import Decision
from urnshelf.drafting.noting import Notes
from urnshelf.drafting.probing import PROBE, Probed, probed
from urnshelf.drafting.values import is_plain
from urnshelf.errors import DraftRefused

_OURS = Path(__file__).resolve().parents[1]


class Scope:
    """The functions that a method reaches, and their decisions.

    Args:
        function: the method's.
        owner: its class; None for a plain function.
        among: classes whose methods it may call besides: records, and what is handed to it.

    Raises:
        DraftRefused: its text cannot be read.
    """

    def __init__(self, function: FunctionType, owner: type | None, among: list[Any]) -> None:
        self.root = root_of(function)
        self.function = function
        self._owner = owner
        self.notes = Notes()
        self.decisions: list[Decision] = []
        self._certain: set[tuple[str, str]] = set()
        """The functions that are called for certain: by file and name."""
        self._reached: dict[FunctionType, None] = {}
        self._written: dict[FunctionType, CodeType] = {}
        """The code of each function as it was written, while another one runs."""
        self._classes: list[Any] = [*(owner.__mro__ if owner else ()), *_all_bases(among)]
        self._follow(function)
        self._codes = self._probed()

    # --- what is reached --------------------------------------------------------------------------

    def _follow(self, function: FunctionType) -> None:
        """Find what is called from here, by the names in the code."""
        waiting: list[tuple[FunctionType, bool]] = [(function, True)]
        while waiting:
            one, is_certain = waiting.pop(0)
            if not self._is_own(one.__code__.co_filename):
                continue
            if is_certain:
                self._certain |= {
                    (one.__code__.co_filename, code.co_qualname) for code in codes_of(one.__code__)
                }
            if one in self._reached:
                continue
            self._reached[one] = None
            names = {name for code in codes_of(one.__code__) for name in code.co_names}
            for name in sorted(names):
                waiting += self._named(name, one)

    def _named(self, name: str, user: FunctionType) -> Iterator[tuple[FunctionType, bool]]:
        known: Any = user.__globals__.get(name)
        # what a proxy says of its class is another's, and may raise
        kind = type(known)
        if issubclass(kind, type) and self._is_of_own_file(known):
            self._classes += [base for base in known.__mro__ if base not in self._classes]
            for special in ("__init__", "__post_init__", "__new__"):
                for function in functions_in(vars(known).get(special)):
                    yield function, False
        elif issubclass(kind, ModuleType):
            self._classes += [known] if known not in self._classes else []
        for function in functions_in(known):
            yield function, True
        for cls in list(self._classes):
            is_own = self._owner is not None and cls in self._owner.__mro__
            for function in functions_in(vars(cls).get(name)):
                yield function, is_own

    def _is_of_own_file(self, cls: type) -> bool:
        module = sys.modules.get(cls.__module__)
        return self._is_own(getattr(module, "__file__", None) or "")

    def _is_own(self, file: str) -> bool:
        path = Path(file)
        return path.is_relative_to(self.root) and (
            "site-packages" not in path.parts or "site-packages" in self.root.parts
        )

    # --- probes -----------------------------------------------------------------------------------

    def _probed(self) -> dict[FunctionType, CodeType]:
        """The new code of each function that is reached."""
        codes: dict[FunctionType, CodeType] = {}
        files = dict.fromkeys(one.__code__.co_filename for one in self._reached)
        for file in files:
            made = probed(_text_of(file), file, len(self.decisions))
            self.decisions += made.decisions
            codes |= self._codes_for(made, file)
        self.notes.decisions = self.decisions
        return codes

    def _codes_for(self, made: Probed, file: str) -> dict[FunctionType, CodeType]:
        """The code that was made for each function of a file."""
        codes: dict[FunctionType, CodeType] = {}
        for function in self._reached:
            old = self._written.get(function, function.__code__)
            new = made.codes.get((old.co_qualname, old.co_firstlineno))
            if old.co_filename == file and new is not None and new.co_freevars == old.co_freevars:
                codes[function] = new
        return codes

    @contextmanager
    def replaced(self, made: Probed, file: str) -> Iterator[None]:
        """Run other code of one file for a while, in the place of that with probes.

        Args:
            made: with probes, too, whose decisions are numbered after all others.
            file: which file's.
        """
        codes = self._codes_for(made, file)
        kept = {function: function.__code__ for function in codes}
        self.notes.decisions = [*self.decisions, *made.decisions]
        for function, code in codes.items():
            function.__code__ = code
        try:
            yield
        finally:
            for function, code in kept.items():
                function.__code__ = code
            self.notes.decisions = self.decisions

    def entered(self, met: set[int]) -> list[FunctionType]:
        """The functions that were called in some run.

        Args:
            met: the numbers of the decisions that were reached.
        """
        names = {(one.file, one.function) for one in self.decisions_of(met)}
        names |= self._certain_names()
        return [
            one
            for one in self._reached
            if (one.__code__.co_filename, one.__code__.co_qualname.replace(".<locals>", ""))
            in names
        ]

    @contextmanager
    def watched(self) -> Iterator[Notes]:
        """Run the code with probes for a while."""
        before = self._written = {function: function.__code__ for function in self._codes}
        spaces = {id(one.__globals__): one.__globals__ for one in self._codes}
        for space in spaces.values():
            space[PROBE] = self.notes
        for function, code in self._codes.items():
            function.__code__ = code
        try:
            yield self.notes
        finally:
            for function, code in before.items():
                function.__code__ = code
            self._written = {}
            for space in spaces.values():
                space.pop(PROBE, None)

    def leave_out(self, functions: Iterable[Any]) -> None:
        """Count these no more: something else stands in their place."""
        for function in functions:
            if self._reached.pop(function, self) is None:
                self._codes.pop(function, None)
                code = function.__code__
                self._certain -= {(code.co_filename, one.co_qualname) for one in codes_of(code)}

    def decisions_of(self, met: set[int]) -> list[Decision]:
        """The decisions that count: of functions that are called for certain, or were called.

        Args:
            met: the numbers of those that were reached in some run.
        """
        called = {(one.file, one.function) for one in self.decisions if one.number in met}
        wanted = called | self._certain_names()
        return [one for one in self.decisions if (one.file, one.function) in wanted]

    def _certain_names(self) -> set[tuple[str, str]]:
        return {
            (file, name.replace(".<locals>", ""))
            for file, name in self._certain
            if "<lambda>" not in name
        }

    @property
    def modules(self) -> list[ModuleType]:
        """The modules of the functions that are reached."""
        names = dict.fromkeys(function.__module__ for function in self._reached)
        return [sys.modules[name] for name in names if name in sys.modules]

    @property
    def codes(self) -> list[CodeType]:
        """The code that is reached, as it was written."""
        return [code for function in self._reached for code in codes_of(function.__code__)]

    @property
    def functions(self) -> list[FunctionType]:
        """The functions that are reached."""
        return list(self._reached)


def root_of(function: FunctionType) -> Path:
    """The folder of the package that a function belongs to, or of its module's file."""
    path = Path(function.__code__.co_filename).resolve()
    module = sys.modules.get(function.__module__)
    package = getattr(module, "__package__", "") or ""
    top = path.parents[max(package.count("."), 0)] if package else path.parent
    # the demo ships within ours
    return path.parent if top == _OURS else top


def functions_in(thing: Any) -> list[FunctionType]:
    """The functions under a member of a class: what decorators hide is found, too."""
    kind = type(thing)
    if issubclass(kind, FunctionType):
        found: list[FunctionType] = [thing]
        wrapped = getattr(thing, "__wrapped__", None)
        if wrapped is not None:
            found += functions_in(wrapped)
        for cell in thing.__closure__ or ():
            try:
                inner = cell.cell_contents
            except ValueError:
                continue
            found += functions_in(inner) if issubclass(type(inner), FunctionType) else []
        return list(dict.fromkeys(found))
    if issubclass(kind, (staticmethod, classmethod)):
        return functions_in(thing.__func__)
    if issubclass(kind, property):
        return [one for part in (thing.fget, thing.fset) for one in functions_in(part)]
    try:
        state = object.__getattribute__(thing, "__dict__")
    except Exception:  # it has none
        return []
    inner = [state.get(name) for name in ("func", "__wrapped__")]
    return [one for each in inner if type(each) is FunctionType for one in functions_in(each)]


def _all_bases(classes: list[Any]) -> list[type]:
    bases = [base for cls in classes if isinstance(cls, type) for base in cls.__mro__]
    return [base for base in dict.fromkeys(bases) if base is not object]


def codes_of(code: CodeType) -> Iterator[CodeType]:
    """The code of a function, and of those made in it."""
    yield code
    for one in code.co_consts:
        if isinstance(one, CodeType):
            yield from codes_of(one)


def _text_of(file: str) -> str:
    try:
        return Path(file).read_text("utf-8")
    except (OSError, UnicodeError) as why:
        raise DraftRefused(
            f"the text of {file} cannot be read, so nothing is drafted: {why}"
        ) from None


def mined(scope: Scope, cls: type | None) -> list[Any]:
    """The constants that the code uses: its own, its module's, its class's."""
    found: dict[str, Any] = {}

    def keep(value: Any) -> None:
        if type(value) in (tuple, frozenset, list, set) and len(value) < 20:
            # the order of a set is another one in each process
            for one in sorted(value, key=repr) if isinstance(value, (set, frozenset)) else value:
                keep(one)
        elif value is not None and is_plain(value) and not isinstance(value, bool):
            if isinstance(value, (str, bytes)) and len(value) > 40:
                return
            found.setdefault(f"{type(value).__name__} {value!r}", value)

    for function in scope.functions:
        for code in codes_of(function.__code__):
            for value in code.co_consts:
                if value != function.__doc__:
                    keep(value)
            for name in code.co_names:
                keep(function.__globals__.get(name))
                for base in cls.__mro__ if cls else ():
                    keep(vars(base).get(name))
    return list(found.values())
