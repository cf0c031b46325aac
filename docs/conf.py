"""The site of the documentation: `sphinx-build -W -b html docs site`."""

import re
from typing import Any

from urnshelf import __version__

project = "Urn Shelf"
author = "The Urn Shelf developers"
copyright = "The Urn Shelf developers"
release = __version__
extensions = ["myst_parser", "sphinx.ext.autodoc", "sphinx.ext.napoleon"]
exclude_patterns = ["screenshots"]
myst_heading_anchors = 4
html_theme = "furo"
html_title = f"Urn Shelf {release.split('+')[0]}"
html_show_sourcelink = False
html_static_path = ["_static"]
html_css_files = ["site.css"]
autodoc_member_order = "groupwise"
autodoc_typehints = "description"
autodoc_typehints_description_target = "documented"
autodoc_class_signature = "mixed"
napoleon_use_ivar = True
nitpicky = False
default_role = "code"


def without_what_is_ours(*told: Any) -> tuple[str, str | None] | None:
    """The signature of a public name without the parameters that are for us alone."""
    *_, signature, result = told
    found = re.sub(r", (?:\*, )?_\w+=<?[^,)]*", "", signature) if signature else signature
    return (found, result) if found != signature else None


def setup(app: Any) -> None:
    """Called by Sphinx."""
    app.connect("autodoc-process-signature", without_what_is_ours)
