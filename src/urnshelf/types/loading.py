"""Types by the words that name them in files and on the command line: `package.module:Name`."""

from __future__ import annotations

import importlib
import pkgutil
from importlib.util import find_spec
from traceback import extract_tb
from types import FunctionType, ModuleType
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.near_names import nearest


def load_type(words: str) -> Any:
    """The type that `package.module:Name` names; raises RecordRefused, saying what is wrong."""
    module_name, colon, name = words.partition(":")
    if not colon or not module_name or not name:
        raise RecordRefused(
            f"{words!r}: a type is named as MODULE:NAME, for example urnshelf.demo.harbour:Vessel"
        )
    return _found(words, _module(module_name, words), name)


def load_holder(words: str) -> tuple[Any, str]:
    """What holds the name that `package.module:Class.name` says, and that name; raises
    RecordRefused, saying what is wrong.
    """
    module_name, colon, names = words.partition(":")
    if not colon or not module_name or not names:
        raise RecordRefused(
            f"{words!r}: a place is named as MODULE:NAME, for example harbour.settings:tide_source"
        )
    holders, _, name = names.rpartition(".")
    module = _module(module_name, words)
    return (_found(words, module, holders) if holders else module), name


def _found(words: str, module: ModuleType, name: str) -> Any:
    found: Any = module
    for word in name.split("."):
        try:
            found = getattr(found, word)
        except AttributeError:
            whose = getattr(found, "__name__", name)
            hint = nearest(word, _names_in(found, with_functions=word.islower()))
            raise RecordRefused(f"{words!r}: {whose} has no {word!r}; {hint}") from None
    return found


def _module(name: str, words: str) -> ModuleType:
    try:
        return importlib.import_module(name)
    except ModuleNotFoundError as why:
        if why.name and (name == why.name or name.startswith(f"{why.name}.")):
            hint = nearest(why.name, _modules(why.name))
            # to list all that are installed would help nobody
            hint = (
                hint if hint.startswith("did you mean") else "modules are looked for from here on"
            )
            raise RecordRefused(f"{words!r}: there is no module {why.name}; {hint}") from None
        raise RecordRefused(f"{words!r}: the module cannot be imported: {why}") from None
    except (Exception, SystemExit) as why:  # whatever is wrong with a module of the user's
        raise RecordRefused(
            f"{words!r}: the module cannot be imported: {type(why).__name__}: {why}{_line_of(why)}"
        ) from None


def _line_of(error: BaseException) -> str:
    """Where in the user's module it happened."""
    if isinstance(error, SyntaxError):
        return ""
    frames = [one for one in extract_tb(error.__traceback__) if "importlib" not in one.filename]
    return f" (line {frames[-1].lineno} of {frames[-1].filename})" if len(frames) > 1 else ""


def _modules(name: str) -> list[str]:
    """The modules that stand beside one that there is not."""
    package = name.rpartition(".")[0]
    if not package:
        return sorted({module.name for module in pkgutil.iter_modules()})
    try:
        spec = find_spec(package)
    except Exception:  # a package that cannot be imported has none to offer
        return []
    places = spec.submodule_search_locations if spec is not None else None
    return [f"{package}.{module.name}" for module in pkgutil.iter_modules(places or [])]


def _names_in(holder: object, with_functions: bool = False) -> list[str]:
    """The names that may be meant: of a module its classes, where it has some, and its functions
    for a name that is written as one.
    """
    names = [name for name in dir(holder) if not name.startswith("_")]
    if not isinstance(holder, ModuleType):
        return names
    kinds = (type, FunctionType) if with_functions else (type,)
    return [name for name in names if isinstance(getattr(holder, name, None), kinds)] or names
