"""Engines that have many parts drawn at once: Dask, in processes here or on a cluster."""

from __future__ import annotations

import logging
import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib.util import find_spec
from typing import Any

from urnshelf.errors import RecordRefused, SettingRefused
from urnshelf.scaling.part_files import Part, Work, draw_part

ENGINES = ("dask",)
_PATIENCE = 10


def drawn_by_dask(
    work: Work,
    numbers: list[int],
    scheduler: str | None,
    workers: int | None,
    tell: Callable[[Part], None],
) -> None:
    """Have parts drawn by Dask; each is told as soon as it is whole.

    Args:
        work: what is drawn; its paths must be there for the workers, too.
        numbers: of the parts.
        scheduler: the address of a cluster; without it processes of this machine.
        workers: how many of these; as many as there are processors, where it is None.
        tell: takes each part.

    Raises:
        SettingRefused: nobody answers at the address.
    """
    import distributed

    engine: Any = distributed  # its functions have no types
    many = min(workers or os.cpu_count() or 1, len(numbers) or 1)
    with _client(engine, scheduler, many) as client:
        waiting = [client.submit(draw_part, work, number, pure=False) for number in numbers]
        try:
            for one in engine.as_completed(waiting):
                tell(one.result())
        finally:
            # after an error, or Ctrl-C, nothing more is begun
            client.cancel([one for one in waiting if not one.done()])


@contextmanager
def _client(distributed: Any, scheduler: str | None, workers: int) -> Iterator[Any]:
    if scheduler is not None:
        try:
            client = distributed.Client(scheduler, timeout=f"{_PATIENCE}s")
        except (OSError, ValueError) as error:
            raise SettingRefused(
                f"--scheduler {scheduler}: nobody answers there ({str(error).splitlines()[0]})"
            ) from None
        with client:
            try:
                client.wait_for_workers(1, timeout=_PATIENCE)
            except TimeoutError:
                raise SettingRefused(
                    f"--scheduler {scheduler}: it has no workers after {_PATIENCE} seconds; start "
                    f"some, dask worker {scheduler}"
                ) from None
            yield client
        return
    with (
        distributed.LocalCluster(
            n_workers=workers,
            threads_per_worker=1,
            processes=True,
            dashboard_address=None,
            silence_logs=logging.CRITICAL,  # an error is told by us, once
        ) as cluster,
        distributed.Client(cluster) as client,
    ):
        yield client


def checked_engine(name: str | None) -> str | None:
    """An engine that there is, and is installed.

    Raises:
        RecordRefused: any other.
        SettingRefused: it is not installed.
    """
    if name is None:
        return None
    if name not in ENGINES:
        raise RecordRefused(f"--engine {name}: there is {', '.join(ENGINES)}")
    if find_spec("distributed") is None:
        raise SettingRefused(
            "the engine dask needs Dask and distributed: pip install 'urnshelf[scale]'"
        )
    return name
