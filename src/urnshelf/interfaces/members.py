"""The members of an interface: its methods and attributes, and what is told of each."""

from __future__ import annotations

import contextlib
import functools
import inspect
import operator
from collections.abc import Callable, Mapping, Set
from types import FunctionType
from typing import Any, get_overloads

from urnshelf.interfaces.generated import binder, caller
from urnshelf.interfaces.promises import Promise, promise_of
from urnshelf.types.annotations import annotations_of, resolve
from urnshelf.types.forms import substitute
from urnshelf.types.nodes import Node, node_of

NO_DEFAULT: Any = inspect.Parameter.empty
_NO_PARAMETERS = inspect.Signature()


class Member:
    """One method or attribute of an interface.

    Args:
        name: as in the interface.
        kind: `method` or `attribute`.
        owner: the class in whose body it stands.
        signature: without the instance.
        function: the code that carries the annotations; None for an attribute that is only
            annotated.
        binding: `instance`, `class` or `static`.
        annotation: an attribute's.
        settable: whether an attribute can be assigned to.
        default: a class constant's value.
    """

    def __init__(
        self,
        name: str,
        kind: str,
        owner: type | None,
        signature: inspect.Signature = _NO_PARAMETERS,
        function: Any = None,
        binding: str = "instance",
        *,
        annotation: object = NO_DEFAULT,
        settable: bool = True,
        default: object = NO_DEFAULT,
    ) -> None:
        self.name = name
        self.kind = kind
        self.owner = owner
        self.signature = signature
        self.function = function
        self.binding = binding
        self.annotation = annotation
        self.settable = settable
        self.default = default
        # a wrapper that is none itself hands on the coroutine of what it wraps
        self.is_async = inspect.iscoroutinefunction(function) or (
            hasattr(function, "__wrapped__")
            and inspect.iscoroutinefunction(inspect.unwrap(function))
        )
        """Whether calling it gives a coroutine by its very definition."""
        self.ways: tuple[inspect.Signature, ...] = ()
        """Of overloads that differ so much that no one signature takes just what they take."""
        self.filled: dict[Any, Any] = {}
        """What the owner's type parameters stand for."""

    @functools.cached_property
    def parameters(self) -> tuple[str, ...]:
        """The names of the parameters, in order."""
        return tuple(self.signature.parameters)

    @functools.cached_property
    def promise(self) -> Promise:
        """What it promises; resolved when first asked."""
        if self.kind == "attribute":
            return Promise(node_of(self._resolved(self.annotation)))
        # the annotation says what the undecorated generator yields
        if hasattr(self.function, "__wrapped__") and _is_context_manager(self.function):
            return self._context_promise()
        returned = self._returned()
        if returned is Any and inspect.isgeneratorfunction(self.function):
            return Promise(stream="sync")
        if returned is Any and inspect.isasyncgenfunction(self.function):
            return Promise(stream="async")
        return promise_of(returned, self.is_async)

    @functools.cached_property
    def raises(self) -> tuple[type[BaseException], ...]:
        """The exceptions that its docstring names."""
        from urnshelf.interfaces.docstrings import raised  # seldom asked

        return raised(inspect.unwrap(self.function)) if callable(self.function) else ()

    @functools.cached_property
    def parameter_nodes(self) -> dict[str, Node]:
        """The type of each parameter."""
        nodes: dict[str, Node] = {}
        for name, parameter in self.signature.parameters.items():
            nodes[name] = node_of(self._resolved(parameter.annotation))
        return nodes

    @functools.cached_property
    def bind(self) -> Callable[..., tuple[Any, ...]]:
        """A function with the member's parameters that returns the arguments in their order,
        defaults filled in.
        """
        return binder(self.signature)

    @functools.cached_property
    def call(self) -> Callable[[Callable[..., Any], tuple[Any, ...]], Any]:
        """Calls a function as the method was called, given the arguments in their order."""
        return caller(self.signature)

    @functools.cached_property
    def blank_arguments(self) -> tuple[Any, ...]:
        """Arguments for `call` that only try whether a function takes the method's parameters."""
        empty: dict[Any, Any] = {
            inspect.Parameter.VAR_POSITIONAL: (),
            inspect.Parameter.VAR_KEYWORD: {},
        }
        return tuple(empty.get(p.kind) for p in self.signature.parameters.values())

    @property
    def has_code(self) -> bool:
        """Whether there is real code to run: not abstract, not a stub."""
        return isinstance(self.function, FunctionType) and not _is_stub(self.function)

    def _resolved(self, annotation: Any) -> Any:
        if annotation is inspect.Parameter.empty:
            return Any
        found = resolve(annotation, self.owner, inspect.unwrap(self.function))
        return substitute(found, self.filled) if self.filled else found

    def _returned(self) -> Any:
        overloads = get_overloads(self.function) if isinstance(self.function, FunctionType) else ()
        if overloads:
            # which overload a call takes cannot be told here: any of their promises will do
            ways = [annotations_of(f).get("return", NO_DEFAULT) for f in overloads]
            return functools.reduce(operator.or_, map(self._resolved, ways))
        return self._resolved(self.signature.return_annotation)

    def _context_promise(self) -> Promise:
        is_async = inspect.isasyncgenfunction(inspect.unwrap(self.function))
        kind: Any = (
            contextlib.AbstractAsyncContextManager
            if is_async
            else contextlib.AbstractContextManager
        )
        inner = promise_of(self._resolved(self.signature.return_annotation), is_async=False)
        return Promise(node_of(kind[inner.item.form]))

    def __repr__(self) -> str:
        return f"<{self.kind} {self.name}>"


class Interface:
    """What can be faked, taken apart.

    Args:
        form: as the user gave it, type arguments and all.
        origin: the class or function itself.
        name: how messages call it.
        members: by name.
    """

    def __init__(self, form: object, origin: object, name: str, members: dict[str, Member]) -> None:
        self.form = form
        self.origin = origin
        self.name = name
        self.members = members
        self.compiled: type | None = None
        """The class of its fakes, once there is one."""

    @functools.cached_property
    def is_mapping_or_set(self) -> bool:
        """Whether it is a mapping or a set, as the language defines them."""
        return isinstance(self.origin, type) and issubclass(self.origin, (Mapping, Set))


def _is_context_manager(function: object) -> bool:
    code = getattr(function, "__code__", None)
    return (
        code is not None
        and hasattr(function, "__wrapped__")
        and code.co_filename == contextlib.__file__
    )


def _stub() -> None: ...
async def _async_stub() -> None: ...
def _refusing_stub() -> None:
    raise NotImplementedError


async def _async_refusing_stub() -> None:
    raise NotImplementedError


_STUBS = frozenset(
    f.__code__.co_code[::2] for f in (_stub, _async_stub, _refusing_stub, _async_refusing_stub)
)


def _is_stub(function: FunctionType) -> bool:
    """Abstract, or a body that does nothing: only the kinds of its instructions are compared."""
    if getattr(function, "__isabstractmethod__", False):
        return True
    code = function.__code__
    if code.co_code[::2] not in _STUBS or not set(code.co_names) <= {"NotImplementedError"}:
        return False
    # what is returned is a constant: `return 7` is code
    return all(one is None or one is ... or one == function.__doc__ for one in code.co_consts)
