"""The command `urnshelf`."""

from __future__ import annotations

import argparse
from collections.abc import Sequence

from urnshelf import __version__


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line; the exit code is 0 when all went well.

    Args:
        arguments: the words after the command's name; those of the process when not given.
    """
    parser = _parser()
    told = parser.parse_args(arguments)
    if told.command == "tour":
        from urnshelf.cli.tour import tour

        tour(told.seed)
        return 0
    parser.print_help()
    return 0


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="urnshelf", description="Fakes from your interfaces, records from a seeded urn."
    )
    parser.add_argument("--version", action="version", version=f"urnshelf {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    tour = commands.add_parser("tour", help="the main job, step by step, on the harbour demo")
    tour.add_argument("--seed", type=int, default=7, help="what the records are drawn from (7)")
    return parser
