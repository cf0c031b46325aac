"""What a cue or a look asks for: a method, and its arguments as they were written."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from inspect import Parameter
from typing import Any

from urnshelf.calls.handles import Handle, SomeOf, target_of
from urnshelf.calls.target import AssignmentTarget, Target
from urnshelf.calls.wording import signature_line
from urnshelf.errors import CueRefused
from urnshelf.near_names import nearest
from urnshelf.records.display import show, show_argument
from urnshelf.records.equality import is_exact
from urnshelf.records.matchers import beginning, holding, whatever

_NOTHING: dict[str, Any] = {}
_TAKES_ALL: dict[Any, Callable[[Any], Any]] = {
    Parameter.VAR_POSITIONAL: beginning,
    Parameter.VAR_KEYWORD: lambda m: holding(**m),
}


class Asked:
    """The calls that a cue or a look is about.

    Args:
        target: what they are addressed to.
        expected: the arguments in the order of the parameters, matchers among them; None for any.
        args: those given by position, as they were written.
        kwargs: those given by name.
        is_some: whether those that were not written may be anything.
        more: what is asked for besides the arguments, as code.
    """

    __slots__ = ("args", "expected", "is_some", "kwargs", "more", "target")

    def __init__(
        self,
        target: Target,
        expected: tuple[Any, ...] | None = None,
        args: Sequence[Any] = (),
        kwargs: Mapping[str, Any] = _NOTHING,
        *,
        is_some: bool = False,
        more: str = "",
    ) -> None:
        self.target = target
        self.expected = expected
        self.args = args
        self.kwargs = kwargs
        self.is_some = is_some
        self.more = more

    @property
    def method(self) -> str:
        """`TideService.depth_at`, or `some_of(TideService.depth_at)`."""
        return f"some_of({self.target.name})" if self.is_some else self.target.cued_as

    @property
    def omitted(self) -> set[str]:
        """The parameters that were not written, so that their defaults are meant."""
        is_method = self.target.is_read and not isinstance(self.target, AssignmentTarget)
        if self.expected is None or self.is_some or not is_method:
            return set()
        signature = self.target.member.signature
        return (
            set(self.target.parameters) - signature.bind(*self.args, **self.kwargs).arguments.keys()
        )

    @property
    def arguments(self) -> list[str]:
        """What was written, one by one."""
        by_name = [f"{name}={show_argument(value)}" for name, value in self.kwargs.items()]
        return [show_argument(value) for value in self.args] + by_name

    @property
    def words(self) -> str:
        """`TideService.depth_at('Ternhythe', whatever)`; no parentheses when any arguments will
        do.
        """
        if not (self.args or self.kwargs):
            return self.target.name + self.more
        written = f"({', '.join(self.arguments)})"
        words = f"{self.method}{written}" if self.is_some else self.target.written(written)
        return words + self.more


def asked(method: object, args: tuple[Any, ...], kwargs: dict[str, Any], verb: str) -> Asked:
    """What a user asks for.

    Args:
        method: a method of a fake, or what stands for one.
        args: the method's own arguments; matchers may stand for them.
        kwargs: likewise, by name.
        verb: the name of the public function, for messages.

    Raises:
        CueRefused: no method of a fake, arguments that the method would refuse, or a matcher that
            no argument of that type can fit.
    """
    target = target_of(method, verb)
    is_some = isinstance(method, SomeOf)
    expected = None
    if args or kwargs:
        bind = _bound_in_part if is_some else type(target).bind
        try:
            expected = bind(target, *args, **kwargs)
            if target.member.ways and not is_some:
                from urnshelf.interfaces.overloads import fits_a_way  # hardly ever

                fits_a_way(target.member.ways, args, kwargs)
        except TypeError as why:
            told = Asked(target, (), args, kwargs, is_some=is_some)
            raise CueRefused(_misfit_text(told, verb, why)) from None
    more = ""
    if isinstance(method, Handle):
        expected, more = method._expects(expected), method._more
    found = Asked(target, expected, args, kwargs, is_some=is_some, more=more)
    if expected is not None:
        _refuse_what_never_fits(found, verb)
    return found


def _bound_in_part(target: Target, *args: object, **kwargs: object) -> tuple[Any, ...]:
    signature = target.member.signature
    given = signature.bind_partial(*args, **kwargs).arguments
    values = []
    for name, parameter in signature.parameters.items():
        value = given.get(name, whatever)
        all_of = _TAKES_ALL.get(parameter.kind) if name in given else None
        values.append(all_of(value) if all_of else value)
    return tuple(values)


def _refuse_what_never_fits(found: Asked, verb: str) -> None:
    values = found.expected or ()
    for value in values:
        if value is not whatever and not is_exact(type(value)):
            break
    else:
        return  # as the most are
    from urnshelf.records.never import never_fits

    nodes = found.target.member.parameter_nodes
    for name, value in zip(found.target.parameters, values, strict=True):
        # what a star takes up is of many types, or of none that is written
        is_one = name in nodes and not _is_star(found.target, name)
        why = never_fits(value, nodes[name]) if is_one else None
        if why:
            written = ", ".join([found.method, *found.arguments])
            raise CueRefused(f"{verb}({written}): nothing can fit {show(value, 60)}: {why}")


def _is_star(target: Target, name: str) -> bool:
    return target.member.signature.parameters[name].kind in _TAKES_ALL


def _misfit_text(told: Asked, verb: str, why: TypeError) -> str:
    target = told.target
    unknown = [name for name in told.kwargs if name not in target.parameters]
    if unknown:
        wrong = f"there is no argument {unknown[0]!r}; {nearest(unknown[0], target.parameters)}"
    else:
        # Python's own words, without the name of a function that nobody wrote
        said = str(why).partition(") ")[2] or str(why)
        said = said.replace("missing", "lacks", 1) if said.startswith("missing") else said
        wrong = f"it {said}" if said.startswith(("takes", "lacks", "got")) else said
    written = ", ".join([told.method, *told.arguments])
    return f"{verb}({written}): {wrong}\n  the method is   {signature_line(target)}"
