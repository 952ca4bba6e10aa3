"""What is handed out: wheel and source archive hold all that the program reads, and run where nothing else is."""

import ast
import os
import re
import shutil
import subprocess
import sys
import tarfile
import tomllib
import zipfile
from importlib.metadata import packages_distributions
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

import ordolex

ROOT = Path(__file__).parents[1]


def built(folder: Path, target: str, **env: str) -> Path:
    command = [sys.executable, "-m", "hatchling", "build", "-t", target, "-d", str(folder)]
    subprocess.run(command, cwd=ROOT, env={**os.environ, **env}, check=True, capture_output=True, timeout=100)
    (made,) = folder.iterdir()
    return made


def test_the_wheel_runs_from_an_empty_place(tmp_path: Path) -> None:
    wheel, place = built(tmp_path / "dist", "wheel"), tmp_path / "place"
    assert wheel.name.startswith(f"ordolex-{ordolex.__version__}-")
    install = ["-m", "pip", "install", "-q", "--disable-pip-version-check", "--no-deps", "--no-index"]
    subprocess.run([sys.executable, *install, "--target", str(place), str(wheel)], check=True, timeout=100)
    assert (place / "ordolex/py.typed").exists()
    assert (place / "share/applications/ordolex.desktop").exists() and (place / "share/man/man1/ordolex.1").exists()

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


def test_the_wheel_is_built_with_a_compiler_and_without(tmp_path: Path) -> None:
    """What is compiled is of one machine, and says so; without a compiler the wheel is for any."""
    part = "ordolex/core/match/libforward.so.1"
    without = built(tmp_path / "without", "wheel", CC="false")
    assert without.name.endswith("-py3-none-any.whl") and part not in zipfile.ZipFile(without).namelist()
    if shutil.which("cc"):
        with_it = built(tmp_path / "with", "wheel")
        assert not with_it.name.endswith("-any.whl") and part in zipfile.ZipFile(with_it).namelist()


def test_the_source_archive_holds_what_a_wheel_is_made_of(tmp_path: Path) -> None:
    with tarfile.open(built(tmp_path / "dist", "sdist")) as archive:
        names = {name.partition("/")[2] for name in archive.getnames()}
    wanted = ("pyproject.toml", "README.md", "LICENSE", "CHANGELOG.md", "src/ordolex/bench/alder_brook.toml")
    assert {
        *wanted,
        "src/ordolex/sheets/meter.toml",
        "src/ordolex/py.typed",
        "hatch_build.py",
        "src/ordolex/core/match/forward.c",
        "share/ordolex.desktop",
        "docs/ordolex.1",
    } <= names


def test_the_licence_of_every_package_that_is_used_is_said() -> None:
    declared = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["dependencies"]
    rows = re.findall(r"^\| ([a-z0-9, -]+) \| .", (ROOT / "docs" / "licences.md").read_text(), re.M)
    said = {name for row in rows for name in row.split(", ")} - {"package", "---"}
    assert said == {re.split("[<>=]", one)[0] for one in declared}


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


def _imported() -> dict[str, str]:
    """Top-level module → a file that imports it, also within functions."""
    found: dict[str, str] = {}
    for file in (ROOT / "src").rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())):
            names = [alias.name for alias in node.names] if isinstance(node, ast.Import) else []
            if isinstance(node, ast.ImportFrom) and node.module and not node.level:
                names = [node.module]
            found |= {name.split(".")[0]: str(file) for name in names}
    return {name: file for name, file in found.items() if name not in sys.stdlib_module_names and name != "ordolex"}


def test_all_that_is_imported_is_declared() -> None:
    """A wheel in a fresh environment ended a handover for want of a package that only the tests' tools brought."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    declared = {re.split(r"[^A-Za-z0-9_.-]", one)[0].lower().replace("_", "-") for one in project["dependencies"]}
    brought = packages_distributions()
    undeclared = {
        module: file for module, file in _imported().items()
        if not {name.lower().replace("_", "-") for name in brought.get(module, [module])} & declared
    }  # fmt: skip
    assert not undeclared


WITHOUT_THE_REST = """
import importlib, pkgutil, re, sys
from importlib.metadata import distribution, packages_distributions, requires
allowed, left = set(), ["ordolex"]
while left:
    name = left.pop().lower().replace("_", "-")
    if name not in allowed:
        allowed.add(name)
        try:
            needed = requires(name) or []
        except Exception:
            continue
        left += [re.split(r"[^A-Za-z0-9_.-]", one)[0] for one in needed if "extra ==" not in one]
brought = packages_distributions()
class Rest:
    def find_spec(self, name, path=None, target=None):
        top = name.split(".")[0]
        if top in brought and not {d.lower().replace("_", "-") for d in brought[top]} & allowed:
            raise ModuleNotFoundError(f"{name} is not declared")
sys.meta_path.insert(0, Rest())
import ordolex
for module in pkgutil.walk_packages(ordolex.__path__, "ordolex."):
    if not module.name.endswith("__main__"):
        importlib.import_module(module.name)
from ordolex.cli.main import MODULE_OF, application
from typer.testing import CliRunner
for command in MODULE_OF:
    result = CliRunner().invoke(application([command]), [command, "--help"])
    assert result.exit_code == 0, (command, result.output)
print(len(MODULE_OF), "commands")
"""


def test_every_module_and_command_begins_with_the_declared_packages_alone() -> None:
    done = subprocess.run([sys.executable, "-c", WITHOUT_THE_REST], capture_output=True, text=True, timeout=120)
    assert done.returncode == 0 and int(done.stdout.split()[0]) > 20, done.stderr[-2000:]
