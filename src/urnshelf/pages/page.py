"""A page of calls: groups of them beside the list, and one of them in full.

Everything is in the page, so that it needs no network.
"""

from __future__ import annotations

import json
from importlib.util import find_spec
from pathlib import Path
from typing import Any, NamedTuple

from urnshelf.caches import remembered
from urnshelf.errors import SettingRefused


class Group(NamedTuple):
    """What calls are grouped by: a test, or a route.

    Args:
        name: how it is called.
        sign: a letter before it, such as the outcome of a test.
        kind: what colours it: `passed`, `failed`, or a method.
        tags: by which people find it.
        notes: what is told of it, a line each.
    """

    name: str
    sign: str = ""
    kind: str = ""
    tags: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()


class Page(NamedTuple):
    """What a page shows.

    Args:
        title: of it.
        of_what: what a group is: `test`, `route`.
        of_which: what a line is: `call`, `request`.
        groups: in order.
        entries: the calls, as data: `n` its number, `g` the number of its group, `w` what was
            called, `r` how it ended, `b` who answered, `f` from where, `s` a statement, `e` whether
            it went wrong, and `d`, all of it, where that is not asked for later.
        notes: what is told of the whole, a line each.
        live: where new calls are asked for; empty where none come.
        har: where the traffic is; empty for none.
    """

    title: str
    of_what: str
    of_which: str
    groups: list[Group]
    entries: list[dict[str, Any]]
    notes: tuple[str, ...] = ()
    live: str = ""
    har: str = ""


def rendered(page: Page) -> str:
    """The page as HTML.

    Raises:
        SettingRefused: Jinja2 is not installed.
    """
    if find_spec("jinja2") is None:
        raise SettingRefused("a page needs jinja2: pip install 'urnshelf[http]'")
    tags = sorted({tag for group in page.groups for tag in group.tags})
    data = json.dumps({"entries": page.entries, "live": page.live}, ensure_ascii=False)
    text: str = _template().render(page=page, tags=tags, data=_in_a_script(data))
    return text


def _in_a_script(data: str) -> Any:
    """JSON that nothing in it can end the script of."""
    from markupsafe import Markup

    safe = data.replace("<", "\\u003c").replace("\u2028", "\\u2028").replace("\u2029", "\\u2029")
    return Markup(safe)


@remembered
def _template() -> Any:
    from jinja2 import Environment, FileSystemLoader, StrictUndefined

    loader = FileSystemLoader(Path(__file__).parent)
    environment = Environment(loader=loader, autoescape=True, undefined=StrictUndefined)
    return environment.get_template("page.html")
