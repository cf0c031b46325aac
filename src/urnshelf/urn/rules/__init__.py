"""All rules for the fields of records, from one place."""

from urnshelf.urn.rules.base import PLANNED, TRIES, Composed, Rule, Told, computed
from urnshelf.urn.rules.choices import all_different, among, sometimes_none
from urnshelf.urn.rules.given import as_rule, constant, derived
from urnshelf.urn.rules.links import Link, link
from urnshelf.urn.rules.ranges import between
from urnshelf.urn.rules.series import distribution, drift
from urnshelf.urn.rules.texts import pattern, serial, template

__all__ = [
    "PLANNED",
    "TRIES",
    "Composed",
    "Link",
    "Rule",
    "Told",
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
