"""Makes docs/handover.pdf and the picture of its first page: a short visit of the bench, handed over.

python scripts/handover_example.py docs/handover.pdf docs/screenshots/handover.png
"""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
from importlib.resources import files
from pathlib import Path

from ordolex.io.ports.benches import BenchProcess


def main(pdf: Path, picture: Path) -> None:
    with tempfile.TemporaryDirectory() as folder:
        plan = Path(folder) / "plan.toml"
        plan.write_text(files("ordolex.bench").joinpath("alder_brook.toml").read_text())
        bench = BenchProcess(plan, Path(folder) / "ready.json")
        try:
            _visit(Path(folder), {device.name: device.endpoint for device in bench.notice.devices}, pdf, picture)
        finally:
            bench.stop()


def _visit(folder: Path, at: dict[str, str], pdf: Path, picture: Path) -> None:
    book = str(folder / "Alder Brook Hatchery.ordolex")

    def run(*arguments: str, typed: str = "") -> str:
        done = subprocess.run(
            [sys.executable, "-m", "ordolex", *arguments], input=typed, capture_output=True, text=True, check=False
        )
        print("ordolex", *arguments, "→", done.returncode)
        return done.stdout

    oxygen, meters, bus = at["Raceway 1 oxygen"], at["Switchboard meters"], at["Pump house bus"]
    run("ask", oxygen, "*IDN?\\n", "--line", "19200 8N1", "--book", book)
    for unit in ("11", "12"):
        run("read", meters, "--sheet", "panel-meter", "--unit", unit, "--book", book)
    run("write", meters, "ct-primary=200", "log-5=7", "--sheet", "panel-meter", "--unit", "11", "--book", book)
    run("write", meters, "ct-primary=200", "--sheet", "panel-meter", "--unit", "12", "--code-stdin", "--book", book,
        typed="2217\n")  # fmt: skip
    run("read", bus, "--sheet", "variable-speed-drive", "--unit", "3", "--book", book)
    run("write", bus, "set-point=42", "--sheet", "variable-speed-drive", "--unit", "3", "--book", book)
    run("lists", at["Alarm annunciator"], "--sheet", "alarm-annunciator", "--list", "events", "--book", book)
    run("ask", at["Raceway 3 oxygen"], "MEAS:OXYG?\\n", "--line", "9600 8N1", "--book", book)
    run("facts", book, "--link", "1", "--note", "firmware=1.14", "--source", "plate on the lid")
    run("facts", book, "--link", "1", "--note", "firmware=1.12", "--source", "manual, page 3")
    round_ = folder / "round.toml"
    round_.write_text(run("watch", "--example", oxygen))
    run("watch", str(round_), "--book", book, "--for", "40s")
    remark = "The code of meter 12 is with the site office."
    run("handover", book, "-o", str(folder / "ho"), "--by", "a technician of Brookmade", "--remark", remark)
    shutil.copy(folder / "ho" / "report.pdf", pdf)
    subprocess.run(["pdftoppm", "-r", "80", "-png", "-singlefile", str(pdf), str(picture.with_suffix(""))], check=True)


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
