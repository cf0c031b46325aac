"""The user's own exceptions for records that are missing, taken or outdated: tried when they are
told.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show

OwnError = Callable[[Any, Any, str], BaseException] | type[BaseException]
"""An exception that is made with a message, or a function of the record type, the key and the
message that makes one.
"""
MakeError = Callable[[Any, str], BaseException]
"""Makes the exception, from the key and the message."""

_PARAMETERS = "record_type, key, message"
_TRIED: tuple[tuple[str, Callable[[Any, Any, str], tuple[Any, ...]]], ...] = (
    ("key", lambda record_type, key, message: (key,)),
    ("key, message", lambda record_type, key, message: (key, message)),
    ("record_type.__name__, key", lambda record_type, key, message: (record_type.__name__, key)),
    ("message, key", lambda record_type, key, message: (message, key)),
    ("message, None, None", lambda record_type, key, message: (message, None, None)),
    ("", lambda record_type, key, message: ()),
)


def error_maker(
    told: OwnError | None, ours: type[Exception], record_type: Any, verb: str, what: str
) -> MakeError:
    """What makes the exception.

    Args:
        told: the user's; None for ours.
        ours: our own exception.
        record_type: whose records.
        verb: the function that was told, for messages.
        what: the name of its parameter.

    Raises:
        RecordRefused: no exception, one that cannot be made with a message, or a function that
            cannot take a record type, a key and a message.
    """
    if told is None:
        return lambda key, message: ours(message)
    where = f"{verb}({getattr(record_type, '__name__', record_type)}, {what}={_named(told)})"
    if isinstance(told, type) and issubclass(told, BaseException):
        _try_to_make(told, record_type, where, what)
        return lambda key, message: told(message)
    try:
        inspect.signature(told).bind(record_type, None, "")
    except (TypeError, ValueError) as why:
        raise RecordRefused(
            f"{where}: give an exception that is made with a message, or a function of the record "
            f"type, the key and the message, {what}=lambda {_PARAMETERS}: …  ({why})"
        ) from None
    return lambda key, message: _made(told, record_type, key, message, where)


def _try_to_make(told: type[BaseException], record_type: Any, where: str, what: str) -> None:
    try:
        told("no record")
    except Exception as why:
        raise RecordRefused(
            f"{where}: it cannot be made with a message alone ({why}); give a function of the "
            f"record type, the key and the message: "
            f"{what}=lambda {_PARAMETERS}: {told.__name__}({_way_to_make(told, record_type)})"
        ) from None


def written(told: type[BaseException], name: str, record_type: Any) -> str:
    """What `define` is to be told for an exception: its class where a message is enough, else a
    function that makes one.

    Args:
        told: the class.
        name: how it is called there.
        record_type: whose records.
    """
    try:
        told("no record")
    except Exception:
        return f"lambda {_PARAMETERS}: {name}({_way_to_make(told, record_type)})"
    return name


def _way_to_make(told: type[BaseException], record_type: Any) -> str:
    for written, arguments in _TRIED:
        try:
            told(*arguments(record_type, 0, "no record"))
        except Exception:
            continue
        return written
    return "…"


def _made(told: Any, record_type: Any, key: object, message: str, where: str) -> BaseException:
    try:
        error = told(record_type, key, message)
    except Exception as why:
        return RecordRefused(f"{where} failed: {type(why).__name__}: {why}\n  it was: {message}")
    if isinstance(error, BaseException):
        return error
    return RecordRefused(f"{where} gave {show(error, 60)}, no exception\n  it was: {message}")


def _named(told: object) -> str:
    return getattr(told, "__name__", None) or show(told, 40)
