import csv
import io
import json
import re
import struct

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from ordolex.core.link.judge import LineErrors
from ordolex.core.record.export import FORMS, export, rows_of, utc_text
from ordolex.core.record.items import Chunk, Event
from ordolex.core.record.sieve import Sieve
from ordolex.core.talk.conversation import Conversation
from ordolex.core.text.visible import visible

NAMES = {1: "Raceway 1 oxygen", 2: 'a "quoted", name'}
T = 1_795_000_000_000_000
ITEMS = [
    Event(1, T, 10, "opened", "opened at 19200 8N1", {"line": "19200 8N1"}),
    Chunk(1, "tx", T + 1000, 1010, [b"*IDN?", b"\n"], 1010),
    Chunk(1, "rx", T + 42_000, 42_010, [b"Brook\x1b[31m"], 42_010),
    Chunk(2, "rx", T + 43_000, 43_010, [b"\xff\x00,"], 43_010, LineErrors(framing=1)),
    Chunk(1, "rx", T + 44_000, 44_010, [b"made\r\n"], 44_020),
    Event(0, T + 50_000, 50_010, "recording", "the book can be written again"),
]


def made(form: str) -> bytes:
    return b"".join(export(form, iter(ITEMS), NAMES))


def test_raw_is_the_bytes_alone() -> None:
    assert made("raw") == b"*IDN?\nBrook\x1b[31m\xff\x00,made\r\n"


def test_text_shows_lines_and_passes_no_control_byte() -> None:
    text = made("text").decode()
    assert all(c == "\n" or c.isprintable() for c in text)
    lines = text.splitlines()
    assert lines[0].startswith(utc_text(T)) and "opened at 19200 8N1" in lines[0]
    assert any("▸" in row and "*IDN?" in row for row in lines)
    (answer,) = [row for row in lines if "Brook" in row]
    assert "+41 ms" in answer and "made" in answer
    assert any("(1 framing error)" in row for row in lines)


def test_csv_reads_back() -> None:
    rows = list(csv.DictReader(io.StringIO(made("csv").decode())))
    assert b"".join(bytes.fromhex(r["hex"]) for r in rows) == made("raw")
    assert [r["direction"] for r in rows] == ["opened", "tx", "rx", "rx", "rx", "recording"]
    assert rows[3]["link"] == NAMES[2] and rows[3]["framing_errors"] == "1"


def test_json_lines_read_back_with_all_times() -> None:
    rows = [json.loads(line) for line in made("jsonl").splitlines()]
    assert len(rows) == len(ITEMS)
    assert rows[1] == {"utc": utc_text(T + 1000), "utc_us": T + 1000, "mono_us": 1010, "link": NAMES[1], "kind": "tx",
                       "last_mono_us": 1010, "hex": "2a49444e3f0a"}  # fmt: skip
    assert rows[3]["errors"]["framing"] == 1
    assert rows[0]["detail"] == {"line": "19200 8N1"}


def read_pcapng(data: bytes) -> list[tuple[int, bytes]]:
    """(block type, body) after the draft: type, total length, body, total length again."""
    blocks, at = [], 0
    while at < len(data):
        kind, total = struct.unpack_from("<II", data, at)
        assert total % 4 == 0 and struct.unpack_from("<I", data, at + total - 4) == (total,)
        blocks.append((kind, data[at + 8 : at + total - 4]))
        at += total
    return blocks


def test_pcapng_has_a_packet_for_each_chunk_with_its_time_and_direction() -> None:
    blocks = read_pcapng(made("pcapng"))
    assert blocks[0][0] == 0x0A0D0D0A and struct.unpack_from("<I", blocks[0][1]) == (0x1A2B3C4D,)
    packets = [body for kind, body in blocks if kind == 6]
    assert len(packets) == len(ITEMS)
    interface, high, low, length, original = struct.unpack_from("<IIIII", packets[1])
    assert (high << 32 | low, length, original) == (T + 1000, 6, 6)
    assert packets[1][20:26] == b"*IDN?\n"
    code, size, flags = struct.unpack_from("<HHI", packets[1], 28)
    assert (code, size, flags) == (2, 4, 2), "outbound"
    assert interface == struct.unpack_from("<I", packets[4])[0]
    assert sum(kind == 1 for kind, _ in blocks) == 3


def test_every_form_bears_an_empty_record() -> None:
    for form in FORMS:
        assert isinstance(b"".join(export(form, iter([]), {})), bytes)
    with pytest.raises(ValueError, match="choose text"):
        export("doc", iter([]), {})


PIECES = st.sampled_from(
    [b"a", b"\r", b"\n", b"\r\n", b"oxygen", b"\xff", b"\xc3\xa9", b'",', b"=1", b"x" * 2048, b"y" * 5000]
)


@given(
    st.lists(
        st.tuples(
            st.sampled_from([0, 1_000, 100_000, 400_000]), st.integers(0, 1),
            st.sampled_from(["rx", "rx", "rx", "bad", "tx", "opened", "note"]),
            st.lists(PIECES, max_size=9).map(b"".join),
        ),
        max_size=25,
    )
)  # fmt: skip
def test_a_whole_record_at_once_has_the_rows_of_one_that_is_followed(passed: list[tuple[int, int, str, bytes]]) -> None:
    """The short cut for plain lines changes nothing."""
    at_us, items, wanted = 10**15, [], []
    talks: dict[int, Conversation] = {}
    last: dict[int, int] = {}
    for pause, link, kind, data in passed:
        at_us += pause
        for other in sorted(last, key=lambda one: (last[one], one)):  # as the screen does, however long nothing comes
            wanted += [(other, row) for row in talks[other].tick(at_us)]
        talk = talks.setdefault(link, Conversation())
        last[link] = at_us if data and kind not in ("opened", "note") else last.get(link, at_us)
        if kind in ("opened", "note"):
            items.append(Event(link, at_us, 0, kind, kind))
            rows = talk.note(kind, at_us, cut=kind == "opened")
        else:
            errors = LineErrors(parity=1) if kind == "bad" else None
            items.append(Chunk(link, "tx" if kind == "tx" else "rx", at_us, 0, [data], 0, errors))
            rows = talk.sent(data, at_us) if kind == "tx" else talk.heard(data, at_us, errors)
        wanted += [(link, row) for row in rows]
    wanted += [(link, row) for link, talk in talks.items() for row in talk.flush()]
    assert list(rows_of(items)) == wanted
    lines = []
    for link, row in wanted:
        after = f"+{row.after_ms:.0f} ms" if row.after_ms is not None else ""
        errors = f"   ({row.errors})" if row.errors else ""
        glyph = {"tx": "▸", "rx": "◂", "note": "·"}[row.direction]
        lines.append(f"{utc_text(row.at_us)}  {('one', 'two')[link]}  {glyph} {after:>9}  {row.shown}{errors}\n")
    assert b"".join(export("text", items, {0: "one", 1: "two"})).decode() == "".join(lines)


def test_an_answers_last_line_stands_before_what_is_said_of_it() -> None:
    items = [
        Chunk(1, "tx", T, 0, [b"LIST\r"], 0),
        Chunk(1, "rx", T + 10_000, 0, [b"row 1\r\n> "], 0),
        Chunk(2, "rx", T + 20_000, 0, [b"level 4"], 0),
        Event(1, T + 100_000, 0, "answer", "asked LIST: an answer"),
        Event(0, T + 400_000, 0, "note", "a remark"),
    ]
    text = b"".join(export("text", items, {1: "one", 2: "two"})).decode()
    words = [line.split("  ")[-1].strip() for line in text.splitlines()]
    assert words == ["LIST↵", "row 1↵↓", ">", "asked LIST: an answer", "level 4", "a remark"]


def test_rows_texts_and_tables_are_read_in_the_character_set_of_their_link() -> None:
    said = ["Füllstand 7,62 m\r\n", "Störung: Pumpe läßt nach\r\n", *[f"Becken {n}: 8,4 °C\r\n" for n in range(9)]]
    items = [
        Chunk(link, "rx", T + 1000 * n, n, [text.encode(codec)], n)
        for n, text in enumerate(said)
        for link, codec in ((1, "cp850"), (2, "latin-1"), (3, "utf-8"))
    ]
    charsets, names = {1: "CP850", 2: "Latin-1"}, {1: "one", 2: "two", 3: "three"}
    rows = list(rows_of(iter(items), charsets))
    assert [row.shown for link, row in rows if link == 1] == [visible(text.encode()) for text in said]
    assert {row.shown for link, row in rows} == {row.shown for link, row in rows if link == 3}
    text = b"".join(export("text", iter(items), names, charsets)).decode()
    table = b"".join(export("csv", iter(items), names, charsets)).decode()
    assert text.count("Störung: Pumpe läßt nach") == table.count("Störung: Pumpe läßt nach") == 3
    sieve = Sieve("läßt")
    wanted = [link for link, row in rows_of(iter(items), charsets, sieve.may_pass) if sieve.passes(link, row)]
    assert sorted(wanted) == [1, 2, 3]
    assert [link for link, row in rows_of(iter(items), {}, sieve.may_pass) if sieve.passes(link, row)] == [3]


@given(
    st.lists(
        st.sampled_from([
            "ab", "a", "b", "c", ".", "a?", "b*", "c+", "(ab)?", "(a)", "[ab]", "[]a]", "[^)]", "[(]", "a{2}", "b{0,1}",
            "(?:bc)", "(?P<n>ab)", "^", "$", "(?!a)", "(?=b)", "(?i:a)", "a|b", "\\w", "{", "}", "#", " ",
        ]),
        min_size=1, max_size=6,
    ).map("".join),
    st.lists(st.text("abcAB ({[)]}#", max_size=8), min_size=20, max_size=20),
)  # fmt: skip
@settings(max_examples=400)
def test_what_a_pattern_is_said_to_need_stands_in_all_that_it_fits(pattern: str, texts: list[str]) -> None:
    try:
        sieve, compiled = Sieve(f"re:{pattern}"), re.compile(pattern, re.I)
    except (ValueError, re.error):
        assume(False)
    needs = (sieve.literal or b"").decode().lower()
    assert all(needs in text.lower() for text in texts if compiled.search(text))
    for text in texts:
        assert not compiled.search(text * 3) or needs in (text * 3).lower()


def test_the_longest_text_that_a_pattern_needs_is_seen() -> None:
    assert [Sieve(f"re:{p}").literal for p in ("low|x", "hopper (low|x)", "^lo+w", "[0-9]+ mg/l$", "a.b")] == [
        None, b"hopper ", b"lo", b" mg/l", None,
    ]  # fmt: skip
