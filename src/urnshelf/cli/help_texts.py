"""What `--help` says of each command beside its options: an example that runs, and completion."""

from __future__ import annotations

import argparse
import os

EXAMPLES = {
    "tour": "urnshelf tour --seed 3",
    "draw": "urnshelf draw urnshelf.demo.harbour:Vessel -n 100 -o vessels.csv",
    "explain": "urnshelf explain urnshelf.demo.harbour:BerthRepository",
    "ledger": "pytest --urnshelf-ledger run.jsonl; urnshelf ledger run.jsonl --errors",
    "serve": "urnshelf serve examples/harbour.toml --port 8080",
    "learn": "urnshelf learn season/ -o learnt.toml --picture learnt.png",
    "draft": "urnshelf draft urnshelf.demo.harbour:MooringDesk -o test_mooring_desk.py",
    "twin": (
        "urnshelf twin urnshelf.demo.harbour:MooringRegister \\\n"
        "      --real urnshelf.demo.harbour.adaptors.sqlite:fresh_register"
    ),
    "mend": "urnshelf mend test_mooring_desk.py --write",
}
"""An example of each command, by its name."""


def with_examples(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Put an example below the options of every command."""
    for name, parser in commands.choices.items():
        parser.formatter_class = argparse.RawDescriptionHelpFormatter
        parser.epilog = f"example:\n  {EXAMPLES[name]}"


def completed(parser: argparse.ArgumentParser) -> None:
    """Answer the shell that asks how a line may go on; nothing where nobody asks."""
    if "_ARGCOMPLETE" not in os.environ:
        return
    try:
        import argcomplete
    except ImportError:
        return  # the shell was told so by another environment
    argcomplete.autocomplete(parser)
