"""What a service's constructor takes: each parameter with its type, found without running it."""

from __future__ import annotations

import dis
import inspect
import re
from collections.abc import Callable, Iterator, Mapping
from functools import partial
from types import FrameType
from typing import Any, NamedTuple, get_origin

from urnshelf.caches import remembered
from urnshelf.errors import FurnishRefused
from urnshelf.records.display import show
from urnshelf.types.annotations import is_partly_unknown, resolve, resolved_among, signature_of
from urnshelf.types.forms import substitute, type_arguments
from urnshelf.types.nodes import Node, node_of

_KINDS = inspect.Parameter
_STARS = (_KINDS.VAR_POSITIONAL, _KINDS.VAR_KEYWORD)
NOTHING: Any = _KINDS.empty
_MISFIT = re.compile(r"missing \d+ required|unexpected keyword argument|takes .* positional argum")
"""What Python says of a call that does not fit."""


class Taken(NamedTuple):
    """One parameter."""

    name: str
    kind: Any
    default: Any
    """`NOTHING` where it has none."""
    node: Node
    is_annotated: bool
    is_handed_on: bool = False
    """Whether it is of a base, to which the constructor hands on what it takes by a star."""


class _Function(NamedTuple):
    """A function whose parameters are taken, and where its annotations are resolved."""

    function: Any
    owner: type | None
    skipped: int
    """How many parameters are bound already: the instance, the class."""
    filled: Mapping[Any, Any]


def constructor_of(service: Any, frame: FrameType | None) -> Constructor:
    """What a service takes; found out once, where all its types are known."""
    if not _holds_nothing(service):
        return Constructor(service, frame)
    try:
        return _known(service)
    except (_NotAllKnown, TypeError):  # type arguments may have no hash
        return Constructor(service, frame)


def _holds_nothing(service: Any) -> bool:
    """Whether to remember it keeps no object of a test alive: a class, or a function that closes
    over nothing.
    """
    cls = get_origin(service) or service
    return isinstance(cls, type) or (inspect.isfunction(service) and not service.__closure__)


@remembered
def _known(service: Any) -> Constructor:
    found = Constructor(service, None)
    if any(is_partly_unknown(one.node.form) for one in found.parameters.values()):
        raise _NotAllKnown
    return found


class _NotAllKnown(Exception):
    """Names that are lacking now may be known to another caller."""


class Constructor:
    """What a service takes.

    Args:
        service: a class, also one with type arguments, a function, a partial one, or an object that
            is called.
        frame: the caller's; a class that was made in a function knows that one's names.

    Raises:
        FurnishRefused: its parameters cannot be told.
    """

    def __init__(self, service: Any, frame: FrameType | None) -> None:
        _refuse_what_builds_nothing(service)
        self.service = service
        self.name = service_name(service)
        self.module = getattr(bare_service(service), "__module__", None) or ""
        bound = service if isinstance(service, partial) else partial(service)
        functions, takes_any = _functions(bound.func)
        every = list(_each(functions, frame))
        # a partial one has the first arguments already, and others by name
        by_position = [one for one in every if one.kind is not _KINDS.KEYWORD_ONLY]
        done = {one.name for one in by_position[: len(bound.args)]}
        every = [one for one in every if one.name not in done]
        self.parameters = {
            one.name: one._replace(default=bound.keywords[one.name], is_annotated=False)
            if one.name in bound.keywords
            else one
            for one in every
        }
        self.bound = frozenset(bound.keywords)
        """Parameters that a partial one has a value for."""
        self.only_positional = [
            name for name, one in self.parameters.items() if one.kind is _KINDS.POSITIONAL_ONLY
        ]
        self.takes_any = takes_any
        """Whether it takes arguments by any name."""
        self.forms: dict[str, tuple[Any, list[str]]] | None = None
        """What is faked for each parameter, once that was found out."""

    def call(self, arguments: dict[str, Any]) -> Any:
        """The service, built.

        Args:
            arguments: by name; those that can only be given by position are taken out.

        Raises:
            FurnishRefused: the call itself is refused, before any of its code runs.
        """
        positional = [arguments.pop(name) for name in self.only_positional if name in arguments]
        try:
            return self.service(*positional, **arguments)
        except TypeError as why:
            is_of_the_call = why.__traceback__ is None or why.__traceback__.tb_next is None
            if not is_of_the_call and not _MISFIT.search(str(why)):
                raise  # what its own code has to say
            raise FurnishRefused(
                f"{self.name} cannot be built: {why}\nGive it what is lacking: "
                f"shelf.furnish({self.name}, …)"
            ) from (None if is_of_the_call else why)


def bare_service(service: Any) -> Any:
    """The class or function under a partial one, or one with type arguments."""
    while isinstance(service, partial):
        service = service.func
    return get_origin(service) or service


def _refuse_what_builds_nothing(service: Any) -> None:
    bare = bare_service(service)
    if not callable(service):
        raise FurnishRefused(f"furnish() takes the service's class, not {show(service)}")
    if not isinstance(bare, type):
        return
    name = service_name(bare)
    if getattr(bare, "_is_protocol", False):
        raise FurnishRefused(f"{name} is an interface, and no service: shelf.fake({name})")
    if inspect.isabstract(bare):
        lacks = ", ".join(sorted(getattr(bare, "__abstractmethods__", ())))
        raise FurnishRefused(
            f"{name} is abstract, and cannot be built: it lacks {lacks}; furnish a class that has "
            f"them, or fake it: shelf.fake({name})"
        )


def service_name(service: Any) -> str:
    """How messages call a service."""
    if isinstance(service, partial):
        return f"partial({service_name(service.func)})"
    named = getattr(get_origin(service) or service, "__qualname__", None)
    return str(named).rpartition("<locals>.")[2] if named else show(service)


def _functions(service: Any) -> tuple[tuple[_Function, ...], bool]:
    """The functions whose parameters a service takes, and whether it takes any others by name."""
    cls = get_origin(service) or service
    if not isinstance(cls, type):
        return (_function(service),), _has_stars(_function(service))[1]
    if _tells_itself(cls):
        return (_Function(cls, cls, 0, {}),), False
    found: list[_Function] = []
    by_position = by_name = True
    filled = type_arguments(service)
    for base in _constructing(cls):
        constructor = vars(base).get("__init__") or vars(base)["__new__"]
        function = getattr(constructor, "__func__", constructor)
        found.append(_Function(function, base, 1, filled.get(base, {})))
        stars = _has_stars(found[-1])
        # what one takes by a star it hands on to the next
        by_position, by_name = by_position and stars[0], by_name and stars[1]
        if not (by_position or by_name) or not _hands_on(function):
            break
    return tuple(found), by_name and bool(found)


def _hands_on(function: Any) -> bool:
    """Whether a constructor calls another one with what its stars took up; its code is read."""
    code = getattr(inspect.unwrap(function), "__code__", None)
    if code is None or not {"__init__", "__new__"} & set(code.co_names):
        return False
    return any(step.opname.startswith("CALL_FUNCTION_EX") for step in dis.get_instructions(code))


def _constructing(cls: type) -> Iterator[type]:
    """The classes that have a constructor, from the nearest base on; the language's own not."""
    name = "__new__" if cls.__init__ is object.__init__ else "__init__"  # type: ignore[misc]
    for base in cls.__mro__:
        if name in vars(base) and base.__module__ not in ("builtins", "typing", "abc"):
            yield base


def _tells_itself(cls: Any) -> bool:
    """Whether a class has a signature of its own making, as models of pydantic have; or is code in
    C, and tells as much as Python knows.
    """
    if any("__signature__" in vars(base) for base in cls.__mro__):
        return True
    if issubclass(cls, tuple) and hasattr(cls, "_fields"):
        return True  # a named tuple's own constructor is made in another module
    return not any(True for _ in _constructing(cls)) and cls.__module__ != "builtins"


def _function(service: Any) -> _Function:
    if inspect.isroutine(service):
        owner = getattr(service, "__self__", None)
        if owner is not None and not isinstance(owner, type):
            owner = type(owner)
        return _Function(service, owner, 0, type_arguments(owner) if owner else {})
    return _Function(type(service).__call__, type(service), 1, {})


def _has_stars(one: _Function) -> tuple[bool, bool]:
    kinds = [parameter.kind for parameter in _signature(one).parameters.values()]
    return _KINDS.VAR_POSITIONAL in kinds, _KINDS.VAR_KEYWORD in kinds


def _signature(one: _Function) -> inspect.Signature:
    try:
        return signature_of(one.function)
    except (TypeError, ValueError) as why:
        raise FurnishRefused(
            f"furnish({service_name(one.owner or one.function)}): its parameters cannot be told "
            f"({why}); build it by hand"
        ) from None


def _each(functions: tuple[_Function, ...], frame: FrameType | None) -> Iterator[Taken]:
    met: set[str] = set()
    for number, one in enumerate(functions):
        parameters = list(_signature(one).parameters.values())[one.skipped :]
        for parameter in parameters:
            if parameter.kind in _STARS or parameter.name in met:
                continue
            met.add(parameter.name)
            # what is handed on by `**more` is handed on by name
            kind = _KINDS.KEYWORD_ONLY if number else parameter.kind
            is_annotated = parameter.annotation is not NOTHING
            node = node_of(_type_of(parameter.annotation, one, frame) if is_annotated else Any)
            is_of_base = number > 0
            yield Taken(parameter.name, kind, parameter.default, node, is_annotated, is_of_base)


def _type_of(annotation: Any, one: _Function, frame: FrameType | None) -> Any:
    function = inspect.unwrap(one.function) if callable(one.function) else one.function
    found = resolve(annotation, one.owner, function)
    if is_partly_unknown(found):
        found = resolved_among(annotation, one.owner, function, _names_around(function, frame))
    return substitute(found, dict(one.filled)) if one.filled else found


def _names_around(function: Callable[..., Any], frame: FrameType | None) -> Mapping[str, Any]:
    """The names of the function in which a class was made, where that is running."""
    names: dict[str, Any] = {}
    outer = getattr(function, "__qualname__", "").rpartition(".<locals>.")[0]
    while frame is not None and outer:
        if frame.f_code.co_qualname == outer:
            names = {**names, **frame.f_locals}
            break
        frame = frame.f_back
    code = getattr(function, "__code__", None)
    cells = getattr(function, "__closure__", None) or ()
    free = zip(code.co_freevars, cells, strict=True) if code else ()
    return {**names, **{name: cell.cell_contents for name, cell in free if _is_full(cell)}}


def _is_full(cell: Any) -> bool:
    try:
        return cell.cell_contents is not NOTHING
    except ValueError:  # nothing was put in yet
        return False
