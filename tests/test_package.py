"""What is handed out: wheel and source archive hold all that the program reads, and run where nothing else is."""

import os
import re
import subprocess
import sys
import tarfile
import tomllib
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

import ordolex

ROOT = Path(__file__).parents[1]


def built(folder: Path, target: str) -> Path:
    command = [sys.executable, "-m", "hatchling", "build", "-t", target, "-d", str(folder)]
    subprocess.run(command, cwd=ROOT, check=True, capture_output=True, timeout=100)
    (made,) = folder.iterdir()
    return made


def test_the_wheel_runs_from_an_empty_place(tmp_path: Path) -> None:
    wheel, place = built(tmp_path / "dist", "wheel"), tmp_path / "place"
    assert wheel.name.startswith(f"ordolex-{ordolex.__version__}-")
    install = ["-m", "pip", "install", "-q", "--disable-pip-version-check", "--no-deps", "--no-index"]
    subprocess.run([sys.executable, *install, "--target", str(place), str(wheel)], check=True, timeout=100)
    assert (place / "ordolex/py.typed").exists()

    def ran(*words: str) -> str:
        done = subprocess.run(
            [sys.executable, "-m", "ordolex", *words],
            cwd=tmp_path,
            env={**os.environ, "PYTHONPATH": str(place)},
            capture_output=True,
            text=True,
            timeout=60,
            check=True,
        )
        return done.stdout

    where = [sys.executable, "-c", "import ordolex; print(ordolex.__file__)"]
    env = {**os.environ, "PYTHONPATH": str(place)}
    found = subprocess.run(where, cwd=tmp_path, env=env, capture_output=True, text=True, check=True, timeout=60).stdout
    assert found.startswith(str(place)), "it is the wheel that is tested, not the folder it was made from"
    assert ran("--version") == f"ordolex {ordolex.__version__}\n"
    assert "oxygen-transmitter" in ran("sheet", "list") and "Raceway 1 oxygen" in ran("bench", "--list")


def test_the_source_archive_holds_what_a_wheel_is_made_of(tmp_path: Path) -> None:
    with tarfile.open(built(tmp_path / "dist", "sdist")) as archive:
        names = {name.partition("/")[2] for name in archive.getnames()}
    wanted = ("pyproject.toml", "README.md", "LICENSE", "CHANGELOG.md", "src/ordolex/bench/alder_brook.toml")
    assert {*wanted, "src/ordolex/sheets/meter.toml", "src/ordolex/py.typed"} <= names


def test_every_benchmark_and_script_can_be_begun() -> None:
    """They are run by hand, and seldom: what they import must not be gone by then."""
    code = (
        "import runpy, sys; sys.path[:0] = sys.argv[1:3]; [runpy.run_path(one, run_name='-') for one in sys.argv[3:]]"
    )
    files = [str(path) for folder in ("benchmarks", "scripts") for path in sorted((ROOT / folder).glob("*.py"))]
    where = [str(ROOT), str(ROOT / "benchmarks")]
    done = subprocess.run([sys.executable, "-c", code, *where, *files], capture_output=True, text=True, timeout=100)
    assert done.returncode == 0 and len(files) > 10, done.stderr


def test_what_is_needed_is_what_is_installed() -> None:
    """A package that only this machine has, because somebody installed it by hand, would fail everywhere else."""
    needed = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["dependencies"]
    locked = {line.split("==")[0].lower() for line in (ROOT / "requirements.lock").read_text().split()}
    assert {re.split(r"[<>=]", one)[0].lower() for one in needed} <= locked


@given(st.integers(0, 1))
def test_no_property_fails_because_the_machine_is_busy(number: int) -> None:
    assert settings().deadline is None
