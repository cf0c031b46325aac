"""An older part of the office, which reaches for what it needs."""

from __future__ import annotations

from urnshelf.demo.harbour import settings
from urnshelf.demo.harbour.records import Vessel
from urnshelf.demo.harbour.settings import harbour_time


def may_sail(vessel: Vessel) -> bool:
    """Whether there is water enough at the home quay now."""
    depth = settings.tide_source.depth_at(settings.HOME, harbour_time())
    return depth - settings.MARGIN_M >= vessel.draught_m
