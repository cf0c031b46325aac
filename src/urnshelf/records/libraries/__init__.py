"""The libraries of records that are known: a file each, and nothing else knows of them.

A file has one function, `describe(form, origin)`, which gives the description of a class of its
library, and None for any other. No two of them know the same class, so their order does not matter.
"""

from __future__ import annotations

import pkgutil
from collections.abc import Callable
from importlib import import_module
from typing import Any

from urnshelf.caches import remembered
from urnshelf.records.description import Description

Recognise = Callable[[Any, Any], Description | None]


@remembered
def recognisers() -> tuple[Recognise, ...]:
    """Those of all files here."""
    names = sorted(module.name for module in pkgutil.iter_modules(__path__))
    return tuple(import_module(f"{__name__}.{name}").describe for name in names)
