"""Records as Dask data frames: partitions that are drawn alone."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from urnshelf.errors import RecordRefused
from urnshelf.records.description import Description

if TYPE_CHECKING:
    import pandas

PER_PARTITION = 100_000
_LOOKED_AT = 1000
"""By so many records the columns' types are told."""


def dask_frame(
    urn: Any,
    what: object,
    n: int,
    partitions: int | None,
    fields: dict[str, Any],
    record: Description,
) -> Any:
    """The records as a Dask data frame.

    Args:
        urn: draws them.
        what: the record type.
        n: how many.
        partitions: how many parts.
        fields: as for `draw`.
        record: the type's description.
    """
    try:
        import dask.config
        import dask.dataframe as frames
    except ImportError:
        raise RecordRefused('dask_frame() needs Dask: pip install "urnshelf[scale]"') from None
    parts = max(1, -(-n // PER_PARTITION)) if partitions is None else partitions
    if isinstance(parts, bool) or not isinstance(parts, int) or parts < 1:
        raise RecordRefused(f"dask_frame(…, npartitions={partitions!r}): a number from 1 is needed")
    first = urn.data_frame(what, range(min(n, _LOOKED_AT)), **fields)
    meta = first.iloc[:0].astype(_types(first, record))
    slices = [(n * part // parts, n * (part + 1) // parts) for part in range(parts)]
    drawn = _Drawn(urn, what, fields, meta)
    make: Any = frames.from_map  # it has no types
    # Decimals and days among objects would come as texts
    with dask.config.set({"dataframe.convert-string": False}):
        return make(
            drawn, slices, meta=meta, divisions=_divisions(slices, n), enforce_metadata=False
        )


def _divisions(slices: list[tuple[int, int]], n: int) -> tuple[int, ...] | None:
    if any(start == stop for start, stop in slices):
        return None
    return (*(start for start, _ in slices), n - 1)


def _types(frame: pandas.DataFrame, record: Description) -> dict[str, Any]:
    """The type of each column in all partitions: of what may be None one that takes it."""
    nullable = {"int64": "Int64", "bool": "boolean"}
    return {
        str(name): nullable.get(str(kind), kind) if record.fields[str(name)].node.optional else kind
        for name, kind in frame.dtypes.items()
    }


class _Drawn:
    """Draws a partition; it is copied to other processes.

    Args:
        urn: draws the records.
        what: the record type.
        fields: as for `draw`.
        meta: a frame without rows, whose types all have.
    """

    def __init__(self, urn: Any, what: object, fields: dict[str, Any], meta: Any) -> None:
        self._urn, self._what, self._fields, self._meta = urn, what, fields, meta

    def __call__(self, part: tuple[int, int]) -> Any:
        """The records from one index to another."""
        start, stop = part
        frame = self._urn.data_frame(self._what, range(start, stop), **self._fields)
        frame.index = range(start, stop)
        return frame.astype(self._meta.dtypes.to_dict())
