"""`python -m urnshelf.cli`."""

from urnshelf.cli.main import main

if __name__ == "__main__":
    raise SystemExit(main())
