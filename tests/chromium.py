"""Chromium without a window: pages run in it, and the traffic that its own tools recorded."""

import asyncio
import json
import re
import shutil
import subprocess
import tempfile
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from typing import Any

import aiohttp

IS_THERE = bool(shutil.which("chromium"))
_FLAGS = ("--headless", "--no-sandbox", "--disable-gpu")
_HAR = """(async () => {
  const logs = await import('./models/logs/logs.js'), har = await import('./models/har/har.js');
  const progress = {createSubProgress: () => ({worked: 0}), canceled: false};
  const requests = logs.NetworkLog.NetworkLog.instance().requests();
  return await har.Writer.Writer.harStringForRequests(requests, {sanitize: false}, progress);
})()"""
_ATTACHED = """(async () => {
  const sdk = await import('./core/sdk/sdk.js');
  const target = sdk.TargetManager.TargetManager.instance().primaryPageTarget();
  return target ? target.inspectedURL() : '';
})()"""

Evaluate = Callable[[str], Awaitable[Any]]


def in_a_browser(
    url: str,
    steps: Callable[[Evaluate], Awaitable[Any]],
    width: int = 1280,
    flags: tuple[str, ...] = (),
) -> Any:
    """What some steps find on a page.

    Args:
        url: of the page.
        steps: takes a function that evaluates a line of JavaScript there.
        width: of the window.
        flags: of the browser's command line, besides ours.
    """

    async def run() -> Any:
        async with _started(width, flags) as (session, host):
            page = await _page(session, host, "about:blank")
            async with _talking(session, page) as call:
                size = {"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": False}
                await call("Emulation.setDeviceMetricsOverride", **size)
                await call("Page.navigate", url=url)
                return await steps(_evaluating(call))

    return asyncio.run(run())


def recorded(url: str) -> str:
    """The traffic of a page, as the browser's own tools write it: HAR.

    Args:
        url: of the page, which sets its title to `done` at the end.
    """

    async def run() -> str:
        async with _started(1280) as (session, host):
            page = await _page(session, host, "about:blank")
            tools = f"devtools://devtools/bundled/devtools_app.html?ws={host}/devtools/page/"
            tools_page = await _page(session, host, tools + page["id"])
            async with _talking(session, tools_page) as tool, _talking(session, page) as call:
                await until(_evaluating(tool), _ATTACHED)
                await call("Page.navigate", url=url)
                await until(_evaluating(call), "document.title === 'done'")
                return await _evaluating(tool)(_HAR)

    return asyncio.run(run())


async def until(evaluate: Evaluate, wanted: str) -> None:
    """Wait until something is true on a page."""
    for _ in range(150):
        try:
            if await evaluate(wanted):
                return
        except AssertionError:  # the page is not there yet
            pass
        await asyncio.sleep(0.1)
    raise AssertionError(f"it never came: {wanted}")


@asynccontextmanager
async def _started(
    width: int, flags: tuple[str, ...] = ()
) -> AsyncIterator[tuple[aiohttp.ClientSession, str]]:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        command = [
            "chromium",
            *_FLAGS,
            *flags,
            "--remote-debugging-port=0",
            "--remote-allow-origins=*",
        ]
        more = [f"--user-data-dir={folder}", f"--window-size={width},800", "about:blank"]
        process = subprocess.Popen(
            [*command, *more], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
        )
        try:
            assert process.stderr is not None
            told = next(line for line in process.stderr if "DevTools listening on" in line)
            host = re.findall(r"ws://([^/]+)/", told)[0]
            async with aiohttp.ClientSession() as session:
                yield session, host
        finally:
            process.terminate()
            process.communicate(timeout=10)


async def _page(session: aiohttp.ClientSession, host: str, url: str) -> dict[str, Any]:
    async with session.put(f"http://{host}/json/new?{url}") as reply:
        return await reply.json()


@asynccontextmanager
async def _talking(session: aiohttp.ClientSession, page: dict[str, Any]) -> AsyncIterator[Any]:
    async with session.ws_connect(page["webSocketDebuggerUrl"], max_msg_size=0) as socket:
        numbers = iter(range(1, 10**9))

        async def call(method: str, **params: Any) -> Any:
            number = next(numbers)
            await socket.send_json({"id": number, "method": method, "params": params})
            while True:
                told = json.loads((await socket.receive(timeout=30)).data)
                if told.get("id") == number:
                    return told

        yield call


def _evaluating(call: Any) -> Evaluate:
    async def evaluate(expression: str) -> Any:
        told = await call(
            "Runtime.evaluate", expression=expression, awaitPromise=True, returnByValue=True
        )
        result = told.get("result", {})
        assert "exceptionDetails" not in result, told
        return result.get("result", {}).get("value")

    return evaluate


def imported(text: str) -> list[Any]:
    """What the browser's own tools find in recorded traffic: address, status and body of each.

    Args:
        text: HAR.
    """
    told = f"""(async () => {{
      const har = await import('./models/har/har.js');
      const root = new har.HARFormat.HARRoot({text});
      const found = har.Importer.Importer.requestsFromHARLog(root.log);
      return Promise.all(found.map(async (one) => {{
        const body = await one.requestContentData();
        return [one.url(), one.statusCode, body.text];
      }}));
    }})()"""

    async def run() -> list[Any]:
        async with _started(1280) as (session, host):
            page = await _page(session, host, "about:blank")
            tools = f"devtools://devtools/bundled/devtools_app.html?ws={host}/devtools/page/"
            async with _talking(session, await _page(session, host, tools + page["id"])) as tool:
                await until(_evaluating(tool), _ATTACHED)
                return await _evaluating(tool)(told)

    return asyncio.run(run())
