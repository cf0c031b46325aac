"""Replies of a document's operations from the shelf's records, where a schema is a record's."""

from __future__ import annotations

from typing import Any, NamedTuple
from urllib.parse import unquote

from urnshelf.errors import ReplyRefused
from urnshelf.kiosk.collection import Collection, Handled
from urnshelf.kiosk.openapi.contract import Contract
from urnshelf.kiosk.openapi.operation import Content
from urnshelf.records.description import snake_case
from urnshelf.store.stored import Store
from urnshelf.store.views import View

_SCHEMAS = "#/components/schemas/"


class Shown(NamedTuple):
    """How a body shows records.

    Args:
        schema: the name of the schema that a record has.
        many: whether a list of them.
        within: the property that holds the list; empty where the body is the list.
    """

    schema: str
    many: bool
    within: str = ""


def shown(contract: Contract, status: int | None) -> Shown | None:
    """How the reply of a status shows records; None where it shows none."""
    reply = contract.operation.reply(status) if status is not None else None
    content = next((one for one in reply.contents if one.is_json), None) if reply else None
    return None if content is None else _shown(content, contract)


def _shown(content: Content, contract: Contract) -> Shown | None:
    schema = content.schema
    name = _named(schema)
    found = contract.api.references.resolved(schema, "#") if name else schema
    if not isinstance(found, dict):
        return None
    of_items = _named(found.get("items"))
    if of_items:
        return Shown(of_items, many=True)
    lists = {
        prop: _named(one.get("items"))
        for prop, one in found.get("properties", {}).items()
        if isinstance(one, dict) and _named(one.get("items"))
    }
    # a page of them: one list, and beside it only numbers and the like
    if len(lists) == 1:
        within, inner = next(iter(lists.items()))
        others = [one for prop, one in found["properties"].items() if prop != within]
        if all(isinstance(one, dict) and one.get("type") != "object" for one in others) and all(
            "$ref" not in one for one in others
        ):
            return Shown(inner, many=True, within=within)
    return Shown(name, many=False) if name else None


def _named(schema: Any) -> str:
    reference = schema.get("$ref") if isinstance(schema, dict) else None
    if not isinstance(reference, str) or not reference.startswith(_SCHEMAS):
        return ""
    name = unquote(reference.removeprefix(_SCHEMAS))
    return "" if "/" in name else name


class OfRecords:
    """Finds the records that a document's operations are about.

    Args:
        store: the shelf's.
    """

    def __init__(self, store: Store) -> None:
        self._store = store
        self._types: dict[str, type] = {}
        """Once there were records of a type, what is asked of it is asked of them."""
        self._resources: dict[str, str] = {}

    def add(self, contract: Contract) -> None:
        """Note which schema the things under a path have: what replies without a body is about
        them, too.
        """
        operation = contract.operation
        if operation.method in ("GET", "PUT", "PATCH"):
            found = shown(contract, operation.usual)
            if found is not None and not found.many:
                self._resources.setdefault(operation.path, found.schema)

    def handler(self, contract: Contract) -> tuple[Handled, Shown | None] | None:
        """What answers an operation from records; None where it is about none that there are.

        Raises:
            ReplyRefused: it is about records, and what it does with them is not told.
        """
        operation = contract.operation
        how = shown(contract, operation.usual)
        sent = next((_named(one.schema) for one in operation.body if one.is_json), "")
        name = how.schema if how is not None else self._resources.get(operation.path, "")
        record_type = self._type(name) if name else None
        sent_type = self._type(sent) if sent else None
        if record_type is None and sent_type is None:
            return None
        act = record_type and self._act(contract, self._store.view(record_type), how)
        if not act:
            told = (record_type or sent_type or object).__name__
            raise ReplyRefused(
                f"there are records of {told} on the shelf, and what {operation.method} "
                f"{operation.path} does with them is not told"
            )
        return act, how

    def _type(self, name: str) -> type | None:
        if name not in self._types:
            found = [
                view.record_type
                for view in self._store.views()
                if _plain(view.name) == _plain(name)
                and (view.stored.by_key or view.record_type in self._store.told)
            ]
            if len(found) != 1:
                return None
            self._types[name] = found[0]
        return self._types[name]

    def _act(self, contract: Contract, view: View[Any], how: Shown | None) -> Handled | None:
        operation, parameters = contract.operation, list(contract.path.kinds)
        keys = view.key_fields
        if not keys:
            return None
        is_one = len(parameters) == len(keys) and operation.path.rstrip("/").endswith("}")
        base = contract.path.text
        if is_one:
            base = base.rstrip("/").rsplit("/", len(keys))[0]
        collection = Collection(base, view)
        acts = {method: one for (method, path), one in collection.acts().items() if path != base}
        # one that is found by another field than its key is not found by us
        others = [name for name in map(snake_case, parameters) if name in view.fields]
        if is_one and not set(others) - set(keys) and (how is None or not how.many):
            return acts.get(operation.method)
        acts = {method: one for (method, path), one in collection.acts().items() if path == base}
        is_list = how is not None and how.many and operation.method in ("GET", "HEAD")
        is_new = how is not None and not how.many and operation.method == "POST"
        return acts.get(operation.method) if not parameters and (is_list or is_new) else None


def _plain(name: str) -> str:
    return name.replace("_", "").replace("-", "").lower()
