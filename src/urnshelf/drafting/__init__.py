"""Tests for a service: written, and mended."""

from urnshelf.drafting.drafts import Drafts, draft

__all__ = ["Drafts", "draft"]
