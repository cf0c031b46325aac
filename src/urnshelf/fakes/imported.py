"""Where else a function, a class or an object of a module is: other modules have imported it by
name.
"""

from __future__ import annotations

import ast
import inspect
import re
import sys
from functools import partial
from operator import is_
from types import ModuleType

from urnshelf.fakes.places import Attribute


def elsewhere(place: Attribute, value: object, everywhere: bool | None) -> list[Attribute]:
    """The names of other modules, in order, under which they have what is in a module's place.

    Args:
        place: there.
        value: what is in it.
        everywhere: whether all of them are wanted; else those that have it from there.
    """
    is_it = partial(is_, value)
    is_plain = isinstance(value, _PLAIN)
    # a module that has imported it itself is asked for its own importers alone
    is_strict = is_plain or (
        not everywhere and place.name in _imported(place.holder, "", place.name)
    )
    found = []
    for module in list(sys.modules.values()):
        # few modules have it at all, and most are found not to before any name is looked at
        if not isinstance(module, ModuleType) or not any(map(is_it, list(vars(module).values()))):
            continue
        for name, held in list(vars(module).items()):
            is_other = module is not place.holder or name != place.name
            if held is value and is_other:
                origin = place.holder.__name__
                known = _imported(module, origin, place.name) if is_strict else {name: place.name}
                if known.get(name) == place.name:
                    found.append(Attribute(module, name))
    return sorted(found, key=str)


_PLAIN = (int, float, complex, str, bytes, tuple, frozenset, type(None))
"""Types of values of which everybody may have the same one."""


def _imported(module: ModuleType, origin: str, wanted: str) -> dict[str, str]:
    """What a module's source imports by name: as what, and its name there.

    Args:
        module: the module.
        origin: from which module; empty for any.
        wanted: the name there; a source without it is not taken apart.
    """
    try:
        source = inspect.getsource(module)
        # everybody has the same True: hundreds of modules, and hardly one has the name
        has_it = re.search(rf"\b{wanted}\b", source)
        statements = list(ast.walk(ast.parse(source))) if has_it else []
    except Exception:  # it has no source
        return {}
    package = (module.__package__ or "").split(".")
    found: dict[str, str] = {}
    for one in statements:
        if isinstance(one, ast.ImportFrom):
            base = package[: len(package) - one.level + 1] if one.level else []
            if not origin or ".".join([*base, *filter(None, [one.module])]) == origin:
                found |= {alias.asname or alias.name: alias.name for alias in one.names}
    return found
