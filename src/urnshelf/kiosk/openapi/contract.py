"""Whether a request is one that a document takes, and a reply one that it promises."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any, NamedTuple

from urnshelf.kiosk.headers import Headers
from urnshelf.kiosk.openapi.operation import Content, Operation, of_media
from urnshelf.kiosk.openapi.part import Part
from urnshelf.kiosk.path_template import PathTemplate
from urnshelf.kiosk.reasons import Condition
from urnshelf.kiosk.request import NoJson, Request
from urnshelf.kiosk.response import Response
from urnshelf.near_names import nearest
from urnshelf.records.display import show
from urnshelf.records.matchers import ABSENT
from urnshelf.urn.schemas.faults import faults

if TYPE_CHECKING:
    from urnshelf.kiosk.openapi.api import Api


class Wrong(NamedTuple):
    """One thing that a document does not allow.

    Args:
        what: which part of the request or the reply.
        text: what is wrong with it.
    """

    what: str
    text: str

    def __str__(self) -> str:
        return f"{self.what}: {self.text}"


class Contract:
    """What a document says of one operation.

    Args:
        api: the document.
        operation: of it.
        path: the operation's, as it is matched.
    """

    def __init__(self, api: Api, operation: Operation, path: PathTemplate) -> None:
        self.api = api
        self.operation = operation
        self.path = path
        self._ways = api.security(operation)

    @property
    def at(self) -> str:
        """Where it stands: file and pointer."""
        return self.api.document.at(self.operation.part.pointer)

    # --- requests ---------------------------------------------------------------------------------

    def wrong_request(self, request: Request) -> list[Wrong]:
        """What the document forbids of a request."""
        return [*self._parameters(request), *self._body(request), *self._credentials(request)]

    def conditions(self, request: Request) -> list[Condition]:
        """What the document wants of a request, a line each, whether it has that or not."""
        texts, found = self._texts(request), []
        for one in self.operation.parameters:
            value = one.read(request, texts)
            is_lacking = value is ABSENT
            fits = not one.required if is_lacking else one.allows(value)
            wanted = f"{_kind(one.schema, self.api)}{'' if one.required else ', if any'}"
            came = "nothing" if is_lacking else show(value, 80)
            found.append(Condition(f"{one.where} {one.name}", wanted, came, fits))
        wrong = [*self._body(request), *self._credentials(request)]
        found += [Condition(one.what, "as the document says", one.text, False) for one in wrong]
        return found

    def values(self, request: Request) -> dict[tuple[str, str], Any]:
        """The values of the parameters that are there, by place and name."""
        texts = self._texts(request)
        found = {}
        for one in self.operation.parameters:
            value = one.read(request, texts)
            if value is not ABSENT:
                found[one.where, one.name] = value
        return found

    def besides(self, request: Request) -> list[str]:
        """Parameters of the query of which the document says nothing."""
        keys = {
            part.text("name")
            for way in self._ways
            for _, part in way
            if part.text("type", "") == "apiKey" and part.text("in") == "query"
        }
        return [
            name
            for name in request.query
            if name not in keys and not any(one.takes(name) for one in self.operation.parameters)
        ]

    def _texts(self, request: Request) -> dict[str, str]:
        values = self.path.values(request.raw_path) or {}
        return {written: str(values.get(name, "")) for written, name in self.path.named.items()}

    def _parameters(self, request: Request) -> Iterator[Wrong]:
        texts = self._texts(request)
        for one in self.operation.parameters:
            what = f"{one.where} {one.name}"
            value = one.read(request, texts)
            if value is ABSENT:
                if one.required:
                    yield Wrong(what, f"it is lacking{self._meant(request, one.name, one.where)}")
            elif not one.allows(value):
                for fault in faults(self.api.asking, one.schema, value):
                    yield Wrong(what, str(fault))

    def _meant(self, request: Request, name: str, where: str) -> str:
        others = self.besides(request) if where == "query" else []
        return f"; {nearest(name, others, 'the request has')}" if others else ""

    def _body(self, request: Request) -> Iterator[Wrong]:
        operation = self.operation
        if not request.body:
            if operation.needs_body:
                yield Wrong("body", "it is lacking")
            return
        if not operation.has_body:
            if operation.method in ("POST", "PUT", "PATCH", "GET", "DELETE"):
                yield Wrong("body", f"none is taken, and it is {show(request.text, 60)}")
            return
        content = of_media(operation.body, request.content_type)
        if content is None:
            told = request.content_type or "not told"
            takes = ", ".join(one.media for one in operation.body) or "none"
            yield Wrong("content type", f"it is {told}, and {takes} is taken")
        elif content.schema is not None:
            yield from self._of_content(request, content)

    def _of_content(self, request: Request, content: Content) -> Iterator[Wrong]:
        media = request.content_type
        if "form" in media:
            value: Any = self._form(request, content.schema)
        elif content.is_json and not media.startswith("text/plain"):
            value = request.json
            if isinstance(value, NoJson):
                yield Wrong("body", repr(value))
                return
        elif media.startswith("text/"):
            value = request.text
        else:
            return
        for fault in faults(self.api.asking, content.schema, value):
            yield Wrong("body", str(fault))

    def _form(self, request: Request, schema: Any) -> dict[str, Any]:
        reader = self.api.reader
        pairs = [
            (name, text)
            for name, value in request.form.items()
            for text in (value if isinstance(value, list) else [value])
        ]
        found = reader.named(pairs, schema)
        properties = reader.shape(schema).properties
        for name, value in request.files.items():
            several = value if isinstance(value, list) else [value]
            texts: list[Any] = [one.body.decode("latin-1") for one in several]
            is_list = "array" in reader.shape(properties.get(name, True)).types
            found[name] = texts if is_list or len(texts) > 1 else texts[0]
        return found

    def _credentials(self, request: Request) -> Iterator[Wrong]:
        lacking = []
        for way in self._ways:
            missing = [what for name, part in way if (what := _missing(name, part, request))]
            if not missing:
                return
            lacking.append(" and ".join(missing))
        if lacking:
            yield Wrong("credentials", f"{', or '.join(dict.fromkeys(lacking))} is lacking")

    # --- replies ----------------------------------------------------------------------------------

    def wrong_reply(self, response: Response) -> list[Wrong]:
        """What a reply has that the document does not promise."""
        if response.is_undocumented:
            return []
        reply = self.operation.reply(response.status)
        if reply is None:
            told = ", ".join(self.operation.replies) or "nothing"
            return [Wrong("status", f"{response.status} is not promised: {told} is")]
        said = Request("GET", "/", response.headers, response.body)
        found = list(self._headers(reply.headers, Headers(response.headers)))
        is_bare = self.operation.method == "HEAD" or response.status in (204, 205, 304)
        if is_bare:
            return found
        if response.is_streamed:  # what is sent in parts is not looked into
            return [*found, *self._of_kind(said, reply.contents)]
        if not reply.contents:
            has_body = bool(response.body)
            text = f"none is promised, and it is {show(said.text, 60)}"
            return [*found, *([Wrong("body", text)] if has_body else [])]
        return [*found, *self._said(said, reply.contents)]

    def _of_kind(self, said: Request, promised: list[Content]) -> Iterator[Wrong]:
        if of_media(promised, said.content_type) is None:
            told = said.content_type or "not told"
            names = ", ".join(one.media for one in promised) or "none"
            yield Wrong("content type", f"it is {told}, and {names} is promised")

    def _said(self, said: Request, promised: list[Content]) -> Iterator[Wrong]:
        yield from self._of_kind(said, promised)
        content = of_media(promised, said.content_type)
        if content is None or content.schema is None:
            return
        value: Any = said.text
        if content.is_json and "json" in said.content_type:
            value = said.json
            if isinstance(value, NoJson):
                yield Wrong("body", repr(value))
                return
        elif not said.content_type.startswith("text/"):
            return
        for fault in faults(self.api.replying, content.schema, value):
            yield Wrong("body", str(fault))

    def _headers(self, promised: Mapping[str, Part], has: Headers) -> Iterator[Wrong]:
        for name, part in promised.items():
            if name.lower() == "content-type":
                continue
            if name not in has:
                if part.flag("required"):
                    yield Wrong(f"header {name}", "it is promised, and lacking")
                continue
            schema = part.data.get("schema", True)
            is_exploded = part.flag("explode")
            value = self.api.reader.simple(has[name], schema, is_exploded=is_exploded)
            for fault in faults(self.api.replying, schema, value):
                yield Wrong(f"header {name}", str(fault))


def _kind(schema: Any, api: Api) -> str:
    """A schema in a word or two."""
    shape = api.reader.shape(schema)
    kinds = " or ".join(sorted(shape.types)) or "anything"
    form = schema.get("format", "") if isinstance(schema, Mapping) else ""
    return f"{kinds}, {form}" if form else kinds


def _missing(name: str, part: Part, request: Request) -> str:
    """What is lacking of one scheme; empty where nothing is."""
    kind = part.text("type")
    if kind == "apiKey":
        where, key = part.text("in"), part.text("name")
        holder: Mapping[str, Any] = {
            "header": request.headers, "query": request.query, "cookie": request.cookies,
        }.get(where, {})  # fmt: skip
        return "" if key in holder else f"the {where} {key} ({name})"
    if kind == "mutualTLS":
        return ""
    scheme = part.text("scheme") if kind == "http" else "Bearer"
    given = request.headers.get("authorization", "")
    is_there = given.lower().startswith(f"{scheme.lower()} ")
    return "" if is_there else f"the header Authorization: {scheme} … ({name})"
