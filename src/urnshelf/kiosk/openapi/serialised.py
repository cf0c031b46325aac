"""Parameters of an operation, and how their values are written into a request.

Source: OpenAPI 3.1.1, section 4.8.12 (Parameter Object: style, explode).
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterable, Mapping
from typing import Any
from urllib.parse import parse_qsl

from urnshelf.kiosk.openapi.part import Part
from urnshelf.kiosk.request import Request
from urnshelf.records.matchers import ABSENT
from urnshelf.urn.schemas.checking import Checker
from urnshelf.urn.schemas.references import References

_STYLES = {
    "path": ("simple", "label", "matrix"),
    "query": ("form", "spaceDelimited", "pipeDelimited", "deepObject"),
    "header": ("simple",),
    "cookie": ("form",),
}
"""Where a parameter may be, and the styles that it may have there; the first is usual."""
_SEPARATORS = {"spaceDelimited": " ", "pipeDelimited": "|"}
_INT = re.compile(r"[-+]?[0-9]{1,400}")
_NUMBER = re.compile(r"[-+]?([0-9]+\.?[0-9]*|\.[0-9]+)([eE][-+]?[0-9]{1,3})?")


class Shape:
    """What a schema says of how its values are written: its types, its items, its properties."""

    def __init__(self, schema: Any, references: References) -> None:
        self.schema = schema
        self.types: set[str] = set()
        self.items: Any = True
        self.properties: dict[str, Any] = {}
        self._add(schema, references, 0)

    def _add(self, schema: Any, references: References, depth: int) -> None:
        if not isinstance(schema, Mapping) or depth > 20:
            return
        told = schema.get("type", [])
        self.types |= {told} if isinstance(told, str) else set(told)
        self.types |= {"null"} if schema.get("nullable") is True else set()
        values = [*schema.get("enum", ()), *([schema["const"]] if "const" in schema else [])]
        self.types |= set() if self.types else {_type_of(value) for value in values}
        self.items = schema.get("items", self.items)
        self.properties |= schema.get("properties", {})
        if "$ref" in schema:
            self._add(references.resolved(schema, "#"), references, depth + 1)
        for word in ("allOf", "anyOf", "oneOf"):
            for one in schema.get(word, ()):
                self._add(one, references, depth + 1)


def _type_of(value: Any) -> str:
    if isinstance(value, bool):
        return "boolean"
    if isinstance(value, (int, float)):
        return "integer" if isinstance(value, int) else "number"
    return "null" if value is None else "string"


class Reader:
    """Reads values as they are written into texts.

    Args:
        checker: of the document.
    """

    def __init__(self, checker: Checker) -> None:
        self.checker = checker
        self._shapes: dict[int, Shape] = {}

    def shape(self, schema: Any) -> Shape:
        """What a schema says of how its values are written."""
        if id(schema) not in self._shapes:
            self._shapes[id(schema)] = Shape(schema, self.checker.references)
        return self._shapes[id(schema)]

    def one(self, text: str, schema: Any) -> Any:
        """A single value: of those that the text may mean the first that the schema allows."""
        types = self.shape(schema).types
        meant = list(_meant(text, types))
        for value in meant:
            if self.checker.allows(schema, value):
                return value
        return meant[0]

    def many(self, texts: Iterable[str], schema: Any) -> list[Any]:
        """The items of a list."""
        items = self.shape(schema).items
        return [self.one(text, items) for text in texts]

    def named(self, pairs: Iterable[tuple[str, str]], schema: Any) -> dict[str, Any]:
        """The properties of an object; those that come again are a list."""
        properties = self.shape(schema).properties
        found: dict[str, list[str]] = {}
        for name, text in pairs:
            found.setdefault(name, []).append(text)
        return {
            name: self.either(texts, properties.get(name, True)) for name, texts in found.items()
        }

    def simple(
        self, text: str, schema: Any, separator: str = ",", is_exploded: bool = False
    ) -> Any:
        """A value that is one text: a list's items and an object's properties by a separator.

        Args:
            text: as it came.
            schema: what it is.
            separator: between items, or between names and values.
            is_exploded: whether names and values are joined by equals signs.
        """
        types = self.shape(schema).types
        parts = text.split(separator) if text else []  # an empty list is written as nothing
        if "array" in types:
            return self.many(parts, schema)
        if "object" not in types:
            return self.one(text, schema)
        if is_exploded:
            pairs = [(name, value) for name, _, value in (one.partition("=") for one in parts)]
        else:
            pairs = list(zip(parts[::2], parts[1::2], strict=False))
        return self.named(pairs, schema)

    def either(self, texts: list[str], schema: Any) -> Any:
        """A list where the schema says one, or several came; a single value otherwise."""
        if "array" in self.shape(schema).types:
            return self.many(texts, schema)
        if "object" in self.shape(schema).types and len(texts) == 1:
            return _of_json(texts[0])
        return self.one(texts[0], schema) if len(texts) == 1 else texts


def _of_json(text: str) -> Any:
    try:
        return json.loads(text)
    except (ValueError, RecursionError):
        return text


def _meant(text: str, types: set[str]) -> Iterable[Any]:
    if types & {"integer", "number"}:
        if _INT.fullmatch(text):
            yield int(text)
        elif "number" in types and _NUMBER.fullmatch(text):
            yield float(text)
    # some clients write Python's own `True`, and services take it
    if "boolean" in types and text.lower() in ("true", "false"):
        yield text.lower() == "true"
    if "null" in types and text in ("", "null"):
        yield None
    yield text


class Parameter:
    """A parameter of an operation.

    Args:
        part: of the document.
        reader: reads its values.
    """

    def __init__(self, part: Part, reader: Reader) -> None:
        self.part = part.whole()
        self.name = part.text("name")
        self.where = part.text("in")
        if self.where not in _STYLES:
            raise part.of("in").refused(f"one of {', '.join(_STYLES)} is wanted")
        self.required = part.flag("required")
        if self.where == "path" and not self.required:
            raise part.refused("a parameter of the path is required: true")
        styles = _STYLES[self.where]
        self.style = part.text("style", styles[0])
        if self.style not in styles:
            raise part.of("style").refused(f"in the {self.where} it is one of {', '.join(styles)}")
        self.explode = part.flag("explode", self.style == "form")
        content = dict(part.mapping("content"))
        if len(content) > 1:
            raise part.of("content").refused("a parameter has one content type")
        self.is_json = bool(content)
        holder = next(iter(content.values())) if content else part
        told = holder.data.get("schema") if isinstance(holder.data, dict) else None
        self.schema: Any = True if told is None else told
        self._may_be_empty = part.flag("allowEmptyValue")
        self._reader = reader

    @property
    def key(self) -> tuple[str, str]:
        """By which one of an operation goes before one of its path."""
        return self.name.lower() if self.where == "header" else self.name, self.where

    @property
    def is_ignored(self) -> bool:
        """Whether a document's word on this header means nothing."""
        return self.where == "header" and self.key[0] in ("accept", "content-type", "authorization")

    def read(self, request: Request, path: Mapping[str, str]) -> Any:
        """Its value in a request; ABSENT where it is lacking.

        Args:
            request: as it came.
            path: the texts of the path's parameters.
        """
        return _READ[self.where](self, request, path)

    def allows(self, value: Any) -> bool:
        """Whether a value keeps the schema; one that may be empty need not."""
        is_empty = self._may_be_empty and value in ("", None)
        return is_empty or self._reader.checker.allows(self.schema, value)

    def takes(self, query_name: str) -> bool:
        """Whether a name in the query belongs to this parameter."""
        if self.where != "query":
            return False
        if self.style == "deepObject":
            return query_name.startswith(f"{self.name}[")
        shape = self._reader.shape(self.schema)
        if self.style == "form" and self.explode and "object" in shape.types:
            return query_name in shape.properties or not shape.properties
        return query_name == self.name

    # --- where it is ------------------------------------------------------------------------------

    def _of_path(self, _: Request, path: Mapping[str, str]) -> Any:
        text = path[self.name]
        if self.is_json:
            return _of_json(text)
        if self.style == "label":
            return self._split(text.removeprefix("."), "." if self.explode else ",")
        if self.style == "matrix":
            return self._of_matrix(text)
        return self._split(text, ",")

    def _of_matrix(self, text: str) -> Any:
        parts = [one.partition("=") for one in text.removeprefix(";").split(";")]
        types = self._reader.shape(self.schema).types
        if "object" in types and self.explode:
            return self._reader.named([(name, value) for name, _, value in parts], self.schema)
        if "array" in types and self.explode:
            return self._reader.many([value for _, _, value in parts], self.schema)
        return self._split(parts[0][2], ",")

    def _of_header(self, request: Request, _: Mapping[str, str]) -> Any:
        if self.name not in request.headers:
            return ABSENT
        return self._whole(request.headers[self.name])

    def _of_cookie(self, request: Request, _: Mapping[str, str]) -> Any:
        if self.name not in request.cookies:
            return ABSENT
        return self._whole(request.cookies[self.name])

    def _whole(self, text: str) -> Any:
        return _of_json(text) if self.is_json else self._split(text, ",")

    def _of_query(self, request: Request, _: Mapping[str, str]) -> Any:
        pairs = parse_qsl(request.query_text, keep_blank_values=True)
        types = self._reader.shape(self.schema).types
        if self.style == "deepObject":
            start = f"{self.name}["
            inner = [
                (name[len(start) : -1], text)
                for name, text in pairs
                if name.startswith(start) and name.endswith("]")
            ]
            return self._reader.named(inner, self.schema) if inner else ABSENT
        if self.style == "form" and self.explode and "object" in types and not self.is_json:
            mine = [(name, text) for name, text in pairs if self.takes(name)]
            return self._reader.named(mine, self.schema) if mine else ABSENT
        texts = [text for name, text in pairs if name == self.name]
        if not texts:
            return ABSENT
        if self.is_json:
            return _of_json(texts[0])
        if "array" in types and (self.explode or len(texts) > 1):
            return self._reader.many(texts, self.schema)
        if len(texts) > 1:
            return texts
        return self._split(texts[0], _SEPARATORS.get(self.style, ","))

    def _split(self, text: str, separator: str) -> Any:
        is_exploded = self.explode and self.where != "query"
        return self._reader.simple(text, self.schema, separator, is_exploded)


_READ: dict[str, Callable[[Parameter, Request, Mapping[str, str]], Any]] = {
    "path": Parameter._of_path,
    "query": Parameter._of_query,
    "header": Parameter._of_header,
    "cookie": Parameter._of_cookie,
}
