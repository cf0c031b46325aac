"""What tests are drafted for: a method of a service, or a function, and what each of its parameters
is given.
"""

from __future__ import annotations

import ast
import asyncio
import inspect
from collections.abc import Callable, Mapping
from pathlib import Path
from types import FunctionType
from typing import Any

from urnshelf.caches import remembered
from urnshelf.calls.place import put_under_test
from urnshelf.drafting.arrangement import Arrangement, Asked
from urnshelf.drafting.guarding import Guard
from urnshelf.drafting.over_http import Client, client_for, is_an_address
from urnshelf.drafting.reached_for import reached_for
from urnshelf.drafting.scope import Scope, mined, root_of
from urnshelf.drafting.usual_values import NO_VALUE, usual
from urnshelf.drafting.values import NO_CODE, Faked, as_told
from urnshelf.errors import DraftRefused
from urnshelf.fakes.constructors import NOTHING, Constructor, Taken, constructor_of
from urnshelf.fakes.furnish import _built, faked_for
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.near_names import nearest
from urnshelf.records.display import show
from urnshelf.records.recognising import describe
from urnshelf.shelf import Shelf
from urnshelf.types.annotations import resolve
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import Kind, Node, node_of


class Service:
    """One method, or one function, that tests are drafted for.

    Args:
        thing: the service's class; None for a function.
        name: of the method, or of the function.
        function: its code.
        given: for parameters of the constructor and the method an object, or an interface that is
            faked.

    Raises:
        DraftRefused: a parameter of which nobody can tell what it is given.
    """

    def __init__(
        self, thing: type | None, name: str, function: FunctionType, given: Mapping[str, Any]
    ) -> None:
        self.cls = thing
        self.name = name
        self.function = function
        self.root = root_of(function)
        self.label = f"{thing.__name__}.{name}" if thing else name
        self.module = thing.__module__ if thing else function.__module__
        put_under_test(self.module)
        self.constructor = constructor_of(thing, None) if thing else None
        self.built_of_instance = thing is not None and _is_of_instance(thing, name)
        self.parameters = self._own_parameters()
        self._given = dict(given)
        self._refuse_unknown()
        self.clients = self._clients()
        """The client of HTTP that a parameter takes, likewise."""
        self.fakes = self._fakes()
        """The fake of each parameter that has one, by the part and the parameter."""
        self.fixed: set[Asked] = set()
        """Methods whose replies somebody told, and nobody varies."""
        self.scope = Scope(function, thing, self._classes())
        self.reached_for = reached_for(self.scope)
        """What is swapped: places, and what is faked there."""
        self.scope.leave_out(self.reached_for.values())
        self.start = self._start()
        self.mined = mined(self.scope, thing)
        """Constants of the code, in its order."""
        self._loop: asyncio.AbstractEventLoop | None = None

    # --- parameters -------------------------------------------------------------------------------

    def _own_parameters(self) -> dict[str, Taken]:
        taken = Constructor(self.function, None).parameters
        if self.cls is None or _is_static(self.cls, self.name):
            return taken
        first = next(iter(taken), None)
        return {name: one for name, one in taken.items() if name != first}

    @property
    def built(self) -> dict[str, Taken]:
        """The parameters of the constructor."""
        return self.constructor.parameters if self.constructor and self.built_of_instance else {}

    def _refuse_unknown(self) -> None:
        known = [*self.built, *self.parameters]
        for name in self._given:
            if name not in known:
                raise DraftRefused(
                    f"given={{{name!r}: …}}: {self.label} has no such parameter; "
                    f"{nearest(name, known)}"
                )

    def _fakes(self) -> dict[tuple[str, str], Faked]:
        found: dict[tuple[str, str], Faked] = {}
        for part, parameters in (("built", self.built), ("given", self.parameters)):
            forms = {name: self._faked(one) for name, one in parameters.items()}
            for name, form in forms.items():
                if form is None:
                    continue
                several = [one for one, theirs in forms.items() if theirs == form]
                found[part, name] = Faked(form, name if len(several) > 1 else None)
        return found

    def _clients(self) -> dict[tuple[str, str], Client]:
        every = [
            (part, one) for part in ("built", "given") for one in self._parameters_of(part).values()
        ]
        return {
            (part, name): client
            for part, one in every
            if (client := client_for(one.node, name := one.name)) and name not in self._given
        }

    def _faked(self, parameter: Taken) -> Any:
        name = parameter.name
        if client_for(parameter.node, name) is not None:
            return None
        if name in self._given:
            given = self._given[name]
            return given if _is_an_interface(given) else None
        return faked_for(parameter)

    def _start(self) -> Arrangement:
        """The first arrangement: a usual value for each parameter that needs one."""
        built = {name: self._value(one, "built") for name, one in self.built.items()}
        given = {name: self._value(one, "given") for name, one in self.parameters.items()}
        kept = {name: value for name, value in built.items() if value is not NO_VALUE}
        return Arrangement(
            kept,
            {name: value for name, value in given.items() if value is not NO_VALUE},
            swapped=dict.fromkeys(self.reached_for),
        )

    def _value(self, parameter: Taken, part: str) -> Any:
        """What a parameter is given at first; `NO_VALUE` where nothing need be given."""
        name = parameter.name
        if name in self._given and not _is_an_interface(self._given[name]):
            return self._told(name)
        if (part, name) in self.clients:
            return self.clients[part, name]
        if (part, name) in self.fakes:
            # those of the constructor are furnished
            is_own = part == "given" or name in self._given
            return self.fakes[part, name] if is_own else NO_VALUE
        if parameter.default is not NOTHING or parameter.is_handed_on:
            return NO_VALUE
        if part == "built" and self.constructor and _is_built(parameter, self.constructor):
            return NO_VALUE
        value = usual(parameter.node, name) if parameter.is_annotated else NO_VALUE
        if self.clients and isinstance(value, str) and is_an_address(name):
            value = next(iter(self.clients.values())).base_url
        if value is NO_VALUE:
            raise DraftRefused(self._lacking_text(parameter))
        return value

    def _told(self, name: str) -> Any:
        """What somebody gave for a parameter, as an arrangement holds it."""
        value = self._given[name]
        told = value if inspect.isfunction(value) else as_told(value)
        if told is NO_CODE:
            raise DraftRefused(
                f"given={{{name!r}: …}}: no code can be written for {show(value, 60)}; give a "
                "plain value, a record, a function, or an interface"
            )
        return told

    def _lacking_text(self, parameter: Taken) -> str:
        where = "" if parameter.is_annotated else ": annotate it with its interface"
        shown = (
            f"{type_name(parameter.node.form)} is nothing that can be made"
            if parameter.is_annotated
            else "it has no type"
        )
        return (
            f"{self.label} takes {parameter.name}, and {shown}{where}; or say what it is given: "
            f"draft({self.label}, given={{{parameter.name!r}: …}}), with an object, or an interface"
        )

    def node_at(self, part: str, name: str) -> Node:
        """The type of a parameter."""
        return self._parameters_of(part)[name].node

    def defaults(self, part: str) -> dict[str, Any]:
        """The parameters that may be left out, and what they are then."""
        return {
            name: one.default
            for name, one in self._parameters_of(part).items()
            if one.default is not NOTHING and (part, name) not in self.fakes
            and self.is_free(part, name) and one.node.kind is not Kind.ANY
        }  # fmt: skip

    def is_free(self, part: str, name: str) -> bool:
        """Whether an argument may be varied."""
        at = part, name
        return name not in self._given and at not in self.fakes and at not in self.clients

    def _parameters_of(self, part: str) -> Mapping[str, Taken]:
        return self.built if part == "built" else self.parameters

    def _classes(self) -> list[Any]:
        """The classes whose methods may be called besides: of what is handed over and comes
        back."""
        nodes = [one.node for one in (*self.built.values(), *self.parameters.values())]
        for fake in self.fakes.values():
            members = interface_of(fake.form).members.values()
            nodes += [one.promise.node for one in members]
        return [cls for node in nodes for cls in _data_in(node, 0)]

    # --- running ----------------------------------------------------------------------------------

    def prepared(
        self, shelf: Shelf, built: dict[str, Any], given: dict[str, Any], guard: Guard
    ) -> Callable[[], Any]:
        """What acts, once it is called.

        Args:
            shelf: whose fakes the service gets.
            built: arguments of the constructor.
            given: those of the method.
            guard: on while the constructor runs.
        """
        for (part, _), fake in self.fakes.items():
            if part == "built" and fake.name is not None:
                shelf.fake(fake.form, fake.name)
        if self.cls is None:
            return lambda: self._called(self.function_now, given)
        if not self.built_of_instance:
            return lambda: self._called(getattr(self.cls, self.name), given)
        with guard.on():
            service = shelf.furnish(self.cls, **built)
        return lambda: self._called(getattr(service, self.name), given)

    @property
    def function_now(self) -> Any:
        """The function, as its module has it: decorated, perhaps."""
        return getattr(inspect.getmodule(self.function), self.name, self.function)

    def _called(self, function: Any, given: Mapping[str, Any]) -> Any:
        given = dict(given)
        first = [
            given.pop(name)
            for name, one in self.parameters.items()
            if one.kind is inspect.Parameter.POSITIONAL_ONLY and name in given
        ]
        return function(*first, **given)

    def settled(self, result: Any) -> Any:
        """The result, once it is awaited and run through."""
        if inspect.isgenerator(result):
            return list(result)
        if inspect.isasyncgen(result):
            return self._run(_collected(result))
        return self._run(result) if inspect.isawaitable(result) else result

    def _run(self, awaitable: Any) -> Any:
        if self._loop is None or self._loop.is_closed():
            self._loop = asyncio.new_event_loop()
        loop = self._loop
        try:
            return loop.run_until_complete(_awaited(awaitable))
        finally:
            left = asyncio.all_tasks(loop)
            for task in left:
                task.cancel()
            if left:
                loop.run_until_complete(asyncio.gather(*left, return_exceptions=True))

    def open(self) -> None:
        """Have what awaits ready, before anything is refused."""
        if self._loop is None:
            self._loop = asyncio.new_event_loop()

    def close(self) -> None:
        """Let go of it."""
        if self._loop is not None:
            self._loop.close()
            self._loop = None

    # --- its code ---------------------------------------------------------------------------------

    def is_own(self, file: str) -> bool:
        """Whether a file is of the service's package."""
        return _is_within(file, str(self.root))

    @staticmethod
    def raises_at(file: str, line: int) -> bool:
        """Whether the code raises there on purpose."""
        return line in _raising_lines(file)

    def space_of(self, file: str) -> dict[str, Any]:
        """The names of the module in a file."""
        functions = self.scope.functions
        return next((one.__globals__ for one in functions if one.__code__.co_filename == file), {})

    @property
    def may_give_none(self) -> bool:
        """Whether its promise is beside None, as a checker of types sees it."""
        function = inspect.unwrap(self.function)
        returned = resolve(function.__annotations__.get("return", Any), self.cls, function)
        return node_of(returned).optional

    @property
    def is_async(self) -> bool:
        """Whether it is awaited."""
        return inspect.iscoroutinefunction(inspect.unwrap(self.function))

    @property
    def is_stream(self) -> bool:
        """Whether it gives one item after the other."""
        return inspect.isgeneratorfunction(inspect.unwrap(self.function))

    @property
    def is_async_stream(self) -> bool:
        """Whether it gives them awaited."""
        return inspect.isasyncgenfunction(inspect.unwrap(self.function))


async def _awaited(awaitable: Any) -> Any:
    return await awaitable


async def _collected(stream: Any) -> list[Any]:
    return [item async for item in stream]


@remembered
def _is_within(file: str, root: str) -> bool:
    path = Path(file)
    inside = path.is_relative_to(root) and not file.startswith("<")
    return inside and ("site-packages" not in path.parts or "site-packages" in root)


@remembered
def _raising_lines(file: str) -> frozenset[int]:
    try:
        tree = ast.parse(Path(file).read_bytes())
    except (OSError, SyntaxError):
        return frozenset()
    found: set[int] = set()
    for node in ast.walk(tree):
        if isinstance(node, (ast.Raise, ast.Assert)):
            found.update(range(node.lineno, (node.end_lineno or node.lineno) + 1))
    return frozenset(found)


def _is_an_interface(thing: Any) -> bool:
    if inspect.isfunction(thing) or isinstance(thing, (str, bytes, int, float)):
        return False
    return isinstance(thing, type) or hasattr(thing, "__origin__")


def _is_built(parameter: Taken, constructor: Constructor) -> bool:
    """Whether furnishing makes it of its own defaults."""
    try:
        return _built(parameter, constructor) is not NOTHING
    except Exception:
        return False


def _is_static(cls: type, name: str) -> bool:
    return isinstance(inspect.getattr_static(cls, name), staticmethod)


def _is_of_instance(cls: type, name: str) -> bool:
    return not isinstance(inspect.getattr_static(cls, name), (staticmethod, classmethod))


def _data_in(node: Node, depth: int) -> list[Any]:
    """The classes of records that a type holds."""
    if depth > 3:
        return []
    found = [node.origin] if describe(node.bare) is not None else []
    for one in node.args:
        found += _data_in(one, depth + 1)
    return found
