"""Lines of drafted tests that make something a fixture can make: a fake, a kiosk, a client, the
service.
"""

from __future__ import annotations

import re
from typing import NamedTuple

from urnshelf.drafting.draft_spelling import SESSION_MAKER


class Shared(NamedTuple):
    """What a line makes.

    Args:
        name: of the variable.
        code: behind it.
        type: as it is annotated.
        needs: other variables that the code names.
    """

    name: str
    code: str
    type: str
    needs: tuple[str, ...] = ()


_FAKE = re.compile(r"shelf\.(?:fake|furnish)\((?P<type>[\w.\[\], ]+?)(?:, \".*\")?\)$")
_SERVICE = re.compile(r"shelf\.furnish\((?P<type>[\w.]+)(?P<given>(?:, \w+=[a-z_]\w*)+)\)$")
_KIOSK = re.compile(r"shelf\.kiosk\(\".*\"\)$")
_ROUTE = re.compile(r"(?P<needs>\w+)\.route\(\"[A-Z]+\", \".*\"\)$")
_CLIENT = re.compile(r"(?P<type>httpx\.\w+)\(transport=(?P<needs>\w+)\.for_httpx\(\), .*\)$")
_SESSION = re.compile(rf"{SESSION_MAKER}\((?P<needs>\w+)\)$")


def made_by(line: str) -> Shared | None:
    """What a line makes; None where no fixture can make it.

    >>> made_by("desk = shelf.furnish(MooringDesk, client=client)").needs
    ('client',)
    >>> made_by("desk = shelf.furnish(MooringDesk, home='Ternhythe')") is None
    True
    """
    name, sign, code = line.partition(" = ")
    if not sign or not name.isidentifier():
        return None
    if _KIOSK.match(code):
        return Shared(name, code, "Kiosk")
    if found := _FAKE.match(code):
        return Shared(name, code, found["type"])
    if found := _SERVICE.match(code):
        given = re.findall(r"=(\w+)", found["given"])
        return Shared(name, code, found["type"], tuple(given))
    if found := _ROUTE.match(code):
        return Shared(name, code, "Route", (found["needs"],))
    if found := _CLIENT.match(code):
        return Shared(name, code, found["type"], (found["needs"],))
    if found := _SESSION.match(code):
        return Shared(name, code, "requests.Session", (found["needs"],))
    return None
