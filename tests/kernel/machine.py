"""A machine of its own for tests that need a real kernel: QEMU with Debian's kernel, two 16550 UARTs tied to each other
crosswise, and a USB host into which serial adapters are plugged.

The guest sees this system's files, read only; what it is to do is one command line, and what that prints comes out of
here. Over a wire of its own it asks for what only the outside can do: a JSON object a line, carried out by QEMU's
monitor (QEMU Machine Protocol), the answer a JSON object a line.
"""

from __future__ import annotations

import contextlib
import json
import os
import shlex
import shutil
import socket
import subprocess
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

PACKAGES = ("qemu-system-x86", "linux-image-amd64", "busybox-static", "cpio", "kmod")
WIRE = "ordolex.outside"
_MODULES = ("virtio_pci", "virtio_console", "9p", "9pnet_virtio", "xhci_pci", "usbserial", "ftdi_sio")
_INIT = """#!/bin/busybox sh
/bin/busybox --install -s /bin
mount -t proc proc /proc; mount -t sysfs sys /sys; mount -t devtmpfs dev /dev
for module in {modules}; do insmod $module || echo "no $module"; done
mount -t 9p -o trans=virtio,version=9p2000.L,ro,cache=loose,msize=262144 host /host
for place in proc sys dev; do mount --move /$place /host/$place; done
mount -t tmpfs tmpfs /host/run; mkdir /host/run/home /host/run/tmp
mkdir -p /host/dev/pts /host/dev/shm; mount -t devpts devpts /host/dev/pts; mount -t tmpfs tmpfs /host/dev/shm
ln -sf /proc/self/fd /host/dev/fd
ip link set lo up
HOME=/run/home TMPDIR=/run/tmp chroot /host /bin/sh -c {command} > /host/dev/hvc0 2>&1
echo "the guest ended with $?" > /host/dev/hvc0
sync; poweroff -f
"""


def missing() -> str:
    """Why it cannot run here; empty where it can."""
    if kernel() is None or shutil.which("qemu-system-x86_64") is None:
        return f"it needs the packages {' '.join(PACKAGES)}"
    absent = [tool for tool in ("busybox", "cpio", "modprobe") if shutil.which(tool, path=_PATH) is None]
    return f"it needs {' '.join(absent)} of the packages {' '.join(PACKAGES)}" if absent else ""


_PATH = os.environ.get("PATH", "") + ":/usr/sbin:/sbin"


def kernel() -> tuple[Path, str] | None:
    """The newest kernel that has its modules here, and its version."""
    found = [
        (image, version)
        for image in Path("/boot").glob("vmlinuz-*")
        if (Path("/lib/modules") / (version := image.name.removeprefix("vmlinuz-")) / "modules.dep").is_file()
        and os.access(image, os.R_OK)
    ]
    return max(found, key=lambda f: [int(n) for n in f[1].replace("-", ".").split(".") if n.isdigit()], default=None)


class Machine:
    """Runs one command in the guest."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._monitor: socket.socket | None = None

    def run(self, command: str, patience_s: float) -> Iterator[str]:
        """What the guest prints, line by line, the last of it `the guest ended with N`. Raises TimeoutError."""
        found = kernel()
        assert found is not None
        image, version = found
        self._pack(version, command)
        process = subprocess.Popen(
            self._command_line(image), stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
        )
        threading.Thread(target=self._serve, daemon=True).start()
        timer = threading.Timer(patience_s, process.kill)
        timer.start()
        began = time.monotonic()
        try:
            assert process.stdout is not None
            for line in process.stdout:
                yield line.decode(errors="replace").rstrip()
        finally:
            timer.cancel()
            process.kill()
            process.wait()
        if time.monotonic() - began >= patience_s:
            raise TimeoutError(f"the guest was not done after {patience_s:.0f} s")

    def _command_line(self, image: Path) -> list[str]:
        folder, cross = self._folder, self._folder / "cross"
        return [
            "qemu-system-x86_64", "-nodefaults", "-display", "none", "-no-reboot", "-m", "1024",
            "-accel", "tcg", "-kernel", str(image), "-initrd", str(folder / "initrd"),
            "-append", "console=hvc0 quiet panic=-1 8250.nr_uarts=4",
            "-chardev", f"socket,id=uart0,path={cross},server=on,wait=off",
            "-chardev", f"socket,id=uart1,path={cross}",
            "-serial", "chardev:uart0", "-serial", "chardev:uart1",
            "-device", "virtio-serial-pci",
            "-chardev", "stdio,id=out,signal=off", "-device", "virtconsole,chardev=out",
            "-chardev", f"socket,id=wire,path={folder / 'wire'},server=on,wait=off",
            "-device", f"virtserialport,chardev=wire,name={WIRE}",
            "-virtfs", "local,path=/,mount_tag=host,security_model=none,readonly=on,multidevs=remap",
            "-device", "qemu-xhci",
            "-chardev", f"socket,id=monitor,path={folder / 'monitor'},server=on,wait=off",
            "-mon", "chardev=monitor,mode=control",
        ]  # fmt: skip

    def _pack(self, version: str, command: str) -> None:
        """The first file system: a shell, the modules in the order they need, and what to do."""
        root = self._folder / "root"
        for name in ("bin", "proc", "sys", "dev", "host", "modules"):
            (root / name).mkdir(parents=True)
        shutil.copy(shutil.which("busybox") or "", root / "bin/busybox")
        names = []
        for path in _with_needed(version):
            shutil.copy(path, root / "modules" / path.name)
            names.append(f"/modules/{path.name}")
        init = root / "init"
        init.write_text(_INIT.format(modules=" ".join(names), command=shlex.quote(command)))
        init.chmod(0o755)
        listed = subprocess.run(["find", "."], cwd=root, capture_output=True, check=True).stdout
        packed = subprocess.run(
            ["cpio", "-o", "-H", "newc", "--quiet"], cwd=root, input=listed, capture_output=True, check=True
        )
        (self._folder / "initrd").write_bytes(packed.stdout)

    # ---- what the guest asks of the outside

    def _serve(self) -> None:
        wire, monitor = _connected(self._folder / "wire"), _connected(self._folder / "monitor")
        with contextlib.suppress(OSError, ValueError), wire, monitor:
            asks, answers = wire.makefile("r"), monitor.makefile("r")
            answers.readline()  # its greeting
            self._told(monitor, answers, {"execute": "qmp_capabilities"})
            for line in asks:
                said = self._told(monitor, answers, json.loads(line))
                wire.sendall(json.dumps(said).encode() + b"\n")

    @staticmethod
    def _told(monitor: socket.socket, answers: Any, order: dict[str, Any]) -> dict[str, Any]:
        monitor.sendall(json.dumps(order).encode() + b"\n")
        for line in answers:
            said: dict[str, Any] = json.loads(line)
            if "return" in said or "error" in said:
                return said
        return {"error": "the monitor is gone"}


def _connected(path: Path) -> socket.socket:
    end = time.monotonic() + 30
    while True:
        connection = socket.socket(socket.AF_UNIX)
        try:
            connection.connect(str(path))
            return connection
        except OSError:
            connection.close()
            if time.monotonic() > end:
                raise
            time.sleep(0.05)


def _with_needed(version: str) -> list[Path]:
    """The modules' files, each behind those it needs; what is built in has none."""
    paths: list[Path] = []
    for module in _MODULES:
        shown = subprocess.run(
            ["modprobe", "-S", version, "--show-depends", module],
            capture_output=True, text=True, check=True, env=os.environ | {"PATH": _PATH},
        ).stdout  # fmt: skip
        for line in shown.splitlines():
            word, _, path = line.strip().partition(" ")
            if word == "insmod" and Path(path.split()[0]) not in paths:
                paths.append(Path(path.split()[0]))
    return paths


def in_guest(command: str, patience_s: float) -> list[str]:
    """Runs a command there and shows what it prints as it comes; gives all of it."""
    with tempfile.TemporaryDirectory(prefix="kernel-") as folder:
        lines = []
        for line in Machine(Path(folder)).run(command, patience_s):
            print(line, flush=True)
            lines.append(line)
        return lines
