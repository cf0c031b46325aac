"""A run of pytest inside a test, in the same process: what the plugin does is seen as its users
see it, without a second interpreter.

What an inner run imports is forgotten after it, and some compiled packages cannot be loaded twice;
so everything of ours, and what it loads late, is imported here first.
"""

from __future__ import annotations

import importlib
import pkgutil

import click
import dask.dataframe
import dependency_injector.providers
import fastapi
import flask
import huey
import matplotlib
import pandas
import pyarrow.parquet
import pytest
import scipy.stats
import sqlalchemy

import urnshelf

for module in pkgutil.walk_packages(urnshelf.__path__, "urnshelf."):
    if not module.name.endswith("__main__"):
        importlib.import_module(module.name)

LOADED = (
    click, dask.dataframe, dependency_injector, fastapi, flask, huey, matplotlib, pandas,
    pyarrow.parquet, scipy.stats, sqlalchemy,
)  # fmt: skip
QUICK = ("cacheprovider", "hypothesispytest", "anyio", "asyncio")
"""No inner run needs these plugins, and some of them take longer to load than the test itself."""


def run(pytester: pytest.Pytester, source: str, *options: str) -> pytest.RunResult:
    """The result of pytest over one module with this source."""
    pytester.makepyfile(test_it=source)
    return pytester.runpytest_inprocess(*(f"-pno:{name}" for name in QUICK), *options)
