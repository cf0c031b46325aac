"""Fakes lent to web applications and to injection containers."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from typing import Annotated, Any, Protocol

import fastapi
import httpx
import pytest
from dependency_injector import containers, providers
from dependency_injector.errors import Error
from fastapi import APIRouter, Depends, FastAPI

import office
from urnshelf import Shelf, SwapRefused, cue, tally
from urnshelf.demo.harbour import BerthRepository, MooringDesk
from urnshelf.demo.harbour.adaptors.http import HttpPager, HttpTides


class Store(Protocol):
    def count(self) -> int: ...


class Config:
    limit: int = 3


async def get_store() -> AsyncIterator[Store]:
    raise OSError("no database here")
    yield


class Keeper:
    def __init__(self, store: Annotated[Store, Depends(get_store)]) -> None:
        self.store = store


def get_limit(limit: int = 3) -> int:
    return limit


def get_config() -> Config:
    return Config()


def application() -> FastAPI:
    router = APIRouter(prefix="/inner", dependencies=[Depends(get_config)])

    @router.get("/count")
    def count(
        keeper: Annotated[Keeper, Depends()], limit: Annotated[int, Depends(get_limit)]
    ) -> int:
        return keeper.store.count() + limit

    app, inner = FastAPI(), FastAPI()
    app.include_router(router)
    inner.include_router(router)
    app.mount("/mounted", inner)
    return app


def get(app: FastAPI, path: str) -> Any:
    async def answered() -> httpx.Response:
        transport = httpx.ASGITransport(app=app)
        async with httpx.AsyncClient(transport=transport, base_url="http://x") as client:
            return await client.get(path)

    return asyncio.run(answered()).json()


def test_leaves_are_lent_and_what_is_built_of_them_stays_real() -> None:
    app = application()
    with Shelf() as shelf:
        assert shelf.lend_to(app) == [shelf.fake(Store)]
        cue(shelf.fake(Store).count).gives(7)
        assert get(app, "/inner/count") == 10
        assert get(app, "/mounted/inner/count?limit=1") == 8
        assert tally(shelf.fake(Store).count) == 2
        assert list(app.dependency_overrides) == [get_store]
    assert app.dependency_overrides == {}
    with pytest.raises(OSError):
        get(app, "/inner/count")


def test_overrides_of_ones_own_come_back() -> None:
    app = application()
    app.dependency_overrides[get_store] = mine = lambda: None
    with Shelf() as shelf, Shelf() as other:
        shelf.lend_to(app)
        other.lend_to(app)
        shelf.close()
        assert app.dependency_overrides[get_store]() is other.fake(Store)
    assert app.dependency_overrides == {get_store: mine}


def test_the_office_gets_all_five(shelf: Shelf) -> None:
    lent = shelf.lend_to(office.app)
    assert {type(fake).__name__ for fake in lent} == {
        "VesselRepository", "BerthRepository", "MooringRegister", "TideService", "PilotPager",
    }  # fmt: skip


class Container(containers.DeclarativeContainer):
    config = providers.Configuration()
    client = providers.Singleton(httpx.Client, base_url=config.url)
    berths = providers.AbstractSingleton(BerthRepository)
    anything = providers.Dependency(instance_of=object)
    pager = providers.Dependency(instance_of=HttpPager)
    gauge = providers.Singleton(HttpTides, client=client)
    margin = providers.Object(0.5)
    desk = providers.Factory(MooringDesk, berths=berths, pilots=pager, home=config.home)


def test_a_container_is_lent_fakes_by_its_own_overrides() -> None:
    container = Container()
    container.config.from_dict({"url": "http://127.0.0.1:1", "home": "Ternhythe"})
    with Shelf() as shelf:
        lent = shelf.lend_to(container)
        assert shelf.fake(BerthRepository) in lent
        assert container.berths() is shelf.fake(BerthRepository)
        assert container.pager() is shelf.fake(HttpPager)
        assert container.margin() == 0.5
        nobody = {"vessels": None, "tides": None, "moorings": None}
        desk: MooringDesk = container.desk(**nobody)
        assert desk._berths is shelf.fake(BerthRepository)
        assert desk._home == "Ternhythe"
    with pytest.raises(Error):
        container.berths()
    with Shelf() as shelf:
        mine = object.__new__(HttpPager)
        container.pager.override(providers.Object(mine))
        shelf.lend_to(container)
        assert container.pager() is shelf.fake(HttpPager)
        shelf.close()
        assert container.pager() is mine


def test_what_nothing_can_be_lent_to(shelf: Shelf) -> None:
    with pytest.raises(SwapRefused, match="nothing in it promises an interface"):
        shelf.lend_to(fastapi.FastAPI())
    for other in (object(), 3, "office:app"):
        with pytest.raises(SwapRefused, match="fakes are lent to applications of FastAPI"):
            shelf.lend_to(other)
