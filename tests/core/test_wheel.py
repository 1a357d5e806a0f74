"""What is installed from a wheel works by itself: all data is in it."""

from __future__ import annotations

import os
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
SEEN = (
    "import bastler, sys; from bastler.__main__ import main; print(bastler.__file__, file=sys.stderr); sys.exit(main())"
)


@pytest.fixture(scope="module")
def unpacked(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The files of a wheel built from a copy of the sources, as an installer would lay them out."""
    folder = tmp_path_factory.mktemp("wheel")
    copy = folder / "sources"
    done = subprocess.run(
        ["git", "-C", str(ROOT), "ls-files", "-co", "--exclude-standard", "src", "pyproject.toml", "README.md", "LICENSE"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    names = done.stdout.split("\n") if done.returncode == 0 else [
        str(p.relative_to(ROOT)) for p in (ROOT / "src").rglob("*") if p.is_file() and "__pycache__" not in p.parts
    ] + ["pyproject.toml", "README.md"]  # fmt: skip
    for name in filter(None, names):
        if (ROOT / name).is_file():
            (copy / name).parent.mkdir(parents=True, exist_ok=True)
            (copy / name).write_bytes((ROOT / name).read_bytes())
    words = [
        sys.executable,
        "-m",
        "pip",
        "wheel",
        "--quiet",
        "--no-deps",
        "--no-build-isolation",
        "--wheel-dir",
        str(folder),
        str(copy),
    ]
    subprocess.run(words, check=True, capture_output=True)
    zipfile.ZipFile(next(folder.glob("*.whl"))).extractall(folder / "installed")
    return folder / "installed"


def run(unpacked: Path, home: Path, *words: str) -> subprocess.CompletedProcess[str]:
    """A command from the unpacked wheel alone."""
    env = {**os.environ, "PYTHONPATH": str(unpacked), "HOME": str(home), "XDG_STATE_HOME": str(home)}
    done = subprocess.run([sys.executable, "-P", "-c", SEEN, *words], env=env, cwd=home, capture_output=True, text=True)
    assert str(unpacked) in done.stderr, "it ran from elsewhere"
    return done


def test_the_demo_is_posted_and_checked(unpacked: Path, tmp_path: Path) -> None:
    job = unpacked / "bastler" / "core" / "data" / "pressure-plate.bastler"
    done = run(unpacked, tmp_path, "post", str(job), "-o", str(tmp_path / "plate.nc"))
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "plate.nc").read_text().count("\n") > 100
    done = run(unpacked, tmp_path, "check", str(job), "--json")
    assert done.returncode == 0, done.stderr
    assert '"findings"' in done.stdout


def test_pictures_fonts_and_icon_are_in_it(unpacked: Path) -> None:
    theme = unpacked / "bastler" / "ui" / "theme"
    assert len(list((theme / "fonts").glob("*.ttf"))) >= 2
    assert len(list((theme / "samples").glob("*.png"))) == 8
    assert {p.name for p in theme.glob("*.svg")} == {p.name for p in (ROOT / "src/bastler/ui/theme").glob("*.svg")}
    assert len(list((unpacked / "bastler").rglob("*.toml"))) == len(list((ROOT / "src/bastler").rglob("*.toml")))
