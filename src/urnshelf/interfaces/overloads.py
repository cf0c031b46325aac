"""Overloaded methods without an implementation, as protocols have them: one signature for all."""

from __future__ import annotations

import functools
import operator
from collections.abc import Callable, Sequence
from inspect import Parameter, Signature
from types import SimpleNamespace
from typing import Any, get_overloads

from urnshelf.interfaces.signatures import ANY_ARGUMENTS, bound_signature


def overloads_of(owner: type, name: str) -> list[Callable[..., Any]]:
    """The overloads of a method."""
    # what is left in the class is Python's own stand-in; the overloads are known by their place
    qualname = f"{owner.__qualname__}.{name}"
    place: Any = SimpleNamespace(__module__=owner.__module__, __qualname__=qualname)
    return list(get_overloads(place))


def merged_signature(ways: Sequence[Callable[..., Any]], binding: str) -> Signature:
    """One signature that takes what any of the overloads takes; any arguments, where they differ in
    more than types and omitted parameters.

    Args:
        ways: the overloads.
        binding: `instance`, `class` or `static`.
    """
    signatures = [bound_signature(way, binding) for way in ways]
    longest = max(signatures, key=lambda one: len(one.parameters))
    if not all(_is_part_of(one, longest) for one in signatures):
        return ANY_ARGUMENTS
    parameters = [_merged(name, signatures) for name in longest.parameters]
    returned = _either([one.return_annotation for one in signatures])
    try:
        return Signature(parameters, return_annotation=returned)
    except ValueError:  # one without a default after one with
        return ANY_ARGUMENTS


def fits_a_way(signatures: Sequence[Signature], args: Any, kwargs: Any) -> None:
    """Raise a TypeError unless one of the overloads takes these arguments."""
    errors = []
    for signature in signatures:
        try:
            signature.bind(*args, **kwargs)
        except TypeError as why:
            errors.append(str(why))
        else:
            return
    raise TypeError(f"no overload takes these arguments: {'; '.join(dict.fromkeys(errors))}")


def _is_part_of(one: Signature, whole: Signature) -> bool:
    kinds = {name: parameter.kind for name, parameter in whole.parameters.items()}
    in_order = [name for name in whole.parameters if name in one.parameters]
    return in_order == list(one.parameters) and all(
        parameter.kind is kinds[name] for name, parameter in one.parameters.items()
    )


def _merged(name: str, signatures: Sequence[Signature]) -> Parameter:
    found = [one.parameters[name] for one in signatures if name in one.parameters]
    defaults = [one.default for one in found if one.default is not one.empty]
    is_left_out = len(found) < len(signatures)
    is_spread = found[0].kind in (Parameter.VAR_POSITIONAL, Parameter.VAR_KEYWORD)
    # what stands for "not given" in stubs
    usual = ... if is_left_out and not is_spread else Parameter.empty
    return found[0].replace(
        default=defaults[0] if defaults else usual,
        annotation=_either([one.annotation for one in found]),
    )


def _either(annotations: Sequence[Any]) -> Any:
    """Any of these types, as an annotation is written."""
    different = list(dict.fromkeys(map(_hashable, annotations)))
    if len(different) == 1:
        return annotations[0]
    if Parameter.empty in different:
        return Parameter.empty
    if all(isinstance(one, str) for one in different):
        return " | ".join(different)
    return functools.reduce(operator.or_, different) if _are_types(different) else Parameter.empty


def _are_types(annotations: Sequence[Any]) -> bool:
    return all(one is None or hasattr(one, "__or__") for one in annotations)


def _hashable(annotation: Any) -> Any:
    try:
        hash(annotation)
    except TypeError:
        return str(annotation)
    return annotation
