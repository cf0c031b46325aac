"""Rules for the fields of drawn records: `from urnshelf import rules`."""

from urnshelf.urn.rules import (
    all_different,
    among,
    between,
    constant,
    derived,
    distribution,
    drift,
    link,
    pattern,
    serial,
    sometimes_none,
    template,
)

__all__ = [
    "all_different",
    "among",
    "between",
    "constant",
    "derived",
    "distribution",
    "drift",
    "link",
    "pattern",
    "serial",
    "sometimes_none",
    "template",
]
