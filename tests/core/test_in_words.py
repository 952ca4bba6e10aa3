"""What answers mean, what was tried, and how far a link reaches."""

from __future__ import annotations

from ordolex.core.advice.layers import directions, first_failing, layers
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.question import Question
from ordolex.core.link.state import LinkState
from ordolex.core.protocols.in_words import census, of_instrument, of_modem
from ordolex.core.record.items import Event
from ordolex.core.record.tried import last_good, tried
from ordolex.core.text import nmea0183


def test_answers_are_put_into_words_where_a_standard_has_them() -> None:
    assert of_modem(b"AT+CSQ\r", b"\r\n+CSQ: 5,99\r\n\r\nOK\r\n") == ["+CSQ: 5,99: -103 dBm, weak"]
    assert of_modem(b"AT+CMEE=?\r", b"\r\n+CMEE: (0-2)\r\n\r\nOK\r\n") == ["+CMEE takes 0 to 2"]
    assert of_modem(b"AT+IPR=?\r", b"\r\n+IPR: (),(300,1200)\r\n\r\nOK\r\n") == ["+IPR takes nothing; then 300, 1200"]
    assert of_modem(b"AT+X\r", b"\r\n+CME ERROR: 10\r\n") == ["+CME ERROR: 10: SIM not inserted"]
    assert of_modem(b"ATS7?\r", b"\r\n030\r\n\r\nOK\r\n") == ["S7, seconds it waits for the call to come about: 30"]
    assert of_modem(b"AT\r", b"\r\nOK\r\n") == [] == of_instrument(b"MEAS?\n", b"9.4 mg/l\n")
    assert of_instrument(b"SYST:ERR?\n", b'-222,"Data out of range"\n') == ["execution error: Data out of range"]
    assert "no measurement" in of_instrument(b"MEAS?\n", b"9.91E37\n")[0]
    rows = census(nmea0183.sentence(b"YXXDR,C,8.6,C,SPRING") + b"noise" + nmea0183.sentence(b"YXXDR,C,8.7,C,SPRING"))
    assert rows[0].split() == ["YXXDR", "2", "sentences"] and rows[1].split() == ["SPRING", "8.7", "C", "temperature"]


def event(at: int, kind: str, text: str = "", **detail: object) -> Event:
    return Event(1, at, at, kind, text, detail)


def test_each_change_stands_with_what_it_did() -> None:
    rows = tried([
        event(1, "opened", "opened at 9600 8N1"), event(2, "answer", verdict="none"), event(3, "rung", to="Heard"),
        event(4, "settings", "9600 → 19200"), event(5, "answer", verdict="right"), event(6, "rung", to="Proven"),
        event(7, "rung", to="Clear"), event(8, "outputs", "RTS off"), event(9, "answer", verdict="wrong"),
    ])  # fmt: skip
    assert [(row.what, row.effect) for row in rows] == [
        ("opened at 9600 8N1", "answers 1 silent; to Heard"), ("9600 → 19200", "answers 1 right; to Proven"),
        ("RTS off", "answers 1 wrong"),
    ]  # fmt: skip
    good = last_good(rows)
    assert good is not None and good.what == "9600 → 19200" and last_good([]) is None


def test_the_first_layer_that_fails_is_named() -> None:
    state = LinkState(LineSettings(9600))
    state.seen(0.0)
    assert [layer.good for layer in layers("rfc2217", state.evidence())] == [False, None, None, None]
    state.opened(1.0)
    state.sent(b"*IDN?\n", 1.0)
    question = Question(b"*IDN?\n")
    state.answered(Answer(question, b"", Ended.NOTHING, None, None), 2.0)
    failing = first_failing(layers("rfc2217", state.evidence()))
    assert failing is not None and failing.name == "device"
    assert "nothing shows yet that they arrive" in directions(state.evidence())[1]
    state.heard(b"a,b,c,d\n", None, 3.0)
    state.answered(Answer(question, b"a,b,c,d\n", Ended.LINE_END, 0.1, 0.1), 3.0)
    assert first_failing(layers("serial", state.evidence())) is None
    assert "the device hears us" in directions(state.evidence())[1]
    names = [layer.name for layer in layers("serial", state.evidence(), call="data state", call_up=True)]
    assert names == ["serial port", "line", "modem", "call", "far end of the call"]
    without = [layer.name for layer in layers("serial", state.evidence(), call="command state")]
    assert without == ["serial port", "line", "modem", "call"]
