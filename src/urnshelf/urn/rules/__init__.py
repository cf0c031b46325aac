"""The rules: how fields are drawn, some kinds a file, each with its constructor, and with how
plan files write it.
"""

from __future__ import annotations

import pkgutil
from importlib import import_module

from urnshelf.urn.rules.base import PLANNED, Planned


def planned_rules() -> dict[str, Planned]:
    """The rules that a plan file can tell, by name: those of all files here."""
    for module in pkgutil.iter_modules(__path__):
        import_module(f"{__name__}.{module.name}")
    return PLANNED
