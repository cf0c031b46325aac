"""The site of the documentation: built without a warning, and found by the words people know."""

from __future__ import annotations

import asyncio
import json
import re
import subprocess
import sys
from pathlib import Path

import pytest
from sphinx.search.en import SearchEnglish

import chromium

ROOT = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("site")
    words = [
        sys.executable,
        "-m",
        "sphinx",
        "-W",
        "-q",
        "-b",
        "html",
        str(ROOT / "docs"),
        str(folder),
    ]
    done = subprocess.run(words, capture_output=True, text=True, check=False, timeout=300)
    assert done.returncode == 0, done.stderr
    return folder


@pytest.mark.parametrize(
    ("words", "page"),
    [
        ("stub", "in-other-words"), ("mock", "in-other-words"), ("spy", "in-other-words"),
        ("verify", "in-other-words"), ("never called", "in-other-words"),
        ("transaction", "in-other-words"), ("load", "at-scale"), ("UnansweredCall", "errors"),
    ],
)  # fmt: skip
def test_the_search_finds_the_words_of_the_trade(words: str, page: str, site: Path) -> None:
    text = (site / "searchindex.js").read_text()
    index = json.loads(re.sub(r"^Search\.setIndex\(|\)$", "", text.strip()))
    stem = SearchEnglish({}).stem  # what the page of the search does with each word
    for word in words.split():
        kinds = [index[kind].get(stem(word.lower()), []) for kind in ("terms", "titleterms")]
        found = [n for one in kinds for n in ([one] if isinstance(one, int) else one)]
        assert page in [index["docnames"][n] for n in found], word


LISTS = {"in-other-words", "failures", "errors", "limits", "how-it-works", "cookbook",
         "from-hand-written-fakes"}  # fmt: skip
"""Pages to look something up in: the list is what they show."""


def written(page: str) -> str:
    """The text of a page; some stand beside the README."""
    text = (ROOT / "docs" / f"{page}.md").read_text()
    included = re.match(r"```\{include\} \.\./(\S+)", text)
    return (ROOT / included[1]).read_text() if included else text


PAGES = sorted({path.stem for path in (ROOT / "docs").glob("*.md")} - {"changes"})


@pytest.mark.parametrize("page", PAGES)
def test_a_page_says_first_what_for_and_then_shows_it(page: str) -> None:
    title, purpose, rest = written(page).split("\n\n", 2)
    assert title.startswith("# ")
    assert purpose.startswith("**What for:** ")
    assert len(purpose.splitlines()) <= 4
    if page in LISTS:
        return
    shown = re.match(r"(?s)```\w+\n(.*?)\n```|((?:    [^\n]*\n)+)", rest)
    assert shown, "an example comes next"
    lines = [line for line in (shown[1] or shown[2]).splitlines() if line.strip()]
    code = [line for line in lines if not re.match(r"(    )?from |import |(    )?def |@|#", line)]
    assert 1 <= len(code) <= 6


def test_every_page_leads_on(site: Path) -> None:
    pages = [path.relative_to(site) for path in site.rglob("*.html")]
    assert len(pages) > 40
    for page in pages:
        text = (site / page).read_text()
        for link in re.findall(r'href="([^"#:?]+\.html)(?:#[^"]*)?"', text):
            assert ((site / page).parent / link).resolve().exists(), (page, link)


def test_the_reference_has_every_public_name(site: Path) -> None:
    import urnshelf
    import urnshelf.rules

    text = "".join(path.read_text() for path in (site / "reference").glob("*.html"))
    lacking = [name for name in urnshelf.__all__ if name not in text]
    assert lacking == []
    assert [name for name in urnshelf.rules.__all__ if f"urnshelf.rules.{name}" not in text] == []


@pytest.mark.skipif(not chromium.IS_THERE, reason="no Chromium: apt-get install chromium")
@pytest.mark.parametrize("width", [400, 1280])
def test_no_page_is_wider_than_its_window(width: int, site: Path) -> None:
    pages = [path for path in sorted(site.rglob("*.html")) if path.stem != "genindex"]

    async def steps(evaluate: chromium.Evaluate) -> list[str]:
        wide = []
        for page in pages:
            there = f"document.readyState === 'complete' && location.href === '{page.as_uri()}'"
            await evaluate(f"location.href = {json.dumps(page.as_uri())}")
            await chromium.until(evaluate, f"{there} && !!document.documentElement")
            if await evaluate("document.documentElement.scrollWidth > window.innerWidth"):
                wide.append(page.name)
        return wide

    assert chromium.in_a_browser((site / "genindex.html").as_uri(), steps, width) == []


@pytest.mark.skipif(not chromium.IS_THERE, reason="no Chromium: apt-get install chromium")
def test_a_reader_searches_in_a_browser_without_a_network(site: Path) -> None:
    url = (site / "search.html").as_uri()

    async def steps(evaluate: chromium.Evaluate) -> str:
        for _ in range(200):
            found = await evaluate("[...document.querySelectorAll('.search a')].map(a => a.href)")
            if any("in-other-words" in link for link in found or []):
                return "found"
            await asyncio.sleep(0.05)
        return await evaluate("document.body.innerText")

    for words in ("stub", "mock", "spy", "verify", "never called", "transaction"):
        assert chromium.in_a_browser(f"{url}?q={words.replace(' ', '+')}", steps) == "found", words
