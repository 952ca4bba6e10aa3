"""Compiles the one part in C where a compiler is at hand; without one the wheel is pure Python, and slower in Match."""

from __future__ import annotations

import os
import shlex
import subprocess
import sysconfig
from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface

_HERE = Path("src/ordolex/core/match")


class CompiledPart(BuildHookInterface):  # type: ignore[type-arg]
    """Builds `libforward.so.1` beside its source, and names the machine in the wheel's tag where it did."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        source, library = Path(self.root, _HERE, "forward.c"), Path(self.root, _HERE, "libforward.so.1")
        half = library.with_suffix(f".{os.getpid()}")  # a program that runs may have the old one open
        compiler = shlex.split(os.environ.get("CC", "cc"))
        try:
            subprocess.run(
                [*compiler, "-O2", "-shared", "-fPIC", "-o", str(half), str(source), "-lm"],
                check=True,
                capture_output=True,
            )
        except (OSError, subprocess.CalledProcessError) as error:
            half.unlink(missing_ok=True)
            self.app.display_info(f"no compiled part: {error}")
            return
        half.replace(library)
        build_data["artifacts"].append(str(_HERE / library.name))
        build_data["pure_python"] = False
        build_data["tag"] = f"py3-none-{sysconfig.get_platform().replace('-', '_').replace('.', '_')}"
