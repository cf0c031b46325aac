"""Replies as a document promises them: its examples, or values drawn from its schemas, that speak
of what was asked.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from urnshelf.errors import RecordRefused, ReplyRefused
from urnshelf.kiosk.openapi.api import Api
from urnshelf.kiosk.openapi.contract import Contract
from urnshelf.kiosk.openapi.operation import Content, Reply, examples_of, of_media, own_examples
from urnshelf.kiosk.request import NoJson, Request
from urnshelf.kiosk.response import NO_BODY, Response, response
from urnshelf.near_names import nearest
from urnshelf.urn.mixing import Bits, key_of

_TEXT: dict[str, Any] = {"type": "string"}
USUAL_ITEMS = 2
"""Of a list that is a whole body, where an empty one was drawn."""


class DrawnReplies:
    """Draws the replies of a document's operations.

    Args:
        api: the document.
        seed: the shelf's.
        name: the kiosk's.
    """

    def __init__(self, api: Api, seed: int, name: str) -> None:
        self._api = api
        self._seed = seed
        self._name = name
        self.items: int | None = None
        """How many items a list has that is a whole body; None for as many as are drawn."""

    def reply(
        self,
        contract: Contract,
        request: Request,
        status: int,
        example: str | None = None,
        fields: Mapping[str, Any] | None = None,
    ) -> Response:
        """What an operation replies to a request; the same to the same request.

        Args:
            contract: of the operation.
            request: which it is a reply to.
            status: one that is promised.
            example: the name of an example.
            fields: values that go before what is drawn, by name.

        Raises:
            ReplyRefused: a status that is not promised, or what cannot be drawn.
        """
        promised = contract.operation.reply(status)
        if promised is None:
            told = ", ".join(contract.operation.replies) or "nothing"
            raise ReplyRefused(f"{contract.at}: {status} is not promised: {told} is")
        bits = self._bits(contract, request, status)
        try:
            headers = dict(self._headers(promised, bits))
            content = None if status in NO_BODY else _chosen(promised, request)
            if content is None:
                return response(status, headers=headers)
            value = self._value(content, bits, example)
            if status < 300 and example is None:
                value = self._speaking_of(contract, request, content, value)
            for name, one in (fields or {}).items():
                value = self._told(content, value, name, one)
        except RecordRefused as why:
            raise ReplyRefused(f"{self._api.name}: {why}; cue it: .gives(response(…))") from None
        return _written(status, headers, content, value)

    def _bits(self, contract: Contract, request: Request, status: int) -> Bits:
        words = (contract.operation.name, str(status), request.raw_path, request.query_text)
        sound = [word.encode(errors="backslashreplace").decode() for word in words]
        return Bits(key_of(self._seed, "kiosk", self._name, *sound), 0)

    def _value(self, content: Content, bits: Bits, example: str | None) -> Any:
        examples = dict(examples_of(content))
        if example is not None:
            if example not in examples:
                told = nearest(example, list(examples)) if examples else "there are none"
                raise ReplyRefused(
                    f"{self._api.document.at(content.part.pointer)}: no example {example!r}; {told}"
                )
            return examples[example]
        for value in examples.values():
            if content.schema is None or self._api.replying.allows(content.schema, value):
                return value
        if content.schema is None:
            return {} if content.is_json else ""
        return self._exampled(content.schema, self._of_schema(content, bits))

    def _of_schema(self, content: Content, bits: Bits) -> Any:
        path = f"{content.part.pointer}/schema"
        value = self._api.rule(content.schema, path).one(bits)
        if not isinstance(value, list) or (value and self.items is None):
            return value
        # a list that is the whole body is not empty by chance: that would decide a branch
        count = USUAL_ITEMS if self.items is None else self.items
        try:
            return self._api.of_length(content.schema, count, path).one(bits.sub(1))
        except RecordRefused:  # the document allows no list of that length
            return value

    def _exampled(self, schema: Any, value: Any) -> Any:
        """The value, with the examples that its properties have."""
        found = _exampled(schema, value, self._api, 0)
        return found if self._api.replying.allows(schema, found) else value

    def _headers(self, promised: Reply, bits: Bits) -> Iterator[tuple[str, str]]:
        for number, (name, part) in enumerate(promised.headers.items()):
            if name.lower() in ("content-type", "content-length"):
                continue
            schema = part.data.get("schema", _TEXT)
            value = part.data.get("example")
            if value is None:
                rule = self._api.rule(schema, f"{part.pointer}/schema")
                value = rule.one(bits.sub(1000 + number))
            yield name, _text(value)

    # --- speaking of what was asked ---------------------------------------------------------------

    def _speaking_of(
        self, contract: Contract, request: Request, content: Content, value: Any
    ) -> Any:
        """The value, with what the request says of it: the key in the path, the fields that were
        sent, the field that was asked for; as far as the document allows that.
        """
        told = contract.values(request)
        path = {name: one for (where, name), one in told.items() if where == "path"}
        if path and isinstance(value, dict):
            last = list(path)[-1]
            if last not in value and "id" in value and last.lower().endswith("id"):
                path["id"] = path[last]
        query = {name: one for (where, name), one in told.items() if where == "query"}
        body = {} if isinstance(request.json, NoJson) else request.json
        sent = body if isinstance(body, dict) and request.method in ("POST", "PUT", "PATCH") else {}
        for name, one in {**query, **sent, **path}.items():
            value = self._with(content, value, name, one)
        return value

    def _with(self, content: Content, value: Any, name: str, one: Any) -> Any:
        """The value with a field, where it has that field and the document allows it."""
        changed = value
        if isinstance(value, dict) and name in value:
            changed = {**value, name: one}
        elif isinstance(value, list):
            changed = [
                {**item, name: one} if isinstance(item, dict) and name in item else item
                for item in value
            ]
        is_allowed = content.schema is None or self._api.replying.allows(content.schema, changed)
        return changed if is_allowed else value

    def _told(self, content: Content, value: Any, name: str, one: Any) -> Any:
        """The value with a field that the test told: of an object, or of each in a list.

        Raises:
            ReplyRefused: the document has no such field.
        """
        reader = self._api.reader
        shape = reader.shape(content.schema)
        if isinstance(value, list):
            shape = reader.shape(shape.items)
        items = value if isinstance(value, list) else [value]
        names = sorted(shape.properties)
        if not all(isinstance(item, dict) for item in items) or (names and name not in names):
            at = self._api.document.at(content.part.pointer)
            hint = nearest(name, names) if names else "its body is no object"
            raise ReplyRefused(f"{at}: there is no field {name!r}; {hint}")
        changed = [{**item, name: one} for item in items]
        return changed if isinstance(value, list) else changed[0]


def _exampled(schema: Any, value: Any, api: Api, depth: int) -> Any:
    if not isinstance(schema, Mapping) or depth > 20:
        return value
    if "$ref" in schema:
        return _exampled(api.references.resolved(schema, "#"), value, api, depth + 1)
    for _, example in own_examples(schema) if depth else ():
        if api.replying.allows(schema, example):
            return example
    if isinstance(value, dict):
        inner = schema.get("properties", {})
        return {
            name: _exampled(inner.get(name), one, api, depth + 1) for name, one in value.items()
        }
    return value


def _chosen(promised: Reply, request: Request) -> Content | None:
    """The media type of a reply: of those that are promised the first that the client accepts."""
    if not promised.contents:
        return None
    ranked = sorted(promised.contents, key=lambda one: not one.is_json)
    accept = request.headers.get("accept", "*/*")
    liked, refused = _accepted(accept)
    ranked = [one for one in ranked if one.media not in refused]
    for media in liked:
        found = of_media(ranked, media)
        if media != "*/*" and found is not None:
            return found
        kind = media.partition("/")[0]
        for one in ranked:
            if media == "*/*" or (media.endswith("/*") and one.media.startswith(f"{kind}/")):
                return one
    raise ReplyRefused(
        f"{promised.part.document.at(promised.part.pointer)}: the request accepts {accept}, and "
        f"{', '.join(one.media for one in promised.contents)} is promised"
    )


def _accepted(accept: str) -> tuple[list[str], list[str]]:
    """The media types that a client accepts, those first that it likes best, and those that it
    refuses: RFC 9110, section 12.5.1.
    """
    found: list[tuple[float, str]] = []
    for one in accept.split(","):
        media, *parameters = (part.strip().lower() for part in one.split(";"))
        weights = [part[2:] for part in parameters if part.startswith("q=")]
        try:
            weight = float(weights[0]) if weights else 1.0
        except ValueError:
            weight = 1.0
        found.append((-weight, media))
    found.sort(key=lambda told: told[0])
    refused = [media for weight, media in found if not weight]
    return [media for weight, media in found if weight], refused


def _written(status: int, headers: Mapping[str, str], content: Content, value: Any) -> Response:
    media = content.media
    if content.is_json:
        kind = "application/json" if "*" in media else media
        return response(status, json=value, headers=headers, content_type=kind)
    if not isinstance(value, str):
        raise ReplyRefused(
            f"{content.part.document.at(content.part.pointer)}: a body of {media} is not drawn; "
            "give the document an example of it, or cue it: .gives(response(…))"
        )
    kind = media.replace("*/*", "application/octet-stream").replace("/*", "/plain")
    return response(status, body=value.encode(), headers=headers, content_type=kind)


def _text(value: Any) -> str:
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, list):
        return ",".join(map(_text, value))
    if isinstance(value, dict):
        return ",".join(f"{name},{_text(one)}" for name, one in value.items())
    return str(value)
