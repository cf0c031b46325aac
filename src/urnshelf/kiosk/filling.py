"""Replies that take fields of the record which a request is about."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, TypeVar

from urnshelf.calls.ledger import LiveCall
from urnshelf.errors import ReplyRefused, SettingRefused
from urnshelf.kiosk.problems import Problem
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Later, Response, plain, response
from urnshelf.records.description import snake_case
from urnshelf.records.display import show
from urnshelf.store.column import column
from urnshelf.store.conditions import AllOf
from urnshelf.store.queries import Query

if TYPE_CHECKING:
    from urnshelf.calls.replies import Reply
    from urnshelf.store.stored import Store
    from urnshelf.store.views import View


R = TypeVar("R")


class FromRecord(Later):
    """Stands for fields of the record that a request is about; made by `from_record(…)`."""

    def __init__(self, record_type: type, fields: tuple[str, ...]) -> None:
        self.record_type = record_type
        self.fields = fields

    def __repr__(self) -> str:
        names = "".join(f", {name!r}" for name in self.fields)
        return f"from_record({self.record_type.__name__}{names})"


class FromTemplate(Later):
    """Stands for a text that is filled for each request; made by `from_template(…)`."""

    def __init__(self, text: str, records: Mapping[str, type]) -> None:
        self.text = text
        self.records = dict(records)

    def __repr__(self) -> str:
        return f"from_template({self.text!r})"


def from_record(record_type: type, *fields: str) -> Any:
    """What a reply takes from the record that the request is about: the value of one field, an
    object of several, or the whole record.

    Which record that is, the parameters say: those of the path that are fields of it, or
    `{vessel_id}` for the key of a Vessel; else those of the query. Where there is none, the reply
    is a 404.

    Args:
        record_type: of the record, which is on the shelf.
        fields: their names; none for all.

    >>> kiosk = shelf.kiosk("port")
    >>> code = kiosk.route("GET", "/berths/{id}/code")
    >>> _ = cue(code).gives(response(json={"code": from_record(Berth, "code")}))
    >>> berth = shelf.stock(Berth, 3)[1]
    >>> import httpx
    >>> got = httpx.Client(transport=kiosk.for_httpx()).get("http://port.example/berths/2/code")
    >>> got.json() == {"code": berth.code}
    True
    """
    return FromRecord(record_type, fields)


def from_template(text: str, **records: type) -> Any:
    """A text that is filled for each request, by Jinja2 in its sandbox: it knows the path's
    parameters, `query`, `json`, `request`, and the records that the request is about.

    Args:
        text: the template.
        records: names for records, and their types; which one, is found as by `from_record`.

    Raises:
        SettingRefused: Jinja2 is not installed.
        ReplyRefused: it is no template.

    >>> kiosk = shelf.kiosk("port")
    >>> told = from_template("{{ berth.code }}: {{ query.unit }}", berth=Berth)
    >>> _ = cue(kiosk.route("GET", "/berths/{id}")).gives(response(text=told))
    >>> _ = shelf.stock(Berth, code="B-7")
    >>> import httpx
    >>> httpx.Client(transport=kiosk.for_httpx()).get("http://port.example/berths/1?unit=m").text
    'B-7: m'
    """
    from importlib.util import find_spec

    if find_spec("jinja2") is None:
        raise SettingRefused("from_template() needs jinja2: pip install 'urnshelf[http]'")
    from jinja2 import TemplateSyntaxError
    from jinja2.sandbox import SandboxedEnvironment

    try:
        SandboxedEnvironment().parse(text)
    except TemplateSyntaxError as wrong:
        told = f"line {wrong.lineno}: {wrong.message}"
        raise ReplyRefused(f"from_template({show(text, 60)}): {told}") from None
    return FromTemplate(text, records)


class Unfilled(Response):
    """A reply in which something is taken from records when it is given.

    Args:
        given: what `response(…)` was given.
    """

    __slots__ = ("_given",)

    def __init__(self, given: Mapping[str, Any]) -> None:
        super().__init__(given["status"])
        self._given = given

    def filled(self, call: LiveCall, store: Store) -> Response:
        """The reply to one request."""
        values = _Values(call, store)
        given = dict(self._given)
        try:
            if "json" in given:
                given["json"] = values.fill(given["json"])
            if "text" in given:
                given["text"] = values.fill(given["text"])
        except Problem as wrong:
            return wrong.response
        return response(given.pop("status"), **given)

    def __eq__(self, other: object) -> bool:
        return self is other

    __hash__ = object.__hash__

    def __repr__(self) -> str:
        told = {name: self._given[name] for name in ("json", "text") if name in self._given}
        return f"response({self.status}, {', '.join(f'{k}={v!r}' for k, v in told.items())})"


def unfilled(status: int, json: Any, text: Any, more: Mapping[str, Any]) -> Unfilled:
    """A reply that is filled when it is given.

    Args:
        status: its status.
        json: what its body says, where it is not `...`.
        text: likewise, where it is not None.
        more: what else `response(…)` was given.
    """
    body = {} if json is ... else {"json": json}
    body |= {} if text is None else {"text": text}
    if len(body) > 1:
        raise ReplyRefused(f"response({status}): json and text are each a whole body")
    return Unfilled({"status": status, **body, **more})


class Filling:
    """A reply of a cue, some of whose values are filled for each request.

    Args:
        reply: gives them.
        store: the shelf's records.
    """

    def __init__(self, reply: Reply, store: Store) -> None:
        self._reply = reply
        self.items: Any = getattr(reply, "items", ())
        self._store = store
        passes = getattr(reply, "passes", None)
        if passes is not None:
            self.passes = passes

    def give(self, call: LiveCall, turn: int) -> Any:
        """The reply to one request."""
        given = self._reply.give(call, turn)
        if not isinstance(given, Unfilled):
            return given
        return checked(call, given.filled(call, self._store))

    def __repr__(self) -> str:
        return repr(self._reply)


class Computing:
    """A reply of a cue that a function makes, at a route of which a document promises something.

    Args:
        reply: makes it.
    """

    def __init__(self, reply: Reply) -> None:
        self._reply = reply

    def give(self, call: LiveCall, turn: int) -> Any:
        """The reply to one request."""
        return checked(call, self._reply.give(call, turn))

    def __repr__(self) -> str:
        return repr(self._reply)


def checked(call: LiveCall, reply: R) -> R:
    """A reply that keeps what a document promises.

    Raises:
        ReplyRefused: it does not.
    """
    promised = getattr(call.target, "promised", None)
    wrong = promised.lacks(reply) if promised is not None and isinstance(reply, Response) else ()
    if wrong:
        raise ReplyRefused(f"{call.target.name}: {reply!r}: {not_promised(promised, wrong)}")
    return reply


def not_promised(promised: Any, wrong: Sequence[Any]) -> str:
    """What to say of a reply that a document does not promise.

    Args:
        promised: what the document says.
        wrong: what is wrong.
    """
    lines = [f"the document {promised.name} does not promise it", f"  told at  {promised.at}"]
    lines += [f"  {one}" for one in wrong]
    advice = "Where the service does so all the same: .gives(undocumented(response(…)))"
    return "\n".join([*lines, advice])


class FromDocument(Unfilled):
    """A reply as the document promises it; made by `from_document(…)`.

    Args:
        status: 0 for the usual one.
        example: the name of an example; None for what is drawn.
        fields: values that go before what is drawn.
    """

    __slots__ = ("_example", "_fields")

    def __init__(self, status: int, example: str | None, fields: dict[str, Any]) -> None:
        super().__init__({"status": status})
        self._example = example
        self._fields = fields

    def filled(self, call: LiveCall, store: Store) -> Response:  # noqa: ARG002
        """The reply to one request."""
        promised: Any = getattr(call.target, "promised", None)
        if promised is None:
            raise ReplyRefused(f"{self!r}: no document says anything of {call.target.name}")
        reply: Response = promised.reply(call, self.status, self._example, self._fields)
        return reply

    def __repr__(self) -> str:
        told = [str(self.status)] if self.status else []
        told += [f"example={self._example!r}"] if self._example else []
        told += [f"{name}={show(value, 40)}" for name, value in self._fields.items()]
        return f"from_document({', '.join(told)})"


def from_document(status: int = 0, *, example: str | None = None, **fields: Any) -> Response:
    """A reply as the kiosk's OpenAPI document promises it: an example of it, or drawn from its
    schema.

    Args:
        status: one that the document promises; by default its success.
        example: the name of one of the document's examples.
        fields: values that go before what is drawn, by the names of the body's fields.

    >>> import json
    >>> from pathlib import Path
    >>> from tempfile import mkdtemp
    >>> path = Path(mkdtemp()) / "tides.json"
    >>> _ = path.write_text(json.dumps({"openapi": "3.1.0", "paths": {"/depth": {"get": {
    ...     "responses": {"200": {"description": "", "content": {"application/json": {"schema": {
    ...         "type": "object", "properties": {"depth_m": {"type": "number"}},
    ...         "required": ["depth_m"]}}}}}}}}}))
    >>> kiosk = shelf.kiosk("tides", openapi=path)
    >>> _ = cue(kiosk.route("GET", "/depth")).gives(from_document(200, depth_m=6.3))
    >>> import httpx
    >>> httpx.Client(transport=kiosk.for_httpx()).get("http://tides.example/depth").json()
    {'depth_m': 6.3}
    """
    return FromDocument(status, example, fields)


class _Values:
    """What can be taken for one request."""

    def __init__(self, call: LiveCall, store: Store) -> None:
        self._store = store
        self._request: Request = call.live[-1]
        self._path = dict(zip(call.target.parameters, call.live[:-1], strict=False))

    def fill(self, value: Any) -> Any:
        if isinstance(value, FromRecord):
            return self._of_record(value)
        if isinstance(value, FromTemplate):
            return self._of_template(value)
        if isinstance(value, Mapping):
            return {name: self.fill(one) for name, one in value.items()}
        if isinstance(value, (list, tuple)):
            return [self.fill(one) for one in value]
        return value

    def _of_record(self, wanted: FromRecord) -> Any:
        data = plain(self._record(wanted.record_type))
        for name in wanted.fields:
            if name not in data:
                raise ReplyRefused(f"{wanted!r}: {wanted.record_type.__name__} has no such field")
        if not wanted.fields:
            return data
        several = {name: data[name] for name in wanted.fields}
        return several if len(several) > 1 else several[wanted.fields[0]]

    def _of_template(self, wanted: FromTemplate) -> str:
        from jinja2 import StrictUndefined
        from jinja2.sandbox import SandboxedEnvironment

        known = {name: self._record(record_type) for name, record_type in wanted.records.items()}
        request = self._request
        told = {"request": request, "query": request.query, "json": request.json}
        environment = SandboxedEnvironment(undefined=StrictUndefined)
        return environment.from_string(wanted.text).render({**told, **self._path, **known})

    def _record(self, record_type: type) -> Any:
        """The record that the request is about."""
        from urnshelf.kiosk.listing import value_of
        from urnshelf.records.codec import Unfit

        view: View[Any] = self._store.view(record_type)
        of_key = {f"{snake_case(view.name)}_{name}": name for name in view.key_fields}
        conditions = []
        for given in (self._path, self._request.query):
            for name, text in given.items():
                field = of_key.get(name) or of_key.get(snake_case(name), name)
                if field not in view.fields:
                    continue
                try:
                    is_text = isinstance(text, str)
                    value = value_of(text, view.described.node_of(field)) if is_text else text
                except Unfit:
                    raise Problem(404, f"no {view.name} has {field}={text}") from None
                conditions.append(column(field) == value)
            if conditions:
                break
        if not conditions:
            raise ReplyRefused(
                f"{self._request.line}: nothing in it says which {view.name} it is about"
            )
        found = Query(view, AllOf(conditions)).first()
        if found is None:
            raise Problem(404, f"no {view.name} has {AllOf(conditions)}")
        return found
