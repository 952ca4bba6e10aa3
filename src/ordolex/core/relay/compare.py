"""Two line settings side by side, field by field."""

from __future__ import annotations

from typing import NamedTuple

from ordolex.core.line.settings import LineSettings


class Field(NamedTuple):
    name: str
    program: str
    far: str

    @property
    def same(self) -> bool:
        return self.program == self.far


def fields(program: LineSettings, far: LineSettings) -> list[Field]:
    """What the program set, and what is in force at the far end."""
    return [
        Field("baud", str(program.baud), str(far.baud)),
        Field("data bits", str(program.data_bits), str(far.data_bits)),
        Field("parity", program.parity.word, far.parity.word),
        Field("stop bits", f"{program.stop_bits:g}", f"{far.stop_bits:g}"),
        Field("flow control", program.flow.value, far.flow.value),
    ]


def differences(program: LineSettings, far: LineSettings) -> str:
    """`baud 9600 ≠ 19200, parity even ≠ none`; empty where there is none."""
    return ", ".join(f"{f.name} {f.program} ≠ {f.far}" for f in fields(program, far) if not f.same)
