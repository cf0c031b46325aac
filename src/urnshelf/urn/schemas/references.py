"""References within a JSON Schema: pointers, anchors and identifiers, and the schemas they lead to.

Sources: JSON Schema Core 2020-12, sections 8.2 and 9; JSON Pointer: RFC 6901.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any
from urllib.parse import unquote, urldefrag, urljoin

from urnshelf.errors import RecordRefused
from urnshelf.urn.schemas.pointers import pointed

Schema = Mapping[str, Any] | bool
_DATA = ("const", "enum", "default", "examples", "example")
"""Keywords whose values are data, and no schemas."""


class References:
    """The schemas of a document by where references find them.

    Args:
        root: the document.
        has_names: whether some of its schemas have identifiers or anchors.
    """

    def __init__(self, root: Mapping[str, Any], has_names: bool = True) -> None:
        self._root = root
        self._bases: dict[int, str] = {}
        self._named: dict[str, Any] = {"": root}
        self._found: dict[str, Any] | None = None if has_names else {}
        """What references lead to, where only pointers do."""
        if has_names:
            self._note(root, "")

    def _note(self, part: object, base: str) -> None:
        """Note the identifiers and anchors of a part of the document, and of what is in it."""
        if isinstance(part, Mapping):
            own = part.get("$id")
            if isinstance(own, str):
                base = urldefrag(urljoin(base, own)).url
                self._named[base] = part
            self._bases[id(part)] = base
            for word in ("$anchor", "$dynamicAnchor"):
                if isinstance(part.get(word), str):
                    self._named[f"{base}#{part[word]}"] = part
        for inner in _parts(part):
            self._note(inner, base)

    def base_of(self, schema: Mapping[str, Any]) -> str:
        """The identifier that references inside a schema start from."""
        return self._bases.get(id(schema), "")

    def says(self, schema: Any, flag: str) -> bool:
        """Whether a schema, or one that it refers to, says so of itself."""
        if not isinstance(schema, Mapping):
            return False
        if schema.get(flag) is True:
            return True
        for part in schema.get("allOf", ()) if isinstance(schema.get("allOf"), list) else ():
            if isinstance(part, Mapping) and part.get(flag) is True:
                return True
        return "$ref" in schema and self.says(self.resolved(schema, "#"), flag)

    def resolved(self, schema: Mapping[str, Any], path: str) -> Any:
        """The schema that a schema's `$ref` leads to.

        Args:
            schema: it has a `$ref`.
            path: of the schema, for messages.

        Raises:
            RecordRefused: it leads outside, or nowhere.
        """
        reference = str(schema["$ref"])
        if self._found is None:
            return self._resolved(schema, reference, path)
        if reference not in self._found:
            self._found[reference] = self._resolved(schema, reference, path)
        return self._found[reference]

    def _resolved(self, schema: Mapping[str, Any], reference: str, path: str) -> Any:
        where = f"cannot draw {path}: the reference {reference!r}"
        whole = urljoin(self.base_of(schema), reference)
        document, fragment = urldefrag(whole)
        if whole in self._named:
            return self._named[whole]
        if document not in self._named:
            if not document:
                found: Any = self._root
            else:
                raise RecordRefused(f"{where} leads outside; put the schema under $defs")
        else:
            found = self._named[document]
        pointer = unquote(fragment)
        if pointer and not pointer.startswith("/"):
            raise RecordRefused(f"{where} leads nowhere")
        try:
            return pointed(found, pointer)
        except KeyError:
            raise RecordRefused(f"{where} leads nowhere") from None


def _parts(part: object) -> Iterator[Any]:
    if isinstance(part, Mapping):
        yield from (value for name, value in part.items() if name not in _DATA)
    elif isinstance(part, (list, tuple)):
        yield from part
