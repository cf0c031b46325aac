"""The twin check: a fake and what it stands for, run through the same random operations."""

from urnshelf.twins.again import Again, AgainChecked
from urnshelf.twins.check import Checked, Twin

__all__ = ["Again", "AgainChecked", "Checked", "Twin"]
