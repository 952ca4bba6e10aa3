import itertools

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from ordolex.core.line.notation import read_line
from ordolex.core.netserial.comport import Code, Control, LineState, Message, ModemState, Purge, decode
from ordolex.core.netserial.ends import Agreed, Command, ComPortClient, ComPortServer, Data, Held, NotSpoken
from ordolex.core.netserial.telnet import (
    BINARY,
    COM_PORT,
    DO,
    DONT,
    IAC,
    MAX_SUBNEGOTIATION,
    SB,
    SE,
    WILL,
    WONT,
    OptionChanged,
    OptionRefused,
    Overlong,
    Payload,
    Subnegotiation,
    Telnet,
    TelnetEvent,
)


def end(*accepts: int) -> Telnet:
    return Telnet(frozenset(accepts))


def binary_pair() -> tuple[Telnet, Telnet]:
    a, b = end(BINARY, COM_PORT), end(BINARY, COM_PORT)
    a.offer(BINARY)
    a.demand(BINARY)
    settle(a, b)
    return a, b


def settle(a: Telnet, b: Telnet, rounds: int = 10) -> int:
    """Passes output to and fro until both are silent; the number of rounds it took."""
    for count in range(rounds):
        first, second = a.take_output(), b.take_output()
        if not first and not second:
            return count
        b.receive(first)
        a.receive(second)
    raise AssertionError("the negotiation does not end")


def joined(events: list[TelnetEvent]) -> list[TelnetEvent]:
    out: list[TelnetEvent] = []
    for event in events:
        if isinstance(event, Payload) and out and isinstance(out[-1], Payload):
            out[-1] = Payload(out[-1].data + event.data)
        else:
            out.append(event)
    return out


STREAM = (
    b"plain\xff\xffdoubled" + bytes((IAC, WILL, BINARY)) + b"more" + bytes((IAC, SB, COM_PORT, 101, 0, 0, IAC, IAC, 0))
    + bytes((IAC, SE)) + b"\xff\xff" + bytes((IAC, DO, 99)) + bytes((IAC, 241)) + b"end"
)  # fmt: skip


@given(st.lists(st.integers(0, len(STREAM)), max_size=12))
def test_any_split_of_the_bytes_gives_the_same_events(cuts: list[int]) -> None:
    whole, pieces = end(BINARY), end(BINARY)
    places = [0, *sorted(cuts), len(STREAM)]
    events = [e for a, b in itertools.pairwise(places) for e in pieces.receive(STREAM[a:b])]
    assert joined(events) == joined(whole.receive(STREAM))
    assert pieces.take_output() == whole.take_output()


@given(st.binary(max_size=300))
def test_every_byte_passes_a_binary_connection(data: bytes) -> None:
    a, b = binary_pair()
    a.send(data)
    assert b"".join(e.data for e in b.receive(a.take_output()) if isinstance(e, Payload)) == data


@example(b"\r\0", 2)
@given(st.binary(max_size=60), st.integers(1, 20))
def test_every_byte_passes_before_binary_is_agreed_too(data: bytes, piece: int) -> None:
    a, b = end(), end()
    a.send(data)
    wire = a.take_output()
    events = [e for i in range(0, len(wire), piece) for e in b.receive(wire[i : i + piece])]
    assert b"".join(e.data for e in events if isinstance(e, Payload)) == data


@given(st.binary(max_size=400))
def test_no_bytes_can_break_a_telnet_end(data: bytes) -> None:
    victim = end(BINARY, COM_PORT)
    victim.receive(data)
    assert len(victim.take_output()) <= 3 * len(data)


def test_two_ends_that_ask_for_the_same_settle() -> None:
    a, b = end(BINARY, COM_PORT), end(BINARY, COM_PORT)
    for side in (a, b):
        side.offer(BINARY)
        side.demand(BINARY)
    assert settle(a, b) <= 3
    assert all(side.enabled(BINARY, ours=ours) for side in (a, b) for ours in (True, False))


@pytest.mark.parametrize("verb", [WILL, WONT, DO, DONT])
def test_a_repeated_command_is_answered_once_at_most(verb: int) -> None:
    side = end(BINARY)
    side.receive(bytes((IAC, verb, BINARY)) * 50)
    assert len(side.take_output()) <= 3


def test_an_unknown_option_is_refused_each_time_it_is_asked_for() -> None:
    side = end()
    side.receive(bytes((IAC, DO, 99, IAC, WILL, 98)))
    assert side.take_output() == bytes((IAC, WONT, 99, IAC, DONT, 98))


def test_refusal_of_what_we_asked_for_is_told() -> None:
    side = end(COM_PORT)
    side.offer(COM_PORT)
    assert side.receive(bytes((IAC, DONT, COM_PORT))) == [OptionRefused(COM_PORT, True)]
    assert side.receive(bytes((IAC, DO, COM_PORT))) == [OptionChanged(COM_PORT, True, True)]


def test_an_endless_subnegotiation_is_passed_over_without_filling_the_memory() -> None:
    side = end()
    side.receive(bytes((IAC, SB, COM_PORT)) + bytes(10 * MAX_SUBNEGOTIATION))
    assert side.receive(bytes((IAC, SE)) + b"on") == [Overlong(COM_PORT), Payload(b"on")]


def test_a_subnegotiation_with_doubled_ff_is_whole() -> None:
    a, b = end(), end()
    a.send_subnegotiation(COM_PORT, b"\x01\xff\xff\xfe\xf0")
    assert b.receive(a.take_output()) == [Subnegotiation(COM_PORT, b"\x01\xff\xff\xfe\xf0")]


# ---- COM-PORT


@pytest.mark.parametrize("from_server", [False, True])
@pytest.mark.parametrize("code", list(Code))
def test_every_command_reads_back(code: Code, from_server: bool) -> None:
    message = Message(code, from_server=from_server)
    if code is Code.SIGNATURE:
        message = Message(code, text=b"made-up server", from_server=from_server)
    elif code is Code.SET_BAUDRATE:
        message = Message(code, 0xFFFE0102, from_server=from_server)
    elif code not in (Code.FLOWCONTROL_SUSPEND, Code.FLOWCONTROL_RESUME):
        message = Message(code, 0xFF, from_server=from_server)
    assert decode(message.encode()) == message


def test_published_bytes_of_a_baud_command() -> None:
    """RFC 2217 section 3: IAC SB COM-PORT-OPTION SET-BAUD <value(4)> IAC SE, network order."""
    client = ComPortClient()
    client.command(Code.SET_BAUDRATE, 19200)
    assert client.take_output() == bytes((255, 250, 44, 1, 0, 0, 0x4B, 0, 255, 240))


@given(st.binary(max_size=12))
def test_no_subnegotiation_breaks_the_decoder(data: bytes) -> None:
    message = decode(data)
    assert message is None or message.encode() == data


def ends() -> tuple[ComPortClient, ComPortServer, list[object], list[object]]:
    client, server = ComPortClient(), ComPortServer()
    client.start()
    server.start()
    at_client: list[object] = []
    at_server: list[object] = []
    exchange(client, server, at_client, at_server)
    return client, server, at_client, at_server


def exchange(client: ComPortClient, server: ComPortServer, at_client: list[object], at_server: list[object]) -> None:
    for _ in range(8):
        up, down = client.take_output(), server.take_output()
        if not up and not down:
            return
        at_server += server.receive(up)
        at_client += client.receive(down)
    raise AssertionError("the negotiation does not end")


def test_client_and_server_agree_and_set_everything() -> None:
    client, server, at_client, at_server = ends()
    assert client.agreed and server.agreed
    assert Agreed() in at_client and Agreed() in at_server
    wanted = client.configure(read_line("19200 7E2 RTS/CTS").settings)
    at_server.clear()
    exchange(client, server, at_client, at_server)
    assert [e.message for e in at_server if isinstance(e, Command)] == wanted
    assert [m.value for m in wanted] == [19200, 7, 3, 2, Control.FLOW_RTS_CTS]


def test_notices_purge_and_holding_reach_the_other_end_in_order() -> None:
    client, server, at_client, at_server = ends()
    at_client.clear()
    at_server.clear()
    server.send(b"ab")
    server.notify_line(LineState.FRAMING | LineState.BREAK)
    server.send(b"\xff\rc")
    server.notify_modem(ModemState.CTS)
    client.purge(Purge.BOTH)
    client.suspend(True)
    client.suspend(False)
    exchange(client, server, at_client, at_server)
    assert at_client == [
        Data(b"ab"),
        Command(Message(Code.NOTIFY_LINESTATE, 24, from_server=True)),
        Data(b"\xff\rc"),
        Command(Message(Code.NOTIFY_MODEMSTATE, 16, from_server=True)),
    ]
    assert at_server == [Command(Message(Code.PURGE_DATA, 3)), Held(True), Held(False)]


def test_a_telnet_peer_without_rfc_2217_is_told_apart() -> None:
    client, plain = ComPortClient(), end()
    client.start()
    plain.receive(client.take_output())
    events = client.receive(plain.take_output())
    assert NotSpoken() in events and not client.agreed


def test_a_message_from_the_wrong_side_is_ignored() -> None:
    client, server, at_client, _ = ends()
    at_client.clear()
    client.command(Code.SET_BAUDRATE, 300)
    assert client.receive(client.take_output()) == []
    assert server.receive(b"\xff\xfa\x2c\x65\x00\x00\x01\x2c\xff\xf0") == []
