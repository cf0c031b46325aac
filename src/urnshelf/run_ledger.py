"""The ledger of a whole run, as JSON Lines: the calls of all tests, as they were shown.

The first line is `{"format": "urnshelf ledger", "version": 1}`; then each test has a line for each
of its calls, and one for itself.
"""

from __future__ import annotations

import json
import os
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

from urnshelf.calls.ledger import NO_REPLY, Call, live_call, values_of
from urnshelf.errors import FileRefused, UnansweredCall
from urnshelf.files.whole import why
from urnshelf.kiosk.masked import masked_exchange
from urnshelf.kiosk.request import Request
from urnshelf.masking.masks import MASK, Masks
from urnshelf.records.display import show, show_argument
from urnshelf.shelf import Shelf

FORMAT = "urnshelf ledger"
VERSION = 1


def begin(path: Path) -> None:
    """Begin a file anew; raises FileRefused where that cannot be."""
    head = json.dumps({"format": FORMAT, "version": VERSION})
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with os.fdopen(_opened(path, os.O_TRUNC), "w", encoding="utf-8") as file:
            file.write(f"{head}\n")
    except OSError as error:
        raise FileRefused(f"{path} cannot be written: {why(error)}") from None


def _opened(path: Path, more: int) -> int:
    """The file, open to be written, and readable by its owner only: it holds what was recorded."""
    file = os.open(path, os.O_WRONLY | os.O_CREAT | more, 0o600)
    if os.fstat(file).st_mode & 0o077:
        os.fchmod(file, 0o600)
    return file


def append(path: Path, test: str, outcome: str, shelves: Iterable[Shelf]) -> list[str]:
    """Add a test: in one piece, for several processes may write.

    Args:
        path: of the file.
        test: how pytest names it.
        outcome: `passed`, `failed` or `skipped`.
        shelves: those of the test.

    Returns:
        What was masked, a line each.
    """
    masks = Masks()
    lines = [json.dumps(line, ensure_ascii=False) for line in _lines(test, outcome, shelves, masks)]
    data = "".join(f"{line}\n" for line in lines).encode(errors="backslashreplace")
    file = _opened(path, os.O_APPEND)
    try:
        while data:
            data = data[os.write(file, data) :]
    finally:
        os.close(file)
    return masks.notes()


def _lines(
    test: str, outcome: str, shelves: Iterable[Shelf], masks: Masks
) -> Iterator[dict[str, Any]]:
    count, seeds = 0, []
    real: list[str] = []
    for shelf in shelves:
        for call in shelf._desk.calls():
            count += 1
            yield {"test": test, "call": count, **_call(call, masks)}
        seeds.append(shelf.seed)
        real += map(masks.text, [*shelf._wrapped(), *shelf._swapped(), *shelf._stood_in()])
    masked = {"masked": masks.notes()} if masks.notes() else {}
    end = {"test": test, "outcome": outcome, "calls": count, "seeds": seeds, "real": real}
    yield {**end, **masked}


def _call(call: Call, masks: Masks) -> dict[str, Any]:
    live = live_call(call)
    target = live.target
    values, reply = list(values_of(call)), call.reply
    if values and isinstance(values[-1], Request):
        values[-1], reply = masked_exchange(call, masks)
    else:
        masks.forget()
        masks.learn(dict(zip(target.parameters, values, strict=True)))
        masks.learn(call.error if reply is NO_REPLY else reply)
    arguments = {
        name: MASK if masks.hides(name, value) else masks.message(show_argument(value))
        for name, value in zip(target.parameters, values, strict=True)
    }
    found: dict[str, Any] = {
        "fake": target.state.label,
        "method": call.method,
        "arguments": arguments,
        "from": str(call.called_from),
    }
    if call.error is not None:
        found["error"] = masks.message(show(call.error, 120))
    elif reply is not NO_REPLY:
        found["reply"] = masks.message(show(reply, 120))
    if live.answered_by is not None:
        found["answered_by"] = masks.message(repr(live.answered_by))[:160]
    is_empty = repr(live.answered_by) == "an empty value"
    if is_empty or isinstance(call.error, UnansweredCall):
        found["unanswered"] = True
    if call.statement:
        found["statement"] = masks.message(call.statement)[:200]
    return found


# --- reading --------------------------------------------------------------------------------------


class OfTest(NamedTuple):
    """A test of the run, with its calls."""

    name: str
    outcome: str
    seeds: list[int]
    real: list[str]
    calls: list[dict[str, Any]]


class RunLedger(NamedTuple):
    """What a file has.

    Args:
        tests: in the order in which they ended.
        cut: what to say of the end of the file; empty where it is whole.
    """

    tests: list[OfTest]
    cut: str


def read(path: Path) -> RunLedger:
    """The ledger of a run; raises FileRefused for a file that is none, with its line.

    Args:
        path: of the file.
    """
    try:
        lines = path.read_text("utf-8").split("\n")
    except (OSError, UnicodeError) as error:
        raise FileRefused(f"{path.name} cannot be read: {why(error)}") from None
    data: list[dict[str, Any]] = []
    cut = ""
    for number, line in enumerate(lines, 1):
        try:
            found = json.loads(line) if line else None
        except json.JSONDecodeError as error:
            if number < len(lines):
                at = f"{path.name}, line {number}, column {error.colno}"
                raise FileRefused(f"{at}: it is no JSON: {error.msg}") from None
            cut = (
                f"{path.name}: its last line, {number}, is cut off; what stands before it is shown"
            )
            break
        data += [found] if isinstance(found, dict) else []
    head = data[0] if data else {}
    if head.get("format") != FORMAT:
        raise FileRefused(f"{path.name}: it is no ledger that pytest --urnshelf-ledger wrote")
    if head.get("version") != VERSION:
        raise FileRefused(
            f"{path.name}: its version is {head.get('version')!r}; this release reads {VERSION}"
        )
    return RunLedger(_tests(data[1:]), cut)


def _tests(data: list[dict[str, Any]]) -> list[OfTest]:
    calls: dict[str, list[dict[str, Any]]] = {}
    found: dict[str, OfTest] = {}
    for line in data:
        name = str(line.get("test", ""))
        if "method" in line:
            calls.setdefault(name, []).append(line)
        else:
            mine = calls.pop(name, [])
            found[name] = OfTest(
                name,
                str(line.get("outcome", "")),
                line.get("seeds", []),
                line.get("real", []),
                mine,
            )
    # of a run that was broken off the last test has no line of its own
    for name, mine in calls.items():
        found[name] = OfTest(name, "not ended", [], [], mine)
    return list(found.values())


def chosen(
    tests: Iterable[OfTest], test: str, method: str, is_error: bool, is_unanswered: bool
) -> list[OfTest]:
    """Those tests and calls that fit; a test of which no call fits is left out.

    Args:
        tests: any.
        test: a part of its name.
        method: a part of a call's method.
        is_error: whether only calls that raised are wanted.
        is_unanswered: whether only calls are wanted that nothing answered.
    """
    found = []
    for one in tests:
        if test not in one.name:
            continue
        calls = [
            call
            for call in one.calls
            if method in call["method"]
            and (not is_error or "error" in call)
            and (not is_unanswered or call.get("unanswered"))
        ]
        if calls or not (method or is_error or is_unanswered):
            found.append(one._replace(calls=calls))
    return found


def words_of(call: dict[str, Any]) -> str:
    """A call as code."""
    arguments = ", ".join(f"{name}={value}" for name, value in call["arguments"].items())
    return f"{call['method']}({arguments})"


def ended(call: dict[str, Any]) -> str:
    """How it ended."""
    if "error" in call:
        return f"raised {call['error']}"
    return f"→ {call['reply']}" if "reply" in call else "no reply yet"
