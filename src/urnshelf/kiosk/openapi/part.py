"""A part of a document, with its place: what is wrong there is told with file and pointer."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from urnshelf.errors import FileRefused
from urnshelf.files.documents import Document
from urnshelf.records.display import show
from urnshelf.urn.schemas.pointers import escaped

_LONGEST_CHAIN = 50


class Part(NamedTuple):
    """What stands at a place of a document; `data` is None where nothing does.

    Args:
        document: the whole.
        data: what stands there.
        pointer: where.
    """

    document: Document
    data: Any
    pointer: str

    def refused(self, text: str) -> FileRefused:
        """The error that tells what is wrong here."""
        return FileRefused(f"{self.document.at(self.pointer)}: {text}")

    def of(self, name: str) -> Part:
        """What stands under a name, wherever a reference leads to."""
        data = self.data.get(name) if isinstance(self.data, dict) else None
        return Part(self.document, data, f"{self.pointer}/{escaped(name)}").led

    @property
    def led(self) -> Part:
        """The part itself, or what its reference leads to."""
        found = self
        for _ in range(_LONGEST_CHAIN):
            if not isinstance(found.data, dict) or not isinstance(found.data.get("$ref"), str):
                return found
            pointer = found.data["$ref"]
            try:
                found = Part(self.document, self.document.found(pointer), pointer)
            except KeyError:
                raise self.refused(f"the reference {pointer!r} leads to nothing") from None
        raise self.refused("its reference leads in a circle")

    @property
    def is_there(self) -> bool:
        """Whether something stands there."""
        return self.data is not None

    def mapping(self, name: str, *, needed: bool = False) -> Iterator[tuple[str, Part]]:
        """The names and parts of a mapping under a name; none where it is not there."""
        part = self.of(name)
        if part.data is None and not needed:
            return
        if not isinstance(part.data, dict):
            raise part.refused(f"a mapping is wanted, not {show(part.data, 40)}")
        for inner, data in part.data.items():
            if not inner.startswith("x-"):
                yield inner, Part(self.document, data, f"{part.pointer}/{escaped(inner)}").led

    def items(self, name: str) -> Iterator[Part]:
        """The parts of a list under a name; none where it is not there."""
        part = self.of(name)
        if part.data is None:
            return
        if not isinstance(part.data, list):
            raise part.refused(f"a list is wanted, not {show(part.data, 40)}")
        for number, data in enumerate(part.data):
            yield Part(self.document, data, f"{part.pointer}/{number}").led

    def text(self, name: str, default: str | None = None) -> str:
        """A text under a name; refused where it must be there."""
        part = self.of(name)
        value = default if part.data is None else part.data
        if not isinstance(value, str):
            raise part.refused(f"a text is wanted, not {show(value, 40)}")
        return value

    def flag(self, name: str, default: bool = False) -> bool:
        """Whether something is said under a name."""
        part = self.of(name)
        value = default if part.data is None else part.data
        if not isinstance(value, bool):
            raise part.refused(f"true or false is wanted, not {show(value, 40)}")
        return value

    def whole(self) -> Part:
        """The same, where it is a mapping."""
        if not isinstance(self.data, dict):
            raise self.refused(f"a mapping is wanted, not {show(self.data, 40)}")
        return self
