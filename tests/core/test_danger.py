"""Commands of a modem that are asked about before they go out."""

from __future__ import annotations

import pytest

from ordolex.core.protocols.at.danger import dangers_of


@pytest.mark.parametrize(
    ("line", "named"),
    [
        (b"AT&F\r", ["&F"]), (b"atz", ["Z"]), (b"AT E0 Q1 V0 &W", ["Q1", "V0", "&W"]), (b"AT+IPR=9600", ["+IPR=9600"]),
        (b"AT&F1E1+CFUN=1,1", ["&F1", "+CFUN=1,1"]), (b"ATH0", ["H0"]), (b"AT+CFUN=0", ["+CFUN=0"]),
        (b'AT+CSQ;+CPIN="0420"', ['+CPIN="0420"']), (b'AT+CLCK="SC",1,"0420"', ['+CLCK="SC",1,"0420"']),
        (b"AT+CMGD=1,4;Q1", ["+CMGD=1,4", "Q1"]),
    ],
)  # fmt: skip
def test_what_can_cut_off_or_lose_settings_is_named(line: bytes, named: list[str]) -> None:
    assert [one.split(":")[0] for one in dangers_of(line)] == named


HARMLESS = (
    b"AT", b"ATI", b"AT+IPR?", b"AT+IPR=?", b"AT+CFUN?", b"AT+CFUN=1", b"ATDT5550141Z", b"ATE1", b"ATS0?", b"ATA",
    b"DATZ", b"", b"AT+CSQ", b"ATQ0V1", b"AT+CPIN?", b"AT+CPIN=?", b'AT+CLCK="SC",2', b"AT+CMGD=?",
)  # fmt: skip


@pytest.mark.parametrize("line", HARMLESS)
def test_questions_dialling_and_harmless_ones_are_not(line: bytes) -> None:
    assert dangers_of(line) == []
