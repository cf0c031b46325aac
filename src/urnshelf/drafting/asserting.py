"""What a drafted test asserts: the result or the exception, the records that changed, and the calls
that tell others something.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from enum import Enum
from typing import Any, NamedTuple

from urnshelf.drafting.arrangement import Asked
from urnshelf.drafting.draft_spelling import DraftSpelling
from urnshelf.drafting.observing import as_pattern
from urnshelf.drafting.over_http import ROUTE, is_of_a_reply, parts_of
from urnshelf.drafting.record_changes import Change
from urnshelf.drafting.telling import tells
from urnshelf.drafting.trial import Made, Trial
from urnshelf.drafting.values import Path
from urnshelf.kiosk.request import Request
from urnshelf.records.equality import same
from urnshelf.records.recognising import describe
from urnshelf.records.spelling import NotWritten, variable_for

_ITEMS = 3
"""Of so many items of a list each is looked at."""
_LONGEST = 160
"""A literal that is longer is asserted in parts."""
_ORDER = ("", "other_", "third_", "fourth_", "fifth_")


class Among(NamedTuple):
    """What all tests of a file look at, so that each can say what did not happen.

    Args:
        told: the methods that tell something in any test.
        forms: the types whose records any test changes.
    """

    told: tuple[Asked, ...] = ()
    forms: tuple[Any, ...] = ()


class Told(NamedTuple):
    """The end of a test.

    Args:
        raised: the exception and the pattern of its message; None where it returns.
        result: what the result is called; empty where nobody looks at it.
        direct: what is asserted of the call itself, as `is True`; then there is no variable.
        lines: the assertions, in order.
        needs: the records of the arrangement that they name, and how.
        fakes: the fakes that they name.
    """

    raised: tuple[str, str] | None
    result: str
    direct: str
    lines: list[str]
    needs: dict[Path, str]
    fakes: list[Asked]


class Asserting:
    """Makes the assertions of one test.

    Args:
        trial: what happened.
        spelling: spells, and keeps what must be imported.
        among: what the tests beside it look at.
        fake_name: how a fake is called.
    """

    def __init__(
        self, trial: Trial, spelling: DraftSpelling, among: Among, fake_name: Any = None
    ) -> None:
        self._trial = trial
        self._spelling = spelling
        self._among = among
        self._fake_name = fake_name or (lambda asked: variable_for(asked.form))
        self._needs: dict[Path, str] = {}
        self._fakes: dict[Asked, None] = {}
        self._result: str = ""
        self._result_value: Any = None

    def told(self) -> Told:
        """All of it."""
        trial = self._trial
        raised, direct = None, ""
        lines: list[str] = []
        if trial.error is not None:
            raised = self._raised(trial.error)
        else:
            direct, more = self._of_result(trial.result)
            lines += more
        lines += self._of_changes()
        lines += self._of_calls()
        used = self._result if any(re.search(rf"\b{self._result}\b", one) for one in lines) else ""
        if raised is None and not lines and not direct and self._result:
            used = ""
        return Told(raised, used, direct, lines, self._needs, list(self._fakes))

    # --- result -----------------------------------------------------------------------------------

    def _raised(self, error: BaseException) -> tuple[str, str]:
        text = str(error).partition("\n")[0] if is_of_a_reply(error) else str(error)
        is_told = bool(text) and not re.search(r" at 0x[0-9a-f]+", text)
        return self._spelling.named(type(error)), as_pattern(text) if is_told else ""

    def _of_result(self, value: Any) -> tuple[str, list[str]]:
        """What is asserted of the call itself, and of its result in more lines."""
        if value is None or isinstance(value, bool):
            return f"is {value}", []
        named = self._record_named(value)
        if named:
            return f"== {named}", []
        try:
            source = self._spelling.compared(value)
        except NotWritten:
            source = ""
        if source and len(source) < _LONGEST:
            sign = "is" if isinstance(value, Enum) else "=="
            return f"{sign} {source}", []
        described = describe(type(value))
        self._result = variable_for(type(value)) if described else "result"
        self._result_value = value
        return "", list(self._of_value(self._result, value, 0))

    def _of_value(self, name: str, value: Any, depth: int) -> Iterator[str]:
        """Assertions on a value that has a name."""
        if value is None or isinstance(value, bool):
            yield f"assert {name} is {value}"
            return
        named = self._record_named(value)
        if named:
            yield f"assert {name} == {named}"
            return
        try:
            source = self._spelling.compared(value)
            if len(source) < _LONGEST:
                yield f"assert {name} {'is' if isinstance(value, Enum) else '=='} {source}"
                return
        except NotWritten:
            pass
        if depth > 3:
            return
        if isinstance(value, (list, tuple)) and not hasattr(value, "_fields"):
            yield from self._of_items(name, value, depth)
        elif isinstance(value, dict):
            for key, one in value.items():
                try:
                    yield from self._of_value(
                        f"{name}[{self._spelling.plain(key)}]", one, depth + 1
                    )
                except NotWritten:
                    continue
        else:
            yield from self._of_record(name, value, depth)

    def _of_items(self, name: str, value: Any, depth: int) -> Iterator[str]:
        names = [self._record_named(one) for one in value]
        if names and all(names):
            shown = ", ".join(names)
            yield f"assert {name} == {f'[{shown}]' if isinstance(value, list) else f'({shown},)'}"
            return
        yield f"assert len({name}) == {len(value)}"
        for number, one in enumerate(value[:_ITEMS]):
            yield from self._of_value(f"{name}[{number}]", one, depth + 1)

    def _of_record(self, name: str, value: Any, depth: int) -> Iterator[str]:
        described = describe(type(value))
        if described is None:
            if type(value).__module__ != "builtins":
                yield f"assert isinstance({name}, {self._spelling.named(type(value))})"
            return
        for field, one in described.values(value).items():
            if described.fields[field].is_shown:
                yield from self._of_value(f"{name}.{field}", one, depth + 1)

    # --- records ----------------------------------------------------------------------------------

    def _record_named(self, value: Any) -> str:
        """How a record of the arrangement is called, where the value equals one; else empty."""
        if value is None or describe(type(value)) is None:
            return ""
        described = describe(type(value))
        for path, record in self._trial.records.items():
            if type(record) is not type(value) or described is None:
                continue
            fields = described.values(value)
            is_kept = all(same(one, fields.get(n)) for n, one in self._trial.drawn[path].items())
            if is_kept and _has_equality(type(value)):
                return self.name_of(path)
        return ""

    def name_of(self, path: Path) -> str:
        """How a record of the arrangement is called, from now on."""
        if path not in self._needs:
            record = self._trial.records[path]
            base = variable_for(type(record))
            alike = [one for one in self._needs.values() if one.endswith(base)]
            front = _ORDER[len(alike)] if len(alike) < len(_ORDER) else f"{len(alike) + 1}th_"
            self._needs[path] = f"{front}{base}"
        return self._needs[path]

    def _of_changes(self) -> list[str]:
        lines: list[str] = []
        changed = {change.form for change in self._trial.changes}
        for form in dict.fromkeys([*(one.form for one in self._trial.changes), *self._among.forms]):
            table = f"shelf.records({self._spelling.named(form)})"
            changes = [one for one in self._trial.changes if one.form is form]
            if form not in changed or any(one.kind != "changed" for one in changes):
                lines.append(f"assert {table}.count() == {self._count(form)}")
            for change in changes:
                lines += self._of_change(change, table)
        return lines

    def _count(self, form: Any) -> int:
        before = sum(one.form is form for one in self._trial.arrangement.records)
        added = sum(one.kind == "added" for one in self._trial.changes if one.form is form)
        removed = sum(one.kind == "removed" for one in self._trial.changes if one.form is form)
        return before + added - removed

    def _of_change(self, change: Change, table: str) -> Iterator[str]:
        found = self._found(change, table)
        if change.kind == "removed":
            if change.has_key and found:
                yield f"assert {found.replace('.get(', '.find(')} is None"
            return
        if not found:
            return
        is_result = (
            self._result
            and self._result_value is not None
            and same(change.record, self._result_value)
        )
        if change.kind == "added" and is_result:
            yield f"assert {found} == {self._result}"
            return
        different = {
            name: value
            for name, value in change.after.items()
            if change.kind == "added" or not same(value, change.before.get(name))
        }
        described = describe(type(change.record))
        key_names = described.key if described else ()
        for name, value in different.items():
            if name not in key_names:
                at = f'["{name}"]' if isinstance(change.record, dict) else f".{name}"
                yield from self._of_value(f"{found}{at}", value, 1)

    def _found(self, change: Change, table: str) -> str:
        """How a record on the shelf is found again; empty where it cannot be."""
        if not change.has_key:
            return f"list({table})[-1]" if change.kind == "added" else ""
        try:
            return f"{table}.get({self._spelling.plain(change.key)})"
        except NotWritten:
            return ""

    # --- calls ------------------------------------------------------------------------------------

    def _of_calls(self) -> list[str]:
        told = [call for call in self._trial.calls if tells(call)]
        counted: dict[tuple[Asked, str], int] = {}
        for call in told:
            what = call.asked, self._call(call)
            counted[what] = counted.get(what, 0) + 1
        lines = [f"assert {self._tally(*what)} == {n}" for what, n in counted.items()]
        for asked in self._among.told:
            if all(call.asked != asked for call in told):
                lines.append(f"assert {self._tally(asked, '')} == 0")
        return lines

    def _tally(self, asked: Asked, arguments: str) -> str:
        self._fakes[asked] = None
        name = self._fake_name(asked)
        if asked.kind == ROUTE:
            return f"{self._spelling.ours('tally')}({name}{arguments})"
        method = f"{name}.{asked.method}" if asked.method else name
        given = f", {arguments}" if arguments else ""
        return f"{self._spelling.ours('tally')}({method}{given})"

    def _call(self, call: Made) -> str:
        """The arguments of a call, as they are written."""
        if call.asked.kind == ROUTE:
            return self._request(call)
        parts: list[str] = []
        signature = call.target.member.signature
        by_name = False
        for parameter, value in zip(signature.parameters.values(), call.arguments, strict=False):
            kind = parameter.kind
            if kind is parameter.VAR_POSITIONAL:
                parts += [self._argument(one) for one in value]
            elif kind is parameter.VAR_KEYWORD:
                parts += [f"{name}={self._argument(one)}" for name, one in value.items()]
            elif parameter.default is not parameter.empty and same(parameter.default, value):
                by_name = True
            elif kind is parameter.KEYWORD_ONLY or by_name:
                parts.append(f"{parameter.name}={self._argument(value)}")
            else:
                parts.append(self._argument(value))
        return ", ".join(parts)

    def _request(self, call: Made) -> str:
        """What is asked of a request, and the parameters of its path."""
        request: Request = call.arguments[-1]
        names = list(call.target.parameters)
        path = [
            f", {name}={self._argument(value)}"
            for name, value in zip(names, call.arguments[:-1], strict=False)
        ]
        wanted = ", ".join(f"{name}={self._argument(one)}" for name, one in parts_of(request))
        return f"{f'.asked_with({wanted})' if wanted else ''}{''.join(path)}"

    def _argument(self, value: Any) -> str:
        named = self._record_named(value)
        if named:
            return named
        is_result = self._result and type(value) is type(self._result_value)
        if is_result and same(value, self._result_value):
            return self._result
        try:
            return self._spelling.plain(value)
        except NotWritten:
            return self._held(value)

    def _held(self, value: Any) -> str:
        described = describe(type(value))
        if described is None:
            if isinstance(value, list):
                return f"[{', '.join(map(self._argument, value))}]"
            return self._spelling.ours("whatever")
        told: Mapping[str, Any] = described.values(value)
        parts = []
        for name, one in told.items():
            if name in described.key and one is None:
                continue
            try:
                parts.append(f"{name}={self._spelling.plain(one)}")
            except NotWritten:
                continue
        return f"{self._spelling.ours('holding')}({', '.join(parts)})"


def _has_equality(cls: type) -> bool:
    equality: Any = cls.__eq__
    return equality is not object.__eq__
