#!/usr/bin/env python3
"""The wheel and the sdist: built, looked into, and tried on each Python the machine has.

    python .ci/release.py [FOLDER]       (dist/ is the default; it needs the `dev` extra)

The version is the tag of the commit (`v0.1.0`); a commit without one gets a version of development,
which no index takes. Stops at the first thing that is not as it should be.
"""

from __future__ import annotations

import email
import re
import subprocess
import sys
import tarfile
import tempfile
import zipfile
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
BASE = {"rich"}
"""What everybody gets."""
EXTRAS = {"data", "sql", "http", "scale", "completion", "docs", "dev"}
PYTHONS = ("3.11", "3.12", "3.13")


def run(*words: str | Path, at: Path = ROOT) -> str:
    """What a command prints; if it fails, its words are told and we stop."""
    done = subprocess.run([str(word) for word in words], capture_output=True, text=True, cwd=at)
    if done.returncode:
        sys.exit(f"{' '.join(map(str, words))}\n{done.stdout}{done.stderr}")
    return done.stdout


def need(holds: bool, told: str) -> None:
    """Stop unless something holds."""
    if not holds:
        sys.exit(f"not fit for release: {told}")


def git(*words: str) -> str | None:
    """What git says; None for a copy of the project without its history."""
    done = subprocess.run(["git", *words], capture_output=True, text=True, cwd=ROOT)
    return done.stdout if done.returncode == 0 else None


def tag() -> str | None:
    """The version that this commit is tagged as."""
    tags = (git("tag", "--points-at", "HEAD") or "").split()
    if git("status", "--porcelain", "--untracked-files=no"):
        return None  # something was changed since
    return next((one[1:] for one in tags if re.fullmatch(r"v\d+\.\d+\.\d+", one)), None)


def tracked(folder: str) -> set[str]:
    """The files of a folder that belong to the project."""
    names = git("ls-files", folder)
    if names is not None:
        return {name for name in names.splitlines() if (ROOT / name).exists()}
    paths = [path for path in (ROOT / folder).rglob("*") if path.is_file()]
    return {str(path.relative_to(ROOT)) for path in paths if path.suffix != ".pyc"}


def built(folder: Path) -> tuple[Path, Path]:
    """A new sdist, and the wheel that is built from it."""
    run(sys.executable, "-m", "build", "--outdir", folder, ROOT)
    newest = sorted(folder.glob("urnshelf-*"), key=lambda path: path.stat().st_mtime)[-2:]
    wheel = next(path for path in newest if path.suffix == ".whl")
    sdist = next(path for path in newest if path.name.endswith(".tar.gz"))
    return wheel, sdist


def look_into_the_wheel(wheel: Path) -> str:
    """Its files, size and metadata; the version."""
    with zipfile.ZipFile(wheel) as archive:
        names = set(archive.namelist())
        told = next(name for name in names if name.endswith(".dist-info/METADATA"))
        metadata = email.message_from_bytes(archive.read(told))
    ours = {name for name in names if ".dist-info/" not in name}
    wanted = {name.removeprefix("src/") for name in tracked("src")}
    need(ours == wanted, f"files of the wheel {sorted(ours ^ wanted)}")
    need("urnshelf/py.typed" in ours, "py.typed is missing")
    needs = metadata.get_all("Requires-Dist") or []
    base = {re.split(r"[^\w-]", line)[0] for line in needs if "extra ==" not in line}
    need(base == BASE, f"the base install brings {sorted(base)}")
    extras = set(metadata.get_all("Provides-Extra") or [])
    need(extras == EXTRAS, f"extras {sorted(extras ^ EXTRAS)}")
    need(metadata["License-Expression"] == "MIT", "no licence")
    page = str(metadata.get_payload())
    need("## A first test" in page, "the page has no README")
    need("](" not in re.sub(r"\]\(https?:", "", page), "the page has links that lead nowhere")
    print(f"   {wheel.name}: {wheel.stat().st_size:,} bytes, {len(ours)} files")
    return str(metadata["Version"])


def look_into_the_sdist(sdist: Path) -> None:
    """Everything that the project is made of."""
    with tarfile.open(sdist) as archive:
        names = {name.split("/", 1)[1] for name in archive.getnames() if "/" in name}
    lacking = tracked("src") | tracked("tests") | tracked("docs") | {"README.md"}
    lacking -= names
    need(not lacking, f"the sdist lacks {sorted(lacking)}")
    print(f"   {sdist.name}: {sdist.stat().st_size:,} bytes, {len(names)} files")


def look_at_the_version(version: str) -> None:
    """A tagged commit has the tag's version, and the changes tell of it."""
    tagged = tag()
    if tagged is None:
        need("dev" in version or version == "0.0", f"{version}, but this commit has no tag")
        print(f"   {version}: for trying; a release is built from a tag")
        return
    need(version == tagged, f"{version}, but the tag is v{tagged}")
    first = re.search(r"(?m)^## (.*)$", (ROOT / "CHANGELOG.md").read_text())
    need(
        first is not None
        and bool(re.fullmatch(rf"{re.escape(tagged)}, \d{{4}}-\d\d-\d\d", first[1])),
        f"CHANGELOG.md begins with {first and first[1]!r}: say `## {tagged}, YEAR-MONTH-DAY`",
    )
    print(f"   {version}: a release")


def pythons() -> list[Path]:
    """The newest interpreter of each version that we promise, where the machine has it."""
    done = subprocess.run(["pyenv", "root"], capture_output=True, text=True)
    homes = sorted(Path(done.stdout.strip() or "/nowhere").glob("versions/3.*"))
    found = {".".join(home.name.split(".")[:2]): home / "bin" / "python" for home in homes}
    own = ".".join(map(str, sys.version_info[:2]))
    found.setdefault(own, Path(sys.executable))
    return [found[version] for version in PYTHONS if version in found]


def try_on(python: Path, wheel: Path, version: str, folder: Path) -> None:
    """A plain install: the tour, the README's first test, and the types."""
    run(python, "-m", "venv", folder)
    home = folder / "bin"
    run(home / "pip", "install", "--quiet", "--disable-pip-version-check", wheel)
    need(run(home / "urnshelf", "--version") == f"urnshelf {version}\n", "--version")
    lines = run(home / "urnshelf", "tour", at=folder).splitlines()
    need(40 < len(lines) < 100, f"the tour has {len(lines)} lines")
    run(home / "pip", "install", "--quiet", "--disable-pip-version-check", "pytest")
    first = re.search(
        r"(?s)## A first test.*?```python\n(.*?)```", (ROOT / "README.md").read_text()
    )
    need(first is not None, "the README has no first test")
    (folder / "test_first.py").write_text(first[1] if first else "")
    told = run(home / "python", "-m", "pytest", "-q", "test_first.py", at=folder)
    need("1 passed" in told, told)
    accepted = ROOT / "tests" / "typing" / "accepted.py"
    (folder / "accepted.py").write_text(accepted.read_text())
    words = ["--strict", "--config-file", "", "--python-executable", str(home / "python")]
    run(sys.executable, "-m", "mypy", *words, "accepted.py", at=folder)
    print(f"   {run(home / 'python', '--version').strip()}: the tour, the first test, the types")


def main() -> None:
    """Build, look, try."""
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else ROOT / "dist").resolve()
    wheel, sdist = built(folder)
    run(sys.executable, "-m", "twine", "check", "--strict", wheel, sdist)
    run(sys.executable, "-m", "check_wheel_contents", wheel)
    version = look_into_the_wheel(wheel)
    look_into_the_sdist(sdist)
    look_at_the_version(version)
    for python in pythons():
        with tempfile.TemporaryDirectory() as place:
            try_on(python, wheel, version, Path(place))


if __name__ == "__main__":
    main()
