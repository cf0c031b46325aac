"""Records behind routes: listed, got, created, replaced, changed and removed, as a service over a
database does it.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from hashlib import blake2b
from typing import Any
from urllib.parse import quote

from urnshelf.calls.ledger import LiveCall
from urnshelf.errors import RecordOutdated, RecordRefused, UrnShelfError
from urnshelf.kiosk.listing import listed, value_of
from urnshelf.kiosk.problems import Problem
from urnshelf.kiosk.request import NoJson, Request
from urnshelf.kiosk.response import Response, response
from urnshelf.near_names import nearest
from urnshelf.readings.statements import insertion
from urnshelf.records.codec import Unfit, from_json, record_to_json
from urnshelf.store.column import column
from urnshelf.store.conditions import AllOf
from urnshelf.store.queries import Query
from urnshelf.store.views import View

_JSON = ("application/json", "application/merge-patch+json", "")
Act = Callable[[LiveCall], Response]


class Handled:
    """Who answered a request that no cue took: one act of a collection.

    Args:
        act: answers.
        is_look_up: whether it only looks.
        what: who it is, in words.
    """

    def __init__(self, act: Act, *, is_look_up: bool, what: str = "the shelf's records") -> None:
        self._act = act
        self._what = what
        self.is_look_up = is_look_up

    def __call__(self, call: LiveCall) -> Response:
        """The reply; what the request has wrong is told in it."""
        try:
            return self._act(call)
        except Problem as wrong:
            return wrong.response

    def __repr__(self) -> str:
        return self._what


class Collection:
    """The records of one type behind one path; made by `kiosk.collection(…)`.

    Args:
        path: of all of them.
        view: the records.
    """

    def __init__(self, path: str, view: View[Any]) -> None:
        self.path = path
        self._view = view

    def acts(self) -> dict[tuple[str, str], Handled]:
        """What answers each method and path."""
        one = self.path.rstrip("/") + "".join(f"/{{{name}}}" for name in self._view.key_fields)
        return {
            ("GET", self.path): Handled(self._list, is_look_up=True),
            ("HEAD", self.path): Handled(self._list, is_look_up=True),
            ("POST", self.path): Handled(self._create, is_look_up=False),
            ("GET", one): Handled(self._get, is_look_up=True),
            ("HEAD", one): Handled(self._get, is_look_up=True),
            ("PUT", one): Handled(self._replace, is_look_up=False),
            ("PATCH", one): Handled(self._change, is_look_up=False),
            ("DELETE", one): Handled(self._remove, is_look_up=False),
        }

    # --- looking ----------------------------------------------------------------------------------

    def _list(self, call: LiveCall) -> Response:
        found = listed(_request(call), self._view)
        call.note = found.query.in_order
        links = ", ".join(f'<{url}>; rel="{name}"' for name, url in found.links.items())
        told = {"X-Total-Count": str(found.total), **({"Link": links} if links else {})}
        return response(json=[self._data(one) for one in found.records], headers=told)

    def _get(self, call: LiveCall) -> Response:
        record = self._found(call)
        tag = self._tag(record)
        wanted = _request(call).headers.get("if-none-match", "")
        if wanted == "*" or tag in _tags(wanted):
            return response(304, headers={"ETag": tag})
        return self._whole(record)

    # --- changing ---------------------------------------------------------------------------------

    def _create(self, call: LiveCall) -> Response:
        record = self._made(_sent(_request(call)), {})
        stored = self._kept(lambda: self._view.add(record))
        call.note = lambda: insertion("add", self._view, stored)
        return self._created(stored)

    def _replace(self, call: LiveCall) -> Response:
        request, known = _request(call), self._known(call)
        if request.headers.get("if-none-match", "") == "*" and known is not None:
            raise Problem(412, f"{request.path} is there already")
        self._check_match(request, known)
        keys = self._keys(call)
        record = self._made(_sent(request), keys)
        stored = self._kept(lambda: self._view.save(record))
        call.note = lambda: insertion("save", self._view, stored)
        return self._created(stored) if known is None else self._whole(stored)

    def _change(self, call: LiveCall) -> Response:
        request, record = _request(call), self._found(call)
        self._check_match(request, record)
        changed = self._made(_merged(self._data(record), _sent(request)), self._keys(call))
        stored = self._kept(lambda: self._view.save(changed))
        call.note = lambda: insertion("save", self._view, stored)
        return self._whole(stored)

    def _remove(self, call: LiveCall) -> Response:
        record = self._found(call)
        self._check_match(_request(call), record)
        key, query = self._view.key_of(record), self._query(self._keys(call))
        self._kept(lambda: self._view.remove(key))
        call.note = lambda: query.sql("DELETE")
        return response(204)

    # --- one record -------------------------------------------------------------------------------

    def _keys(self, call: LiveCall) -> dict[str, Any]:
        """The key's fields, as the path says them."""
        found: dict[str, Any] = {}
        for name, text in zip(self._view.key_fields, call.live, strict=False):
            try:
                found[name] = value_of(str(text), self._view.described.node_of(name))
            except Unfit:
                raise Problem(404, f"no {self._view.name} has {name}={text}") from None
        return found

    def _known(self, call: LiveCall) -> Any:
        keys = self._keys(call)
        call.note = self._query(keys)
        values = tuple(keys.values())
        return self._view.find(values[0] if len(values) == 1 else values)

    def _query(self, keys: dict[str, Any]) -> Query[Any]:
        return Query(self._view, AllOf([column(name) == one for name, one in keys.items()]))

    def _found(self, call: LiveCall) -> Any:
        record = self._known(call)
        if record is None:
            keys = self._keys(call)
            told = " and ".join(f"{name}={value}" for name, value in keys.items())
            raise Problem(404, f"no {self._view.name} has {told}")
        return record

    def _made(self, data: Any, keys: dict[str, Any]) -> Any:
        """The record that a body says."""
        described = self._view.described
        if not isinstance(data, dict):
            raise Problem(422, f"a {self._view.name} is a JSON object")
        wrong: dict[str, str] = {}
        values: dict[str, Any] = {}
        for name, value in data.items():
            if name not in described.fields:
                wrong[name] = (
                    f"there is no such field; {nearest(name, described.fields, 'there are')}"
                )
                continue
            try:
                values[name] = from_json(value, described.node_of(name))
            except Unfit as why:
                wrong[name] = str(why)
        for name, value in keys.items():
            if values.setdefault(name, value) != value:
                wrong[name] = f"the path says {value}"
        for name, field in described.fields.items():
            if name not in values and name not in wrong and not field.has_default:
                if name in self._view.key_fields:
                    values[name] = None  # the store gives the next one
                elif not field.is_optional:
                    wrong[name] = "the field is missing"
        if wrong:
            raise self._unfit(wrong)
        try:
            return described.build(values)
        except Exception as why:  # the type's own validation
            raise self._unfit({"": str(why)}) from None

    def _unfit(self, wrong: dict[str, str]) -> Problem:
        errors = [
            {"pointer": f"#/{name}" if name else "#", "detail": why} for name, why in wrong.items()
        ]
        return Problem(422, f"no {self._view.name} can be made of the body", errors=errors)

    def _kept(self, act: Callable[[], Any]) -> Any:
        """What a change of the records gives; what the store refuses is a conflict."""
        try:
            return act()
        except RecordOutdated as why:
            raise Problem(412, str(why)) from None
        except RecordRefused as why:
            raise Problem(409, str(why)) from None
        except UrnShelfError:
            raise
        except Exception as why:  # the exception that was told to `define`
            raise Problem(409, f"{type(why).__name__}: {why}") from None

    # --- replies ----------------------------------------------------------------------------------

    def _data(self, record: Any) -> dict[str, Any]:
        return record_to_json(record, self._view.described)

    def _whole(self, record: Any, status: int = 200, **headers: str) -> Response:
        return response(
            status, json=self._data(record), headers={"ETag": self._tag(record), **headers}
        )

    def _created(self, record: Any) -> Response:
        data = self._data(record)
        keys = (quote(str(data[name]), safe="") for name in self._view.key_fields)
        return self._whole(record, 201, Location="/".join([self.path.rstrip("/"), *keys]))

    def _tag(self, record: Any) -> str:
        text = json.dumps(self._data(record), sort_keys=True, ensure_ascii=False)
        return f'"{blake2b(text.encode(), digest_size=8).hexdigest()}"'

    def _check_match(self, request: Request, record: Any) -> None:
        """Whether the record is the one that the client has seen: RFC 9110, section 13.1.1."""
        wanted = request.headers.get("if-match", "")
        if not wanted:
            return
        if record is None or (wanted != "*" and self._tag(record) not in _tags(wanted)):
            raise Problem(412, f"{request.path} is not what If-Match says: it was changed since")


def _request(call: LiveCall) -> Request:
    request: Request = call.live[-1]
    return request


def _tags(text: str) -> list[str]:
    return [one.strip().removeprefix("W/") for one in text.split(",")]


def _sent(request: Request) -> Any:
    """The body, as JSON says it."""
    if request.content_type not in _JSON:
        raise Problem(415, f"the body is {request.content_type}; it is taken as application/json")
    if isinstance(request.json, NoJson):
        raise Problem(400, f"the body is no JSON: {request.json.why}")
    return request.json


def _merged(data: Any, patch: Any) -> Any:
    """A JSON value changed by a merge patch: RFC 7396, section 2. A field that is to be removed
    becomes null: a record has all of its fields.
    """
    if not isinstance(patch, dict):
        return patch
    found = dict(data) if isinstance(data, dict) else {}
    for name, value in patch.items():
        found[name] = _merged(found.get(name), value) if isinstance(value, dict) else value
    return found
