"""Publishing through TLS to a real broker with a certificate of its own; and showing what others publish."""

from __future__ import annotations

import json
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from ordolex.io.book.book import Book
from ordolex.io.book.values import Message
from ordolex.io.watch.listening import Far, Listening, far_of
from ordolex.io.watch.publish import Publisher, read_broker
from tests.broker import NEEDS_BROKER, Mosquitto
from tests.conftest import until

OPENSSL = shutil.which("openssl")
NEEDS_OPENSSL = pytest.mark.skipif(OPENSSL is None, reason="no openssl here: scripts/need openssl")


@pytest.fixture
def book(tmp_path: Path) -> Iterator[Book]:
    book = Book(tmp_path / "b.ordolex", "Alder Brook")
    yield book
    book.close()


def certificate(folder: Path, name: str) -> tuple[Path, Path]:
    """A certificate for this computer that only who was given it trusts, and its key."""
    made, key = folder / f"{name}.pem", folder / f"{name}.key"
    subject = ["-subj", f"/CN={name}", "-addext", "subjectAltName=IP:127.0.0.1"]
    keys = ["-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes"]
    command = [str(OPENSSL), "req", "-x509", *keys, "-keyout", str(key), "-out", str(made), "-days", "2", *subject]
    subprocess.run(command, check=True, timeout=60, capture_output=True)
    key.chmod(0o644)
    return made, key


@NEEDS_BROKER
@NEEDS_OPENSSL
async def test_only_a_broker_with_the_certificate_that_is_trusted_is_published_to(book: Book, tmp_path: Path) -> None:
    made, key = certificate(tmp_path, "broker")
    other, _ = certificate(tmp_path, "other")
    broker = Mosquitto(tmp_path, f"certfile {made}", f"keyfile {key}")
    broker.start()
    content = {
        "time": "2026-11-26T10:00:00.000Z",
        "link": "L",
        "item": "x",
        "value": 7.5,
        "unit": "",
        "quality": "good",
    }
    book.recorder.values([], [Message("ordolex/Alder Brook/value/L/x", json.dumps(content), True)])
    url = f"mqtts://127.0.0.1:{broker.port}"
    for authority in ("", str(other)):  # the system's certificates, and another one
        stranger = Publisher(read_broker(url, authority), "Alder Brook", book, f"stranger{len(authority)}")
        stranger.start()
        await until(
            lambda stranger=stranger: stranger.words.endswith("it cannot be reached; 1 message waits in the book")
        )
        stranger.stop()
    publisher = Publisher(read_broker(url, str(made)), "Alder Brook", book)
    publisher.start()
    await until(lambda: "1 message confirmed" in publisher.words)
    listening = Listening(read_broker(url, str(made)))
    listening.start()
    await until(lambda: len(listening.all) == 2)
    site, value = listening.all
    assert (site.item, site.quality, value.item, value.value) == ("", "online", "x", 7.5)
    assert listening.words == f"{url}: 1 item of 1 site"
    publisher.stop()
    await until(lambda: listening.all[0].quality == "offline")
    listening.stop()
    broker.stop()


def test_what_others_publish_is_taken_as_it_is_or_left() -> None:
    value = {"time": "t", "link": "L", "item": "x", "value": True, "unit": "mg/l", "quality": "good"}
    found = far_of("ordolex/site/value/L/x", value)
    assert isinstance(found, Far) and found.value == "True" and found.site == "site"
    assert far_of("ordolex/site/event/L/x", {**value, "event": "low"}) is None
    assert far_of("ordolex", value) is None and far_of("ordolex/a/b", {"value": 3}) is None
    long = far_of("ordolex/s/value/L/x", {"item": "y" * 9000, "value": ["no", "number"]})
    assert long is not None and len(long.item) == 200 and isinstance(long.value, str)
