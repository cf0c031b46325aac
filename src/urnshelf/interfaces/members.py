"""The members of an interface: found without running any of its code."""

from __future__ import annotations

import contextlib
import dis
import functools
import inspect
import operator
from collections.abc import Callable, Iterator
from types import (
    BuiltinFunctionType,
    FunctionType,
    GetSetDescriptorType,
    MemberDescriptorType,
    MethodDescriptorType,
)
from typing import Any, get_args, get_origin, get_overloads

from urnshelf.errors import InterfaceRefused
from urnshelf.interfaces.hints import (
    annotations_of,
    resolve,
    signature_of,
    substitute,
    type_arguments,
    type_name,
)
from urnshelf.interfaces.promises import Promise, promise_of

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

_NOT_INTERFACES = frozenset({"object", "Protocol", "Generic", "ABC"})
_FUNCTIONS = (FunctionType, BuiltinFunctionType, MethodDescriptorType, type(object.__init__))
_ANYTHING = inspect.Signature(
    [
        inspect.Parameter("args", inspect.Parameter.VAR_POSITIONAL),
        inspect.Parameter("kwargs", inspect.Parameter.VAR_KEYWORD),
    ]
)
NO_DEFAULT: Any = inspect.Parameter.empty


_NO_PARAMETERS = inspect.Signature()


class Member:
    """One method or attribute of an interface.

    Args:
        name: as in the interface.
        kind: `method` or `attribute`.
        owner: the class in whose body it stands.
        signature: without the instance.
        function: the code that carries the annotations; None for an attribute that is only annotated.
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
        annotation: Any = NO_DEFAULT,
        settable: bool = True,
        default: Any = NO_DEFAULT,
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
        self.filled: dict[Any, Any] = {}
        """What the owner's type parameters stand for."""

    @property
    def is_async(self) -> bool:
        """Whether calling it gives a coroutine by its very definition."""
        return inspect.iscoroutinefunction(self.function)

    @functools.cached_property
    def parameters(self) -> tuple[str, ...]:
        """The names of the parameters, in order."""
        return tuple(self.signature.parameters)

    @functools.cached_property
    def promise(self) -> Promise:
        """What it promises; resolved when first asked."""
        if self.kind == "attribute":
            return Promise(self._resolved(self.annotation))
        if _is_context_manager(self.function):
            return self._context_promise()
        returned = self._returned()
        if returned is Any and inspect.isgeneratorfunction(self.function):
            return Promise(Any, stream="sync")
        if returned is Any and inspect.isasyncgenfunction(self.function):
            return Promise(Any, stream="async")
        return promise_of(returned, self.is_async)

    @functools.cached_property
    def parameter_types(self) -> dict[str, Any]:
        """The type of each parameter, `Any` where it cannot be told."""
        return {name: self._resolved(p.annotation) for name, p in self.signature.parameters.items()}

    @functools.cached_property
    def bind(self) -> Callable[..., tuple[Any, ...]]:
        """A function with the member's parameters that returns the arguments in their order, defaults filled in."""
        parameters, defaults = written_parameters(self.signature)
        source = f"lambda {parameters}: ({''.join(name + ', ' for name in self.parameters)})"
        return eval(source, defaults)  # type: ignore[no-any-return]

    @property
    def has_code(self) -> bool:
        """Whether there is real code to run: not abstract, not a stub."""
        return isinstance(self.function, FunctionType) and not _is_stub(self.function)

    def _resolved(self, annotation: Any) -> Any:
        if annotation is inspect.Parameter.empty:
            return Any
        return substitute(resolve(annotation, self.owner, inspect.unwrap(self.function)), self.filled)

    def _returned(self) -> Any:
        overloads = get_overloads(self.function) if isinstance(self.function, FunctionType) else ()
        if overloads:
            return functools.reduce(operator.or_, [self._resolved(_return_annotation(f)) for f in overloads])
        return self._resolved(self.signature.return_annotation)

    def _context_promise(self) -> Promise:
        is_async = inspect.isasyncgenfunction(inspect.unwrap(self.function))
        kind: Any = contextlib.AbstractAsyncContextManager if is_async else contextlib.AbstractContextManager
        inner = promise_of(self._resolved(self.signature.return_annotation), is_async=False)
        return Promise(kind[inner.item])


def written_parameters(signature: inspect.Signature) -> tuple[str, dict[str, Any]]:
    """The parameters as source code without annotations, and the names that stand for the defaults in it."""
    written: list[str] = []
    defaults: dict[str, Any] = {}
    parameters = list(signature.parameters.values())
    for number, p in enumerate(parameters):
        if p.kind is p.KEYWORD_ONLY and not any(w.startswith("*") for w in written):
            written.append("*")
        default = ""
        if p.default is not p.empty:
            default = f"=_us_default_{number}"
            defaults[f"_us_default_{number}"] = p.default
        written.append(
            ("*" if p.kind is p.VAR_POSITIONAL else "**" if p.kind is p.VAR_KEYWORD else "") + p.name + default
        )
        following = parameters[number + 1].kind if number + 1 < len(parameters) else None
        if p.kind is p.POSITIONAL_ONLY and following is not p.POSITIONAL_ONLY:
            written.append("/")
    return ", ".join(written), defaults


class Interface:
    """What can be faked, taken apart.

    Args:
        form: as the user gave it, type arguments and all.
        origin: the class or function itself.
        name: how messages call it.
        members: by name.
    """

    def __init__(self, form: Any, origin: Any, name: str, members: dict[str, Member]) -> None:
        self.form = form
        self.origin = origin
        self.name = name
        self.members = members
        self.compiled: type | None = None
        """The class of its fakes, once there is one."""


_known: dict[Any, Interface] = {}


def interface_of(form: Any) -> Interface:
    """The interface's members; raises InterfaceRefused for what cannot be faked.

    Args:
        form: a Protocol, an ABC, a class, one of these with type arguments, a callable type or a function.

    >>> from urnshelf.demo.harbour import TideService
    >>> interface_of(TideService).members["depth_at"].promise.name
    'float'
    """
    try:
        known = _known.get(form)
    except TypeError:
        known = None
    if known is None:
        known = _take_apart(form)
        if "<locals>" not in getattr(known.origin, "__qualname__", ""):
            _known[form] = known
    return known


def _take_apart(form: Any) -> Interface:
    origin = get_origin(form) or form
    if origin is not form and form_is_callable(form):
        return _callable_type(form)
    if isinstance(origin, type):
        _refuse_values(form, origin)
        return Interface(form, origin, type_name(form), _class_members(form, origin))
    if inspect.isroutine(form):
        return Interface(form, form, form.__name__, {"__call__": _function_member(form)})
    raise InterfaceRefused(
        f"cannot fake {form!r}: a fake is made from a Protocol, an ABC, a class, a callable type or a function"
        + (f"; did you mean its class, {type(form).__name__}?" if type(form).__module__ != "builtins" else "")
    )


def form_is_callable(form: Any) -> bool:
    """Whether it is a callable type with arguments, such as `Callable[[int], str]`."""
    return get_origin(form) is Callable or form is Callable


def _refuse_values(form: Any, origin: type) -> None:
    if origin.__module__ == "builtins" or issubclass(origin, (int, float, str, bytes, BaseException)):
        raise InterfaceRefused(
            f"cannot fake {type_name(form)}: it is a value, not something a service depends on; use a real value, "
            "or a Protocol that says which methods the service needs"
        )


def _callable_type(form: Any) -> Interface:
    *arguments, returned = get_args(form)
    parameters: list[inspect.Parameter] = []
    if arguments and isinstance(arguments[0], list):
        parameters = [
            inspect.Parameter(f"argument_{number}", inspect.Parameter.POSITIONAL_ONLY, annotation=arg)
            for number, arg in enumerate(arguments[0], 1)
        ]
        signature = inspect.Signature(parameters, return_annotation=returned)
    else:
        signature = _ANYTHING.replace(return_annotation=returned)
    member = Member("__call__", "method", None, signature)
    return Interface(form, get_origin(form), type_name(form), {"__call__": member})


def _function_member(function: Any) -> Member:
    return Member("__call__", "method", None, _signature(function), function, "static")


def _class_members(form: Any, origin: type) -> dict[str, Member]:
    filled = type_arguments(form)
    members: dict[str, Member] = {}
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
            if inherited is not None and member.annotation is NO_DEFAULT and inherited.kind == "attribute":
                member.annotation = inherited.annotation
            members[member.name] = member
    return members


def _own_members(cls: type) -> Iterator[Member]:
    annotations = _annotations(cls)
    for name, raw in vars(cls).items():
        if name in BEHIND_ONES_BACK or name.startswith(("_abc_", "_is_", "__abc_", "__protocol", "__non_callable")):
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


def _member(name: str, raw: Any, cls: type, annotations: dict[str, Any]) -> Member | None:
    """The member that a class attribute stands for; only its kind is looked at, nothing of it is run."""
    if isinstance(raw, (staticmethod, classmethod)):
        binding = "static" if isinstance(raw, staticmethod) else "class"
        function = raw.__func__
        return Member(name, "method", cls, _bound_signature(function, binding), function, binding)
    if isinstance(raw, property):
        annotation = _return_annotation(raw.fget)
        return Member(name, "attribute", cls, function=raw.fget, annotation=annotation, settable=raw.fset is not None)
    if isinstance(raw, functools.cached_property):
        return Member(name, "attribute", cls, function=raw.func, annotation=_return_annotation(raw.func))
    if isinstance(raw, functools.partialmethod):
        return Member(name, "method", cls, _partial_signature(raw), raw.func)
    if isinstance(raw, functools.singledispatchmethod):
        return Member(name, "method", cls, _bound_signature(raw.func, "instance"), raw.func)
    if isinstance(raw, _FUNCTIONS) or (callable(raw) and hasattr(type(raw), "__get__") and not isinstance(raw, type)):
        return Member(name, "method", cls, _bound_signature(raw, "instance"), raw)
    annotation = annotations.get(name, NO_DEFAULT)
    if isinstance(raw, (MemberDescriptorType, GetSetDescriptorType)) or hasattr(type(raw), "__get__"):
        return Member(name, "attribute", cls, annotation=annotation, settable=hasattr(type(raw), "__set__"))
    if name.startswith("__") and name.endswith("__"):
        return None
    return Member(name, "attribute", cls, annotation=annotation, default=raw)


def _annotations(cls: type) -> dict[str, Any]:
    found = annotations_of(cls)
    return {name: found[name] for name in found if name not in BEHIND_ONES_BACK}


def _return_annotation(function: Any) -> Any:
    return annotations_of(function).get("return", NO_DEFAULT)


def _bound_signature(function: Any, binding: str) -> inspect.Signature:
    signature = _signature(function)
    parameters = list(signature.parameters.values())
    if binding == "static" or not parameters or parameters[0].kind is inspect.Parameter.VAR_POSITIONAL:
        return signature
    return signature.replace(parameters=parameters[1:])


def _partial_signature(part: functools.partialmethod[Any]) -> inspect.Signature:
    whole = _bound_signature(part.func, "instance")
    try:
        bound = whole.bind_partial(*part.args, **part.keywords)
    except TypeError:
        return _ANYTHING
    by_position = list(whole.parameters)[: len(part.args)]
    kept: list[inspect.Parameter] = []
    for name, parameter in whole.parameters.items():
        if name in by_position:
            continue
        if name in bound.arguments:
            parameter = parameter.replace(default=part.keywords[name], kind=inspect.Parameter.KEYWORD_ONLY)
        elif (
            kept
            and kept[-1].kind is inspect.Parameter.KEYWORD_ONLY
            and parameter.kind is parameter.POSITIONAL_OR_KEYWORD
        ):
            parameter = parameter.replace(kind=inspect.Parameter.KEYWORD_ONLY)
        kept.append(parameter)
    return whole.replace(parameters=kept)


def _signature(function: Any) -> inspect.Signature:
    try:
        return signature_of(function)
    except (ValueError, TypeError):  # code in C that does not tell
        return _ANYTHING


def _assigned_in_constructor(cls: type) -> set[str]:
    """The names that the class's own constructor assigns on the instance, read from its code without running it."""
    constructor = vars(cls).get("__init__")
    if not isinstance(constructor, FunctionType) or not constructor.__code__.co_varnames:
        return set()
    me, found, loaded = constructor.__code__.co_varnames[0], set(), ""
    for step in dis.get_instructions(constructor):
        if step.opname == "STORE_ATTR" and loaded == me:
            found.add(str(step.argval))
        if step.opname.startswith("LOAD_FAST"):
            loaded = step.argval[-1] if isinstance(step.argval, tuple) else step.argval
        else:
            loaded = ""
    return found


def _is_context_manager(function: Any) -> bool:
    code = getattr(function, "__code__", None)
    return code is not None and hasattr(function, "__wrapped__") and code.co_filename == contextlib.__file__


def _stub() -> None: ...
async def _async_stub() -> None: ...
def _refusing_stub() -> None:
    raise NotImplementedError


async def _async_refusing_stub() -> None:
    raise NotImplementedError


_STUBS = frozenset(f.__code__.co_code[::2] for f in (_stub, _async_stub, _refusing_stub, _async_refusing_stub))


def _is_stub(function: FunctionType) -> bool:
    """Abstract, or a body that does nothing: only the kinds of its instructions are compared."""
    if getattr(function, "__isabstractmethod__", False):
        return True
    return function.__code__.co_code[::2] in _STUBS and set(function.__code__.co_names) <= {"NotImplementedError"}
