"""Interfaces compiled into classes whose methods have the real signatures.

A method's quick way is written out in its body, because a call costs less that way than through any function: the
newest cue, when it is a constant, is compared, entered and answered on the spot. It is the desk's first step and
nothing else; whatever it cannot settle goes to `Desk.take` untouched.
"""

from __future__ import annotations

import inspect
import sys
from collections.abc import Coroutine
from functools import cache
from inspect import Parameter
from types import CodeType, FrameType
from typing import Any

from urnshelf.calls.desk import Desk
from urnshelf.calls.place import YOURS, locate
from urnshelf.calls.target import INDEX, STATE, TARGETS, UNASKED, FakeState, Target, target_at
from urnshelf.fakes.attributes import attribute_of, manners_of
from urnshelf.interfaces.hints import annotations_of
from urnshelf.interfaces.members import QUIET, Interface, Member, written_parameters
from urnshelf.records.copies import PLAIN
from urnshelf.records.matchers import whatever

__tracebackhide__ = True  # a failing test shows its own lines, not ours
_FAKE = Parameter("_us_fake", Parameter.POSITIONAL_ONLY)

_PLAIN_METHOD = """
def call(_us_fake{parameters}):
    _us_target = _us_fake._urnshelf_targets[{index}]
    if (_us_cue := _us_target.newest) is not None:
        try:
            {wants}if {fits}:
                _us_frame = _us_getframe(1)
                if (_us_code := _us_frame.f_code) is _us_target.caller or _us_is_yours(_us_target, _us_code):
                    _us_target.book((_us_cue.outcome, _us_code, _us_frame.f_lasti, {values}))
                    return _us_cue.value
        except _us_exception:
            pass
    return _us_take(_us_fake, {index}, ({values}), _us_getframe(1))
"""

_AWAITED_METHOD = """
def call(_us_fake{parameters}):
    return _us_awaited(_us_fake, {index}, ({values}), _us_getframe(1))
"""

_QUIET_METHOD = """
def call(_us_fake{parameters}):
    _us_target = _us_fake._urnshelf_targets[{index}]
    if not _us_target.cues:
        return _us_own(_us_fake{positional})
    return _us_take(_us_fake, {index}, ({values}), _us_getframe(1))
"""


@cache
def _code(source: str) -> Any:
    return compile(source, "<urnshelf fake>", "exec")


def compiled(interface: Interface) -> type:
    """The class of the interface's fakes: one for each interface, kept on it."""
    if interface.compiled is not None:
        return interface.compiled
    members = tuple(interface.members.values())
    body: dict[str, Any] = {
        "__slots__": (TARGETS, STATE, "__weakref__"),
        "__doc__": getattr(interface.origin, "__doc__", None),
        "__module__": getattr(interface.origin, "__module__", __name__),
        "_urnshelf_members": members,
        **manners_of(interface),
    }
    for index, member in enumerate(members):
        body[member.name] = (
            attribute_of(member, index) if member.kind == "attribute" else _method(member, index, interface)
        )
    if "__eq__" in body:
        body.setdefault("__hash__", object.__hash__)
    if "__len__" in body:
        body.setdefault("__bool__", lambda _: True)  # object's truth: an uncued __len__ must not be asked for it
    cls = type(interface.origin.__name__ if isinstance(interface.origin, type) else interface.name, (), body)
    interface.compiled = cls
    return cls


def new_fake(interface: Interface, name: str | None, desk: Desk) -> Any:
    """A fake of the interface."""
    cls = compiled(interface)
    fake: Any = object.__new__(cls)
    state = FakeState(fake, interface, name, desk)
    object.__setattr__(fake, TARGETS, [UNASKED] * len(state.members))
    object.__setattr__(fake, STATE, state)
    return fake


def _method(member: Member, index: int, interface: Interface) -> Any:
    """The method as a function with the interface's own parameters."""
    parameters = tuple(member.signature.parameters.values())
    names = [p.name for p in parameters]
    template = _QUIET_METHOD if member.name in QUIET else _AWAITED_METHOD if member.is_async else _PLAIN_METHOD
    written, defaults = written_parameters(member.signature)
    own_slash = any(p.kind is Parameter.POSITIONAL_ONLY for p in parameters)
    source = template.format(
        parameters=("" if own_slash else ", /") + (written and f", {written}"),
        index=index,
        values="".join(f"{name}, " for name in names),
        positional="".join(f", {name}" for name in names),
        wants=_wants(len(names)),
        fits=" and ".join(map(_fits, parameters, range(len(names)))) or "True",
    )
    namespace: dict[str, Any] = {
        "__tracebackhide__": True,
        "_us_getframe": sys._getframe,
        "_us_is_yours": _is_yours,
        "_us_plain": PLAIN,
        "_us_take": _take,
        "_us_type": type,
        "_us_map": map,
        "_us_exception": Exception,
        "_us_awaited": _awaited,
        "_us_any": whatever,
        "_us_own": getattr(object, member.name, lambda _: True),
        **defaults,
    }
    exec(_code(source), namespace)
    return _dressed(namespace["call"], member, index, interface)


def _take(fake: Any, index: int, live: tuple[Any, ...], frame: FrameType) -> Any:
    """What the quick way leaves to the desk."""
    target = target_at(fake, index)
    return target.desk.take(target, live, frame)


def _is_yours(target: Target, code: CodeType) -> bool:
    """Whether the calling code is the user's; the target remembers it for the next call."""
    if code.co_filename not in YOURS:
        return False
    target.caller = code
    return True


def _wants(count: int) -> str:
    """The line that takes the newest cue's wishes apart: a type and a value for each argument."""
    return "".join(f"_us_t{i}, _us_w{i}, " for i in range(count)) + "= _us_cue.wants\n            " if count else ""


def _fits(parameter: Parameter, number: int) -> str:
    """The test that an argument is the cue's, and that it needs no copy."""
    name, is_any = parameter.name, f"_us_w{number} is _us_any"
    if parameter.kind in (Parameter.VAR_POSITIONAL, Parameter.VAR_KEYWORD):
        values = name if parameter.kind is Parameter.VAR_POSITIONAL else f"{name}.values()"
        return f"(not {name} or {is_any} and _us_plain.issuperset(_us_map(_us_type, {values})))"
    equal = f"_us_type({name}) is _us_t{number} and ({name} is _us_w{number} or {name} == _us_w{number})"
    return f"(_us_type({name}) in _us_plain if {is_any} else {equal})"


def _dressed(function: Any, member: Member, index: int, interface: Interface) -> Any:
    """The function under the member's own name, annotations and kind."""
    name = getattr(interface.origin, "__qualname__", interface.name)
    function.__name__ = member.name
    function.__qualname__ = f"{name}.{member.name}"
    function.__module__ = getattr(member.owner, "__module__", __name__)
    function.__doc__ = getattr(member.function, "__doc__", None)
    setattr(function, INDEX, index)
    function.__annotations__ = dict(annotations_of(member.function)) if callable(member.function) else {}
    function.__signature__ = member.signature.replace(parameters=[_FAKE, *member.signature.parameters.values()])
    if member.is_async:
        _mark_as_coroutine_function(function)
    return function


def _mark_as_coroutine_function(function: Any) -> None:
    """Make a plain function known as a coroutine function.

    It is plain so that the place of the call is known although the call itself is entered when it is awaited, perhaps
    by a task that was made elsewhere.
    """
    if sys.version_info >= (3, 12):
        inspect.markcoroutinefunction(function)
    else:  # Python 3.11 looks at the code's flag, and runs the code the same with or without it
        function.__code__ = function.__code__.replace(co_flags=function.__code__.co_flags | inspect.CO_COROUTINE)


def _awaited(fake: Any, index: int, live: tuple[Any, ...], frame: FrameType) -> Coroutine[Any, Any, Any]:
    """The coroutine of an async method; it bears the method's name, for Python's warning when nobody awaits it."""
    target = target_at(fake, index)
    coroutine: Any = target.desk.take_awaited(target, live, *locate(frame))
    coroutine.__name__ = coroutine.__qualname__ = target.name
    return coroutine  # type: ignore[no-any-return]
