"""A procedure tried on a stand-in of the same kind first, in a process of its own that ends with it."""

from __future__ import annotations

import asyncio
import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path

from ordolex.core.line.notation import read_line
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.procedures import Procedure
from ordolex.io.book.nowhere import NoBook
from ordolex.io.device.procedure import AskSecret, Outcome, Typist
from ordolex.io.link.runner import LinkRunner
from ordolex.io.ports.benches import BenchProcess
from ordolex.io.system.faults import Fault


async def rehearse(
    sheet: Sheet,
    procedure: Procedure,
    values: Mapping[str, str],
    ask_secret: AskSecret,
    said: Callable[[str], None] = lambda words: None,
) -> Outcome:
    """Nothing of it is recorded, and nothing is stored in the stand-in. Raises a Fault where there is no stand-in."""
    if not sheet.bench_kind:
        raise Fault(f"there is no stand-in for {sheet.device}", "write it down and go slowly instead")
    with tempfile.TemporaryDirectory() as folder:
        plan = Path(folder) / "plan.toml"
        settings = sheet.line.settings
        plan.write_text(
            f'[[device]]\nname = "rehearsal"\nkind = "{sheet.bench_kind}"\nline = "{settings}"\ninterval_s = 0.0\n'
        )
        bench = await asyncio.to_thread(BenchProcess, plan, Path(folder) / "ready.json")
        try:
            endpoint = bench.notice.devices[0].endpoint
            runner = LinkRunner(0, endpoint, read_line(settings).settings, NoBook())
            await runner.open()
            try:
                return await Typist(runner, values, ask_secret, said).run(procedure)
            finally:
                await runner.release()
        finally:
            await asyncio.to_thread(bench.stop)
