"""Values and events to a broker by MQTT 5, and back from it.

What is published waits in the book until the broker has confirmed it (QoS 1), so that an hour without network is sent
afterwards, in order; each message has an identifier, by which a receiver drops doubles. User and password come from the
environment, never from the URL.
"""

from __future__ import annotations

import contextlib
import json
import math
import os
import sqlite3
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlsplit

from paho.mqtt.client import Client, MQTTMessage, MQTTMessageInfo
from paho.mqtt.enums import CallbackAPIVersion, MQTTProtocolVersion
from paho.mqtt.packettypes import PacketTypes
from paho.mqtt.properties import Properties

from ordolex.core.text.counts import counted
from ordolex.core.watch.messages import ROOT, iso, payload, state_topic
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.system.clock import utc_us
from ordolex.io.system.faults import Fault

USER, PASSWORD = "ORDOLEX_MQTT_USER", "ORDOLEX_MQTT_PASSWORD"
_UNDER_WAY = 64
_LOOK_S = 0.1
_REFUSED_AGAIN_S = 10.0
_SILENT_S = 20.0
_KEEP_ALIVE_S = 15
_SESSION_S = 3600
_PLAIN, _SECURE = 1883, 8883


@dataclass(frozen=True, slots=True)
class Broker:
    """Where values are published. `authority` is a file with the certificates that are trusted; the system's where it
    is empty."""

    host: str
    port: int
    secure: bool
    authority: str = ""

    @property
    def text(self) -> str:
        return f"{'mqtts' if self.secure else 'mqtt'}://{self.host}:{self.port}"


def read_broker(url: str, authority: str = "") -> Broker:
    """`mqtt://host[:port]`, or `mqtts://` for TLS. Raises a Fault."""
    refused = Fault(f"{url[:60]!r} is no broker", "write mqtt://host:1883, or mqtts://host:8883 for TLS")
    try:
        parts = urlsplit(url.strip())
        port = parts.port
    except ValueError:
        raise refused from None
    if parts.scheme not in ("mqtt", "mqtts") or not parts.hostname:
        raise refused
    if parts.username or parts.password:
        raise Fault("a password in the URL can be read by everybody here", f"give it in {USER} and {PASSWORD}")
    secure = parts.scheme == "mqtts"
    return Broker(parts.hostname, port or (_SECURE if secure else _PLAIN), secure, authority)


def _client(broker: Broker, name: str) -> Client:
    """Raises a Fault where TLS cannot be set up."""
    client = Client(CallbackAPIVersion.VERSION2, client_id=name, protocol=MQTTProtocolVersion.MQTTv5)
    if os.environ.get(USER):
        client.username_pw_set(os.environ[USER], os.environ.get(PASSWORD) or None)
    if broker.secure:
        try:
            client.tls_set(ca_certs=broker.authority or None)
        except (OSError, ValueError) as error:
            raise Fault(f"TLS cannot be set up: {error}", "check the file of trusted certificates") from error
    client.reconnect_delay_set(1, 30)
    return client


def _connect(client: Client, broker: Broker) -> None:
    lasting = Properties(PacketTypes.CONNECT)  # type: ignore[no-untyped-call]
    lasting.SessionExpiryInterval = _SESSION_S
    client.connect_async(broker.host, broker.port, _KEEP_ALIVE_S, clean_start=False, properties=lasting)
    client.loop_start()


def refusal(reason: object) -> str:
    """What a broker's reason for refusing means for the work."""
    text = str(reason)
    if "protocol version" in text.lower():
        return "it does not speak MQTT 5, which is needed"
    if "user" in text.lower() or "author" in text.lower():
        return f"{text}: check {USER} and {PASSWORD}"
    return text


_NOT_YET = "not connected yet"


class Publisher:
    """Sends what waits in the book. `words` says how that stands; it runs in a thread of its own."""

    def __init__(self, broker: Broker, site: str, book: Book, name: str = "") -> None:
        self._broker, self._site, self._book = broker, site, book
        self._origin = f"{book.reader.created_us():x}"
        self._client = _client(broker, name or f"ordolex-{self._origin}")
        self._lock = threading.Lock()
        self._under_way: dict[int, int] = {}  # mid → number of the message
        self._early: dict[int, tuple[Any]] = {}
        self._publishing = False
        self._waiting: set[int] = set()  # numbers that are sent and not confirmed
        self._sent = self._confirmed = 0
        self._connected = threading.Event()
        self._ever = False
        self._trouble = _NOT_YET
        self._refused_until_s = 0.0
        self._heard_s = time.monotonic()
        self._stopping = threading.Event()
        self._catching_up = False
        self._count = 0
        self._left = -1  # not looked yet
        self._looks = 0
        client = self._client
        client.on_connect, client.on_disconnect, client.on_publish = self._on_connect, self._on_left, self._on_confirmed
        client.on_connect_fail = self._on_no_connection
        client.max_inflight_messages_set(_UNDER_WAY)
        client.will_set(state_topic(site), self._state("offline"), qos=1, retain=True)
        self._thread = threading.Thread(target=self._run, name="publisher", daemon=True)

    def start(self) -> None:
        _connect(self._client, self._broker)
        self._thread.start()

    def stop(self, patience_s: float = 3.0) -> None:
        """Waits for what waits, as long as the broker takes it; the rest is sent when this is started again. What came
        last may be on its way into the book still, and nobody has looked for it there."""
        until = time.monotonic() + patience_s
        with contextlib.suppress(sqlite3.Error, TimeoutError):
            self._book.recorder.call(lambda connection: None).result(timeout=patience_s)
        seen = self._looks
        while self._connected.is_set() and time.monotonic() < until and (self.waiting or self._looks < seen + 2):
            time.sleep(_LOOK_S)
        self._stopping.set()
        self._thread.join(timeout=5)
        if self._connected.is_set():
            with contextlib.suppress(ValueError, RuntimeError):
                last = self._client.publish(state_topic(self._site), self._state("offline"), qos=1, retain=True)
                last.wait_for_publish(1)
        self._client.disconnect()
        self._client.loop_stop()

    @property
    def waiting(self) -> int:
        """Messages that the broker has not confirmed, as far as was looked."""
        return max(0, self._left)

    @property
    def words(self) -> str:
        where = self._broker.text
        if self._connected.is_set() and not self._trouble:
            silent_s = time.monotonic() - self._heard_s
            if self._waiting and silent_s > _SILENT_S:
                return f"{where} has confirmed nothing for {silent_s:.0f} s{self._waits}"
            rest = f", {self._left} wait{'s' * (self._left == 1)}" if self._left > 0 else ""
            return f"{where}: {counted(self._count, 'message')} confirmed{rest}"
        return f"{where}: {self._trouble or 'not connected'}{self._waits}"

    @property
    def trouble(self) -> str:
        """What is wrong with the broker, in words; empty where it takes what it is given, or was not tried yet."""
        tried = self._trouble and self._trouble != _NOT_YET
        return f"{self._broker.text}: {self._trouble}" if tried else ""

    @property
    def unsent(self) -> str:
        """What of it is not published, once it has stopped, in words; it waits in the book."""
        if not self.waiting and self._ever:
            return ""
        return f"{self._broker.text}: {self._trouble or 'not confirmed'}{self._waits}"

    @property
    def _waits(self) -> str:
        if self._left < 0:
            return ""
        return f"; {self._left} message{'s wait' if self._left != 1 else ' waits'} in the book"

    # ---- in the client's thread

    def _on_connect(self, client: Client, data: Any, flags: Any, reason: Any, properties: Any) -> None:
        if reason.is_failure:
            self._trouble = f"it refuses: {refusal(reason)}"
            return
        self._trouble, self._ever, self._heard_s = "", True, time.monotonic()
        client.publish(state_topic(self._site), self._state("online"), qos=1, retain=True)
        self._catching_up = bool(self._waiting)
        self._connected.set()

    def _on_left(self, client: Client, data: Any, flags: Any, reason: Any, properties: Any) -> None:
        was = self._connected.is_set()
        self._connected.clear()
        if was or not self._trouble.startswith("it refuses"):  # why it refused says more
            early = "" if was else "; it hung up before it said anything: it may speak no MQTT 5"
            self._trouble = f"the connection ended{early}"

    def _on_no_connection(self, client: Client, data: Any) -> None:
        self._trouble = "it cannot be reached"

    def _on_confirmed(self, client: Client, data: Any, mid: int, reason: Any, properties: Any) -> None:
        with self._lock:
            self._heard_s = time.monotonic()
            number = self._under_way.pop(mid, None)
            if number is None:
                if self._publishing:  # it came before the packet's number was known here
                    self._early[mid] = (reason,)
                return
            if reason is not None and getattr(reason, "is_failure", False):
                self._trouble = f"it refuses what is published: {refusal(reason)}"
                self._refused_until_s = time.monotonic() + _REFUSED_AGAIN_S
                return
            self._trouble = ""
            self._waiting.discard(number)
            self._count += 1

    # ---- in a thread of its own

    def _run(self) -> None:
        reader = BookReader(self._book.path)
        try:
            while not self._stopping.is_set():
                self._turn(reader)
                self._stopping.wait(_LOOK_S)
            self._turn(reader, sends=False)
        finally:
            reader.close()

    def _turn(self, reader: BookReader, *, sends: bool = True) -> None:
        with self._lock:
            upto = min(self._waiting) - 1 if self._waiting else self._sent
            if self._refused_until_s:
                if time.monotonic() < self._refused_until_s:
                    return
                self._refused_until_s, self._sent = 0.0, upto  # what was refused is tried again, and all behind it
                self._waiting.clear()
                self._under_way.clear()
        if upto > self._confirmed:
            self._keep_position(upto)
        room = _UNDER_WAY - len(self._under_way)
        rows = reader.values.waiting(self._sent, max(room, 1))
        self._left = len(self._waiting) + len(rows)
        self._looks += 1
        if not sends or not self._connected.is_set():
            return
        if self._catching_up and self._waiting:
            return  # what was under way when the connection ended is sent once more, before anything that is newer
        self._catching_up = False
        for number, message in rows[:room]:
            content = f'{message.payload[:-1]},"id":"{self._origin}-{number}"}}'
            with self._lock:
                self._waiting.add(number)
                self._sent, self._publishing = number, True
            # without the lock: the client calls back under locks of its own
            info: MQTTMessageInfo = self._client.publish(message.topic, content, qos=1, retain=message.retained)
            with self._lock:
                self._under_way[info.mid] = number
                self._publishing = False
                early = self._early.pop(info.mid, None)
                self._early.clear()  # of other packets: their numbers are used again
            if early is not None:
                self._on_confirmed(self._client, None, info.mid, early[0], None)

    def _keep_position(self, upto: int) -> None:
        broker = self._broker.text

        def work(connection: sqlite3.Connection) -> None:
            connection.execute("DELETE FROM outbox WHERE id <= ?", (upto,))
            connection.execute("INSERT OR REPLACE INTO confirmed VALUES (?, ?)", (broker, upto))

        with contextlib.suppress(sqlite3.Error, TimeoutError):  # it is kept with the next one
            self._book.recorder.call(work).result(timeout=5)
            self._confirmed = upto

    def _state(self, state: str) -> str:
        return payload({"time": iso(utc_us()), "state": state, "site": self._site})


def _finite(text: str) -> float | str:
    """A number that can be one; others may publish such as 1e999."""
    number = float(text)
    return number if math.isfinite(number) else text


class Subscriber:
    """Hears what others published. `came` gets topic and content, in the client's thread; what is no JSON object is
    left out."""

    def __init__(self, broker: Broker, came: Callable[[str, dict[str, Any]], None], name: str) -> None:
        self._broker, self._came = broker, came
        self.trouble = "not connected yet"
        self._client = _client(broker, name)
        self._client.on_connect, self._client.on_message = self._on_connect, self._on_message
        self._client.on_connect_fail = self._on_no_connection

    def start(self) -> None:
        _connect(self._client, self._broker)

    def stop(self) -> None:
        self._client.disconnect()
        self._client.loop_stop()

    def _on_connect(self, client: Client, data: Any, flags: Any, reason: Any, properties: Any) -> None:
        self.trouble = f"it refuses: {refusal(reason)}" if reason.is_failure else ""
        if not reason.is_failure:
            client.subscribe(f"{ROOT}/+/#", qos=1)

    def _on_no_connection(self, client: Client, data: Any) -> None:
        self.trouble = "it cannot be reached"

    def _on_message(self, client: Client, data: Any, message: MQTTMessage) -> None:
        try:
            content = json.loads(message.payload, parse_constant=str, parse_float=_finite)
        except (ValueError, RecursionError):
            return
        if isinstance(content, dict):
            self._came(message.topic, content)
