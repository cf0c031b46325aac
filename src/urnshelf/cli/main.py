"""The command `urnshelf`."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from importlib.util import find_spec
from traceback import extract_tb
from typing import Any

from urnshelf.cli.help_texts import completed, with_examples
from urnshelf.errors import SettingRefused, UrnShelfError
from urnshelf.files.writing import endings


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line; the exit code is 0 when all went well.

    Args:
        arguments: the words after the command's name; those of the process when not given.
    """
    parser = _parser()
    completed(parser)
    chosen = parser.parse_args(arguments)
    try:
        code = _run(chosen, parser)
        sys.stdout.flush()
        return code
    except BrokenPipeError:
        # who reads has seen enough; what is left in the buffer must not be tried again at the end
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except KeyboardInterrupt:
        return _told("stopped", 130)
    except UrnShelfError as refused:
        return _told(str(refused), 2)
    except OSError as refused:
        return _told(f"{refused.filename or 'the output'}: {refused.strerror or refused}", 2)
    except Exception as error:  # of the user's own types, which run while they are drawn
        frame = extract_tb(error.__traceback__)[-1]
        where = f"line {frame.lineno} of {frame.filename}"
        return _told(f"{type(error).__name__}: {error} ({where})", 3)


def _told(message: str, code: int) -> int:
    print(f"urnshelf: {message}".encode(errors="backslashreplace").decode(), file=sys.stderr)
    return code


def _run(chosen: argparse.Namespace, parser: argparse.ArgumentParser) -> int:
    if chosen.version:
        from urnshelf import __version__  # only who asks waits for it

        print(f"urnshelf {__version__}")
    elif chosen.command == "tour":
        from urnshelf.cli.tour import tour

        tour(chosen.seed)
    elif chosen.command == "draw":
        _draw(chosen)
    elif chosen.command == "explain":
        from urnshelf.cli.explain import explain

        sys.path.insert(0, "")
        explain(chosen.what)
    elif chosen.command == "ledger":
        from urnshelf.cli.run_calls import ledger

        return ledger(
            chosen.file, chosen.test, chosen.method, chosen.errors, chosen.unanswered,
            chosen.picture, chosen.page,
        )  # fmt: skip
    elif chosen.command == "serve":
        return _serve(chosen)
    elif chosen.command == "mend":
        from urnshelf.cli.mend import mend

        return mend(chosen.file, chosen.write)
    elif chosen.command == "twin":
        return _twin(chosen)
    elif chosen.command == "learn":
        return _learn(chosen)
    elif chosen.command == "draft":
        return _draft(chosen)
    else:
        parser.print_help()
    return 0


def _draw(chosen: argparse.Namespace) -> None:
    from urnshelf.cli.draw import draw
    from urnshelf.cli.draw_parts import Parted

    sys.path.insert(0, "")  # the user's own modules, as with `python -m`
    draw(
        chosen.what, chosen.n, chosen.seed, chosen.set, chosen.output, chosen.picture,
        chosen.format, chosen.table,
        Parted(chosen.parts, chosen.part, chosen.engine, chosen.scheduler, chosen.workers),
    )  # fmt: skip


def _draft(chosen: argparse.Namespace) -> int:
    from urnshelf.cli.draft import Wanted, draft

    sys.path.insert(0, "")  # the user's own modules, as with `python -m`
    return draft(Wanted(
        chosen.what, chosen.output, chosen.runs, chosen.seed, chosen.plant_bugs or 0,
        chosen.picture, chosen.allow_side_effects,
    ))  # fmt: skip


def _twin(chosen: argparse.Namespace) -> int:
    from urnshelf.cli.twin import Wanted, twin

    sys.path.insert(0, "")  # the user's own modules, as with `python -m`
    return twin(Wanted(
        chosen.what, chosen.real, chosen.arrange, chosen.sequences, chosen.seed, chosen.replies
    ))  # fmt: skip


def _learn(chosen: argparse.Namespace) -> int:
    lacking = [name for name in ("numpy", "pandas") if find_spec(name) is None]
    if lacking:
        raise SettingRefused(f"learn needs {' and '.join(lacking)}: pip install 'urnshelf[data]'")
    from urnshelf.cli.learn import Wanted, learn_plan

    sys.path.insert(0, "")  # the user's own modules, as with `python -m`
    return learn_plan(Wanted(
        chosen.sample, chosen.output, chosen.smallest_group, chosen.relabel, chosen.without,
        chosen.missing, chosen.type, chosen.picture, chosen.database, chosen.table,
    ))  # fmt: skip


def _serve(chosen: argparse.Namespace) -> int:
    lacking = [name for name in ("h11", "uvicorn") if find_spec(name) is None]
    if lacking:
        raise SettingRefused(f"serve needs {' and '.join(lacking)}: pip install 'urnshelf[http]'")
    from urnshelf.cli.serve import serve

    sys.path.insert(0, "")  # the user's own modules, as with `python -m`
    return serve(
        chosen.file, chosen.port, chosen.tls, chosen.follow, chosen.records, chosen.seed,
        chosen.ledger,
    )  # fmt: skip


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="urnshelf", description="Fakes from your interfaces, records from a seeded urn."
    )
    parser.add_argument("--version", action="store_true", help="show the version, and nothing else")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    tour = commands.add_parser("tour", help="the main job, step by step, on the harbour demo")
    tour.add_argument("--seed", type=int, default=7, help="what the records are drawn from (7)")
    draw = commands.add_parser(
        "draw", help="synthetic records: previewed, written to a file, or pictured"
    )
    draw.add_argument(
        "what", metavar="MODULE:TYPE | PLAN.toml", help="a record type, or a plan file"
    )
    draw.add_argument("-n", type=_count, metavar="N", help="how many records (20)")
    draw.add_argument("--seed", type=int, help="what they are drawn from (0, or the plan's)")
    draw.add_argument(
        "--set", action="append", default=[], metavar="FIELD=VALUE", help="a value for every record"
    )
    output = (
        f"write to a file that ends in {', '.join(endings())}; for a plan a folder, or DIR/*.jsonl"
    )
    draw.add_argument("-o", "--output", metavar="FILE", help=output)
    draw.add_argument(
        "--picture",
        metavar="PNG|SVG",
        help="save a picture: a panel a field; of a plan, its tables",
    )
    _add_parts(draw)
    _add_explain(commands)
    _add_ledger(commands)
    _add_serve(commands)
    _add_learn(commands)
    _add_draft(commands)
    _add_twin(commands)
    mend = commands.add_parser("mend", help="literals in a test file's assertions, as they are now")
    mend.add_argument("file", metavar="TESTS.py", help="a file of tests, drafted or by hand")
    mend.add_argument("--write", action="store_true", help="write them; else they are only shown")
    with_examples(commands)
    return parser


def _add_parts(draw: argparse.ArgumentParser) -> None:
    draw.add_argument("--format", metavar="FORMAT", help="of a folder's files, or of -o - (jsonl)")
    draw.add_argument("--table", metavar="NAME", help="only this table of the plan")
    draw.add_argument(
        "--parts", type=_count, metavar="N", help="in so many parts, each alone, into a folder"
    )
    draw.add_argument("--part", metavar="I/N", help="only part I of N, here")
    draw.add_argument("--engine", metavar="dask", help="what draws many parts at once")
    draw.add_argument("--scheduler", metavar="ADDRESS", help="of a cluster; else processes here")
    draw.add_argument("--workers", type=_count, metavar="N", help="how many processes here")


def _add_explain(commands: Any) -> None:
    explain = commands.add_parser(
        "explain", help="how the methods of an interface are read, as a table"
    )
    explain.add_argument(
        "what",
        metavar="MODULE:INTERFACE",
        help="a repository, a DAO, a store, a unit of work; MODULE:INTERFACE.METHOD for one of it",
    )


def _add_learn(commands: Any) -> None:
    learn = commands.add_parser(
        "learn", help="the rules of a plan file, from a sample, and nobody who is in it"
    )
    learn.add_argument(
        "sample", nargs="*", metavar="SAMPLE",
        help="CSV, JSON, JSON Lines and Parquet files, a folder of them, a saved shelf",
    )  # fmt: skip
    learn.add_argument(
        "-o",
        "--output",
        metavar="PLAN.toml",
        help="write the plan; without it only the report is shown",
    )
    learn.add_argument(
        "--smallest-group", type=_count, metavar="K",
        help="what fewer rows share is not told (5 below 1,000 rows, else 10)",
    )  # fmt: skip
    for name, meta, told in (
        ("relabel", "FIELD", "make its labels anew"),
        ("without", "FIELD", "leave it out"),
        ("missing", "TEXT", "a text that stands for nothing"),
        ("type", "[TABLE=]MODULE:TYPE", "the record type, whose fields and limits are kept"),
        ("table", "NAME", "of the database; all, where none is named"),
    ):
        learn.add_argument(f"--{name}", action="append", default=[], metavar=meta, help=told)
    learn.add_argument(
        "--from", dest="database", metavar="URL", help="a database, sqlite:///harbour.db"
    )
    learn.add_argument("--picture", metavar="PNG|SVG", help="the sample, and what is drawn over it")


def _add_draft(commands: Any) -> None:
    draft = commands.add_parser("draft", help="tests for every path of a service, as it is today")
    draft.add_argument(
        "what", metavar="MODULE:SERVICE[.METHOD]", help="a class, one of its methods, a function"
    )
    draft.add_argument(
        "-o", "--output", metavar="TESTS.py",
        help="a new file, or one to which tests of other paths are added; else it is printed",
    )  # fmt: skip
    draft.add_argument(
        "--runs", type=_count, default=5000, metavar="N",
        help="how often the code may be run for each method (5000)",
    )  # fmt: skip
    draft.add_argument("--seed", type=int, default=0, help="of what is left to chance (0)")
    draft.add_argument(
        "--plant-bugs", type=_count, nargs="?", const=60, metavar="N",
        help="plant so many bugs in each method (60), and tell which ones no test notices",
    )  # fmt: skip
    draft.add_argument(
        "--picture",
        nargs="?",
        const="-",
        metavar="FILE",
        help="the decisions and the tests that take them: a .png, a .svg, or as text",
    )
    draft.add_argument(
        "--allow-side-effects", action="store_true",
        help="let the code write files, open connections and start processes",
    )  # fmt: skip


def _add_twin(commands: Any) -> None:
    twin = commands.add_parser("twin", help="a fake against what it stands for, at random")
    twin.add_argument(
        "what", nargs="+", metavar="MODULE:INTERFACE", help="one, or several over one real store"
    )
    twin.add_argument(
        "--real", required=True, metavar="MODULE:FACTORY",
        help="what makes a fresh, empty real one: a function without arguments, a context manager",
    )  # fmt: skip
    twin.add_argument(
        "--arrange", metavar="MODULE:FUNCTION", help="takes a shelf, and tells it what a test would"
    )
    twin.add_argument("--sequences", type=_count, default=200, metavar="N", help="how many (200)")
    twin.add_argument("--seed", type=int, default=0, metavar="N", help="of what is drawn (0)")
    twin.add_argument(
        "--replies", metavar="FILE", help="no random calls, but those of a kept file, once more"
    )


def _add_serve(commands: Any) -> None:
    serve = commands.add_parser("serve", help="the kiosks of a file, at real addresses")
    serve.add_argument(
        "file",
        metavar="PLAN.toml|OPENAPI.yaml|TRAFFIC.har",
        help="a plan with [[kiosk]] tables, an OpenAPI document, or recorded traffic",
    )
    serve.add_argument(
        "--port", type=_count, default=0, metavar="N",
        help="of the first kiosk; the others have those after it (any that are free)",
    )  # fmt: skip
    serve.add_argument("--tls", action="store_true", help="by HTTPS, with a certificate of its own")
    serve.add_argument("--follow", action="store_true", help="read the file anew when it changes")
    serve.add_argument(
        "--records", type=_count, metavar="N", help="in each collection, and each list drawn"
    )
    serve.add_argument("--seed", type=int, help="what is drawn from (the plan's, or 0)")
    serve.add_argument(
        "--ledger", metavar="FILE",
        help="where the requests are written at the end, .jsonl or .har (NAME.ledger.jsonl)",
    )  # fmt: skip


def _add_ledger(commands: Any) -> None:
    ledger = commands.add_parser("ledger", help="the calls of a run: listed, pictured, or a page")
    ledger.add_argument("file", metavar="FILE", help="what pytest --urnshelf-ledger FILE wrote")
    ledger.add_argument("--test", default="", metavar="TEXT", help="tests that have it in a name")
    ledger.add_argument("--method", default="", metavar="TEXT", help="calls of such methods")
    ledger.add_argument("--errors", action="store_true", help="calls that raised")
    ledger.add_argument("--unanswered", action="store_true", help="calls that nothing answered")
    ledger.add_argument("--picture", metavar="PNG|SVG", help="one test's calls as a picture")
    ledger.add_argument("--page", metavar="HTML", help="one page, searched as you type")


def _count(text: str) -> int:
    try:
        count = int(text)
    except ValueError:
        count = -1
    if count < 0:
        raise argparse.ArgumentTypeError(f"{text!r}: a whole number from 0 is needed")
    return count
