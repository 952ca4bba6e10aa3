"""What hosts say of themselves by multicast DNS (RFC 6762, service discovery after RFC 6763)."""

from __future__ import annotations

import contextlib
import threading
from types import TracebackType
from typing import Any

_ALL_TYPES = "_services._dns-sd._udp.local."
_TYPES = ("_telnet._tcp.local.", "_http._tcp.local.", "_https._tcp.local.", "_ssh._tcp.local.", "_mbap._tcp.local.")


class Announcements:
    """Listens while it is entered. `heard` are (address, service type, name, port). It asks on the interfaces with the
    addresses given; what hinders it is in `why`."""

    def __init__(self, interfaces: list[str]) -> None:
        self._interfaces = interfaces
        self._lock = threading.Lock()
        self._heard: set[tuple[str, str, str, int]] = set()
        self._asked: set[str] = set()
        self._zeroconf: Any = None
        self._browsers: list[Any] = []
        self.why = ""

    def __enter__(self) -> Announcements:
        from zeroconf import IPVersion, ServiceBrowser, Zeroconf

        try:
            self._zeroconf = Zeroconf(interfaces=self._interfaces, ip_version=IPVersion.V4Only)
        except (OSError, RuntimeError) as error:
            self.why = f"no multicast here: {error}"
            return self
        for kind in _TYPES:
            self._browse(kind)
        self._browsers.append(ServiceBrowser(self._zeroconf, _ALL_TYPES, handlers=[self._type_told]))
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._zeroconf is not None:
            with contextlib.suppress(OSError, RuntimeError):
                self._zeroconf.close()

    @property
    def heard(self) -> list[tuple[str, str, str, int]]:
        with self._lock:
            return sorted(self._heard)

    def _browse(self, kind: str) -> None:
        from zeroconf import BadTypeInNameException, ServiceBrowser

        with self._lock:
            if kind in self._asked or len(self._asked) > 64:
                return
            self._asked.add(kind)
        with contextlib.suppress(BadTypeInNameException, OSError, RuntimeError):
            self._browsers.append(ServiceBrowser(self._zeroconf, kind, handlers=[self._told]))

    def _type_told(self, zeroconf: Any, service_type: str, name: str, state_change: Any) -> None:
        self._browse(name)

    def _told(self, zeroconf: Any, service_type: str, name: str, state_change: Any) -> None:
        threading.Thread(target=self._look_up, args=(service_type, name), daemon=True).start()

    def _look_up(self, service_type: str, name: str) -> None:
        from zeroconf import Error

        with contextlib.suppress(Error, OSError, RuntimeError, ValueError):  # a busy computer is an Error of its own
            info = self._zeroconf.get_service_info(service_type, name, timeout=1500)
            short = name.removesuffix(f".{service_type}")
            for address in info.parsed_addresses() if info is not None else ():
                with self._lock:
                    self._heard.add((address, service_type.removesuffix(".local."), short, info.port or 0))
