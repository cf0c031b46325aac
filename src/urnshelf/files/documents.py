"""Documents in JSON or YAML that refer to others of their folder: read into one, in which every
reference is a pointer.

Sources: JSON Pointer, RFC 6901; OpenAPI 3.1.1, section 4.6 (relative references in API
descriptions).
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import unquote

from urnshelf.errors import FileRefused
from urnshelf.files.whole import why
from urnshelf.files.yaml_text import read_yaml
from urnshelf.records.display import show
from urnshelf.urn.schemas.pointers import escaped, pointed, unescaped

OTHERS = "x-urnshelf-files"
"""Where the other files stand in the one document."""
_DATA = ("const", "enum", "default", "example", "value")
"""Words whose values are data: what looks like a reference in it is none."""
_NAMES = frozenset(
    "properties patternProperties $defs definitions dependentSchemas schemas responses parameters "
    "requestBodies headers securitySchemes links callbacks pathItems paths webhooks".split()
)
"""Words whose values are mappings of names that somebody chose."""
_OF_NAMES = ("$id", "$anchor", "$dynamicAnchor")
_LONGEST_CHAIN = 50


Stamps = dict[Path, tuple[int, int]]


def stamp(path: Path) -> tuple[int, int]:
    """When a file was changed, and its size; zeros for one that is not there."""
    try:
        told = path.stat()
        return told.st_mtime_ns, told.st_size
    except OSError:
        return 0, 0


class _Reference(NamedTuple):
    """A reference, and where it stands."""

    to: str
    written: str
    file: str
    pointer: str


class Document:
    """A document with all that it refers to.

    Args:
        root: its data, the other files' among them.
        name: of its file.
        stamps: all files that it was read from, and when each was changed, and its size.
        has_names: whether some of its schemas have identifiers or anchors.
    """

    def __init__(
        self, root: dict[str, Any], name: str, stamps: Stamps, has_names: bool = True
    ) -> None:
        self.has_names = has_names
        self.stamps = stamps
        self.root = root
        self.name = name

    @property
    def files(self) -> list[Path]:
        """All files that it was read from."""
        return list(self.stamps)

    @property
    def is_current(self) -> bool:
        """Whether the files are as they were when they were read."""
        return all(stamp(path) == told for path, told in self.stamps.items())

    def at(self, pointer: str) -> str:
        """A place in words: the file, and the pointer in it."""
        words = pointer.split("/")
        if words[:2] == ["#", OTHERS]:
            return f"{unescaped(words[2])}, {'/'.join(['#', *words[3:]])}"
        return f"{self.name}, {pointer}"

    def found(self, pointer: str) -> Any:
        """What stands at a pointer; KeyError where nothing does."""
        return pointed(self.root, unquote(pointer))


def parsed(path: Path) -> Any:
    """The data of one file, whose ending says what it is.

    Raises:
        FileRefused: it cannot be read, or is neither JSON nor YAML.
    """
    try:
        text = path.read_text("utf-8-sig")
    except (OSError, UnicodeError) as error:
        raise FileRefused(f"{path.name} cannot be read: {why(error)}") from None
    if path.suffix in (".yaml", ".yml"):
        return read_yaml(text, path.name)
    return read_json(text, path.name)


def read_json(text: str, name: str) -> Any:
    """The data of a JSON text; raises FileRefused where it is none.

    Args:
        text: the document.
        name: of the file, for messages.
    """
    try:
        return json.loads(text, object_pairs_hook=_once)
    except json.JSONDecodeError as wrong:
        at = f"{name}, line {wrong.lineno}, column {wrong.colno}"
        raise FileRefused(f"{at}: it is no JSON: {wrong.msg}") from None
    except ValueError as wrong:
        raise FileRefused(f"{name}: it is no JSON: {wrong}") from None
    except RecursionError:
        raise FileRefused(f"{name}: it is nested too deeply to be read") from None


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        names = [name for name, _ in pairs]
        raise ValueError(f"{next(n for n in names if names.count(n) > 1)!r} stands there twice")
    return found


def read_document(path: Path) -> Document:
    """A document and all files that it refers to.

    Args:
        path: of its file.

    Raises:
        FileRefused: a file that cannot be read, or a reference that leads to nothing, in a circle,
            or out of the folder; with file and pointer.
    """
    reading = _Reading(path)
    try:
        return reading.read()
    except RecursionError:
        raise FileRefused(f"{path.name}: it is nested too deeply to be read") from None


class _Reading:
    """Reads the files, one after the other."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._folder = path.parent.resolve()
        self._first = path.resolve()
        self._data: dict[Path, Any] = {}
        self._stamps: Stamps = {}
        self._references: list[_Reference] = []
        self._has_names = False

    def read(self) -> Document:
        root = self._add(self._first)
        if not isinstance(root, dict):
            raise FileRefused(f"{self._path.name}: a mapping is wanted, not {show(root, 40)}")
        # what stands beside a reference means nothing in OpenAPI 3.0
        self._alone = str(root.get("openapi", "")).startswith("3.0")
        self._rewrite(self._first)
        # those that come while others are looked through are looked through in their turn
        done = {self._first}
        while waiting := [one for one in self._data if one not in done]:
            for one in waiting:
                done.add(one)
                self._rewrite(one)
        others = {self._named(one): data for one, data in self._data.items() if one != self._first}
        if others:
            root[OTHERS] = others
        document = Document(root, self._path.name, self._stamps, self._has_names)
        for reference in self._references:
            self._check(document, reference)
        return document

    def _add(self, path: Path) -> Any:
        if path not in self._data:
            self._stamps[path] = stamp(path)  # before it is read: it may change meanwhile
            self._data[path] = parsed(path)
        return self._data[path]

    def _named(self, path: Path) -> str:
        return self._path.name if path == self._first else str(path.relative_to(self._folder))

    def _rewrite(self, path: Path) -> None:
        seen: set[int] = set()
        walk = _Walk(seen, lambda *told: self._led(path, *told), self._named(path), self._alone)
        walk.part(self._data[path], "#", "")
        self._has_names = self._has_names or walk.has_names

    def _led(self, path: Path, written: str, pointer: str) -> str:
        """The pointer that a reference is in the one document."""
        file, _, fragment = written.partition("#")
        target = path
        at = f"{self._named(path)}, {pointer}: the reference {written!r}"
        if file:
            target = self._other(path, unquote(file), at)
        if fragment and not fragment.startswith("/"):
            return f"#{fragment}"  # an anchor
        is_first = target == self._first
        prefix = "" if is_first else f"/{OTHERS}/{escaped(self._named(target))}"
        to = f"#{prefix}{fragment}"
        self._references.append(_Reference(to, written, self._named(path), pointer))
        return to

    def _other(self, path: Path, file: str, at: str) -> Path:
        if "://" in file or file.startswith("//"):
            raise FileRefused(f"{at} leads to the network: put the file beside it")
        try:
            target = (path.parent / file).resolve()
        except (OSError, ValueError) as error:  # no name of a file
            raise FileRefused(f"{at} leads to nothing: {error}") from None
        if not target.is_relative_to(self._folder):
            raise FileRefused(f"{at} leads out of the folder {self._folder.name}")
        try:
            is_there = target.is_file()
        except (OSError, ValueError):
            is_there = False
        if not is_there:
            raise FileRefused(f"{at} leads to nothing: there is no such file")
        self._add(target)
        return target

    def _check(self, document: Document, reference: _Reference) -> None:
        """Refuse a reference that leads nowhere, or only to others in a circle."""
        at = f"{reference.file}, {reference.pointer}: the reference {reference.written!r}"
        to = reference.to
        for _ in range(_LONGEST_CHAIN):
            try:
                found = document.found(to)
            except KeyError:
                raise FileRefused(f"{at} leads to nothing") from None
            if not isinstance(found, Mapping) or not isinstance(found.get("$ref"), str):
                return
            if any(name != "$ref" for name in found):
                return  # something is said besides
            to = found["$ref"]
            if not to.startswith("#/"):
                return
        raise FileRefused(f"{at} leads in a circle")


class _Walk:
    """Goes through a file, and writes its references anew."""

    def __init__(
        self, seen: set[int], led: Callable[[str, str], str], file: str, alone: bool
    ) -> None:
        self._seen = seen
        self._led = led
        self._file = file
        self._alone = alone
        self._within: set[int] = set()
        self.has_names = False
        """Whether identifiers or anchors were met."""

    def part(self, part: Any, pointer: str, word: str) -> None:
        """Go through a part of it.

        Args:
            part: data.
            pointer: where it stands.
            word: under which it stands; empty for a name that somebody chose.
        """
        if not isinstance(part, (dict, list)):
            return
        if id(part) in self._within:
            raise FileRefused(f"{self._file}, {pointer}: an alias stands within itself")
        if id(part) in self._seen:
            return  # an alias
        self._seen.add(id(part))
        self._within.add(id(part))
        if isinstance(part, list):
            for number, one in enumerate(part):
                self.part(one, f"{pointer}/{number}", "")
        else:
            self._mapping(part, pointer, word)
        self._within.discard(id(part))

    def _mapping(self, part: dict[str, Any], pointer: str, word: str) -> None:
        is_of_names = word in _NAMES
        if not is_of_names:
            self._reference(part, pointer)
            if not self.has_names:
                self.has_names = any(word in part for word in _OF_NAMES)
            told = part.get("discriminator")
            if isinstance(told, dict) and isinstance(told.get("mapping"), dict):
                self._mapped(told["mapping"], f"{pointer}/discriminator/mapping")
        for name, one in part.items():
            if is_of_names:
                self.part(one, f"{pointer}/{escaped(name)}", "")
            elif name == "examples":
                self._examples(one, f"{pointer}/examples")
            elif name not in _DATA:
                self.part(one, f"{pointer}/{escaped(name)}", name)

    def _reference(self, part: dict[str, Any], pointer: str) -> None:
        written = part.get("$ref")
        if not isinstance(written, str) or "$id" in part:
            return
        part["$ref"] = self._led(written, pointer)
        if self._alone and not _is_path_item(part):
            for name in [one for one in part if one != "$ref"]:
                del part[name]

    def _mapped(self, told: dict[str, Any], pointer: str) -> None:
        for name, target in told.items():
            if isinstance(target, str):
                is_name = not any(mark in target for mark in "/#.")
                whole = f"#/components/schemas/{escaped(target)}" if is_name else target
                told[name] = self._led(whole, f"{pointer}/{escaped(name)}")

    def _examples(self, part: Any, pointer: str) -> None:
        """Of examples by name each may be a reference; all else in them is data."""
        for name, one in part.items() if isinstance(part, dict) else ():
            if isinstance(one, dict) and "$ref" in one:
                self._reference(one, f"{pointer}/{escaped(name)}")


def _is_path_item(part: Mapping[str, Any]) -> bool:
    return any(name in part for name in METHODS)


METHODS = ("get", "put", "post", "delete", "options", "head", "patch", "trace")
"""What a path has."""
