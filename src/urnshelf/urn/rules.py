"""All rules for the fields of records, from one place."""

from urnshelf.urn.choices import all_different, among, sometimes_none
from urnshelf.urn.given import as_rule, constant, derived
from urnshelf.urn.links import Link, link
from urnshelf.urn.ranges import between
from urnshelf.urn.rule import TRIES, Composed, Rule, computed
from urnshelf.urn.series import distribution, drift
from urnshelf.urn.texts import pattern, serial, template

__all__ = [
    "TRIES",
    "Composed",
    "Link",
    "Rule",
    "all_different",
    "among",
    "as_rule",
    "between",
    "computed",
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
