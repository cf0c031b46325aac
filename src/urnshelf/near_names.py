"""Names that we do not have: which of ours comes nearest, and what it does."""

from __future__ import annotations

import inspect
import re
from collections.abc import Iterable, Mapping

CUE = {
    "gives": "return returns reply replies answer answers value values then next give yields",
    "raises": "raise throw throws fail fails error exception",
    "computes": "compute callback function call calls run invoke",
    "streams": "stream items iterate iterates",
    "passes_through": "pass real original through",
    "waits": "wait delay sleep after",
    "for_calls": "times once twice limit",
    "used": "called",
}
SHELF = {
    "fake": "stub mock spy double faked",
    "furnish": "build inject create make construct service",
    "stock": "seed insert populate fixture fill put add",
    "records": "repository find table query all get record",
    "define": "declare key keys constraint",
    "explain": "describe understand",
    "savepoint": "snapshot transaction checkpoint begin",
    "roll_back_to": "restore revert undo rollback",
    "rolled_back": "reset clear clean",
    "clock": "time now today freeze tick sleep",
    "urn": "draw random factory builder",
    "unused_cues": "unused stubs",
    "close": "leave exit finish",
    "wrap": "partial over",
    "kiosk": "http remote server host url api rest request response intercept client",
    "swap": "patch replace override setattr substitute setenv",
    "urnshelf.tally": "verify verified count called tally",
    "urnshelf.ledger_of": "calls history captured capture ledger order",
    "urnshelf.unseen": "never unexpected remaining",
    "urnshelf.cue": "when given expect reply",
}
MODULE = {
    "cue": "when given expect stub arrange reply returns",
    "tally": "verify verified count called times",
    "ledger_of": "calls captured capture history ledger arguments order",
    "unseen": "never unexpected remaining more",
    "whatever": "any anything everything",
    "fitting": "match matches matching predicate argument satisfies",
    "of_type": "type instance",
    "raising": "raise throw error raises",
    "Shelf": "fake mock spy double container context",
    "Urn": "factory builder generator random draw",
    "attribute": "property field",
    "rules": "rule",
    "kiosk.response": "response respond status json",
    "kiosk.from_record": "record",
    "kiosk.pause": "pause sleep",
}
KIOSK = {
    "route": "get post put patch delete head add register when expect path url on endpoint",
    "stands_in_for": "intercept activate mount host",
    "serve": "start run listen port",
    "collection": "resource resources crud rest records",
    "app": "asgi application wsgi",
    "lets_in": "auth authorize token secure",
    "limits": "rate throttle",
    "passes_through": "proxy forward real",
}
"""Each of our names, and the words by which people look for it."""


def nearest(name: object, known: Iterable[str], there_are: str = "it has") -> str:
    """What to say where a name can be wrong: the nearest that there are, or all of them.

    >>> nearest("harbor", ["id", "harbour"]), nearest("colour", ["id", "harbour"])
    ("did you mean 'harbour'?", 'it has id, harbour')
    """
    import difflib  # only a mistake pays for it

    names = list(known)
    near = difflib.get_close_matches(str(name), names, 2, 0.65)
    if near:
        return f"did you mean {' or '.join(map(repr, near))}?"
    more = " …" if len(names) > 20 else ""
    return f"{there_are} {', '.join(names[:20]) or 'none'}{more}"


def no_such_name(
    holder: str, name: str, known: Mapping[str, object], words: Mapping[str, str]
) -> str:
    """What to say of a name that is not there.

    Args:
        holder: what was asked for it: "a cue".
        name: the name.
        known: our names, and what they stand for.
        words: the words by which people look for them.

    >>> print(no_such_name("a list", "apend", {"append": list.append}, {}))
    a list has no 'apend'; the nearest is append: Append object to the end of the list
    """
    if name in known:
        return f"{holder} has no {name!r} yet: its constructor gives it"
    near = _nearest(name, known, words)
    if near is None:
        return f"{holder} has no {name!r}; it has {', '.join(n for n in known if '.' not in n)}"
    return f"{holder} has no {name!r}; the nearest is {near}: {_purpose(known[near])}"


def _nearest(name: str, known: Mapping[str, object], words: Mapping[str, str]) -> str | None:
    import difflib  # only a mistake pays for it

    near = difflib.get_close_matches(name, known, 1, 0.75)
    if near:
        return near[0]
    parts = re.findall("[a-z]+", re.sub("([A-Z])", r"_\1", name).lower())
    for ours, looked_for in words.items():
        if ours in known and not {*parts}.isdisjoint(looked_for.split()):
            return ours
    near = difflib.get_close_matches(name, known, 1, 0.5)
    return near[0] if near else None


def _purpose(thing: object) -> str:
    """The first statement of its docstring."""
    text = " ".join((inspect.getdoc(thing) or "").partition("\n\n")[0].split())
    return re.split(r"[.;](?: |$)", text, maxsplit=1)[0]


def public(cls: type) -> dict[str, object]:
    """The public members of a class, by name."""
    names = [name for name in dir(cls) if not name.startswith("_")]
    return {name: inspect.getattr_static(cls, name) for name in names}
