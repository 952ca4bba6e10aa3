"""The feeder controller and the annunciator: menus, secrets, paging, and a rate that is changed in lock step."""

import pytest

from ordolex.bench.devices.feeder import BOOT_S, LOGIN, PASSWORD, FeederController
from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.link.question import Question
from ordolex.core.link.rubout import probe_rubout
from ordolex.core.tables.complete import complete
from ordolex.core.talk.rate_rows import fastest_clean, rates_table
from ordolex.core.talk.screen import DeviceScreen
from ordolex.core.uart.receiver import Character
from ordolex.io.link.runner import LinkRunner
from ordolex.io.link.steps import perform
from ordolex.io.own.sheets import all_sheets
from ordolex.io.work.boot import wait_for_boot
from ordolex.io.work.lists import pull
from ordolex.io.work.paced import read_pace, send_paced
from ordolex.io.work.rate import NotAlike, change_rate, clean_rates
from tests.conftest import Notes, ServeBench, until

FEEDER: dict[str, object] = {"name": "f", "kind": "feeder", "line": "38400 8N1", "interval_s": 0.0}


def typed(device: FeederController, text: bytes, now: float = 1.0) -> str:
    says = device.receive([Character(now, byte) for byte in text], now)
    return b"".join(say.data for say in says).decode("latin-1")


def logged_in(device: FeederController) -> None:
    typed(device, b"\r")
    typed(device, LOGIN.encode() + b"\r")
    assert "choice: " in typed(device, PASSWORD.encode() + b"\r")


def test_the_password_is_not_echoed_and_a_change_lasts_only_if_saved() -> None:
    device = FeederController(LineSettings(38400), 0, 0)
    assert typed(device, b"\r").endswith("login: ")
    assert typed(device, b"operator\r") == "operator\r\npassword: "
    assert typed(device, b"wrong") == "" and "incorrect" in typed(device, b"\r")
    logged_in(device)
    assert "give 5..500" in typed(device, b"1\r9999\r")
    assert "portion 80 g" in typed(device, b"80\r") and "good bye" in typed(device, b"9\r")
    logged_in(device)
    assert "portion 120 g" in typed(device, b"\r")
    typed(device, b"1\r85\r")
    assert "restarting" in typed(device, b"8\ry\r", 5.0)
    (boot,) = device.tick(5.0 + BOOT_S)
    assert b"address 192.0.2.44" in boot.data
    logged_in(device)
    assert "portion 85 g" in typed(device, b"\r")


def test_only_del_rubs_out_and_a_message_lands_in_the_prompt() -> None:
    device = FeederController(LineSettings(38400), 5.0, 0)
    logged_in(device)
    assert typed(device, b"x\x08") == "x^H" and typed(device, b"\x7f\x7f") == "\b \b\b \b"
    assert device.tick(1.0 + 5.0)[0].data == b"\r\n* feeder 2: hopper low\r\n"


async def opened(serve_bench: ServeBench, notes: Notes, baud: int, **device: object) -> LinkRunner:
    bench = await serve_bench({"name": "d", **device})
    runner = LinkRunner(1, bench.notice().devices[0].endpoint, LineSettings(baud), notes)
    await runner.open()
    return runner


async def in_menu(serve_bench: ServeBench, notes: Notes) -> LinkRunner:
    runner = await opened(serve_bench, notes, 38400, **FEEDER)
    await runner.ask(Question(b"\r"))
    await runner.ask(Question(LOGIN.encode() + b"\r"))
    await runner.out.send_secret(PASSWORD.encode(), b"\r")
    await until(lambda: b"Save and leave" in notes.bytes("rx"))
    return runner


async def test_a_rate_is_changed_in_lock_step_and_proven(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await in_menu(serve_bench, notes)
    result = await change_rate(runner, b"5\r19200\r", LineSettings(19200), Question(b"\r", timeout_s=0.8))
    assert result.proven and runner.line.baud == 19200, result
    assert (await runner.ask(Question(b"4\r"))).data.count(b"192.0.2.44") == 1
    await runner.release()


async def test_a_rate_change_that_fails_brings_both_back(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await in_menu(serve_bench, notes)
    # the device is told another rate than the port: nothing right comes, and the device falls back by itself
    result = await change_rate(runner, b"5\r9600\r", LineSettings(57600), Question(b"\r", timeout_s=0.8))
    assert not result.proven and "both are back at 38400" in result.words, result
    assert runner.line.baud == 38400
    await runner.release()


async def test_the_fastest_clean_rate_has_a_row_for_each_rate(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await opened(serve_bench, notes, 9600, kind="echo", line="any")
    rows = await clean_rates(runner, [9600, 19200, 38400], lambda baud: b"", Question(b"0123456789 clean?\r"), 2)
    assert [(row.baud, row.clean, row.bytes) for row in rows] == [
        (9600, True, 36), (19200, True, 36), (38400, True, 36)
    ]  # fmt: skip
    assert fastest_clean(rows) == runner.line.baud == 38400 and rows[0].margin == "under 8.3 %"
    await runner.release()


async def test_a_modem_steps_up_from_300_and_back_to_the_last_good_rate(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await opened(serve_bench, notes, 300, kind="modem", line="300 8N1", overrun_above=9600)
    ask = Question(b"ATI\r", timeout_s=1.0, harmless=True)

    def command(baud: int) -> bytes:
        return b"AT+IPR=%d\r" % baud

    rows = await clean_rates(runner, [57600, 2400, 9600, 1200], command, ask, 2)
    assert [(row.baud, row.clean) for row in rows] == [
        (300, True), (1200, True), (2400, True), (9600, True), (57600, False)
    ]  # fmt: skip
    assert rows[-1].errors or rows[-1].faults.missing
    assert runner.line.baud == 9600 and b"OK" in (await runner.ask(ask)).data, "both are back at the last good one"
    table = rates_table(rows)
    assert table.rows[0][:2] == ("300", str(rows[0].bytes)) and table.rows[-1][-1] == "not clean"
    await runner.release()


async def test_where_nobody_answers_no_rate_is_tried(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await opened(serve_bench, notes, 9600, kind="probes", line="9600 7E1", units=[1])
    await runner.retune(LineSettings(9600, 7, Parity.EVEN))
    count = 0

    def hear(data: bytes, errors: object, at_s: float) -> None:
        nonlocal count
        count += 1

    with runner.tap.heard_by(hear), pytest.raises(NotAlike, match="nothing answers"):
        await clean_rates(runner, [19200], lambda baud: b"", Question(b"nobody\r", timeout_s=0.1), 2)
    assert runner.line.baud == 9600 and not count
    await runner.release()


async def test_the_key_that_rubs_out_is_found(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await in_menu(serve_bench, notes)
    assert (await perform(runner, probe_rubout()))[0] == "DEL"
    await runner.release()


async def test_booting_is_waited_for_without_a_byte_sent(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await in_menu(serve_bench, notes)
    await runner.lines.send_break(0.2)
    sent = len(notes.bytes("tx"))
    seen: list[float] = []
    done = await wait_for_boot(runner, BOOT_S, lambda progress, words: seen.append(progress.left_s))
    assert done.right and "it stands at login:" in done.words, done
    assert seen[0] > seen[-1] and len(notes.bytes("tx")) == sent
    nothing = await wait_for_boot(runner, 0.3)
    assert not nothing.right and "0 bytes came" in nothing.words
    await runner.release()


async def test_lists_are_pulled_page_by_page(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await opened(serve_bench, notes, 9600, kind="alarms", line="9600 8N1", interval_s=0.0)
    lists = all_sheets()[0]["alarm-annunciator"].lists
    assert lists is not None
    counts: list[int] = []
    pulled = await pull(runner, lists, lists.table[1], counts.append)
    assert len(pulled.table.rows) == 39 and pulled.pages == 3 and not pulled.words and counts
    assert complete(pulled.table).missing == (17,) and len(pulled.table.odd) == 1
    await runner.release()


async def test_a_file_is_sent_at_the_pace_of_the_echo_and_stops_where_it_ends(
    serve_bench: ServeBench, notes: Notes
) -> None:
    runner = await opened(serve_bench, notes, 38400, kind="echo", line="any")
    done = await send_paced(runner, b"one\r\ntwo\r\nthree\r\n", read_pace("echo"))
    assert done.right and done.sent == 17
    await runner.release()
    silent = await opened(serve_bench, notes, 38400, **FEEDER)
    pace = read_pace("prompt done>")
    stopped = await send_paced(silent, b"x\r\ny\r\n", type(pace)(prompt=pace.prompt, wait_s=0.3))
    assert not stopped.right and stopped.words == "stopped at byte 3 of 6: the prompt done> did not come"
    await silent.release()


async def test_a_secret_is_neither_recorded_nor_heard_again(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await opened(serve_bench, notes, 38400, kind="echo", line="any")
    await runner.out.send_secret(b"trout-4711", b"\r")
    await until(lambda: b"\r" in notes.bytes("rx"))
    await runner.out.send(b"not trout-")
    await runner.out.send(b"secret")
    await until(lambda: b"secret" in notes.bytes("rx"))
    assert b"4711" not in notes.bytes("rx") + notes.bytes("tx")
    assert b"\r" in notes.bytes("rx") and b"not trout-secret" in notes.bytes("rx").replace(b"\r", b"")
    withheld = [event.detail for event in notes.events if event.kind == "withheld"]
    assert withheld[0] == {"direction": "tx", "bytes": 10} and sum(one["bytes"] for one in withheld[1:]) == 10
    items, _ = runner.feed.drain()
    assert b"4711" not in b"".join(item.data for item in items) + "".join(item.text for item in items).encode()
    await runner.release()


async def test_a_port_that_overruns_above_a_rate_is_found_by_the_fastest_clean_rate(
    serve_bench: ServeBench, notes: Notes
) -> None:
    runner = await opened(serve_bench, notes, 9600, kind="echo", line="any", overrun_above=19200)
    rows = await clean_rates(runner, [9600, 19200, 38400], lambda baud: b"", Question(b"0123456789 clean?\r"), 2)
    assert [(row.baud, row.clean) for row in rows] == [(9600, True), (19200, True), (38400, False)]
    assert runner.line.baud == 19200 and rows[-1].faults.missing and rows[-1].margin == "none"
    await runner.release()


async def test_the_fish_counter_floods_until_stopped_and_every_line_is_numbered(
    serve_bench: ServeBench, notes: Notes
) -> None:
    runner = await opened(serve_bench, notes, 921600, kind="counter", line="921600 8N1")
    await runner.out.send(b"RUN\r\n")
    await until(lambda: len(notes.bytes("rx")) > 100_000)
    stopped = await runner.ask(Question(b"STOP\r\n", until=b"STOP OK", timeout_s=5))
    assert stopped.data.count(b"fish") < 20_000
    numbers = [int(line[:8]) for line in notes.bytes("rx").split(b"\r\n") if b" fish " in line]
    assert numbers == list(range(1, len(numbers) + 1))
    await runner.release()


async def test_the_display_shifts_its_letters_away_and_the_reset_says_why(
    serve_bench: ServeBench, notes: Notes
) -> None:
    shifted: dict[str, object] = {"kind": "display", "line": "9600 8N1", "interval_s": 0.1, "garble": "shifted"}
    runner = await opened(serve_bench, notes, 9600, **shifted)
    await until(lambda: notes.bytes("rx").count(b"\n") >= 3)
    screen = DeviceScreen("Latin-1")
    screen.feed(notes.bytes("rx"))
    assert "water" not in "".join(screen.text()) and "shift out" in screen.reset()
    await runner.release()
