"""Every Python snippet of the README and of the docs runs; every text block of the docs is what the
tests saw.
"""

from __future__ import annotations

import re
from pathlib import Path

import httpcore  # noqa: F401  # httpx keeps what it once found of it, beyond a run inside of ours
import pytest

import inner

ROOT = Path(__file__).parent.parent
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]


def blocks(page: Path, language: str) -> list[str]:
    return re.findall(rf"^```{language}\n(.*?)^```$", page.read_text(), re.DOTALL | re.MULTILINE)


@pytest.mark.parametrize(
    "page", [page for page in PAGES if blocks(page, "python")], ids=lambda page: page.name
)
def test_snippets_run(page: Path, pytester: pytest.Pytester) -> None:
    """A page is one test module: its snippets in order, beside files of the examples."""
    for name in ("tides.yaml", "port.har"):
        pytester.path.joinpath(name).write_text((ROOT / "examples" / name).read_text())
    result = inner.run(pytester, "\n\n".join(blocks(page, "python")))
    assert result.ret == 0, result.stdout.str()


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_messages_in_the_docs_are_the_real_ones(page: Path) -> None:
    golden = [path.read_text() for path in (ROOT / "tests" / "golden").glob("*.txt")]
    for block in blocks(page, "text"):
        assert any(block.strip() in text for text in golden), block


def anchors(page: Path) -> set[str]:
    """The headings, as links name them."""
    headings = re.findall(r"^#+ (.+)$", page.read_text(), re.MULTILINE)
    return {re.sub(r"[^\w\s-]", "", text.lower()).replace(" ", "-") for text in headings}


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_links_lead_somewhere(page: Path) -> None:
    for link, heading in re.findall(r"\]\(([^)#]*)#?([^)]*)\)", page.read_text()):
        assert (page.parent / link).exists(), link
        assert not heading or heading in anchors(page.parent / link), (link, heading)


def test_the_index_has_every_page() -> None:
    listed = re.findall(r"\]\(([\w-]+\.md)", (ROOT / "docs" / "index.md").read_text())
    assert {page.name for page in PAGES} - {"README.md", "index.md"} == set(listed)
    trade = (ROOT / "docs" / "in-other-words.md").read_text()
    for word in """stub mock spy captured verify count never consecutive callback any inject fixture
        builder factory in-memory reset snapshot transaction clock""".split():
        assert word in trade
