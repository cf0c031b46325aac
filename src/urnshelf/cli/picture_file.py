"""A picture as a file: what it may be, and that it is written whole or not at all."""

from __future__ import annotations

import warnings
from importlib.util import find_spec
from pathlib import Path
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.files.whole import unfinished, why
from urnshelf.files.writing import made_folder


def check_picture(path: Path) -> None:
    """Refuse a picture that cannot be drawn, before anything else is done.

    Raises:
        FileRefused: another ending than .png and .svg, or Matplotlib is not installed.
    """
    if path.suffix not in (".png", ".svg"):
        raise FileRefused(f"--picture {path.name}: the ending must be .png or .svg")
    if find_spec("matplotlib") is None:
        raise FileRefused('a picture needs Matplotlib: pip install "urnshelf[data]"')


def save_figure(figure: Any, path: Path, *, is_private: bool = False) -> None:
    """Write a figure of Matplotlib's, the same bytes for the same figure.

    Args:
        figure: any.
        path: of the file.
        is_private: whether only its owner may read it: it shows what was recorded.

    Raises:
        FileRefused: the file cannot be written.
    """
    from matplotlib.text import Text

    for text in figure.findobj(Text):
        text.set_parse_math(False)  # a $ in a name, a value or code is a $
    made_folder(path)
    undated = {"Date": None} if path.suffix == ".svg" else {}
    try:
        with warnings.catch_warnings(), unfinished() as files:
            warnings.simplefilter("ignore")  # of letters that the font does not have
            part = files.part(path, is_private=is_private)
            figure.savefig(part, format=path.suffix[1:], metadata=undated)
    except OSError as error:
        raise FileRefused(f"{path} cannot be written: {why(error)}") from None
