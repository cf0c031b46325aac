"""Rules for the fields of drawn records: `from urnshelf import rules`."""

from urnshelf.urn.families import children
from urnshelf.urn.rules.called import called
from urnshelf.urn.rules.choices import all_different, among, sometimes_none
from urnshelf.urn.rules.dealt import dealt, none_with
from urnshelf.urn.rules.following import formula, gathered, known_by
from urnshelf.urn.rules.given import constant, declared, derived
from urnshelf.urn.rules.later import after
from urnshelf.urn.rules.links import link
from urnshelf.urn.rules.quantiles import quantiles
from urnshelf.urn.rules.ranges import between
from urnshelf.urn.rules.series import distribution, drift
from urnshelf.urn.rules.texts import pattern, serial, template

__all__ = [
    "after",
    "all_different",
    "among",
    "between",
    "called",
    "children",
    "constant",
    "dealt",
    "declared",
    "derived",
    "distribution",
    "drift",
    "formula",
    "gathered",
    "known_by",
    "link",
    "none_with",
    "pattern",
    "quantiles",
    "serial",
    "sometimes_none",
    "template",
]
