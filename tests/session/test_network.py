"""What the path to a device is checked against: what was typed of it, and what it said itself."""

from __future__ import annotations

import asyncio
from pathlib import Path

import pytest

from ordolex.core.net.addresses import read_target
from ordolex.core.record.items import LinkRecord
from ordolex.core.relay.fit import Channel
from ordolex.io.book.book import Book
from ordolex.io.link.hub import Hub
from ordolex.io.system.clock import mono_s
from ordolex.session.network import Network, told_by

BOOT = b"""eth0: link up
eth0: 127.90.3.7 netmask 255.255.240.0 gateway 127.90.16.1
eth0: dhcp off
eth0: 127.90.3.8 netmask 255.255.240.0 gateway 127.90.15.254
"""


@pytest.mark.parametrize(
    ("typed", "mask_said", "gateway"),
    [
        ("127.90.3.7:9", "/20", "gateway 127.90.16.1 is not in 127.90.0.0/20"),
        ("127.90.3.8:9", "/20", "gateway 127.90.15.254 is in 127.90.0.0/20"),
        ("127.90.3.8/24:9", "/24", "gateway 127.90.15.254 is not in 127.90.3.0/24"),  # what was typed goes before it
        ("127.90.3.9:9", "", ""),
    ],
)
def test_what_a_device_named_of_its_address_is_held_against_it(
    tmp_path: Path, typed: str, mask_said: str, gateway: str
) -> None:
    book = Book(tmp_path / "b.ordolex")
    link = book.add_link(LinkRecord(0, "intake console", "/dev/made-up", "9600 8N1"))
    for at in range(0, len(BOOT), 11):  # in pieces that cut addresses
        book.recorder.record(link.id, "rx", BOOT[at : at + 11], None, mono_s())
    book.close()  # all of it is written
    book = Book(tmp_path / "b.ordolex")
    hub = Hub(book.recorder)
    network, target = Network(hub), read_target(typed)
    told = next((one for one in told_by(book.reader, link) if one.named.address == target.host), None)
    network.check(target, told).result(60)
    said = [step.words for step in network.steps]
    assert any(gateway in words for words in said) if gateway else not any("gateway" in words for words in said)
    assert (told is not None) == bool(mask_said)
    assert network.steps[0].step == ("as it said" if told else "own address")
    hub.stop()
    book.close()


async def test_two_looks_at_a_box_do_not_take_each_other_for_somebody_who_holds_a_channel(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    book = Book(tmp_path / "b.ordolex")
    hub = Hub(book.recorder)
    network, under_way, most = Network(hub), 0, 0

    async def look(host: str, port: int, number: int, *, offer: bool, called_from: set[str]) -> Channel:
        nonlocal under_way, most
        under_way, most = under_way + 1, max(most, under_way + 1)
        called_from.add(f"127.0.0.1:{50000 + port}")
        await asyncio.sleep(0.02)
        under_way -= 1
        return Channel(number, port, "", "tcp")

    async def read(runner: object, sheet: object, ours: set[str]) -> list[Channel]:
        nonlocal most
        most = max(most, under_way + 1)
        return [Channel(1, 4001, "raw", "tcp", holder="" if "127.0.0.1:54001" in ours else "127.0.0.1:54001")]

    monkeypatch.setattr("ordolex.session.network.look_at_channel", look)
    monkeypatch.setattr("ordolex.session.network.read_channels", read)
    looked = network.look_at_channels("127.99.1.1", [4001, 4002, 4003], offer=True)
    told = network.read_channels("127.99.1.1", None, None)  # type: ignore[arg-type]
    assert not told.result(20)[0].holder and len(looked.result(20)) == 3
    assert most == 1
    hub.stop()
    book.close()
