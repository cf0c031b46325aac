"""Whether an object keeps a protocol, asked without running any of its code."""

from __future__ import annotations

import inspect
from collections.abc import Iterable
from types import FunctionType
from typing import Any

from urnshelf.types.annotations import annotations_of

_NOTHING = object()
_PYTHONS = frozenset(
    """
    __abstractmethods__ __annotations__ __annotate__ __annotate_func__
    __callable_proto_members_only__ __class_getitem__ __dict__
    __doc__ __eq__ __firstlineno__ __hash__ __init__ __init_subclass__ __match_args__ __module__
    __new__ __non_callable_proto_members__ __orig_bases__ __parameters__ __protocol_attrs__
    __qualname__ __slots__ __static_attributes__ __subclasshook__ __type_params__ __weakref__
    """.split()
)
"""Special names that stand in a protocol's body without being asked of an object."""


def has_members_of(value: Any, protocol: type) -> bool:
    """Whether the object has what the protocol declares; Python itself refuses to say it of most
    protocols.
    """
    if value is None:
        return False
    if protocol in _bases(value):
        return True
    bases = [cls for cls in protocol.__mro__ if getattr(cls, "_is_protocol", False)]
    return all(_has(value, name, cls) for cls in bases for name in _declared(cls))


def _bases(value: Any) -> tuple[type, ...]:
    # a fake has another class than its type
    return inspect.getmro(getattr(value, "__class__", object))


def _has(value: object, name: str, protocol: type) -> bool:
    is_method = isinstance(inspect.getattr_static(protocol, name, None), FunctionType)
    if name.startswith("__") and name.endswith("__"):
        # what Python calls behind one's back it looks up on the class, and on no class of that
        of_type = [vars(cls)[name] for cls in type(value).__mro__ if name in vars(cls)]
        return bool(of_type) and of_type[0] is not None
    found = inspect.getattr_static(value, name, _NOTHING)
    if isinstance(value, type) and isinstance(found, FunctionType):
        return False  # a method of its objects, and none of the class itself
    if found is not _NOTHING:
        return not is_method or found is not None
    try:
        return hasattr(value, name)  # what answers for every name
    except Exception:
        return False


def _declared(cls: type) -> Iterable[str]:
    if cls.__module__ == "typing" and cls.__name__ in ("Protocol", "Generic"):
        return ()
    names = {*vars(cls), *annotations_of(cls)}
    return {
        name for name in names if name not in _PYTHONS and not name.startswith(("_abc_", "_is_"))
    }
