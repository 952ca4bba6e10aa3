"""What Linux says of USB serial adapters in sysfs: the driver of a port, and adapters that have none.

The root is an argument, so that tests feed made-up machines. Everything here may vanish while it is read.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

ROOT = Path("/sys")
_SERIAL_WORDS = re.compile(r"serial|uart|rs-?232|rs-?485|rs-?422|console|com port", re.I)
_VENDOR_CLASS, _COMMUNICATION_CLASS = "ff", "02"
NATIVE_DRIVERS = frozenset({"cdc_acm"})
"""Drivers of devices that are USB to the core: no UART stands between, so the rate set has no effect."""


@dataclass(frozen=True, slots=True)
class Driverless:
    """A plugged USB serial adapter whose interface no driver has taken."""

    place: str
    name: str
    usb_id: str
    serial: str


def driver_of(port: str, root: Path = ROOT) -> str:
    """The driver of `ttyUSB0` or `/dev/ttyUSB0`; empty where there is none to be found."""
    name = port.rsplit("/", 1)[-1]
    if not name or name.startswith("."):
        return ""
    for link in (f"class/tty/{name}/device/driver", f"class/tty/{name}/device/../driver"):
        try:
            return (root / link).resolve(strict=True).name
        except OSError:
            continue
    return ""


_UARTS = {1: "8250", 2: "16450", 3: "16550", 4: "16550A", 5: "Cirrus", 6: "16650", 7: "16650V2", 8: "16750",
          10: "16C950", 11: "16654", 12: "16850"}  # fmt: skip
"""Port types as the Linux kernel numbers them (include/uapi/linux/serial_core.h)."""


def uart_of(port: str, root: Path = ROOT) -> str:
    """What the kernel says of a built-in UART: its type, its buffer, its top rate. Empty for an adapter on USB, whose
    buffers its driver does not tell."""
    folder = root / "class/tty" / port.rsplit("/", 1)[-1]
    kind, fifo, clock = (_number(folder / name) for name in ("type", "xmit_fifo_size", "uartclk"))
    if not kind:
        return ""
    words = [f"UART {_UARTS.get(kind, f'type {kind}')}"]
    if fifo:
        words.append(f"sends {fifo} bytes ahead" if fifo > 1 else "unbuffered")
    if clock:
        words.append(f"up to {clock // 16} baud")
    return ", ".join(words)


def is_without_hardware(port: str, root: Path = ROOT) -> bool:
    """Whether the kernel lists a built-in port that has no UART: type 0, PORT_UNKNOWN (serial_core.h). Kernels with the
    serial-base bus list those too."""
    return _read(root / "class/tty" / port.rsplit("/", 1)[-1] / "type") == "0"


def _number(path: Path) -> int:
    text = _read(path)
    return int(text) if text.isdecimal() else 0


def driverless(root: Path = ROOT) -> list[Driverless]:
    """USB devices that look like serial adapters, by class and by their own words, and have no driver."""
    return [found for device in _usb_devices(root) if (found := _without_driver(device)) is not None]


def _usb_devices(root: Path) -> Iterator[Path]:
    try:
        yield from sorted((root / "bus/usb/devices").iterdir())
    except OSError:
        return


def _without_driver(device: Path) -> Driverless | None:
    if ":" in device.name:
        return None  # an interface; its device comes by itself
    words = " ".join(filter(None, (_read(device / "manufacturer"), _read(device / "product"))))
    try:
        interfaces = [entry for entry in device.iterdir() if entry.name.startswith(f"{device.name}:")]
    except OSError:
        return None
    bare = [entry for entry in interfaces if not (entry / "driver").exists()]
    kinds = {_read(entry / "bInterfaceClass") for entry in bare}
    looks_serial = _VENDOR_CLASS in kinds and _SERIAL_WORDS.search(words) is not None
    if not bare or not (looks_serial or _COMMUNICATION_CLASS in kinds):
        return None
    usb_id = f"{_read(device / 'idVendor')}:{_read(device / 'idProduct')}"
    return Driverless(device.name, words or "USB serial adapter", usb_id, _read(device / "serial"))


def _read(path: Path) -> str:
    try:
        return path.read_text(errors="replace").strip()
    except OSError:
        return ""
