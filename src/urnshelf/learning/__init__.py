"""Rules learnt from samples: what they look like, and nobody who is in them."""

from urnshelf.learning.learnt import Learnt, learn

__all__ = ["Learnt", "learn"]
