"""YAML as JSON's data: the core schema of version 1.2, so that `no` and `12:30` stay what they are.

Source: YAML 1.2.2, sections 10.2 and 10.3. PyYAML itself reads version 1.1.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from importlib.util import find_spec
from typing import Any

from urnshelf.caches import remembered
from urnshelf.errors import FileRefused, SettingRefused

_PLAIN = (
    ("null", r"~|null|Null|NULL|", "~nN"),
    ("bool", r"true|True|TRUE|false|False|FALSE", "tTfF"),
    ("int", r"[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+", "-+0123456789"),
    ("float", r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?|[-+]?\.(inf|Inf|INF)"
              r"|\.(nan|NaN|NAN)", "-+.0123456789"),
    ("merge", "<<", "<"),
)  # fmt: skip
"""Tag, pattern, and how such a scalar may begin; an earlier one goes before."""


def read_yaml(text: str, name: str) -> Any:
    """The data of a YAML document.

    Args:
        text: the document.
        name: of the file, for messages.

    Raises:
        FileRefused: no YAML, more than one document, a name that stands twice, or what JSON does
            not have.
        SettingRefused: PyYAML is not installed.

    >>> read_yaml("on: 12:30\\n404: no\\n", "tides.yaml")
    {'on': '12:30', '404': 'no'}
    """
    if find_spec("yaml") is None:
        raise SettingRefused(f"{name} needs pyyaml: pip install 'urnshelf[http]'")
    import yaml

    try:
        return yaml.load(text, _loader())
    except yaml.MarkedYAMLError as wrong:
        mark = wrong.problem_mark or wrong.context_mark
        at = f", line {mark.line + 1}, column {mark.column + 1}" if mark else ""
        told = wrong.problem or wrong.context
        raise FileRefused(f"{name}{at}: it is no YAML: {told}") from None
    except yaml.YAMLError as wrong:  # a character that may not be there
        raise FileRefused(f"{name}: it is no YAML: {' '.join(str(wrong).split())}") from None
    except (ValueError, KeyError) as wrong:  # a text that its tag calls a number
        raise FileRefused(f"{name}: it is no YAML: {wrong}") from None
    except RecursionError:
        raise FileRefused(f"{name}: it is nested too deeply to be read") from None


@remembered
def _loader() -> Any:
    """The class that reads; made when the first document comes, since PyYAML takes time to load."""
    import yaml

    base: Any = getattr(yaml, "CSafeLoader", yaml.SafeLoader)

    class Loader(base):  # type: ignore[misc]
        yaml_implicit_resolvers: dict[Any, Any] = {}  # noqa: RUF012
        yaml_constructors: dict[Any, Any] = {}  # noqa: RUF012

    for tag, pattern, first in _PLAIN:
        matcher = re.compile(f"(?:{pattern})$")
        Loader.add_implicit_resolver(f"tag:yaml.org,2002:{tag}", matcher, [*first, ""])
    of = yaml.SafeLoader.yaml_constructors
    for tag in ("null", "bool", "float", "str", "seq"):
        whole = f"tag:yaml.org,2002:{tag}"
        Loader.add_constructor(whole, of[whole])
    Loader.add_constructor("tag:yaml.org,2002:map", _a_map)
    Loader.add_constructor("tag:yaml.org,2002:int", _a_number)
    Loader.add_constructor(None, _of_a_tag)
    return Loader


def _wrong(node: Any, problem: str) -> Exception:
    from yaml.constructor import ConstructorError

    error: Exception = ConstructorError(None, None, problem, node.start_mark)
    return error


def _a_map(loader: Any, node: Any) -> Iterator[dict[str, Any]]:
    found: dict[str, Any] = {}
    yield found  # before its values: one of them may be an alias of it
    if node.id != "mapping":
        raise _wrong(node, "a mapping is wanted")
    _refuse_repeats(node)
    loader.flatten_mapping(node)
    for key, value in node.value:
        if not isinstance(key.value, str):
            raise _wrong(key, "a name is wanted, and a list or a mapping stands there")
        found[key.value] = loader.construct_object(value, deep=False)


def _a_number(loader: Any, node: Any) -> int:
    text = loader.construct_scalar(node)
    try:
        return int(text, 0) if text[:2] in ("0o", "0x") else int(text)
    except ValueError:
        raise _wrong(node, f"{text!r} is no whole number") from None


def _of_a_tag(_: Any, node: Any) -> Any:
    raise _wrong(node, f"the tag {node.tag} is none that JSON has")


def _refuse_repeats(node: Any) -> None:
    names: set[str] = set()
    for key, _ in node.value:
        name = key.value
        if isinstance(name, str):
            if name in names and name != "<<":
                raise _wrong(key, f"{name!r} stands there twice")
            names.add(name)
