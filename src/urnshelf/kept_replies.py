"""Replies of real objects kept in a file, and answered from it ever after."""

from __future__ import annotations

import inspect
import re
from collections.abc import Awaitable, Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path
from typing import Any
from uuid import UUID

from urnshelf.calls.cueing import cue
from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.calls.replies import Pending, raising
from urnshelf.calls.script import script
from urnshelf.calls.target import FakeState
from urnshelf.calls.wording import declared
from urnshelf.errors import FileRefused, RecordRefused
from urnshelf.fakes.behind import through
from urnshelf.interfaces.members import Member
from urnshelf.kept_file import Kept, Reply, read, write
from urnshelf.masking.masks import MASK, Masks, holds_mask, is_like
from urnshelf.near_names import nearest
from urnshelf.records.codec import Unfit, from_json, to_json
from urnshelf.records.equality import same
from urnshelf.records.matchers import fitting, whatever
from urnshelf.types.forms import full_name
from urnshelf.types.loading import load_type
from urnshelf.types.nodes import ANYTHING, Node

# --- keeping --------------------------------------------------------------------------------------


class Keeping:
    """Notes what the real object behind a fake answers: as it is when it answers, for the service
    may change what it was given; and only calls from outside, for its own it makes again.

    Args:
        state: of the fake.
        path: of the file.
    """

    def __init__(self, state: FakeState, path: str) -> None:
        self._state = state
        self._where = Path(path)
        self._replies: list[Reply] = []
        self._wrong: FileRefused | None = None
        self._masks = Masks()
        state.desk.put_next(script, self.answer)
        state.desk.at_end.append(self.write)

    def answer(self, call: LiveCall) -> Any:
        """An answerer, before the one that asks the real object."""
        member = call.target.member
        if call.target.state is not self._state or not _is_kept(member) or _INSIDE.get() is self:
            return NO_REPLY
        arguments = self._data(
            call, "arguments", lambda: _arguments(member, call.live, self._masks)
        )
        with self._inside():
            try:
                reply = through(call)
            except Exception as error:
                self._note_error(call, arguments, error)
                raise
        if type(reply) is Pending:
            return Pending(self._later(call, arguments, reply.awaitable))
        self._note_reply(call, arguments, reply)
        return reply

    async def _later(self, call: LiveCall, arguments: Any, awaitable: Awaitable[Any]) -> Any:
        with self._inside():
            try:
                reply = await awaitable
            except Exception as error:
                self._note_error(call, arguments, error)
                raise
        self._note_reply(call, arguments, reply)
        return reply

    @contextmanager
    def _inside(self) -> Iterator[None]:
        token = _INSIDE.set(self)
        try:
            yield
        finally:
            _INSIDE.reset(token)

    def _note_reply(self, call: LiveCall, arguments: Any, reply: object) -> None:
        node = call.target.member.promise.node
        self._note(call, arguments, "reply", lambda: masked_reply(reply, node, self._masks))

    def _note_error(self, call: LiveCall, arguments: Any, error: Exception) -> None:
        self._note(call, arguments, "error", lambda: self._masks.data(error_data(error)))

    def _note(self, call: LiveCall, arguments: Any, kind: str, made: Callable[[], Any]) -> None:
        data = self._data(call, kind, made)
        if self._wrong is None:
            self._replies.append(Reply(call.target.member.name, arguments, {kind: data}))

    def _data(self, call: LiveCall, what: str, made: Callable[[], Any]) -> Any:
        """The data; what none can be made of is told when the file is written."""
        try:
            return made()
        except Unfit as unfit:
            at = f", {unfit.path}" if unfit.path else ""
            self._wrong = self._wrong or FileRefused(
                f"{call.target.name} cannot be kept: of its {what}{at}: {unfit}"
            )
            return None

    def write(self) -> None:
        """Write what was noted; what the file has of other calls stays.

        Raises:
            FileRefused: the file is of something else, or cannot be written; or a reply cannot.
        """
        if self._wrong is not None:
            raise self._wrong
        where, state = self._where, self._state
        before = read(where, state.interface.name) if where.is_file() else Kept({}, [])
        members = state.interface.members
        called = {one.place for one in self._replies}
        old = [
            one
            for one in before.replies
            if one.place not in called
            and one.method in members
            and before.methods.get(one.method) == declared(members[one.method])
        ]
        notes = [*before.notes, *self._masks.notes()]
        write(where, state.interface, [*old, *self._replies], notes)


_INSIDE: ContextVar[Keeping | None] = ContextVar("urnshelf_keeping", default=None)
"""Whose real object runs at present."""


def _is_kept(member: Member) -> bool:
    """Whether the replies of a member are kept: of a method that others call by its name, and of
    what is called itself.
    """
    is_public = not member.name.startswith("_") or member.name == "__call__"
    return member.kind == "method" and is_public


def _arguments(member: Member, values: tuple[Any, ...], masks: Masks) -> dict[str, Any]:
    """A call's arguments as data, without what `*more` took up where there was nothing."""
    made = {
        name: masks.hide(str(value), f"argument {name}")
        if masks.hides(name, value)
        else _argument_data(member, name, value, masks)
        for name, value in zip(member.parameters, values, strict=True)
    }
    parameters = member.signature.parameters
    return {
        name: data
        for name, data in made.items()
        if data not in ([], {}) or parameters[name].kind not in _MORE
    }


_MORE = (inspect.Parameter.VAR_POSITIONAL, inspect.Parameter.VAR_KEYWORD)


def _argument_data(member: Member, name: str, value: Any, masks: Masks) -> Any:
    kind = member.signature.parameters[name].kind
    node = member.parameter_nodes[name]
    if kind is inspect.Parameter.VAR_POSITIONAL:
        return [masks.data(to_json(one, node)) for one in value]
    if kind is inspect.Parameter.VAR_KEYWORD:
        return masks.data({key: to_json(one, node) for key, one in value.items()})
    return masks.data(to_json(value, node))


def masked_reply(reply: object, node: Node, masks: Masks) -> Any:
    """A reply as data, its secrets masked by what its types can hold.

    Raises:
        Unfit: nothing that stands for a secret is of its type.
    """
    data = to_json(reply, node)
    masked: Any = data
    for stands_for in (_of_its_kind, _of_its_form):
        masked = masks.data(data, stands_for=stands_for)
        if masked == data:
            return data
        try:
            from_json(masked, node)
            return masked
        except Unfit:
            continue
    raise Unfit(
        f"a secret is masked, and what stands for it is not of its type ({', '.join(masks.names)})"
    )


def _of_its_kind(secret: Any) -> Any:
    """What stands for a secret: a number for a number."""
    return MASK if isinstance(secret, str) else type(secret)(0)


def _of_its_form(secret: Any) -> Any:
    """What stands for a secret that is written as a text, and of another type."""
    if not isinstance(secret, str):
        return _of_its_kind(secret)
    for form, stands_for in _BY_FORM.items():
        if form.fullmatch(secret):
            return stands_for
    return MASK


_BY_FORM = {
    re.compile(r"[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}"): str(UUID(int=0)),
    re.compile(r"-?[0-9]+(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?"): "0",
    re.compile(r"(?:[A-Za-z0-9+/]{4})+(?:[A-Za-z0-9+/]{2}(?:==|[A-Za-z0-9+/]=))?"): "",  # bytes
}


def error_data(error: BaseException) -> dict[str, Any]:
    """An exception as the file has it; raises Unfit for one that no file can name."""
    cls = type(error)
    if "<locals>" in cls.__qualname__:
        raise Unfit(f"{full_name(cls)} was made in a function, so no file can name it")
    try:
        arguments = [to_json(one, ANYTHING) for one in error.args]
    except Unfit:
        arguments = [str(one) for one in error.args]
    return {"type": f"{cls.__module__}:{cls.__qualname__}", "arguments": arguments}


# --- answering ------------------------------------------------------------------------------------


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
        args, kwargs = call_of(member, replies[0].arguments, at)
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


def call_of(member: Member, arguments: dict[str, Any], at: str) -> tuple[list[Any], dict[str, Any]]:
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
    if holds_mask(data):
        return fitting(lambda value: is_like(data, _as_data(value, node), same))
    try:
        return from_json(data, node)
    except Unfit as unfit:
        raise FileRefused(f"{at}: {unfit}") from None


def _as_data(value: Any, node: Node) -> Any:
    """An argument as data, to be compared with one whose secrets were masked."""
    try:
        return to_json(value, node)
    except Unfit:
        return value


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
