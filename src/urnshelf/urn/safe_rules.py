"""Rules that names and types share: what belongs to nobody, sentences, UUIDs."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any
from uuid import UUID

from urnshelf.errors import RecordRefused
from urnshelf.types.limits import Limits
from urnshelf.urn import gazetteer, people, safe, words
from urnshelf.urn.mixing import Bits
from urnshelf.urn.parts import Checked
from urnshelf.urn.rules.base import Composed, Rule, computed
from urnshelf.urn.rules.texts import pattern

_A, _N, _P = len(words.ADJECTIVES), len(words.NOUNS), len(gazetteer.TOWNS)


class Safe(Composed):
    """Values that belong to nobody, in one form and others.

    Args:
        what: what such a value is called.
        must: whether no other value will do, where limits leave none of these.
        forms: the other forms.
        function, bounds, needs: as for any composed rule.
    """

    def __init__(
        self,
        what: str,
        must: bool,
        forms: Callable[[], list[Rule]],
        function: Callable[..., Any],
        *bounds: int,
        needs: tuple[str, ...] = (),
    ) -> None:
        super().__init__(function, *bounds, needs=needs)
        self.what, self.must, self._forms = what, must, forms

    def narrowed(self, limits: Limits) -> Rule | None:
        """The first form of which some values keep the limits."""
        for rule in [*([] if self.needs else [self]), *self._forms()]:
            try:
                fitting = rule if rule is self else rule.narrowed(limits) or rule
            except RecordRefused:  # no value of this form has such a length
                continue
            kept = sum(limits.allow(fitting.one(Bits(0, index))) for index in range(40))
            if kept == 40:
                return fitting
            if kept >= 4:
                return Checked(fitting, limits, self.what)
        return None


class _Prose(Composed):
    """Sentences: as many as a length demands, cut where it ends."""

    def narrowed(self, limits: Limits) -> Rule | None:
        if limits.pattern is not None:
            return None
        low, high = limits.min_length or 0, limits.max_length

        def prose(bits: Bits) -> str:
            text = str(self.one(bits))
            number = 0
            while len(text) < low:
                number += 1
                text += " " + self.one(bits.sub(number))
            # cut at a length that may end in a blank, which limits may not count
            return text if high is None else text[:high].rstrip().ljust(low, ".")

        return computed(prose)


def _email(given: int, family: int, number: int, top: int) -> str:
    return safe.email_of(people.GIVEN[given], people.FAMILY[family], number, top)


def host_name(n: int, top: int) -> str:
    """A host: n a noun's number, top below 2."""
    return f"{words.NOUNS[n].lower()}.{safe.TOPS[top]}"


def slug(a: int, n: int, number: int) -> str:
    """Words and a number for an address: a an adjective's number, n a noun's."""
    return f"{words.ADJECTIVES[a]}-{words.NOUNS[n]}-{number}".lower()


def _url(n: int, top: int, a: int, m: int, number: int) -> str:
    return f"https://{host_name(n, top)}/{slug(a, m, number)}"


def _sentence(which: int, a: int, n: int, town: int) -> str:
    parts = {
        "a": words.ADJECTIVES[a].lower(),
        "n": words.NOUNS[n].lower(),
        "p": gazetteer.TOWNS[town],
    }
    return words.SENTENCES[which].format(**parts) + "."


def made_uuid(high: int, low: int) -> UUID:
    """A UUID of the fourth version: both parts below 2**63."""
    return UUID(int=(high << 65) | (low << 2), version=4)


UUIDS = Composed(made_uuid, 1 << 63, 1 << 63)


def email_forms() -> list[Rule]:
    """E-mail addresses of all lengths."""
    return [
        EMAILS,
        pattern(r"[a-z][a-z0-9]{2,60}@example\.(com|net|org)"),
        pattern(r"[a-z]{1,9}@example\.(com|net|org)"),
        pattern(r"[a-z]{1,3}@[a-z]{1,3}\.test"),
        pattern(r"[A-Z]{3,9}@EXAMPLE\.(COM|NET|ORG)"),
    ]


def _phones() -> list[Rule]:
    return [Composed(partial(safe.phone_as, form), 100) for form in safe.PHONES]


def _addresses() -> list[Rule]:
    return [
        pattern(r"https?://[a-z]{1,12}\.(example|test)"),
        pattern(r"https?://[a-z]{1,12}\.(example|test)(/[a-z]{1,9}){1,30}"),
    ]


EMAILS: Rule = Safe(
    "e-mail address", True, email_forms, _email, len(people.GIVEN), len(people.FAMILY), 90, 3
)
PHONES = Safe("telephone number", True, _phones, safe.phone, 2, 1000)
URLS = Safe("address", False, _addresses, _url, _N, 2, _A, _N, 1000)
SLUGS = Composed(slug, _A, _N, 1000)
SENTENCES = _Prose(_sentence, len(words.SENTENCES), _A, _N, _P)
PASSWORDS = pattern("[A-Za-z0-9]{16}")
