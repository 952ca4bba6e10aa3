"""The path to a device and the survey of a network, on this computer's loopback network; nothing else is called."""

from __future__ import annotations

import asyncio
import socket
import threading
import time
from collections.abc import AsyncIterator
from ipaddress import IPv4Address, IPv4Interface, IPv4Network
from pathlib import Path

import pytest
import zeroconf

from ordolex.core.net.addresses import OwnAddress
from ordolex.core.net.own_change import beside
from ordolex.io.net import check, interfaces, page, ping, undo
from ordolex.io.net.announced import Announcements
from ordolex.io.net.survey import AGREE_S, AT_A_TIME, Host, KnownPort, Progress, survey
from ordolex.io.relay.box import look_at_channel
from ordolex.io.system.faults import Fault
from tests.conftest import own_network, until

PORTS = [KnownPort(47001, "channel", "serial channel 1"), KnownPort(47002, "channel", "serial channel 2"),
         KnownPort(47023, "telnet", "console"), KnownPort(47080, "other", "page")]  # fmt: skip


class Listener:
    """A server that says something when it is called, and keeps what it is told."""

    def __init__(self, says: bytes = b"", *, answers: bytes = b"", hangs_up: bool = False) -> None:
        self.says, self.answers, self.hangs_up = says, answers, hangs_up
        self.heard = bytearray()
        self.calls: list[float] = []

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.calls.append(time.monotonic())
        writer.write(self.says)
        try:
            while not self.hangs_up and (data := await reader.read(100)):
                self.heard += data
                writer.write(self.answers)
        except (OSError, asyncio.CancelledError):
            pass
        finally:
            writer.close()


@pytest.fixture
async def box() -> AsyncIterator[dict[int, Listener]]:
    """Of one address: a served port, a raw channel, a console, a page."""
    there = {
        47001: Listener(answers=b"\xff\xfd\x2c"), 47002: Listener(says=b"21.4 C\r\n"),
        47023: Listener(says=b"\xff\xfb\x01Gate box\r\nlogin: "), 47080: Listener(),
    }  # fmt: skip
    servers = [await asyncio.start_server(one.serve, f"{own_network()}.9", port) for port, one in there.items()]
    yield there
    for server in servers:
        server.close()


async def test_a_survey_says_what_is_proven_and_sends_no_more_than_it_said(box: dict[int, Listener]) -> None:
    told: list[Host] = []
    progress = Progress(0)
    hosts = await survey(IPv4Network(f"{own_network()}.0/28"), told.append, progress, ports=PORTS)
    assert [host.address for host in hosts] == [f"{own_network()}.9"] and told
    services = {service.port: service for service in hosts[0].services if service.port in box}
    assert services[47001].proven == "RFC 2217"
    assert services[47002].proven == "" and "21.4 C" in services[47002].banner
    assert services[47023].proven == "text console" and "login:" in services[47023].banner
    assert services[47080].proven == ""
    assert {port: bytes(one.heard)[-3:] for port, one in box.items() if one.heard} == {
        47001: b"\xff\xfb\x2c", 47002: b"\xff\xfb\x2c", 47023: b"\xff\xfb\x2c",
    }  # fmt: skip
    assert all(len(one.calls) == 1 for one in box.values()), "never the same port twice"
    assert progress.done == 14 and progress.tries >= 14 * len(PORTS)


async def test_a_box_that_names_itself_after_it_was_found_is_told_again_at_once(box: dict[int, Listener]) -> None:
    told: list[Host] = []
    address = f"{own_network()}.9"

    def announced() -> list[tuple[str, str, str, int]]:
        return [(address, "_telnet._tcp", "gate box", 23)] if told else []

    await survey(IPv4Network(f"{own_network()}.8/30"), told.append, ports=PORTS, announced=announced)
    assert [host.announced for host in told[:2]] == [(), (("_telnet._tcp", "gate box", 23),)]
    assert told[0].services == told[1].services, "before the box was visited for more channels"


async def test_a_survey_that_only_listens_sends_nothing(box: dict[int, Listener]) -> None:
    hosts = await survey(IPv4Network(f"{own_network()}.8/30"), lambda host: None, offer=False, ports=PORTS)
    assert {service.port for service in hosts[0].services} >= set(box)
    assert not any(one.heard for one in box.values())
    assert all("RFC 2217" not in service.proven for service in hosts[0].services)


async def test_a_box_with_more_channels_is_visited_again_a_second_later(box: dict[int, Listener]) -> None:
    third = Listener()
    server = await asyncio.start_server(third.serve, f"{own_network()}.9", 47007)
    hosts = await survey(IPv4Network(f"{own_network()}.8/30"), lambda host: None, ports=PORTS)
    assert 47007 in {service.port for service in hosts[0].services}
    assert third.calls[0] - max(one.calls[0] for one in box.values()) >= 1.0
    server.close()


async def test_a_survey_is_stopped_at_once_and_leaves_nothing_open() -> None:
    before = len(list(Path("/proc/self/fd").iterdir()))
    task = asyncio.create_task(survey(IPv4Network("127.111.0.0/22"), lambda host: None))
    await asyncio.sleep(0.05)
    assert len(list(Path("/proc/self/fd").iterdir())) <= before + AT_A_TIME + 16
    task.cancel()
    with pytest.raises(asyncio.CancelledError):
        await task
    assert len(list(Path("/proc/self/fd").iterdir())) <= before + 2


async def test_a_port_answers_refuses_or_is_silent_in_words() -> None:
    with socket.create_server(("127.0.0.1", 0)) as listener:
        port = listener.getsockname()[1]
        answered = await ping.reach("127.0.0.1", port)
        assert answered.state == "answered" and "does not tell" in answered.words
    refused = await ping.reach("127.0.0.1", port)
    assert refused.state == "refused" and "the host is there" in refused.words
    full = socket.create_server(("127.0.0.1", 0), backlog=0)
    fillers = [socket.socket() for _ in range(4)]
    for one in fillers:
        one.setblocking(False)
        one.connect_ex(full.getsockname())
    silent = await ping.reach("127.0.0.1", full.getsockname()[1], timeout_s=0.3)
    assert silent.state == "silent" and "no host there, or" in silent.words
    for one in (*fillers, full):
        one.close()


async def test_the_way_is_told_step_by_step() -> None:
    own = [OwnAddress("eth7", IPv4Interface("192.168.77.5/24"), "02:00:00:00:00:07")]
    with socket.create_server(("127.0.0.1", 0)) as listener:
        port = listener.getsockname()[1]
        steps = [step async for step in check.check("127.0.0.1", port, mask="255.255.255.0", gateway="127.0.0.1",
                                                    direct=True, own=own)]  # fmt: skip
    told = {step.step: step for step in steps}
    assert told["own address"].words == "192.168.77.5/24 on eth7"
    assert told["addresses"].ok is False and "in no network of this computer" in told["addresses"].words
    assert told["gateway"].ok is False and "the device itself" in told["gateway"].words
    assert told["TCP port"].ok is True
    assert any("leave the gateway empty" in step.words for step in steps)
    none = [step async for step in check.check("127.0.0.1", own=[])]
    assert none[0].ok is False and "plug the network cable in" in none[0].do


async def test_a_free_address_is_asked_for_before_it_is_proposed() -> None:
    """On loopback an address is taken where something listens."""
    taken = f"{own_network()}.253"
    server = await asyncio.start_server(lambda reader, writer: writer.close(), taken, 2323)
    proposal = await check.propose(IPv4Address(f"{own_network()}.44"), 24, "lo", own=[], system="linux")
    server.close()
    assert proposal is not None and proposal.asked == ((taken, True), (f"{own_network()}.252", False))
    assert proposal.change.undo_text == f"ip address del {own_network()}.252/24 dev lo"


async def test_what_was_added_is_remembered_until_it_is_taken_back(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "state" / "added.json"
    change = beside("linux", "eth0", IPv4Interface("10.9.8.7/24"))
    ran: list[tuple[str, ...]] = []

    async def run(words: tuple[str, ...]) -> None:
        assert undo.pending(path) == [change], "remembered before it is made, also if the power goes then"
        ran.append(words)

    monkeypatch.setattr(undo, "_run", run)
    monkeypatch.setattr(undo.os, "geteuid", lambda: 0)
    await undo.make(change, path)
    await undo.take_back(change, path)
    assert ran == [change.do, change.undo] and undo.pending(path) == []
    monkeypatch.setattr(undo.os, "geteuid", lambda: 1000)
    with pytest.raises(Fault, match=r"sudo ip address add 10\.9\.8\.7/24 dev eth0"):
        await undo.make(change, path)
    assert undo.pending(path) == []
    path.write_text("{ broken")
    assert undo.pending(path) == []


def test_what_other_systems_print_is_read() -> None:
    linux = (
        "IP address       HW type     Flags       HW address            Mask     Device\n"
        "10.0.0.7         0x1         0x2         AA:bb:cc:00:11:22     *        eth0\n"
        "10.0.0.8         0x1         0x0         00:00:00:00:00:00     *        eth0\n"
    )
    assert interfaces.read_arp(linux) == {"10.0.0.7": "aa:bb:cc:00:11:22"}
    mac = "? (10.0.0.7) at a:b:cc:0:11:22 on en0 ifscope [ethernet]\n? (10.0.0.9) at (incomplete) on en0"
    assert interfaces.read_arp_command(mac) == {"10.0.0.7": "0a:0b:cc:00:11:22"}
    windows = "  10.0.0.7              aa-bb-cc-00-11-22     dynamic\n"
    assert interfaces.read_arp_command(windows) == {"10.0.0.7": "aa:bb:cc:00:11:22"}
    assert ping.read_ping("64 bytes: time=0.42 ms\nAntwort: Zeit<1ms TTL=64\ntemps=12,5 ms", 4) == (
        0.42,
        1.0,
        12.5,
        None,
    )


async def test_a_page_is_looked_at_and_nothing_of_it_is_run() -> None:
    body = b"<html><head><title>Gate \x1b[31m box</title><script>alert(1)</script>" + b"x" * 500_000

    async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        asked = await reader.readuntil(b"\r\n\r\n")
        assert asked.startswith(b"GET / ")
        writer.write(b"HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nConnection: close\r\n\r\n" + body)
        writer.close()

    server = await asyncio.start_server(serve, "127.0.0.1", 0)
    url = f"http://127.0.0.1:{server.sockets[0].getsockname()[1]}/"
    seen = await page.look_at_page(url)
    assert seen.status == 200 and seen.title.startswith("Gate") and "\x1b" not in seen.title
    server.close()
    gone = await page.look_at_page(url)
    assert gone.status == 0 and gone.why


def test_the_name_in_a_certificate_is_its_subject_and_not_its_issuer() -> None:
    def name(text: str) -> bytes:
        value = bytes((0x0C, len(text))) + text.encode()
        return b"\x31" + bytes((len(value) + 7,)) + b"\x30" + bytes((len(value) + 5,)) + b"\x06\x03\x55\x04\x03" + value

    assert page.name_in_certificate(b"\x30\x82" + name("Brook root") + b"dates" + name("gate-box")) == "gate-box"
    assert page.name_in_certificate(name("gate-box")) == "gate-box"
    assert page.name_in_certificate(b"\x30\x00") == "nobody named"


async def test_a_box_that_announces_itself_is_heard_by_name() -> None:
    """On loopback, and by this name only: other announcements may be there too."""
    from zeroconf import IPVersion, ServiceInfo
    from zeroconf.asyncio import AsyncZeroconf

    from ordolex.io.net.announced import Announcements

    name, kind = f"gate {own_network()}".replace(".", "-"), "_telnet._tcp.local."
    address = socket.inet_aton(f"{own_network()}.7")
    speaker = AsyncZeroconf(interfaces=["127.0.0.1"], ip_version=IPVersion.V4Only)
    info = ServiceInfo(
        kind, f"{name}.{kind}", addresses=[address], port=2323, server=f"{name.replace(' ', '-')}.local."
    )
    await speaker.async_register_service(info)
    told = await asyncio.to_thread(Announcements(["127.0.0.1"]).__enter__)
    try:
        await until(lambda: (f"{own_network()}.7", "_telnet._tcp", name, 2323) in told.heard)
        hosts = await survey(IPv4Network(f"{own_network()}.6/31"), lambda host: None, announced=lambda: told.heard)
        assert [(host.address, host.name) for host in hosts] == [(f"{own_network()}.7", name)]
        assert hosts[0].proven == "announced itself; not reached"
    finally:
        await asyncio.to_thread(told.__exit__, None, None, None)
        await speaker.async_close()


async def test_a_serial_server_that_is_slow_to_agree_is_waited_for_before_it_is_mapped() -> None:
    async def slow(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await reader.readexactly(3)  # the offer of RFC 2217
        await asyncio.sleep(1.2 * AGREE_S)
        writer.write(bytes([255, 253, 44]))
        await reader.read()
        writer.close()

    server = await asyncio.start_server(slow, "127.0.0.1", 0)
    port = server.sockets[0].getsockname()[1]
    assert (await look_at_channel("127.0.0.1", port, 1, agree_s=60)).gives == "rfc2217"
    server.close()


def test_a_look_up_that_a_busy_computer_does_not_get_done_is_left_out(monkeypatch: pytest.MonkeyPatch) -> None:
    def blocked(self: object, *given: object, **named: object) -> None:
        raise zeroconf.EventLoopBlocked

    raised: list[object] = []
    monkeypatch.setattr(threading, "excepthook", raised.append)
    monkeypatch.setattr(zeroconf.Zeroconf, "get_service_info", blocked)
    with Announcements(["127.0.0.1"]) as told:
        before = set(threading.enumerate())
        told._told(None, "_telnet._tcp.local.", "gate box._telnet._tcp.local.", None)
        for one in set(threading.enumerate()) - before:
            one.join(30)
    assert told.why == "" and told.heard == [] and raised == []
