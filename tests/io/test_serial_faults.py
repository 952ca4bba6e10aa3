"""Why a port does not open, in words; and the survey over made-up machines."""

import array
import errno
import os
import pty
import subprocess
import sys
import termios
from pathlib import Path

import pytest
import serial

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.port.bench_notice import BenchDevice, BenchNotice
from ordolex.io.ports.holders import Holder, holders
from ordolex.io.ports.survey import ListedPort, survey
from ordolex.io.ports.sysfs import uart_of
from ordolex.io.system.faults import Fault, NoRights, PortHeld, PortMissing, SettingsRefused
from ordolex.io.transport.driver_counters import difference
from ordolex.io.transport.os_port import open_fault
from ordolex.io.transport.serial_port import SerialTransport
from tests.conftest import Ear, until

LINE = LineSettings(9600)


@pytest.mark.parametrize(
    ("number", "kind", "says"),
    [
        (errno.ENOENT, PortMissing, "there is no port"),
        (errno.EACCES, NoRights, "no rights on"),
        (errno.EBUSY, PortHeld, "held by another process"),
        (errno.EIO, PortMissing, "dead; unplug the adapter"),
        (errno.ENOTTY, SettingsRefused, "is no serial port"),
    ],
)
def test_each_refusal_of_the_system_has_its_words(number: int, kind: type[Fault], says: str) -> None:
    fault = open_fault("/dev/ttyUSB0", serial.SerialException(number, os.strerror(number)))
    assert type(fault) is kind and says in str(fault)


def test_missing_rights_name_the_group(tmp_path: Path) -> None:
    port = tmp_path / "ttyUSB0"
    port.touch(mode=0o660)
    fault = open_fault(str(port), PermissionError(errno.EACCES, "Permission denied"))
    import grp

    group = grp.getgrgid(port.stat().st_gid).gr_name
    assert f"only group {group} may use it" in str(fault) and f"usermod -aG {group} $USER" in str(fault)


async def test_a_port_that_is_not_there(ear: Ear) -> None:
    with pytest.raises(PortMissing, match="there is no port /dev/ttyNOT9"):
        await SerialTransport("/dev/ttyNOT9").open(LINE, ear)


async def test_a_device_that_is_no_port(ear: Ear) -> None:
    with pytest.raises(SettingsRefused, match="/dev/null is no serial port"):
        await SerialTransport("/dev/null").open(LINE, ear)


async def test_a_port_held_by_another_process_names_it(ear: Ear) -> None:
    master, slave = pty.openpty()
    path = os.ttyname(slave)
    holder = subprocess.Popen(
        [sys.executable, "-c", f"f = open({path!r}); print('has it', flush=True); input()"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
    )
    assert holder.stdout is not None and holder.stdin is not None
    holder.stdout.readline()
    os.close(slave)
    with pytest.raises(PortHeld, match=rf"held by python.* \(process {holder.pid}\); close it there"):
        await SerialTransport(path).open(LINE, ear)
    holder.stdin.close()
    holder.wait()
    transport = SerialTransport(path)
    await transport.open(LINE, ear)
    await transport.close()
    os.close(master)


@pytest.mark.parametrize("keep", [True, False])
async def test_dtr_is_kept_or_dropped_at_close_as_wanted(ear: Ear, keep: bool) -> None:
    master, slave = pty.openpty()
    transport = SerialTransport(os.ttyname(slave))
    try:
        await transport.open(LineSettings(9600), ear)
        await transport.close(keep_dtr=keep)
        assert bool(termios.tcgetattr(slave)[2] & termios.HUPCL) is not keep
    finally:
        os.close(master)
        os.close(slave)


async def test_a_pty_takes_any_format_again_and_again(ear: Ear) -> None:
    """The kernel refuses a second parity setting on a pseudo-terminal; nobody above should have to know."""
    master, slave = pty.openpty()
    transport = SerialTransport(os.ttyname(slave))
    await transport.open(LineSettings(9600, 7, Parity.EVEN), ear)
    for _ in range(3):
        await transport.configure(LineSettings(9600, 7, Parity.EVEN))
        await transport.configure(LineSettings(19200, 8, Parity.ODD, 2.0))
    os.write(master, b"hello\xff")
    await until(lambda: bytes(ear.data) == b"hello\xff")
    await transport.close()
    os.close(master)
    os.close(slave)


def test_driver_counters_are_differences() -> None:
    before = array.array("i", range(20))
    now = array.array("i", range(20))
    now[6] += 3  # frame
    now[8] += 1  # parity
    now[10] += 2  # buffer overrun
    errors = difference(before, now)
    assert (errors.framing, errors.parity, errors.breaks, errors.overruns) == (3, 1, 0, 2)


# ---- the survey over made-up machines


def machine(tmp_path: Path, open_by: dict[int, tuple[str, str]]) -> Path:
    """A /proc in which each process has one file open: pid -> (name, target)."""
    for pid, (name, target) in open_by.items():
        folder = tmp_path / "proc" / str(pid) / "fd"
        folder.mkdir(parents=True)
        (folder / "3").symlink_to(target)
        (folder.parent / "comm").write_text(name + "\n")
    (tmp_path / "proc" / "self").mkdir(parents=True)
    return tmp_path / "proc"


def test_holders_are_found_by_their_open_files(tmp_path: Path) -> None:
    proc = machine(tmp_path, {812: ("logger", "/dev/ttyUSB0"), 813: ("editor", "/home/x")})
    assert holders(proc) == {"/dev/ttyUSB0": Holder(812, "logger")}
    assert holders(tmp_path / "nowhere") == {}


def usb(root: Path, place: str, words: str, kind: str, driver: str = "", serial: str = "") -> None:
    """A USB device with one interface in a made-up sysfs."""
    device = root / "bus/usb/devices" / place
    interface = device / f"{place}:1.0"
    interface.mkdir(parents=True)
    for name, text in (("product", words), ("idVendor", "1234"), ("idProduct", "5678"), ("serial", serial)):
        (device / name).write_text(text + "\n")
    (interface / "bInterfaceClass").write_text(kind + "\n")
    if driver:
        (root / "bus/usb/drivers" / driver).mkdir(parents=True, exist_ok=True)
        (interface / "driver").symlink_to(root / "bus/usb/drivers" / driver)


def test_an_adapter_without_a_driver_is_listed_with_the_next_step_and_others_are_not(tmp_path: Path) -> None:
    usb(tmp_path, "1-1", "made-up USB Serial\x1b[31m", "ff", serial="A9")
    usb(tmp_path, "1-2", "made-up USB Serial", "ff", driver="made_up")
    usb(tmp_path, "1-3", "made-up fingerprint reader", "ff")
    usb(tmp_path, "1-4", "made-up mouse", "03")
    (tmp_path / "bus/usb/devices/1-5").symlink_to(tmp_path / "nowhere")  # it vanished while it was read
    (row,) = survey(lambda: [], lambda: [], lambda: {}, tmp_path)
    assert (row.state, row.place, row.serial, row.usb_id) == ("no-driver", "1-1", "A9", "1234:5678")
    assert survey(lambda: [], lambda: [], lambda: {}, tmp_path / "nothing") == []


def test_a_driver_tells_whether_the_rate_matters(tmp_path: Path) -> None:
    for name, driver in (("ttyACM0", "cdc_acm"), ("ttyUSB0", "made_up")):
        (tmp_path / "bus/usb/drivers" / driver).mkdir(parents=True)
        (tmp_path / "class/tty" / name / "device").mkdir(parents=True)
        (tmp_path / "class/tty" / name / "device/driver").symlink_to(tmp_path / "bus/usb/drivers" / driver)
    ports = [ListedPort(f"/dev/{name}", name, "made-up", "", "1:2", place) for name, place in
             (("ttyACM0", "1-1:1.0"), ("ttyUSB0", "1-2:1.0"))]  # fmt: skip
    native, converter = survey(lambda: ports, lambda: [], lambda: {}, tmp_path)
    assert not native.rate_matters and converter.rate_matters and converter.driver == "made_up"


def test_two_ports_of_one_adapter_are_a_pair_with_an_identity_each(tmp_path: Path) -> None:
    ports = [ListedPort(f"/dev/ttyMADE{n}", f"ttyMADE{n}", "made-up", "A7", "1234:5678", f"1-2:1.{n}") for n in (0, 1)]
    ports.append(ListedPort("/dev/ttyMADE2", "ttyMADE2", "made-up", "A8", "1234:5678", "1-3:1.0"))
    first, second, alone = survey(lambda: ports, lambda: [], lambda: {}, tmp_path)
    assert (first.pair, second.pair, alone.pair) == ("/dev/ttyMADE1", "/dev/ttyMADE0", "")
    assert len({first.identity, second.identity, alone.identity}) == 3


def test_the_survey_tells_state_holder_and_identity(tmp_path: Path) -> None:
    free = tmp_path / "ttyUSB0"
    free.touch()
    ports = [
        ListedPort(str(free), "ttyUSB0", "made-up adapter", "A7", "1234:5678", "1-2"),
        ListedPort("/dev/ttyMADE1", "ttyMADE1", "n/a", "", "", ""),
    ]
    notice = BenchNotice(1, "Alder Brook", "127.0.0.1:1", (
        BenchDevice(
            "Raceway 1", "oxygen", "19200 8N1", "normal", "rfc2217://h:9", "/dev/pts/7", "held", "*IDN?", "somebody"
        ),
    ))  # fmt: skip
    rows = survey(lambda: ports, lambda: [notice], lambda: {str(free): Holder(812, "logger")}, tmp_path)
    network, as_port, usb, gone = rows
    assert network.bench and network.sticker == "19200 8N1"
    assert (network.state, network.holder) == ("held", "somebody")
    assert as_port.endpoint == "/dev/pts/7" and as_port.identity != network.identity
    assert (usb.state, usb.holder) == ("held", "logger (process 812)")
    assert usb.identity == "usb 1234:5678 A7" and "made-up adapter" in usb.what
    assert gone.state == "no-rights" or os.geteuid() == 0


def test_a_built_in_uart_tells_its_buffer_and_top_rate(tmp_path: Path) -> None:
    for name, facts in (("ttyS0", ("4", "16", "1843200")), ("ttyS1", ("0", "0", "0")), ("ttyS2", ("1", "1", "x"))):
        (tmp_path / "class/tty" / name).mkdir(parents=True)
        for file, text in zip(("type", "xmit_fifo_size", "uartclk"), facts, strict=True):
            (tmp_path / "class/tty" / name / file).write_text(text + "\n")
    uarts = [uart_of(f"/dev/{name}", tmp_path) for name in ("ttyS0", "ttyS1", "ttyS2", "ttyUSB0")]
    assert uarts == ["UART 16550A, sends 16 bytes ahead, up to 115200 baud", "", "UART 8250, unbuffered", ""]
