"""Whether a name is that of a secret: a parameter, a field, a header, a cookie, an attribute.

A name is taken apart into words, however it is spelled: `accessToken`, `access_token`,
`ACCESS-TOKEN` and `accesstoken` are one name. Keys of records, cursors and ETags are no secrets.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import Any

from urnshelf.caches import remembered

_WORD = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|[0-9]+|[^\W\d_A-Za-z]+")
_SECRETS = frozenset(
    "authorization bearer credential credentials csc csrf csrftoken cvc cvc2 cvv cvv2 hmac jwt otp "
    "passcode passphrase passwd passwords password pwd sas secret secrets sig signature token totp "
    "xsrf".split()
)
"""A name with one of these words is a secret's."""
_SECRET_PAIRS = frozenset(
    tuple(pair.split())
    for pair in (
        "access key|account key|api key|auth code|auth key|authorization code|backup code|"
        "client assertion|code verifier|connection string|device code|encryption key|"
        "functions key|master key|mfa code|oauth verifier|private key|recovery code|saml response|"
        "secret key|security code|session key|shared key|signing key|subscription key|"
        "verification code"
    ).split("|")
)
"""A name with two of these words, one after the other, is a secret's."""
_SECRET_ENDS = (
    *(word for word in _SECRETS if len(word) > 4),
    *("".join(pair) for pair in _SECRET_PAIRS),
)
"""Of a name that is written in one word."""
_NOT_BEFORE = frozenset(
    "continuation cursor iterator next page pagination prev previous resume scroll skip start sync "
    "function gesture key method time".split()
)
"""A `page_token` is a cursor, and a `method_signature` no secret either."""
_COUNTED = frozenset("tokens signatures".split())
"""A number of them is none: `max_tokens`."""
_ABOUT = frozenset(
    "alg algorithm at audience count created date description enabled endpoint error expires "
    "expiration expired expiry field format hint id ids in index issuer kind label length limit "
    "max method min name on path policy position required scope scopes size state status strength "
    "supported time ttl type types updated uri url used valid version".split()
)
"""A name that ends so says something about a secret: `token_type`, `password_changed_at`."""
_CODES = frozenset("grant_type client_id client_secret redirect_uri code_verifier state".split())
"""Beside one of these a `code` is a secret: RFC 6749, sections 4.1.2 and 4.1.3."""

Says = Callable[[Any], bool]
"""Whether a value that stands at a name is a secret."""


def is_secret(
    name: str, value: Any, beside: Iterable[str] = (), more: frozenset[str] = frozenset()
) -> bool:
    """Whether what stands at a name is a secret.

    Args:
        name: of a parameter, a field, a header …
        value: what stands there: of some names only what looks like a secret is one.
        beside: the names that stand beside it.
        more: names that the project adds, each as `plain_name` gives it.

    >>> is_secret("X-Amz-Signature", "8c1f"), is_secret("nextPageToken", "8c1f")
    (True, False)
    """
    if value is None or isinstance(value, bool) or (isinstance(value, str) and not value):
        return False
    if more and plain_name(name) in more:
        return True
    if name.lower() == "code":
        return isinstance(value, str) and not _CODES.isdisjoint(map(str.lower, beside))
    says = _what_says(name)
    return says is not None and says(value)


@remembered
def plain_name(name: str) -> str:
    """A name without what differs between spellings.

    >>> plain_name("berthCode") == plain_name("BERTH-CODE")
    True
    """
    return "".join(_words(name))


@remembered
def _what_says(name: str) -> Says | None:
    """What a name says of the value that stands there; None where it is no secret's."""
    words = _words(name)
    while words and words[-1].isdigit():
        words.pop()
    if not words or words[-1] in _ABOUT:
        return None
    whole = "".join(words)
    if whole in _LOOKED_AT:
        return _LOOKED_AT[whole]
    if _COUNTED & {*words}:
        return _is_no_number
    for at, word in enumerate(words):
        before = words[at - 1] if at else ""
        is_one = word in _SECRETS or (word.endswith(_SECRET_ENDS) and not _is_cursor(word))
        if is_one and before not in _NOT_BEFORE:
            return _always
        if (before, word) in _SECRET_PAIRS:
            return _always
    return None


def _words(name: str) -> list[str]:
    return [word.lower() for word in _WORD.findall(name)]


def _is_cursor(word: str) -> bool:
    """Whether a word such as `nextpagetoken` is that of a cursor, in one piece."""
    return any(word.endswith((f"{one}token", f"{one}signature")) for one in _NOT_BEFORE)


def _always(_value: Any) -> bool:
    return True


def _is_no_number(value: Any) -> bool:
    return re.fullmatch(r"[0-9.,]+", str(value)) is None


def _is_text(value: Any) -> bool:
    return isinstance(value, str)


def _is_short_code(value: Any) -> bool:
    return re.fullmatch(r"[0-9]{3,12}", str(value)) is not None


def _is_of_a_session(value: Any) -> bool:
    return isinstance(value, str) and is_random(value, 16) and not _UUID.fullmatch(value)


_UUID = re.compile(r"[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}")
_LOOKED_AT: dict[str, Says] = {
    **dict.fromkeys(("auth", "xauth", "pass", "userpass", "dbpass", "smtppass"), _is_text),
    "pin": _is_short_code,
    **dict.fromkeys(("session", "sessionid", "sid"), _is_of_a_session),
    **dict.fromkeys(("jsessionid", "phpsessid", "sessid"), _is_text),
}
"""Names that are a secret's, and others', too: the value decides."""


def is_random(text: str, fewest: int) -> bool:
    """Whether a text looks as if nobody had chosen it: long, without a space, letters and digits.

    >>> is_random("8f7d6e5c4b3a29180f", 16), is_random("a-long-name-of-a-berth", 16)
    (True, False)
    """
    kinds = [any(map(kind, text)) for kind in (str.islower, str.isupper, str.isdigit)]
    return (
        len(text) >= fewest
        and re.fullmatch(r"[A-Za-z0-9_.~+/=-]+", text) is not None
        and kinds[2]
        and sum(kinds) >= 2
    )
