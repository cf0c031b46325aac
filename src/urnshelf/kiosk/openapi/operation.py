"""An operation of a document: what it wants of a request, and what it promises to reply."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from urnshelf.kiosk.openapi.part import Part
from urnshelf.kiosk.openapi.serialised import Parameter, Reader

_STATUS = re.compile(r"[1-5]([0-9]{2}|XX)|default")


class Content(NamedTuple):
    """One media type of a body, and the schema of what it says.

    Args:
        media: `application/json`, or a range of them, `text/*`.
        part: of the document.
        schema: None where nothing is said of it.
    """

    media: str
    part: Part
    schema: Any

    @property
    def is_json(self) -> bool:
        """Whether it is JSON."""
        return is_json(self.media)


def is_json(media: str) -> bool:
    """Whether a media type is JSON's: `application/json`, `application/problem+json` …"""
    return media in ("application/json", "text/json") or media.endswith("+json") or media == "*/*"


def contents(part: Part) -> list[Content]:
    """The media types that a body may have."""
    found = []
    for media, one in part.mapping("content"):
        schema = one.whole().data.get("schema")
        found.append(Content(media.partition(";")[0].strip().lower(), one, schema))
    return found


def of_media(several: list[Content], media: str) -> Content | None:
    """The one that a media type falls under: the exact one before ranges."""
    kind = media.partition("/")[0]
    for wanted in (media, f"{kind}/*", "*/*"):
        for one in several:
            if one.media == wanted:
                return one
    return None


class Reply:
    """What an operation promises for a status.

    Args:
        part: of the document.
    """

    def __init__(self, part: Part) -> None:
        self.part = part.whole()
        self.contents = contents(part)
        self.headers = dict(part.mapping("headers"))


class Operation:
    """An operation.

    Args:
        method: `GET`, `POST` …
        path: as the document has it.
        part: of the document.
        shared: parameters of its path.
        reader: reads the values of parameters.
    """

    def __init__(
        self, method: str, path: str, part: Part, shared: list[Parameter], reader: Reader
    ) -> None:
        self.method = method
        self.path = path
        self.part = part.whole()
        self.name = part.text("operationId", f"{method} {path}")
        self.tags = tuple(str(one.data) for one in part.items("tags"))
        by_key = {one.key: one for one in shared}
        own: set[tuple[str, str]] = set()
        for one in part.items("parameters"):
            parameter = Parameter(one, reader)
            if parameter.key in own:
                raise one.refused(f"{parameter.name!r} stands twice in the {parameter.where}")
            own.add(parameter.key)
            by_key[parameter.key] = parameter
        self.parameters = [one for one in by_key.values() if not one.is_ignored]
        body = part.of("requestBody")
        self.body = contents(body) if body.is_there else []
        self.has_body = body.is_there
        self.needs_body = body.is_there and body.whole().flag("required")
        self.replies = {
            _status(status, one): Reply(one)
            for status, one in part.mapping("responses", needed=not self._is_newer)
        }
        self._check_path()

    @property
    def _is_newer(self) -> bool:
        """Whether an operation may promise nothing: so it is from version 3.1 on."""
        return not str(self.part.document.root.get("openapi", "")).startswith("3.0")

    def _check_path(self) -> None:
        told = {one.name for one in self.parameters if one.where == "path"}
        written = set(re.findall(r"\{([^{}]*)\}", self.path))
        for name in sorted(written - told):
            raise self.part.refused(f"the path's parameter {name!r} is not declared")
        for name in sorted(told - written):
            raise self.part.refused(f"a parameter of the path {name!r}, which the path has not")

    def reply(self, status: int) -> Reply | None:
        """What it promises for a status; None where nothing."""
        for name in (str(status), f"{status // 100}XX", "default"):
            if name in self.replies:
                return self.replies[name]
        return None

    @property
    def usual(self) -> int | None:
        """The status of a reply that nobody chose: the lowest success."""
        told = sorted(self.replies)
        for name in told:
            if name.startswith("2"):
                return int(name.replace("XX", "00"))
        if "default" in self.replies:
            return 200
        return int(told[0].replace("XX", "00")) if told else None

    def schemas(self) -> Iterator[tuple[Any, str]]:
        """Each schema, and the pointer to it."""
        for parameter in self.parameters:
            yield parameter.schema, f"{parameter.part.pointer}/schema"
        bodies = [*self.body, *(one for reply in self.replies.values() for one in reply.contents)]
        for content in bodies:
            if content.schema is not None:
                yield content.schema, f"{content.part.pointer}/schema"
        for reply in self.replies.values():
            for header in reply.headers.values():
                schema = header.whole().data.get("schema")
                if schema is not None:
                    yield schema, f"{header.pointer}/schema"


def _status(name: str, part: Part) -> str:
    status = name.upper() if name != "default" else name
    if not _STATUS.fullmatch(status):
        raise part.refused(f"{name!r} is no status: 200, 2XX or default is wanted")
    return status


def examples_of(content: Content) -> Iterator[tuple[str, Any]]:
    """The examples of a body, by name; one without a name is called `example`."""
    data = content.part.data
    if "example" in data:
        yield "example", data["example"]
    for name, part in content.part.mapping("examples"):
        if isinstance(part.data, dict) and "value" in part.data:
            yield name, part.data["value"]
    schema = Part(content.part.document, content.schema, "").led.data
    if isinstance(schema, Mapping):
        yield from own_examples(schema)


def own_examples(schema: Mapping[str, Any]) -> Iterator[tuple[str, Any]]:
    """The example that a schema has of itself."""
    if "example" in schema:
        yield "schema", schema["example"]
    several = schema.get("examples")
    if isinstance(several, list) and several:
        yield "schema", several[0]
