"""Every interface is faked whole: exact signatures, isinstance, and each method is cued, called and
tallied.
"""

from __future__ import annotations

import asyncio
import collections.abc
import contextlib
import importlib.abc
import inspect
import typing
from typing import Any, get_origin

import httpx
import pymongo
import pymongo.collection
import pymongo.database
import pytest
import redis
import redis.asyncio
import sqlalchemy.engine
import sqlalchemy.orm

import awkward
from urnshelf import Shelf, attribute, cue, tally
from urnshelf.calls.target import state_of

DEPRECATED = ("ByteString",)
"""To ask whether something is one warns on Python 3.12."""


def classes_of(module: Any, *, abstract_only: bool) -> list[type]:
    found = [
        value
        for name, value in vars(module).items()
        if isinstance(value, type) and name not in DEPRECATED
    ]
    if not abstract_only:
        return [
            cls
            for cls in found
            if not issubclass(cls, (BaseException, tuple, dict, int, str, list))
        ]
    return [cls for cls in found if inspect.isabstract(cls) or getattr(cls, "_is_protocol", False)]


STANDARD = [
    *classes_of(collections.abc, abstract_only=True),
    *classes_of(importlib.abc, abstract_only=True),
    *classes_of(typing, abstract_only=True),
    *classes_of(contextlib, abstract_only=True),
    *classes_of(asyncio, abstract_only=True),
    asyncio.AbstractEventLoop,
    asyncio.Protocol,
    asyncio.Queue,
    asyncio.StreamReader,
]
PUBLISHED = [
    httpx.Client,
    httpx.AsyncClient,
    httpx.BaseTransport,
    httpx.Response,
    sqlalchemy.orm.Session,
    sqlalchemy.engine.Connection,
    sqlalchemy.engine.Engine,
    sqlalchemy.engine.Result,
    pymongo.MongoClient,
    pymongo.database.Database,
    pymongo.collection.Collection,
    redis.Redis,
    redis.asyncio.Redis,
]
NOT_INTERFACES = (object, typing.Protocol, typing.Generic)


def unique(forms: list[Any]) -> list[Any]:
    return [
        form for i, form in enumerate(forms) if form not in forms[:i] and form not in NOT_INTERFACES
    ]


@pytest.mark.parametrize("form", unique([*awkward.FORMS, *STANDARD, *PUBLISHED]))
def test_every_interface_is_faked_whole(form: Any) -> None:
    shelf = Shelf(check_replies=False)
    fake = shelf.fake(form)
    origin = get_origin(form) or form
    if isinstance(origin, type):
        if may_be_asked(fake, origin):
            assert isinstance(fake, origin)
        assert public_names(fake) <= set(dir(origin)) | annotated(origin) | assigned(origin)
    for member in state_of(fake).interface.members.values():  # type: ignore[union-attr]
        if member.kind == "method":
            check_method(shelf, fake, origin, member)
        else:
            check_attribute(fake, member)
    shelf.close()


def may_be_asked(fake: Any, cls: type) -> bool:
    """Python itself refuses the question for protocols that are not made for it."""
    try:
        isinstance(fake, cls)
    except TypeError:
        return False
    return True


def check_method(shelf: Shelf, fake: Any, origin: Any, member: Any) -> None:
    method = getattr(fake, member.name)
    assert inspect.signature(method) == declared_signature(origin, member)
    assert inspect.iscoroutinefunction(method) == inspect.iscoroutinefunction(member.function)
    args, kwargs = arguments_for(inspect.signature(method))
    if member.promise.stream:
        cue(method, *args, **kwargs).streams(1, 2)
    elif member.name in ("__hash__", "__len__", "__index__", "__int__", "__length_hint__"):
        cue(method, *args, **kwargs).gives(3)
    else:
        cue(method, *args, **kwargs).gives("reply")
    reply = method(*args, **kwargs)
    if member.promise.awaited:
        reply = asyncio.run(awaited(reply))
    if member.promise.stream == "sync":
        assert list(reply) == [1, 2]
    elif member.promise.stream == "async":
        assert asyncio.run(collected(reply)) == [1, 2]
    else:
        assert reply in ("reply", 3)
    assert tally(method) == 1
    assert tally(method, *args, **kwargs) == 1 or not (args or kwargs)


def check_attribute(fake: Any, member: Any) -> None:
    cue(attribute(fake, member.name)).gives("value")
    assert getattr(fake, member.name) == "value"
    assert tally(attribute(fake, member.name)) == 1
    if member.settable:
        setattr(fake, member.name, "other")
        assert getattr(fake, member.name) == "other"
        assert tally(attribute(fake, member.name).assigned, "other") == 1
    else:
        with pytest.raises(AttributeError, match="read-only"):
            setattr(fake, member.name, "other")


def declared_signature(origin: Any, member: Any) -> inspect.Signature:
    """What Python says of the interface's own method, without the instance."""
    if not isinstance(origin, type) or member.owner is None:
        return member.signature if origin is collections.abc.Callable else inspect.signature(origin)
    raw = inspect.getattr_static(origin, member.name)
    try:
        if isinstance(raw, (classmethod, staticmethod)):
            return inspect.signature(getattr(origin, member.name))
        if not inspect.isfunction(raw) or raw.__qualname__ == "_overload_dummy":
            return member.signature  # Python tells nothing of it
        whole = inspect.signature(raw)
    except ValueError:
        return member.signature
    first, *rest = whole.parameters.values()
    return whole if first.kind is first.VAR_POSITIONAL else whole.replace(parameters=rest)


def arguments_for(signature: inspect.Signature) -> tuple[list[Any], dict[str, Any]]:
    """One argument for each parameter, two for each star."""
    args: list[Any] = []
    kwargs: dict[str, Any] = {}
    for number, p in enumerate(signature.parameters.values()):
        if p.kind in (p.POSITIONAL_ONLY, p.POSITIONAL_OR_KEYWORD):
            args.append(number)
        elif p.kind is p.VAR_POSITIONAL:
            args += [f"{number}a", [number]]
        elif p.kind is p.KEYWORD_ONLY:
            kwargs[p.name] = number
        else:
            kwargs |= {"extra": number, "further": {"in": [number]}}
    return args, kwargs


async def awaited(reply: Any) -> Any:
    return await reply


async def collected(stream: Any) -> list[Any]:
    return [item async for item in stream]


def public_names(fake: Any) -> set[str]:
    return {name for name in {*dir(fake), *vars(type(fake))} if not name.startswith("_")}


def annotated(cls: type) -> set[str]:
    return {name for base in cls.__mro__ for name in base.__dict__.get("__annotations__", {})}


def assigned(cls: type) -> set[str]:
    """Names that constructors assign."""
    codes = [base.__init__.__code__ for base in cls.__mro__ if hasattr(base.__init__, "__code__")]  # type: ignore[misc]
    return {name for code in codes for name in code.co_names}


def test_there_are_enough_awkward_ones() -> None:
    assert len(awkward.FORMS) >= 60
    assert len(unique(STANDARD)) >= 40
