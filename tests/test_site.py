"""The site of the documentation: built without a warning, and found by the words people know."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path

import pytest

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
    ("word", "page"),
    [
        ("stub", "in-other-words"), ("mock", "in-other-words"), ("spi", "in-other-words"),
        ("verifi", "in-other-words"), ("never", "in-other-words"), ("transact", "in-other-words"),
        ("load", "at-scale"), ("unansweredcal", "errors"),
    ],
)  # fmt: skip
def test_the_search_finds_the_words_of_the_trade(word: str, page: str, site: Path) -> None:
    text = (site / "searchindex.js").read_text()
    index = json.loads(re.sub(r"^Search\.setIndex\(|\)$", "", text.strip()))
    found = index["terms"].get(word, [])
    pages = [index["docnames"][n] for n in ([found] if isinstance(found, int) else found)]
    assert page in pages


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
