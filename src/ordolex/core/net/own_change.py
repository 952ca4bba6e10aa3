"""Another address beside the present one, and back: the commands of each operating system."""

from __future__ import annotations

from dataclasses import dataclass
from ipaddress import IPv4Interface


@dataclass(frozen=True, slots=True)
class AddressChange:
    """An address that is added to an interface for the work. `done` is what was run, `undo` what takes it away."""

    interface: str
    address: str
    do: tuple[str, ...]
    undo: tuple[str, ...]

    @property
    def do_text(self) -> str:
        return _text(self.do)

    @property
    def undo_text(self) -> str:
        return _text(self.undo)


def _text(words: tuple[str, ...]) -> str:
    return " ".join(f'"{word}"' if " " in word else word for word in words)


def beside(system: str, interface: str, address: IPv4Interface) -> AddressChange:
    """`system` is linux, windows or darwin."""
    text, ip, mask = str(address), str(address.ip), str(address.netmask)
    match system:
        case "windows":
            name = f"name={interface}"
            do: tuple[str, ...] = (
                "netsh",
                "interface",
                "ipv4",
                "add",
                "address",
                name,
                f"address={ip}",
                f"mask={mask}",
            )
            undo: tuple[str, ...] = ("netsh", "interface", "ipv4", "delete", "address", name, f"address={ip}")
        case "darwin":
            do = ("ifconfig", interface, "alias", ip, mask)
            undo = ("ifconfig", interface, "-alias", ip)
        case _:
            do = ("ip", "address", "add", text, "dev", interface)
            undo = ("ip", "address", "del", text, "dev", interface)
    return AddressChange(interface, text, do, undo)
