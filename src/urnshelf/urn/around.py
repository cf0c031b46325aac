"""What is around an urn: nothing, or a shelf, whose records links choose among and new ones must
not meet.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Protocol

from urnshelf.urn.layouts import record_type as described


class Around(Protocol):
    """What an urn asks of what is around it."""

    version: int
    """How often it was told something that the answers depend on."""

    def key_of(self, record_type: Any) -> tuple[str, ...]:
        """The fields of a type's key."""
        ...

    def parents(self, record_type: Any, field: str | None) -> Sequence[Any]:
        """The records of a type that are there, or one field of each."""
        ...

    def links(self, record_type: Any) -> Mapping[str, tuple[Any, str | None]]:
        """The fields of a type that refer to another one, and to which field of it."""
        ...

    def taken(self, record_type: Any, record: object) -> tuple[str, ...]:
        """The fields that a record must have for itself, but has not: another has them, too."""
        ...

    def count(self, record_type: Any) -> int:
        """How many records of a type are there."""
        ...


class Into(Protocol):
    """Where drawn records of one type are put."""

    def take(self, record: Any) -> Any:
        """Put one there, and give it back with its key."""
        ...

    def take_all(self, records: list[Any]) -> bool:
        """Put all of them there, where none could meet another; whether it was done."""
        ...


class _Nowhere:
    version = 0

    def key_of(self, record_type: Any) -> tuple[str, ...]:
        return described(record_type).key

    def parents(self, record_type: Any, field: str | None) -> Sequence[Any]:  # noqa: ARG002
        return ()

    def links(self, record_type: Any) -> Mapping[str, tuple[Any, str | None]]:  # noqa: ARG002
        return {}

    def taken(self, record_type: Any, record: object) -> tuple[str, ...]:  # noqa: ARG002
        return ()

    def count(self, record_type: Any) -> int:  # noqa: ARG002
        return 0


NOWHERE: Around = _Nowhere()
"""An urn without a shelf."""
