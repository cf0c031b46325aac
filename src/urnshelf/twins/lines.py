"""A sequence as lines of code that can be pasted and run."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from urnshelf.readings.operations import Operation
from urnshelf.records.description import snake_case
from urnshelf.records.display import show
from urnshelf.records.layout import broken
from urnshelf.records.recognising import describe
from urnshelf.records.spelling import NotWritten, Spelling
from urnshelf.twins import steps
from urnshelf.twins.pools import Pools
from urnshelf.twins.surface import Offered
from urnshelf.types.forms import type_name

_WIDTH = 88
_STEP = "    "


class Lines:
    """The code of one sequence: a function `steps` of the objects, which gives what differs.

    Args:
        sequence: shrunk.
        forms: the interfaces.
        pools: the record types.
        gives: the record whose field differs, where it is one that was handed in.
    """

    def __init__(
        self,
        sequence: steps.Sequence,
        forms: Sequence[Any],
        pools: Pools,
        gives: steps.Drawn | steps.Got | None = None,
    ) -> None:
        self._sequence = sequence
        self._pools = pools
        self._gives = gives
        self._spelling = Spelling()
        used = {one.offered.number for one in sequence.steps if isinstance(one, steps.Call)}
        self._forms = {number: forms[number] for number in sorted(used)}
        names = names_of(list(self._forms.values()))
        self._objects = dict(zip(self._forms, names, strict=True))
        self._variables: dict[tuple[Any, int], str] = {}
        self._results: dict[int, str] = {}
        self._depth = 1
        self._lines: list[str] = []
        self._waits = any(isinstance(one, steps.Wait) for one in sequence.steps)
        self.is_async = any(
            one.offered.member.promise.awaited or one.offered.member.promise.stream == "async"
            for one in sequence.steps
            if isinstance(one, steps.Call)
        )
        self._used = {one.step for one in sequence.parts() if isinstance(one, steps.Got)}
        if isinstance(gives, steps.Got):
            self._used.add(gives.step)

    @property
    def text(self) -> str:
        """All of them, imports first."""
        for step in self._sequence.steps:
            self._write(step)
        if self._gives is not None:
            self._put(f"return {self._value(self._gives)}")
        parameters = [
            f"{self._objects[number]}: {self._spelling.named(form)}"
            for number, form in self._forms.items()
        ]
        parameters += ["advance"] if self._waits else []
        head = f"{'async ' if self.is_async else ''}def steps({', '.join(parameters)}):"
        body = [line for one in (head, *self._lines) for line in broken(one, _WIDTH)]
        words = set(re.findall(r"\w+", "\n".join(body)))
        return "\n".join([*self._spelling.import_lines(words), "", *body])

    def call(self, maker: str) -> str:
        """How the function is called."""
        return f"{'await ' if self.is_async else ''}steps({maker})"

    @property
    def fakes(self) -> str:
        """The fakes, as arguments."""
        found = [f"shelf.fake({type_name(one)})" for one in self._forms.values()]
        return ", ".join([*found, *(["shelf.clock.advance"] if self._waits else [])])

    @property
    def reals(self) -> str:
        """The real ones, as arguments."""
        found = [f"real_{name}" for name in self._objects.values()]
        return ", ".join([*found, *(["advance"] if self._waits else [])])

    # --- steps ------------------------------------------------------------------------------------

    def _put(self, line: str) -> None:
        self._lines.append(_STEP * self._depth + line)

    def _write(self, step: steps.Step) -> None:
        if isinstance(step, steps.Assign):
            held = self._value(step.held)
            self._put(f"{held}.{step.field} = {self._value(step.value)}")
        elif isinstance(step, steps.Wait):
            self._put(f"advance({self._plain(step.span)})")
        else:
            self._write_call(step)

    def _write_call(self, step: steps.Call) -> None:
        offered = step.offered
        operation = offered.operation
        holder = ".".join((self._objects[offered.number], *offered.path))
        if operation is Operation.BEGIN and offered.member.name.startswith("__"):
            self._put(f"{'async ' if offered.member.promise.awaited else ''}with {holder}:")
            self._depth += 1
            return
        is_last = step is self._sequence.steps[-1]
        if operation is Operation.LEAVE:
            if self._lines[-1].endswith(":"):
                self._put("pass")
            self._depth = max(1, self._depth - 1)
            return
        code = self._code_of(step, holder)
        if is_last and self._gives is None:
            self._put(f"return {code}")
        elif step.number in self._used:
            name = self._result_name(offered)
            self._results[step.number] = name
            self._put(f"{name} = {code}")
        else:
            self._put(code)

    def _code_of(self, step: steps.Call, holder: str) -> str:
        offered = step.offered
        member = offered.member
        given = {name: self._value(value) for name, value in step.given}
        arguments = ", ".join(_arguments(offered, given))
        code = _language(holder, member.name, list(given.values()))
        code = code or f"{holder}.{member.name}({arguments})"
        if member.promise.awaited:
            code = f"await {code}"
        if member.promise.stream == "async":
            return f"[one async for one in {code}]"
        return f"list({code})" if member.promise.stream else code

    def _result_name(self, offered: Offered) -> str:
        base = "found" if offered.is_look else "stored"
        count = sum(name.startswith(base) for name in self._results.values())
        return f"{base}_{count + 1}" if count else base

    # --- values -----------------------------------------------------------------------------------

    def _value(self, value: steps.Value) -> str:
        if isinstance(value, steps.Drawn):
            return self._record(value)
        if isinstance(value, steps.Part):
            drawn = self._sequence.drafts[value.form][value.n].get(value.field)
            return self._plain(steps.turned(drawn, value.turn))
        if isinstance(value, steps.Now):
            return f"{self._record(steps.Drawn(value.form, value.n))}.{value.field}"
        if isinstance(value, steps.Got):
            item = "" if value.item is None else f"[{value.item}]"
            field = f".{value.field}" if value.field else ""
            return f"{self._results.get(value.step, '…')}{item}{field}"
        if isinstance(value, steps.Items):
            return _collected(value, [self._value(one) for one in value.values])
        if isinstance(value, steps.Pairs):
            pairs = [f"{self._plain(name)}: {self._value(one)}" for name, one in value.pairs]
            return f"{{{', '.join(pairs)}}}"
        if isinstance(value, steps.Built):
            told = [f"{name}={self._value(one)}" for name, one in value.pairs]
            return f"{self._spelling.named(value.form)}({', '.join(told)})"
        return self._plain(value.value)

    def _record(self, drawn: steps.Drawn) -> str:
        at = (drawn.form, drawn.n)
        known = self._variables.get(at)
        if known is None:
            base = snake_case(drawn.form.__name__)
            base = f"one_{base}" if base in self._objects.values() else base
            count = sum(one.partition("_no_")[0] == base for one in self._variables.values())
            known = self._variables[at] = f"{base}_no_{count + 1}" if count else base
            values = self._sequence.drafts[drawn.form][drawn.n]
            self._put(f"{known} = {self._built(drawn.form, values)}")
        return known

    def _built(self, form: Any, values: Mapping[str, Any]) -> str:
        described: Any = describe(form)
        given = []
        for name, field in described.given.items():
            is_default = field.default is not None and repr(values.get(name)) == repr(field.default)
            is_none = field.has_default and field.default is None and values.get(name) is None
            is_key = name in described.key
            if name in values and (is_key or not (is_default or is_none)):
                given.append((field.key, self._field(values[name])))
        if described.kind == "typed dictionary":
            return f"{{{', '.join(f'{name!r}: {code}' for name, code in given)}}}"
        return f"{self._spelling.named(form)}({', '.join(f'{n}={code}' for n, code in given)})"

    def _field(self, value: Any) -> str:
        described = None if isinstance(value, type) else describe(type(value))
        if described is not None:
            return self._built(type(value), described.values(value))
        if isinstance(value, (list, tuple)) and any(describe(type(one)) for one in value):
            inner = ", ".join(map(self._field, value))
            return f"[{inner}]" if isinstance(value, list) else f"({inner},)"
        return self._plain(value)

    def _plain(self, value: Any) -> str:
        try:
            return self._spelling.plain(value)
        except NotWritten:
            return show(value, 60)


def names_of(forms: Sequence[Any]) -> list[str]:
    """What the objects are called: the last word of the interface's name, where that is enough."""
    whole = [snake_case(type_name(one).partition("[")[0]) for one in forms]
    last = [name.rpartition("_")[2] for name in whole]
    return [
        short if last.count(short) == 1 else name for short, name in zip(last, whole, strict=True)
    ]


def _arguments(offered: Offered, given: Mapping[str, str]) -> list[str]:
    parameters = offered.member.signature.parameters
    found: list[str] = []
    in_order = True
    for name, declared in parameters.items():
        if name not in given:
            in_order = in_order and declared.kind is declared.VAR_POSITIONAL
        elif declared.kind is declared.VAR_POSITIONAL:
            found.append(f"*{given[name]}")
        elif declared.kind is declared.VAR_KEYWORD:
            found.append(f"**{given[name]}")
        elif in_order and offered.by_position[name]:
            found.append(given[name])
        else:
            found.append(f"{name}={given[name]}")
    return found


_LANGUAGE = {
    "__getitem__": "{0}[{1}]",
    "__setitem__": "{0}.__setitem__({1}, {2})",
    "__delitem__": "{0}.__delitem__({1})",
    "__contains__": "{1} in {0}",
    "__len__": "len({0})",
    "__iter__": "list({0})",
}


def _language(holder: str, name: str, given: list[str]) -> str:
    form = _LANGUAGE.get(name)
    return "" if form is None else form.format(holder, *given)


def _collected(value: steps.Items, inner: list[str]) -> str:
    if value.make is tuple:
        return f"({', '.join(inner)}{',' if len(inner) == 1 else ''})"
    if value.make in (set, frozenset):
        whole = f"{{{', '.join(inner)}}}" if inner else "set()"
        return whole if value.make is set else f"frozenset({whole})"
    return f"[{', '.join(inner)}]"
