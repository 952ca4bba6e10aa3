"""Relay in the real program: a box is found, put right and mapped, and a program that knows ttys only asks through
it."""

from __future__ import annotations

import json
import os
import re
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from ordolex.bench.devices.box_console import CODE
from ordolex.core.port.bench_notice import BenchNotice
from ordolex.io.ports.benches import tell
from ordolex.io.relay.notices import running
from tests.conftest import own_network, program
from tests.tui.terminal import IN_TMUX, Terminal

pytestmark = IN_TMUX

_ASK = """
import os, sys, termios, tty
fd = os.open(sys.argv[1], os.O_RDWR | os.O_NOCTTY)
tty.setraw(fd)
modes = termios.tcgetattr(fd)
modes[4] = modes[5] = getattr(termios, "B" + sys.argv[2])
termios.tcsetattr(fd, termios.TCSADRAIN, modes)
os.write(fd, sys.argv[3].encode().decode("unicode_escape").encode())
got = b""
while not got.endswith(b"\\n"):
    got += os.read(fd, 100)
print(got.decode(), end="")
"""


def ask(path: Path, rate: int, text: str) -> str:
    """A program that knows ttys only: it opens a name, sets its rate, writes and reads."""
    done = subprocess.run(
        [sys.executable, "-c", _ASK, str(path), str(rate), text], capture_output=True, text=True, timeout=30
    )
    return done.stdout + done.stderr


def give(terminal: Terminal, seen: str, text: str) -> None:
    terminal.see(seen)
    terminal.press("C-u")
    terminal.type(text)
    terminal.press("Enter")


def surveyed(terminal: Terminal, network: str) -> None:
    terminal.press("F9")
    terminal.see("n joins two ends")
    terminal.press("s")
    if "Which network" in terminal.see("Which network|Network  *\n|address/mask"):
        terminal.press("End", "Enter")
    give(terminal, "a wide one is asked for again", network)
    terminal.see("FF FB 2C")
    terminal.press("Enter")


@pytest.fixture
def ports(tmp_path: Path) -> Iterator[Path]:
    """Where virtual ports are found; relays that go on end with the test, however that ends."""
    yield tmp_path / ".local/state/ordolex/ports"
    for notice in running():
        os.kill(notice.pid, signal.SIGKILL)


def test_a_box_is_found_put_right_mapped_asked_through_moved_and_found_again(
    terminal: Terminal, tmp_path: Path, ports: Path, bench_process: BenchNotice
) -> None:
    network, name = own_network(), "box"
    terminal.start("--book", str(tmp_path / "b.ordolex"), size=(150, 50))
    terminal.see("Find: choose a port")
    surveyed(terminal, f"{network}.32/27")
    terminal.see(f"{network}.44 +- .*2323 text console, 4002 RFC 2217", 40)
    terminal.see("1 host listens")
    terminal.press("Enter")
    terminal.see("✗ channel +1 .*\n.*✓ channel +2")
    terminal.press("Enter")
    terminal.see("plain bytes; what a program sets does not reach the")  # caught before anything is mapped
    terminal.press("Enter")
    terminal.see("nothing was mapped")

    terminal.press("o")  # its console, by telnet: locked; the channel is put right by its procedure
    terminal.see("console is open at telnet")
    procedure(terminal, "channel", 2)
    assert CODE not in terminal.see("kept by the device, read in a second pass")
    made_to_last(terminal)

    terminal.press("F9")
    while "the box keeps 4800 8N1" not in (screen := terminal.screen()):  # it restarts; until its console is
        terminal.press("Escape" if "Go back" in screen else "t")  # there again, channels are seen from outside only
        time.sleep(1)
    terminal.see(f"✓ channel 1: virtual:{name}-1")  # all channels, their modes read by the console
    terminal.see("◦ channel 3: plain bytes, the box keeps 4800 8N1")
    terminal.press("Enter")
    terminal.see("4 virtual ports run")
    assert b"unit 6" in ask(ports / f"{name}-1", 19200, "*IDN?\\n").encode()
    terminal.see("line settings 19200 8N1 is set there; no program has set another")
    subprocess.run(["stty", "-F", str(ports / f"{name}-1"), "9600"], check=True, timeout=20)
    terminal.see("line settings 9600 baud, as the program has it, set and read back")
    assert "unit 6" in ask(ports / f"{name}-1", 19200, "\\n*IDN?\\n").splitlines()[-1]
    assert "47.5" in ask(ports / f"{name}-2", 2400, "POS?\\n")
    assert b"$YXXDR" in first_bytes(ports / f"{name}-3")

    terminal.press("p")  # the proof, end to end
    give(terminal, "What to ask through the port", "*IDN?\\n")
    terminal.see("✓ device +.*unit 6,1.14, asked through the port itself")
    terminal.press("Right")
    terminal.see("▸ \\*IDN.*\n.*◂ Brookmade,OX-2,unit 6")

    procedure(terminal, "address", 1, new=f"{network}.45")  # it moves, and must be found again
    terminal.see("4 values kept as planned|3 values kept as planned")
    made_to_last(terminal)
    terminal.press("F9")
    terminal.see("✗ network .*nothing listens")  # the four ports stay, and say why nothing answers
    terminal.see("19200 8N1 is set once the far end stands")
    terminal.press("Right")
    terminal.see("answered +what is proven")
    terminal.press("f")
    give(terminal, "Its new address", f"{network}.45")
    terminal.see(f"it is at {network}.45:2323 now, and {network}.44:2323 does not answer", 30)
    terminal.press("F10")
    terminal.see("4 relays run")
    terminal.see("End (it|them): (its|their) ports go")
    terminal.press("End", "Enter")
    terminal.see("ended with 0")
    assert not list(ports.glob(f"{name}*"))


def procedure(terminal: Terminal, name: str, downs: int, new: str = "") -> None:
    """Types a procedure of the box's sheet, on the link of its console."""
    terminal.press("F6")
    while f"{own_network()}.44 console   serial-server" not in terminal.see(
        "console   serial-server|Which device is it"
    ):
        before = chosen(terminal)
        terminal.press("C-Down")
        while chosen(terminal) == before:  # one step at a time: a slow screen would be overtaken
            time.sleep(0.05)
    terminal.press("p")
    terminal.see("Which procedure")
    terminal.press(*["Down"] * downs, "Enter")
    terminal.see(f"Procedure {name}")
    if new:
        terminal.press("Down", "Enter")
        give(terminal, "can be", new)
        terminal.see(new)
    terminal.see("all values fit together")
    terminal.press("t")
    terminal.see("these change|is so already")
    terminal.press("Enter")
    if "The device asks for" in terminal.see("The device asks for|Esc goes on"):
        terminal.type(CODE)
        terminal.press("Enter")
    terminal.see("Esc goes on")


def chosen(terminal: Terminal) -> str:
    """The link that is chosen, by its mark in the list of links."""
    marked = re.search(r"▌ (\S.*?)\s{2,}", terminal.screen())
    return marked[1] if marked else ""


def made_to_last(terminal: Terminal) -> None:
    terminal.press("Escape")
    terminal.see("Make it last")
    terminal.press("Enter")
    terminal.see("2 steps done")


def first_bytes(path: Path) -> bytes:
    """What `cat` gets of a port."""
    with subprocess.Popen(["cat", str(path)], stdout=subprocess.PIPE) as cat:
        assert cat.stdout is not None
        got = cat.stdout.read(20)
        cat.kill()
    return got


def typed_relay(terminal: Terminal, name: str, far: str) -> None:
    terminal.press("F9", "n")
    terminal.see("What is to be joined")
    terminal.press("Enter")
    give(terminal, "Where is the device", far)
    give(terminal, "Name of the virtual port", name)


def test_a_late_listener_and_a_peer_that_leaves_are_survived_and_a_relay_goes_on_without_the_interface(
    terminal: Terminal, tmp_path: Path, ports: Path
) -> None:
    with socket.socket() as spare:
        spare.bind(("127.0.0.1", 0))
        port = spare.getsockname()[1]
    terminal.start("--book", str(tmp_path / "b.ordolex"), size=(150, 44))
    terminal.see("Find: choose a port|No port")
    typed_relay(terminal, "late", f"tcp://127.0.0.1:{port}")
    terminal.see("✗ network .*nothing listens.*; [2-9] tries")
    terminal.see("likely .*the box is off")
    with socket.create_server(("127.0.0.1", port)) as listener:
        listener.settimeout(30)
        peer, _ = listener.accept()
        terminal.see("✓ network ")
        peer.close()  # the peer leaves; nothing is restarted
        peer, _ = listener.accept()
        peer.settimeout(30)
        with (ports / "late").open("wb", buffering=0) as program:
            program.write(b"after all that\n")
            assert peer.recv(100) == b"after all that\n"
        terminal.press("F10")
        terminal.see("End (it|them): (its|their) ports go")
        terminal.press("Down", "Enter")
        terminal.see("late goes on; it ends with: ordolex relay stop", 40)
        peer.close()
        peer, _ = listener.accept()  # of the process that goes on
        peer.settimeout(30)
        with (ports / "late").open("wb", buffering=0) as program:
            program.write(b"and without it\n")
            assert peer.recv(100) == b"and without it\n"
        listed = json.loads(run("relay", "list", "--json"))
        assert [(row["name"], row["far"], row["bytes"]["there"]) for row in listed] == [
            ("late", f"tcp://127.0.0.1:{port}", 15)
        ]
        assert json.loads(run("relay", "stop", "late", "--json")) == {"stopped": "late"}
        peer.close()
    assert json.loads(run("relay", "list", "--json")) == []
    assert not (ports / "late").is_symlink()


def test_several_peers_are_let_in_by_keyboard_and_who_writes_is_handed_over(
    terminal: Terminal, tmp_path: Path, ports: Path
) -> None:
    with socket.socket() as spare:
        spare.bind(("127.0.0.1", 0))
        where = spare.getsockname()
    with socket.create_server(("127.0.0.1", 0)) as far:
        far.settimeout(30)
        terminal.start("--book", str(tmp_path / "b.ordolex"), size=(150, 44))
        terminal.see("Find: choose a port|No port")
        terminal.press("F9")
        terminal.see("n joins two ends")
        terminal.press("n")
        terminal.see("What is to be joined")
        terminal.press("End", "Enter")
        give(terminal, "The program's end", f"listen+tcp://127.0.0.1:{where[1]}")
        give(terminal, "The device's end", f"tcp://127.0.0.1:{far.getsockname()[1]}")
        terminal.see("How many may be there at once")
        terminal.press("Down", "Enter")
        looked, _ = far.accept()  # the end is looked at before it is mapped
        looked.close()
        device, _ = far.accept()
        device.settimeout(30)
        terminal.see("relay runs")
        with socket.create_connection(where) as first, socket.create_connection(where) as second:
            terminal.see("2 peers|:\\d+, 127")
            second.sendall(b"not mine to say\n")
            first.sendall(b"mine\n")
            assert device.recv(100) == b"mine\n"
            terminal.press("w")
            terminal.see("Who is to write")
            terminal.press("Down", "Enter")
            terminal.see(f":{second.getsockname()[1]} writes now")
            second.sendall(b"mine now\n")
            assert device.recv(100) == b"mine now\n"
        device.close()


def run(*words: str) -> str:
    return subprocess.run(program(*words), capture_output=True, text=True, timeout=60).stdout


def test_two_runs_are_compared_and_an_address_is_proposed_with_its_way_back(
    terminal: Terminal, tmp_path: Path, ports: Path, bench_process: BenchNotice
) -> None:
    oxygen = next(device for device in bench_process.devices if device.name == "Raceway 1 oxygen")
    terminal.start("--book", str(tmp_path / "b.ordolex"), size=(150, 44))
    terminal.see("Find: choose a port")
    typed_relay(terminal, "oxygen", oxygen.endpoint)
    give(terminal, "Line settings at the device", "19200 8N1")
    terminal.see("oxygen runs")
    measured(terminal, "before")
    tell(bench_process, "late Raceway 1 oxygen 200")
    measured(terminal, "after")
    terminal.see("before → after +\\+(1[5-9]|2[0-9])[0-9][0-9.]+ ms at the median, between .*: it became slower")
    terminal.see("● median +━ to 95 %")
    terminal.see("127.0.0.1:9: before [0-9.]+ ms, during [0-9.]+ ms, after [0-9.]+ ms")
    terminal.press("x")
    give(terminal, "File for the drawing", str(tmp_path / "runs.svg"))
    terminal.see("written: .*svg")
    assert "before" in (tmp_path / "runs.svg").read_text() and "slower" in (tmp_path / "runs.svg").read_text()

    terminal.press("b")
    give(terminal, "Address of the device", "127.77.0.9")
    give(terminal, "Its mask", "255.255.255.0")
    if "In which interface" in terminal.see("In which interface|I add it by hand", 40):
        terminal.press("Enter")
    terminal.see("I add it by hand", 40)
    terminal.see(r"add: +ip address add 127\.77\.0\.\d+/24 dev")
    terminal.see(r"take back: +ip address del 127\.77\.0\.\d+/24 dev")
    terminal.press("Down", "Enter")
    terminal.see("was added: u takes it back")
    terminal.press("F10")
    terminal.see("End (it|them): (its|their) ports go")
    terminal.press("End", "Enter")
    terminal.see("Put back before you go\n(.*\n)*?.*network address: ip address del")
    terminal.press("Enter")  # stays, and takes it back
    while "Put back before you go" in terminal.screen():
        time.sleep(0.1)
    terminal.press("u")
    terminal.see("Which address is taken back")
    terminal.press("Enter")
    terminal.see("I did it by hand")
    terminal.press("Down", "Enter")
    terminal.see("is taken back, by hand")


def measured(terminal: Terminal, name: str) -> None:
    terminal.press("m")
    terminal.see("How is the path measured")
    terminal.press("Enter")
    give(terminal, "What to ask through the port", "*IDN?\\n")
    give(terminal, "Name of the run", name)
    terminal.see("What was so meanwhile")
    terminal.press("Enter")
    give(terminal, "A second host to watch", "127.0.0.1:9")
    terminal.see(f"{name}: median", 60)
