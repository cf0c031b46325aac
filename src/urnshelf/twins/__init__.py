"""The twin check: a fake and what it stands for, run through the same random operations."""

from urnshelf.twins.check import Checked, Twin

__all__ = ["Checked", "Twin"]
