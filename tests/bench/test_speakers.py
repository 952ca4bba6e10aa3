"""The bus, the meter and the modem: what a technician meets there, over the bench's own wire."""

from __future__ import annotations

from ordolex.bench.devices.modem import Modem
from ordolex.core.line.settings import LineSettings
from ordolex.core.wire.receiver import Character


class Desk:
    """A modem on a desk, with a clock of its own."""

    def __init__(self) -> None:
        self.modem = Modem(LineSettings(115200))
        self.now = 100.0

    def type(self, text: str, wait: float = 0.1) -> str:
        says = self.modem.receive([Character(self.now, byte) for byte in text.encode()], self.now)
        return self._text(says, wait)

    def _text(self, says: list, wait: float) -> str:  # type: ignore[type-arg]
        self.now += wait
        return b"".join(say.data for say in [*says, *self.modem.tick(self.now)]).decode()


def test_the_modem_keeps_two_sets_of_settings_and_answers_as_it_was_told() -> None:
    desk = Desk()
    assert desk.type("AT\r") == "AT\r\r\nOK\r\n"
    assert desk.type("ATE0\r") == "ATE0\r\r\nOK\r\n" and desk.type("at\r") == "\r\nOK\r\n"
    assert desk.type("ATS0?S7?\r") == "\r\n000\r\n\r\n030\r\n\r\nOK\r\n"
    assert desk.type("ATS0=2;+IPR?\r") == "\r\n+IPR: 115200\r\n\r\nOK\r\n"
    assert "ERROR" in desk.type("ATS0=999\r") and "ERROR" in desk.type("AT+NONE\r") and "ERROR" in desk.type("AT?\r")
    assert desk.type("ATV0\r") == "0\r" and desk.type("ATX9$\r") == "4\r" and desk.type("ATQ1\r") == ""
    assert desk.type("ATZ\r") == "\r\nOK\r\n" or desk.type("AT\r").startswith("AT")
    desk.type("ATE0&W\r")
    desk.type("AT+IPR=9600\r")
    assert desk.modem.line.baud == 9600
    desk.type("ATZ\r")
    assert desk.modem.line.baud == 115200 and desk.type("ATS0?\r") == "\r\n000\r\n\r\nOK\r\n"
    assert desk.type("AT+CMEE=1\r") and "+CME ERROR: 21" in desk.type("AT$NET=7\r")
    assert "0 Hill Cellular" in desk.type("AT$NET?\r") and "OK" in desk.type("AT$NET=1\r")
    assert '"Valley Mobile"' in desk.type("AT+COPS?\r")


def test_the_escape_needs_silence_on_both_sides_and_leads_back() -> None:
    desk = Desk()
    desk.type("ATE0\r")
    assert desk.type("ATDT555 0141\r") == "" and desk.modem.wishes.dial == "5550141"
    assert b"CONNECT" in desk.modem.connected(desk.now)[0].data
    desk.now += 2
    assert desk.type("+++x", 1.2) == "" and desk.modem.in_data
    desk.type("text", 0.2)
    assert desk.type("+++", 1.5) == "" and desk.modem.in_data, "no silence before it"
    desk.now += 2
    assert desk.type("+++", 1.2) == "\r\nOK\r\n" and not desk.modem.in_data
    assert "CONNECT" in desk.type("ATO\r") and desk.modem.in_data
    assert b"NO CARRIER" in desk.modem.far_end_closed(desk.now)[0].data and not desk.modem.in_call
    assert "NO CARRIER" in desk.type("ATO\r") and "OK" in desk.type("ATH\r")


def test_a_number_that_nobody_answers_is_given_up() -> None:
    desk = Desk()
    assert "\r\nNO ANSWER\r\n" in desk.type("ATE0S7=5D1234\r", 6)
    assert desk.modem.wishes.hang_up
    desk.type("ATD1234\r")
    assert "NO CARRIER" in desk.type("x"), "a key ends a call that is coming about"
