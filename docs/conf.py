"""The site of the documentation: `sphinx-build -W -b html docs site`."""

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
autodoc_member_order = "groupwise"
autodoc_typehints = "description"
autodoc_typehints_description_target = "documented"
autodoc_class_signature = "mixed"
napoleon_use_ivar = True
nitpicky = False
default_role = "code"
