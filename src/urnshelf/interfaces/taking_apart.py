"""An interface taken apart into its members, without running any of its code."""

from __future__ import annotations

import dis
import functools
import inspect
from collections.abc import Callable, Iterator
from types import (
    BuiltinFunctionType,
    FunctionType,
    GetSetDescriptorType,
    MemberDescriptorType,
    MethodDescriptorType,
)
from typing import Any, get_args, get_origin

from urnshelf.caches import remembered
from urnshelf.errors import InterfaceRefused
from urnshelf.interfaces.members import NO_DEFAULT, Interface, Member
from urnshelf.interfaces.signatures import (
    ANY_ARGUMENTS,
    bound_signature,
    partial_signature,
    plain_signature,
    short_name_of_routine,
)
from urnshelf.types.annotations import annotations_of
from urnshelf.types.forms import type_arguments, type_name

BEHIND_ONES_BACK = frozenset(
    [
        "__init__",
        "__new__",
        "__del__",
        "__init_subclass__",
        "__subclasshook__",
        "__class_getitem__",
        "__set_name__",
        "__prepare__",
        "__getattribute__",
        "__getattr__",
        "__setattr__",
        "__delattr__",
        "__class__",
        "__dir__",
        "__repr__",
        "__str__",
        "__format__",
        "__sizeof__",
        "__reduce__",
        "__reduce_ex__",
        "__getstate__",
        "__setstate__",
        "__getnewargs__",
        "__getnewargs_ex__",
        "__copy__",
        "__deepcopy__",
        "__replace__",
        "__mro_entries__",
        "__post_init__",
        "__instancecheck__",
        "__subclasscheck__",
        "__annotate__",
        "__annotate_func__",
        "__class_cell__",
        "__classcell__",
        "__static_attributes__",
        "__firstlineno__",
        "__orig_bases__",
        "__parameters__",
        "__abstractmethods__",
        "__weakref__",
        "__dict__",
        "__slots__",
        "__doc__",
        "__module__",
        "__qualname__",
        "__match_args__",
    ]
)
"""Special names that Python or the standard library uses unasked: they are never cued."""

QUIET = frozenset({"__eq__", "__ne__", "__hash__", "__bool__"})
"""These are object's own, and leave no entry in the ledger, unless they are cued."""

_MARKS = frozenset({"_is_protocol", "_is_runtime_protocol", "_abc_impl"})
_OF_THE_MACHINERY = (
    "_abc_registry",
    "_abc_cache",
    "_abc_negative",
    "__abc_",
    "__protocol",
    "__non_callable",
)
"""What the standard library leaves in the classes that it makes."""

_NOT_INTERFACES = frozenset({"object", "Protocol", "Generic", "ABC"})
_FUNCTIONS = (FunctionType, BuiltinFunctionType, MethodDescriptorType, type(object.__init__))


def interface_of(form: object) -> Interface:
    """The interface's members; raises InterfaceRefused for what cannot be faked.

    Args:
        form: a Protocol, an ABC, a class, one of these with type arguments, a callable type or a
            function.

    >>> from urnshelf.demo.harbour import TideService
    >>> interface_of(TideService).members["depth_at"].promise.name
    'float'
    """
    try:
        hash(form)
    except TypeError:  # certainly no interface, and said so
        return take_apart(form)
    return _known(form)


@remembered
def _known(form: object) -> Interface:
    return take_apart(form)


def take_apart(form: object) -> Interface:
    """The interface's members, found anew."""
    origin = get_origin(form) or form
    if origin is not form and form_is_callable(form):
        return _callable_type(form)
    if isinstance(origin, type):
        _refuse_values(form, origin)
        return Interface(form, origin, type_name(form), _class_members(form, origin))
    if inspect.isroutine(form):
        member = Member("__call__", "method", None, plain_signature(form), form, "static")
        return Interface(form, form, short_name_of_routine(form), {"__call__": member})
    raise InterfaceRefused(
        f"cannot fake {form!r}: a fake is made from a Protocol, an ABC, a class, a callable type "
        "or a function"
        + (
            f"; did you mean its class, {type(form).__name__}?"
            if type(form).__module__ != "builtins"
            else ""
        )
    )


def form_is_callable(form: object) -> bool:
    """Whether it is a callable type with arguments, such as `Callable[[int], str]`."""
    return get_origin(form) is Callable or form is Callable


def _refuse_values(form: object, origin: type) -> None:
    if origin.__module__ == "builtins" or issubclass(
        origin, (int, float, str, bytes, BaseException)
    ):
        raise InterfaceRefused(
            f"cannot fake {type_name(form)}: it is a value, not something a service depends on; "
            "use a real value, "
            "or a Protocol that says which methods the service needs"
        )


def _callable_type(form: object) -> Interface:
    *arguments, returned = get_args(form)
    parameters: list[inspect.Parameter] = []
    if arguments and isinstance(arguments[0], list):
        parameters = [
            inspect.Parameter(
                f"argument_{number}", inspect.Parameter.POSITIONAL_ONLY, annotation=arg
            )
            for number, arg in enumerate(arguments[0], 1)
        ]
        signature = inspect.Signature(parameters, return_annotation=returned)
    else:
        signature = ANY_ARGUMENTS.replace(return_annotation=returned)
    member = Member("__call__", "method", None, signature)
    return Interface(form, get_origin(form), type_name(form), {"__call__": member})


def _class_members(form: object, origin: type) -> dict[str, Member]:
    filled = type_arguments(form)
    members: dict[str, Member] = {}
    # from the farthest base on, so that the nearest has the last word, and members keep their
    # order
    for cls in reversed(origin.__mro__):
        if cls.__name__ in _NOT_INTERFACES and cls.__module__ in (
            "builtins",
            "typing",
            "abc",
            "typing_extensions",
        ):
            continue
        for member in _own_members(cls):
            member.filled = filled.get(cls, {})
            inherited = members.get(member.name)
            if (
                # an override without an annotation promises what it overrides
                inherited is not None
                and member.annotation is NO_DEFAULT
                and inherited.kind == "attribute"
            ):
                member.annotation = inherited.annotation
            members[member.name] = member
    return members


def _own_members(cls: type) -> Iterator[Member]:
    annotations = _annotations(cls)
    for name, raw in vars(cls).items():
        if name in BEHIND_ONES_BACK or name in _MARKS or name.startswith(_OF_THE_MACHINERY):
            continue
        member = _member(name, raw, cls, annotations)
        if member is not None:
            yield member
    for name, annotation in annotations.items():
        if name not in vars(cls):
            yield Member(name, "attribute", cls, annotation=annotation)
    for name in _assigned_in_constructor(cls):
        if name not in vars(cls) and name not in annotations and not name.startswith("_"):
            yield Member(name, "attribute", cls)


def _method(name: str, function: Any, cls: type, binding: str) -> Member:
    """A method; one that is only overloaded takes what any of its overloads takes."""
    # what stands in for the overloads of a method that has nothing else
    if getattr(function, "__qualname__", "") != "_overload_dummy":
        return Member(name, "method", cls, bound_signature(function, binding), function, binding)
    from urnshelf.interfaces.overloads import merged_signature, overloads_of

    ways = overloads_of(cls, name)
    member = Member(name, "method", cls, merged_signature(ways, binding), ways[0], binding)
    if member.signature is ANY_ARGUMENTS:
        member.ways = tuple(bound_signature(way, binding) for way in ways)
    return member


def _member(name: str, raw: object, cls: type, annotations: dict[str, Any]) -> Member | None:
    """The member that a class attribute stands for; only its kind is looked at, nothing of it is
    run.
    """
    if isinstance(raw, (staticmethod, classmethod)):
        return _method(
            name, raw.__func__, cls, "static" if isinstance(raw, staticmethod) else "class"
        )
    if isinstance(raw, property):
        annotation = _return_annotation(raw.fget)
        return Member(
            name,
            "attribute",
            cls,
            function=raw.fget,
            annotation=annotation,
            settable=raw.fset is not None,
        )
    if isinstance(raw, functools.cached_property):
        return Member(
            name, "attribute", cls, function=raw.func, annotation=_return_annotation(raw.func)
        )
    if isinstance(raw, functools.partialmethod):
        return Member(name, "method", cls, partial_signature(raw), raw.func)
    if isinstance(raw, functools.singledispatchmethod):
        return Member(name, "method", cls, bound_signature(raw.func, "instance"), raw.func)
    if isinstance(raw, _FUNCTIONS) or (
        callable(raw) and hasattr(type(raw), "__get__") and not isinstance(raw, type)
    ):
        return _method(name, raw, cls, "instance")
    annotation = annotations.get(name, NO_DEFAULT)
    if isinstance(raw, (MemberDescriptorType, GetSetDescriptorType)) or hasattr(
        type(raw), "__get__"
    ):
        return Member(
            name, "attribute", cls, annotation=annotation, settable=hasattr(type(raw), "__set__")
        )
    # a special name that is no method is Python's own affair
    if name.startswith("__") and name.endswith("__"):
        return None
    return Member(name, "attribute", cls, annotation=annotation, default=raw)


def _annotations(cls: type) -> dict[str, Any]:
    found = annotations_of(cls)
    return {name: found[name] for name in found if name not in BEHIND_ONES_BACK}


def _return_annotation(function: object) -> Any:
    return annotations_of(function).get("return", NO_DEFAULT)


def _assigned_in_constructor(cls: type) -> list[str]:
    """The names that the class's own constructor assigns on the instance, read from its code
    without running it.
    """
    constructor = vars(cls).get("__init__")
    if not isinstance(constructor, FunctionType) or not constructor.__code__.co_varnames:
        return []
    if constructor.__module__ == "typing":  # each Protocol carries it, and it assigns nothing
        return []
    me = constructor.__code__.co_varnames[0]
    found: dict[str, None] = {}
    loaded = ""
    # attributes that only the constructor makes: its code is read, for to run it may need a
    # database
    for step in dis.get_instructions(constructor):
        if step.opname == "STORE_ATTR" and loaded == me:
            found[str(step.argval)] = None
        if step.opname.startswith("LOAD_FAST"):
            loaded = step.argval[-1] if isinstance(step.argval, tuple) else step.argval
        else:
            loaded = ""
    return list(found)
