"""What a request for many records asks: filters, an order, a page."""

from __future__ import annotations

import base64
import json
from collections.abc import Mapping
from typing import Any, NamedTuple
from urllib.parse import urlencode

from urnshelf.kiosk.problems import Problem
from urnshelf.kiosk.request import Request
from urnshelf.near_names import nearest
from urnshelf.records.cells import from_cell, is_text
from urnshelf.records.codec import Unfit, from_json
from urnshelf.store.column import column
from urnshelf.store.conditions import Condition
from urnshelf.store.queries import Query
from urnshelf.store.views import View
from urnshelf.types.nodes import Node

_SIGNS: dict[str, Any] = {
    "": lambda field, value: field == value,
    "ne": lambda field, value: field != value,
    "gt": lambda field, value: field > value,
    "gte": lambda field, value: field >= value,
    "lt": lambda field, value: field < value,
    "lte": lambda field, value: field <= value,
    "contains": lambda field, value: field.contains(value),
}
"""What may stand behind a field's name and two underscores."""
_PAGING = ("page", "size", "offset", "limit", "cursor", "sort")
USUAL_SIZE = 20
MOST = 1000


class Listing(NamedTuple):
    """Some of the records, and where the others are.

    Attributes:
        records: those of the page.
        query: what was asked of the store.
        total: how many there are on all pages.
        links: the other pages, by their relation: RFC 8288.
    """

    records: list[Any]
    query: Query[Any]
    total: int
    links: dict[str, str]


def value_of(text: str, node: Node) -> Any:
    """What a text in an address says for a field of this type; raises Unfit where it says
    nothing.
    """
    try:
        data = text if is_text(node) else from_cell(text, node)
    except json.JSONDecodeError:
        raise Unfit(f"{text!r} is no value of it") from None
    return from_json(data, node)


def listed(request: Request, view: View[Any]) -> Listing:
    """The records that a request asks for.

    Raises:
        Problem: a parameter that is no field, or a value that does not fit.
    """
    query = view.where(*_conditions(request, view))
    total = query.count()
    order = _order(request, view)
    if "cursor" in request.query:
        return _after(request, view, query, total, order)
    size, skipped, links = _page(request, total)
    page = (query.order_by(*order) if order else query).limit(size).offset(skipped)
    return Listing(page.all(), page, total, links)


def _conditions(request: Request, view: View[Any]) -> list[Condition]:
    found: list[Condition] = []
    for name, given in request.query.items():
        if name in _PAGING:
            continue
        field, _, sign = name.partition("__")
        if field not in view.fields or sign not in _SIGNS:
            near = nearest(field, view.fields, "there are")
            raise Problem(400, f"the query asks for {name!r}, which is no field; {near}")
        node = view.described.node_of(field)
        try:
            values = [value_of(text, node) for text in _several(given)]
        except Unfit as why:
            raise Problem(400, f"{name}={given}: {why}") from None
        if sign == "" and len(values) > 1:
            found.append(column(field).one_of(values))
        else:
            found += [_SIGNS[sign](column(field), value) for value in values]
    return found


def _several(given: Any) -> list[str]:
    return given if isinstance(given, list) else [given]


def _order(request: Request, view: View[Any]) -> list[str]:
    """`sort=harbour,-depth_m`: the greatest depth first."""
    order: list[str] = []
    for text in _several(request.query.get("sort", [])):
        for one in filter(None, text.split(",")):
            field = one.removeprefix("-")
            if field not in view.fields:
                near = nearest(field, view.fields, "there are")
                raise Problem(400, f"sort={text}: {field!r} is no field; {near}")
            order.append(f"{field} desc" if one.startswith("-") else field)
    return order


def _number(query: Mapping[str, Any], name: str, usual: int, least: int) -> int:
    text = query.get(name, str(usual))
    if not isinstance(text, str) or not text.isascii() or not text.isdigit() or int(text) < least:
        raise Problem(400, f"{name}={text}: a whole number from {least} is needed")
    return int(text)


def _page(request: Request, total: int) -> tuple[int, int, dict[str, str]]:
    """How many records, how many before them, and the other pages."""
    query = request.query
    if "page" in query or "size" in query:
        size = min(_number(query, "size", USUAL_SIZE, 1), MOST)
        number, last = _number(query, "page", 1, 1), max(1, -(-total // size))
        pages = {"first": 1, "prev": number - 1, "next": number + 1, "last": last}
        shown = {name: page for name, page in pages.items() if 1 <= page <= last}
        links = {name: _address(request, page=page, size=size) for name, page in shown.items()}
        return size, (number - 1) * size, links
    size = min(_number(query, "limit", MOST, 1), MOST)
    skipped = _number(query, "offset", 0, 0)
    links = {}
    if skipped:
        links["prev"] = _address(request, offset=max(0, skipped - size), limit=size)
    if skipped + size < total:
        links["next"] = _address(request, offset=skipped + size, limit=size)
    return size, skipped, links


def _after(
    request: Request, view: View[Any], query: Query[Any], total: int, order: list[str]
) -> Listing:
    """The records behind a cursor: it names the last that was seen, so that what is added or
    removed meanwhile moves none.
    """
    key = view.key
    if order or key is None:
        raise Problem(400, "cursor: records are in order of their key, and have a key of one field")
    size = min(_number(request.query, "limit", USUAL_SIZE, 1), MOST)
    seen = _opened(request.query["cursor"])
    if seen is not None:
        query = view.where(*_conditions(request, view), column(key) > seen)
    page = query.limit(size)
    records = page.all()
    links = {}
    if len(records) == size and query.count() > size:
        token = json.dumps(view.key_of(records[-1]), default=str).encode()
        cursor = base64.urlsafe_b64encode(token).decode().rstrip("=")
        links["next"] = _address(request, cursor=cursor, limit=size)
    return Listing(records, page, total, links)


def _opened(cursor: Any) -> Any:
    if cursor == "":
        return None
    try:
        return json.loads(base64.urlsafe_b64decode(cursor + "=" * (-len(cursor) % 4)))
    except (ValueError, TypeError):
        raise Problem(400, f"cursor={cursor}: it was not given by this service") from None


def _address(request: Request, **changed: object) -> str:
    query = {**request.query, **changed}
    return f"{request.raw_path}?{urlencode(query, doseq=True)}"
