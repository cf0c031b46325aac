"""The names of one person: given and family name, both, initials, user name, e-mail address."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from urnshelf.types.limits import Limits
from urnshelf.urn import people, safe
from urnshelf.urn.rules.base import Composed, Rule
from urnshelf.urn.rules.choices import among
from urnshelf.urn.safe_rules import Safe, email_forms
from urnshelf.urn.siblings import Siblings, beside, split, those

GIVEN = ("given_name", "first_name", "forename", "firstname", "givenname", "given")
FAMILY = ("family_name", "last_name", "surname", "lastname", "familyname", "family")
_WHOLE = ("full_name", "fullname", "display_name")
_ROLES = frozenset(
    """
    account_holder admin agent applicant approver assignee attendee author beneficiary borrower
    buyer candidate captain caretaker carer cashier chairman chairperson child claimant cleaner
    client clerk contact cook crew_member customer debtor delegate deputy designer doctor donor
    driver editor emergency_contact employee examiner father friend guarantor guardian guest handler
    holder inspector instructor insured interpreter interviewee investigator keeper landlord lawyer
    leader learner lecturer lender manager master member mentor merchant mother nurse observer
    officer operator organiser organizer owner parent parent_1 parent_2 participant partner
    passenger patient payee payer person physician pilot planner player policyholder presenter
    principal producer proprietor pupil reader recipient referee referrer registrar relative
    reporter requester resident respondent responsible reviewer rider seller sender shipper
    signatory signer skipper speaker sponsor spouse student subscriber supervisor surgeon surveyor
    teacher tenant trainee trainer translator traveller treasurer trustee tutor user vet victim
    visitor volunteer winner witness worker writer
    """.split()
)
"""Those whose name is a person's: `tenant_name`, or `tenant` itself."""
_SIGNS = frozenset(
    """
    age birth_date birthdate birthday born date_of_birth dob email e_mail gender sex nationality
    occupation job_title phone mobile salary passport_number blood_type marital_status
    """.split()
)
"""A record that has one of these is a person's, and so is its `name`."""
_EMAILS = ("email", "e_mail", "mail", "email_address", "mail_address")
_INITIALS = ("initials",)
_USERS = ("username", "user_name", "login", "login_name", "handle", "nickname")


_NAMES = len(people.GIVEN) * len(people.FAMILY)


class Names(Rule):
    """Whole names: each given name with each family name."""

    size = _NAMES

    def raw(self, bits: Any) -> Any:
        """The number of a name."""
        return bits.below(_NAMES)

    def finish(self, raw: int) -> str:
        """The name with this number."""
        given, family = divmod(raw, len(people.FAMILY))
        return f"{people.GIVEN[given]} {people.FAMILY[family]}"

    def at(self, number: int) -> str:
        """Likewise."""
        return self.finish(number)

    def narrowed(self, limits: Limits) -> Rule | None:
        """Those that are short enough."""
        kept = [name for n in range(0, _NAMES, 7) if limits.allow(name := self.finish(n))]
        return among(*kept) if kept and not limits.bounds else None


WHOLE_NAMES = Names()


def person_rule(name: str, siblings: Siblings) -> Rule | None:
    """The rule of a text that is part of somebody's names; None for any other.

    Args:
        name: of the field.
        siblings: all fields of the record.
    """
    for endings, make in ((GIVEN, _given), (FAMILY, _family), (_EMAILS, _email),
                          (_INITIALS, _initials), (_USERS, _user)):  # fmt: skip
        parts = split(name, endings)
        if parts is not None:
            of = _of(parts[0], siblings, name)
            return make(of, any(siblings[one].optional for one in of))
    return _whole(name, siblings) if is_whole_name(name, siblings) else None


def is_whole_name(name: str, siblings: Siblings) -> bool:
    """Whether a text is a person's whole name."""
    if split(name, _WHOLE) is not None:
        return True
    words = name.lower().strip("_").split("_")
    if words[-1] == "by" and len(words) == 2:
        return True  # given_by, approved_by
    role = "_".join(words[:-1]) if words[-1] in ("name", "names") else "_".join(words)
    if role in _ROLES or (role and role.split("_")[-1] in _ROLES):
        return True
    return name.lower() == "name" and not _SIGNS.isdisjoint(siblings)


def _of(front: str, siblings: Siblings, name: str) -> tuple[str, ...]:
    """The fields with the names of the same person: given and family, or the whole; or none."""
    for one in dict.fromkeys((front, "")):
        given = next(those(siblings, GIVEN, one), None)
        family = next(those(siblings, FAMILY, one), None)
        if given and family:
            return given, family
        named = beside(siblings, (*_WHOLE, "name"), one) if one else None
        for whole in (f"{one}_name" if one else "", *_whole_fields(siblings, one), named):
            if whole and whole in siblings and whole != name and is_whole_name(whole, siblings):
                return (whole,)
    return ()


def _whole_fields(siblings: Siblings, front: str) -> list[str]:
    if front:
        return [front] if front in siblings else []
    found = [one for one in siblings if is_whole_name(one, siblings)]
    return found if len(found) == 1 else [one for one in found if one.lower() == "name"]


def _parts(names: Sequence[Any]) -> tuple[str, str]:
    """Given and family name, of what the fields hold."""
    texts = [str(one) for one in names if one]
    if len(texts) == 1:
        texts = texts[0].split()
    return (texts[0], texts[-1]) if texts else ("", "")


def _given(of: tuple[str, ...], some_are_none: bool) -> Rule:
    del of, some_are_none
    return among(*people.GIVEN)


def _family(of: tuple[str, ...], some_are_none: bool) -> Rule:
    del of, some_are_none
    return among(*people.FAMILY)


def _email(of: tuple[str, ...], some_are_none: bool) -> Rule | None:
    if not of:
        return None

    whole: Any = _address if some_are_none else safe.email_of
    address = whole if len(of) == 2 else _address_of
    return Safe("e-mail address", True, email_forms, address, 90, 3, needs=of)


def _address(given: object, family: object, number: int, top: int) -> str:
    if given is None or family is None:
        given, family = _parts([given, family])
    return safe.email_of(given, family, number, top)


def _address_of(name: object, number: int, top: int) -> str:
    """An address for a whole name."""
    return safe.email_of(*_parts([name]), number, top)


def _initials(of: tuple[str, ...], some_are_none: bool) -> Rule:
    del some_are_none
    if not of:
        letters = "ABCDEFGHJKLMNOPRSTVWY"
        return Composed(lambda a, b: letters[a] + letters[b], len(letters), len(letters))
    return Composed(lambda *names: "".join(one[:1] for one in _parts(names)), needs=of)


def _user(of: tuple[str, ...], some_are_none: bool) -> Rule | None:
    del some_are_none
    if not of:
        return None
    return Composed(_user_name, 90, needs=of)


def _user_name(*inputs: Any) -> str:
    *names, number = inputs
    given, family = (safe.ascii_of(one) for one in _parts(names))
    return f"{given[:1]}{family}{number + 10}"


def _whole(name: str, siblings: Siblings) -> Rule:
    front = (split(name, (*_WHOLE, "name")) or ("", ""))[0]
    given = next(those(siblings, GIVEN, front), None)
    family = next(those(siblings, FAMILY, front), None)
    if given and family:
        return Composed(lambda first, last: f"{first} {last}", needs=(given, family))
    return WHOLE_NAMES
