"""The decisions of a method as a picture."""
from __future__ import annotations
from pathlib import Path
from urnshelf.drafting import Drafts
def text_picture(drafts: Drafts) -> str:
    return ""
def picture(drafts: Drafts, path: Path) -> None:
    pass
