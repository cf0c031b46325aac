"""Replies of real objects kept in a file, and answered from it ever after.

A file is JSON Lines: a line that says of which interface it is and how its methods were declared,
then a line for each reply, sorted by method and arguments; replies to the same arguments stand in
the order in which they came.
"""

from __future__ import annotations

import inspect
import json
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

from urnshelf.calls.cueing import cue
from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.calls.replies import raising
from urnshelf.calls.script import script
from urnshelf.calls.target import FakeState
from urnshelf.calls.wording import declared
from urnshelf.errors import FileRefused, RecordRefused
from urnshelf.fakes.behind import Behind
from urnshelf.files.whole import unfinished, why
from urnshelf.interfaces.members import Member
from urnshelf.near_names import nearest
from urnshelf.records.codec import Unfit, from_json, to_json
from urnshelf.records.matchers import whatever
from urnshelf.types.forms import full_name
from urnshelf.types.loading import load_type
from urnshelf.types.nodes import ANYTHING, Node

__tracebackhide__ = True  # a failing test shows its own lines, not ours

FORMAT = "urnshelf replies"
VERSION = 1
MASK = "…"
"""What stands for a secret; as an argument it stands for any."""
_SECRET = frozenset("password passwd secret token authorization api_key apikey credentials".split())


class Reply(NamedTuple):
    """One reply as JSON data."""

    method: str
    arguments: dict[str, Any]
    ended: dict[str, Any]
    """`reply`, or `error`."""

    @property
    def place(self) -> tuple[str, str]:
        """Where it stands among the others."""
        return self.method, json.dumps(self.arguments, sort_keys=True)

    @property
    def line(self) -> str:
        """As the file has it."""
        data = {"method": self.method, "arguments": self.arguments, **self.ended}
        return json.dumps(data, ensure_ascii=False)


class Kept(NamedTuple):
    """A file of replies."""

    methods: dict[str, str]
    """Each method as it was declared."""
    replies: list[Reply]


# --- keeping --------------------------------------------------------------------------------------


def keep(state: FakeState, path: str) -> None:
    """Write what the real object behind a fake has answered; what the file has of other calls
    stays.

    Raises:
        FileRefused: the file is of something else, or cannot be written; or a reply cannot.
    """
    where = Path(path)
    new = list(_answered(state))
    before = read(where, state.interface.name) if where.is_file() else Kept({}, [])
    members = state.interface.members
    called = {one.place for one in new}
    old = [
        one
        for one in before.replies
        if one.place not in called
        and one.method in members
        and before.methods.get(one.method) == declared(members[one.method])
    ]
    _write(where, state, _without_repeats(sorted([*old, *new], key=lambda one: one.place)))


def _answered(state: FakeState) -> Iterator[Reply]:
    for call, _, _, *values in list(state.desk.ledger):
        member = call.target.member
        is_real = call.target.state is state and isinstance(call.answered_by, Behind)
        is_done = call.error is not None or call.reply is not NO_REPLY
        if is_real and is_done and _is_kept(member):
            yield _reply_of(call, values)


def _is_kept(member: Member) -> bool:
    """Whether the replies of a member are kept: of a method that others call by its name, and of
    what is called itself.
    """
    is_public = not member.name.startswith("_") or member.name == "__call__"
    return member.kind == "method" and is_public


def _reply_of(call: LiveCall, values: list[Any]) -> Reply:
    member = call.target.member
    at = f"{call.target.name} cannot be kept: "
    try:
        arguments = {
            name: MASK if is_secret(name) else _argument_data(member, name, value)
            for name, value in zip(member.parameters, values, strict=True)
        }
    except Unfit as unfit:
        raise FileRefused(f"{at}its argument {unfit}") from None
    if call.error is not None:
        return Reply(member.name, _given(member, arguments), {"error": _error_data(call.error, at)})
    try:
        data = _masked(to_json(call.reply, member.promise.node))
    except Unfit as unfit:
        raise FileRefused(f"{at}its reply {unfit}") from None
    return Reply(member.name, _given(member, arguments), {"reply": data})


def _argument_data(member: Member, name: str, value: Any) -> Any:
    kind = member.signature.parameters[name].kind
    node = member.parameter_nodes[name]
    if kind is inspect.Parameter.VAR_POSITIONAL:
        return [to_json(one, node) for one in value]
    if kind is inspect.Parameter.VAR_KEYWORD:
        return {key: MASK if is_secret(key) else to_json(one, node) for key, one in value.items()}
    return _masked(to_json(value, node))


def _given(member: Member, arguments: dict[str, Any]) -> dict[str, Any]:
    """Without what `*more` took up where there was nothing."""
    empty = (inspect.Parameter.VAR_POSITIONAL, inspect.Parameter.VAR_KEYWORD)
    parameters = member.signature.parameters
    return {
        name: value
        for name, value in arguments.items()
        if value not in ([], {}) or parameters[name].kind not in empty
    }


def is_secret(name: str) -> bool:
    """Whether a name is that of something that is not to be read."""
    low = name.lower().replace("-", "_")
    return low in _SECRET or low.endswith(tuple(f"_{word}" for word in _SECRET))


def _masked(data: object) -> Any:
    """The data, its secrets hidden by their names."""
    if isinstance(data, dict):
        return {
            name: MASK if is_secret(name) and isinstance(one, str) and one else _masked(one)
            for name, one in data.items()
        }
    return [_masked(one) for one in data] if isinstance(data, list) else data


def _error_data(error: BaseException, at: str) -> dict[str, Any]:
    cls = type(error)
    if "<locals>" in cls.__qualname__:
        raise FileRefused(
            f"{at}{full_name(cls)} is a class made in a function, which no file names"
        )
    try:
        arguments = [to_json(one, ANYTHING) for one in error.args]
    except Unfit:
        arguments = [str(one) for one in error.args]
    return {"type": f"{cls.__module__}:{cls.__qualname__}", "arguments": arguments}


def _without_repeats(replies: Iterable[Reply]) -> list[Reply]:
    """Of the same reply to the same call again and again the first: the last one is given on."""
    found: list[Reply] = []
    for one in replies:
        is_again = bool(found) and (found[-1].place, found[-1].ended) == (one.place, one.ended)
        found += [] if is_again else [one]
    return found


def _write(where: Path, state: FakeState, replies: list[Reply]) -> None:
    methods = {
        name: declared(member)
        for name, member in sorted(state.interface.members.items())
        if any(one.method == name for one in replies)
    }
    head = {"format": FORMAT, "version": VERSION, "interface": state.interface.name}
    lines = [json.dumps({**head, "methods": methods}, ensure_ascii=False)]
    text = "\n".join([*lines, *(one.line for one in replies), ""])
    try:
        with unfinished() as files:
            files.part(where).write_text(text, encoding="utf-8", newline="\n")
    except (OSError, UnicodeEncodeError) as error:
        raise FileRefused(f"{where.name} cannot be written: {why(error)}") from None


# --- answering ------------------------------------------------------------------------------------


def read(where: Path, interface: str) -> Kept:
    """The replies of a file; raises FileRefused for a file that is none, or of something else."""
    try:
        lines = where.read_text("utf-8").splitlines()
    except (OSError, UnicodeError) as error:
        raise FileRefused(f"{where.name} cannot be read: {why(error)}") from None
    data = [_parsed(line, where.name, number) for number, line in enumerate(lines, 1) if line]
    head = data[0] if data and isinstance(data[0], dict) else {}
    if head.get("format") != FORMAT:
        raise FileRefused(f"{where.name}: it is no file of replies that keep_in=… wrote")
    if head.get("version") != VERSION:
        raise FileRefused(
            f"{where.name}: its version is {head.get('version')!r}; this release reads {VERSION}"
        )
    if head.get("interface") != interface:
        raise FileRefused(
            f"{where.name}: it has the replies of {head.get('interface')!r}, not of {interface}"
        )
    return Kept(
        dict(head["methods"]), [_reply(one, where.name, n) for n, one in enumerate(data[1:], 2)]
    )


def _parsed(line: str, file: str, number: int) -> Any:
    try:
        return json.loads(line)
    except json.JSONDecodeError as error:
        raise FileRefused(
            f"{file}, line {number}, column {error.colno}: it is no JSON: {error.msg}"
        ) from None


def _reply(data: Any, file: str, number: int) -> Reply:
    is_whole = isinstance(data, dict) and isinstance(data.get("arguments"), dict)
    if not is_whole or "method" not in data or ("reply" in data) is ("error" in data):
        raise FileRefused(
            f'{file}, line {number}: a "method", its "arguments" and a "reply" or an "error" are '
            "wanted"
        )
    ended = {name: data[name] for name in ("reply", "error") if name in data}
    return Reply(data["method"], data["arguments"], ended)


def answer(state: FakeState, path: str) -> None:
    """Let a fake answer from a file: a cue for each call that was kept, and a refusal for any
    other.

    Raises:
        FileRefused: no such file, or a method that has changed since.
    """
    where = Path(path)
    kept = read(where, state.interface.name)
    _refuse_what_changed(kept, state, where.name)
    desk, fake = state.desk, state.fake
    before = len(desk.cues)
    together: dict[tuple[str, str], list[Reply]] = {}
    for one in kept.replies:
        together.setdefault(one.place, []).append(one)
    for replies in together.values():
        member = state.interface.members[replies[0].method]
        at = f"{where.name}, {member.name}"
        args, kwargs = _call_of(member, replies[0].arguments, at)
        values = [_ended(one, member, at) for one in replies]
        method = fake if member.name == "__call__" else getattr(fake, member.name)
        cue(method, *args, **kwargs).gives(*values)
    # a test need not use all that was kept
    del desk.cues[before:]
    state.answers_from = where.name
    desk.put_next(script, only_what_was_kept)


def _refuse_what_changed(kept: Kept, state: FakeState, file: str) -> None:
    members = state.interface.members
    for method, was in kept.methods.items():
        if method not in members:
            hint = nearest(method, [name for name in members if not name.startswith("_")])
            raise FileRefused(f"{file}: {state.interface.name} has no {method!r} any more; {hint}")
        now = declared(members[method])
        if was != now:
            raise FileRefused(
                f"{file}: the method was {was}, and is now {now}. Keep its replies anew: "
                f"shelf.fake({state.interface.name}, over=…, keep_in={file!r})"
            )


def _call_of(
    member: Member, arguments: dict[str, Any], at: str
) -> tuple[list[Any], dict[str, Any]]:
    """The arguments of a call, by position and by name."""
    args: list[Any] = []
    kwargs: dict[str, Any] = {}
    for name, parameter in member.signature.parameters.items():
        node = member.parameter_nodes[name]
        if parameter.kind is parameter.VAR_POSITIONAL:
            args += [_value(one, node, at) for one in arguments.get(name, [])]
        elif parameter.kind is parameter.VAR_KEYWORD:
            more = arguments.get(name, {})
            kwargs |= {key: _value(one, node, at) for key, one in more.items()}
        elif name not in arguments:
            raise FileRefused(f"{at}: the argument {name!r} is lacking")
        elif parameter.kind is parameter.KEYWORD_ONLY:
            kwargs[name] = _value(arguments[name], node, at)
        else:
            args.append(_value(arguments[name], node, at))
    return args, kwargs


def _value(data: object, node: Node, at: str) -> Any:
    if data == MASK:
        return whatever
    try:
        return from_json(data, node)
    except Unfit as unfit:
        raise FileRefused(f"{at}: {unfit}") from None


def _ended(reply: Reply, member: Member, at: str) -> Any:
    if "reply" in reply.ended:
        try:
            return from_json(reply.ended["reply"], member.promise.node)
        except Unfit as unfit:
            raise FileRefused(f"{at}: {unfit}") from None
    return raising(_error(reply.ended["error"], at))


def _error(data: Any, at: str) -> BaseException:
    """The exception of a file, from which nothing but exceptions are made."""
    try:
        cls = load_type(str(data["type"]))
    except (RecordRefused, KeyError, TypeError) as error:
        raise FileRefused(f"{at}: {error}") from None
    if not isinstance(cls, type) or not issubclass(cls, BaseException):
        raise FileRefused(f"{at}: {data['type']!r} is no exception, so nothing is made of it")
    arguments = [from_json(one, ANYTHING) for one in data.get("arguments", [])]
    # its constructor may want other arguments than it keeps
    made = cls.__new__(cls, *arguments)
    made.args = tuple(arguments)
    return made


def only_what_was_kept(call: LiveCall) -> Any:
    """An answerer: the refusal of a call that is not in the file."""
    target = call.target
    if target.state.answers_from and _is_kept(target.member):
        raise target.desk.refusal(call)
    return NO_REPLY
