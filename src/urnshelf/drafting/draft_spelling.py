"""How the values of an arrangement are spelt in a drafted file."""

from __future__ import annotations

import inspect
from typing import Any

from urnshelf.drafting.over_http import Client, told_of
from urnshelf.drafting.values import ByShelf, Drawn, Faked, Raised
from urnshelf.records.spelling import Spelling

_PLACES = 6
"""A float with more decimals than that is compared nearly."""


SESSION_MAKER = "_session_to"
"""The helper of a drafted file that makes a session whose requests come to a kiosk."""


class DraftSpelling(Spelling):
    """Spells the values of arrangements, too."""

    def compared(self, value: Any) -> str:
        """A value that another is compared with: a float with many decimals nearly."""
        if type(value) is float and len(repr(value).partition(".")[2]) > _PLACES:
            return f"{self.pytest('approx')}({round(value, _PLACES)!r})"
        return self.plain(value)

    def arranged(self, value: Any) -> str:
        """A value of an arrangement."""
        if isinstance(value, Drawn):
            return f"shelf.urn.draw({', '.join([self.named(value.form), *self.told(value)])})"
        if isinstance(value, Raised):
            return f"{self.ours('raising')}({self.error(value)})"
        if isinstance(value, Faked):
            name = "" if value.name is None else f', "{value.name}"'
            return f"shelf.fake({self.named(value.form)}{name})"
        if isinstance(value, (list, tuple)) and not _is_all_plain(value):
            items = ", ".join(map(self.arranged, value))
            if isinstance(value, list):
                return f"[{items}]"
            return f"({items}{',' if len(value) == 1 else ''})"
        if isinstance(value, dict) and not _is_all_plain(value.values()):
            pairs = [f"{self.plain(k)}: {self.arranged(v)}" for k, v in value.items()]
            return f"{{{', '.join(pairs)}}}"
        return self.named(value) if inspect.isfunction(value) else self.plain(value)

    def reply(self, value: Any) -> str:
        """What a route of a kiosk replies."""
        if not isinstance(value, dict):
            return self.arranged(value)
        self.imports["urnshelf.kiosk", "response"] = None
        parts = [] if value["status"] == 200 else [str(value["status"])]
        told = told_of(value).items()
        parts += [f"{name}={self.plain(one)}" for name, one in told if name != "status"]
        return f"response({', '.join(parts)})"

    def client(self, value: Client, kiosk: str) -> str:
        """A client whose requests come to a kiosk."""
        if value.is_mounted:
            return f"{SESSION_MAKER}({kiosk})"
        self.modules["httpx"] = None
        name = f"httpx.{value.form.__name__}"
        return f'{name}(transport={kiosk}.for_httpx(), base_url="{value.base_url}")'

    def told(self, value: Drawn) -> list[str]:
        """The fields of a record that are told, as keywords."""
        plain = [(n, v) for n, v in value.told.items() if n.isidentifier()]
        return [f"{name}={self.arranged(one)}" for name, one in plain]

    def error(self, value: Raised) -> str:
        """An exception, made."""
        given = ", ".join(self.plain(one) for one in value.given)
        return f"{self.named(value.form)}({given})"


def _is_all_plain(values: Any) -> bool:
    for value in values:
        if isinstance(value, (ByShelf, Drawn, Raised)):
            return False
        if isinstance(value, (list, tuple)) and not _is_all_plain(value):
            return False
        if isinstance(value, dict) and not _is_all_plain(value.values()):
            return False
    return True
