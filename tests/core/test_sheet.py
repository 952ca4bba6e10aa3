import subprocess
import sys
import tomllib
from collections.abc import Callable
from importlib.resources import files
from pathlib import Path

import pytest
import regex
from pydantic import BaseModel

from ordolex.bench.plan import read_plan
from ordolex.core.link.question import Verdict
from ordolex.core.sheet import Jumper, Sheet, SheetError, checklist, jumper_drawing, read_sheet
from ordolex.core.text import patterns
from ordolex.core.text.refusals import shape_words
from ordolex.io.own.sheets import all_sheets, own_folder
from tests.cli.test_cli import refused, run

GOOD = """name = "x"
device = "made-up"

[line]
settings = "9600 8N1"
source = "sticker"

[[question]]
name = "one"
send = 'A\\r'

[[question]]
name = "two"
send = 'B\\r'
timeout_s = 2
"""


def test_every_sheet_that_ships_is_right_and_every_stand_in_has_one() -> None:
    sheets, faults = all_sheets()
    assert not faults and len(sheets) == sum(e.name.endswith(".toml") for e in files("ordolex.sheets").iterdir())
    kinds = {sheet.bench_kind: sheet for sheet in sheets.values()}
    for device in read_plan(None).device:
        assert kinds[device.kind].line.settings == device.line


def test_a_question_of_a_sheet_is_judged_by_its_pattern() -> None:
    sheets, _ = all_sheets()
    question = next(q for q in sheets["oxygen-transmitter"].harmless if q.name == "oxygen").question()
    assert question.data == b"MEAS:OXYG?\n"
    assert question.judge(b"9.42 mg/l\n") is Verdict.RIGHT
    assert question.judge(b"9.42\n") is Verdict.WRONG


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (('settings = "9600 8N1"', 'settings = "9600 9N1"'), "x.toml, line 5: line.settings: data bits: 9 cannot be"),
        (("timeout_s = 2", "timeout_s = -2"), "x.toml, line 15: question.2.timeout_s"),
        (("send = 'B\\r'", "send = 'B\\q'"), "x.toml, line 14: question.2.send"),
        (("send = 'B\\r'", "like = '('\nsend = 'B'"), "question.2.like: is no pattern"),
        (
            ('device = "made-up"', 'colour = "red"\ndevice = "d"'),
            "x.toml, line 2: colour: there is no such key here; there are name, device",
        ),
        (('device = "made-up"', 'device = "d"\nmodle = "m"'), "modle: there is no such key here; is model meant?"),
        (("timeout_s = 2", "timeout_s = 'soon'"), "'soon' cannot be: it must be a number"),
        (("timeout_s = 2", "timeout_s = 0"), "0 cannot be: it must be more than 0"),
        (('device = "made-up"', 'device = "d"\nline_end = "LFCR"'), "'LFCR' is none of 'LF', 'CR', 'CR LF', 'none'"),
        (('source = "sticker"', ""), "line 4: line.source: it is missing, and must be given"),
        (('device = "made-up"', 'device = "d"\nwiring_end = "hole"'), "line 3: wiring_end: 'hole' is no end; choose"),
        (("[line]", "[line"), "x.toml: "),
    ],
)
def test_errors_name_file_line_key_and_what_would_be_right(change: tuple[str, str], says: str) -> None:
    assert change[0] in GOOD
    with pytest.raises(SheetError) as caught:
        read_sheet(GOOD.replace(*change), "x.toml")
    assert says in str(caught.value)


def test_the_readiness_list_is_in_the_order_of_the_work() -> None:
    sheets, _ = all_sheets()
    steps = checklist(sheets["temperature-string"])
    assert steps[0].startswith("Power") and "put back at the end: position RUN" in " ".join(steps)
    assert [s.split(":")[0] for s in steps[-2:]] == ["Booted", "Ready"]
    assert checklist(sheets["sentence-talker"]) == []


def test_every_key_is_documented() -> None:
    text = (Path(__file__).parents[2] / "docs/sheets.md").read_text()

    def keys(model: type[BaseModel], path: str) -> None:
        for name, facts in model.model_fields.items():
            inner = [a for a in (facts.annotation, *getattr(facts.annotation, "__args__", ()))
                     if isinstance(a, type) and issubclass(a, BaseModel)]  # fmt: skip
            if inner and f"`{path}{name}`" not in text:  # steps of a second pass are steps, described once
                keys(inner[0], f"{path}{name}.")
            else:
                assert f"`{path}{name}`" in text, f"{path}{name} is not in docs/sheets.md"

    keys(Sheet, "")
    assert tomllib.loads("x = 1")


def test_what_must_be_given_and_the_defaults_are_those_of_this_state(tmp_path: Path) -> None:
    docs = Path(__file__).parents[2] / "docs/sheets.md"
    page = tmp_path / "sheets.md"
    page.write_text(docs.read_text())
    subprocess.run([sys.executable, str(docs.parents[1] / "scripts/sheet_keys.py"), str(page)], check=True, timeout=60)
    assert page.read_text() == docs.read_text(), "make it anew: python scripts/sheet_keys.py docs/sheets.md"


@pytest.mark.parametrize(
    ("pattern", "words"),
    [
        (r"[A-Za-z0-9 .-]{1,16}", "it takes letters, digits, blanks, ., -; 1 to 16 characters"),
        (r"\w{1,30}", "it takes letters, digits and _; 1 to 30 characters"),
        (r"[a-z]+", "it takes small letters; one or more characters"),
        (r"(\d{1,3}\.){3}\d{1,3}", "it has not the shape that its sheet gives; `ordolex sheet show`"),
    ],
)
def test_a_shape_is_said_in_words_and_never_as_an_expression(pattern: str, words: str) -> None:
    said = shape_words(pattern)
    assert said.startswith(words) and "{" not in said


def test_the_command_line_lists_shows_and_checks(tmp_path: Path) -> None:
    assert "oxygen-transmitter" in run("sheet", "list").stdout
    assert "19200 8N1 (sticker inside the lid)" in run("sheet", "show", "oxygen-transmitter").stdout
    file = tmp_path / "x.toml"
    file.write_text(GOOD)
    assert run("sheet", "check", str(file)).returncode == 0
    file.write_text(GOOD.replace("9600 8N1", "fast"))
    refused(run("sheet", "check", str(file)), 1, "line 5: line.settings: line settings: 'fast' is not understood")
    refused(run("sheet", "show", "nothing"), 1, "one's own go into")
    own_folder().mkdir(parents=True)
    (own_folder() / "x.toml").write_text(GOOD)
    assert "made-up" in run("sheet", "list").stdout


def test_a_jumper_is_drawn_where_it_stands() -> None:
    jumper = Jumper(what="S1", for_work="SERVICE, power off", restore="RUN", positions=["RUN", "SERVICE"])
    assert jumper_drawing(jumper) == ["for the work  □ RUN   ■ SERVICE", "afterwards    ■ RUN   □ SERVICE"]
    assert jumper_drawing(jumper.model_copy(update={"positions": []})) == []


def test_the_example_of_the_reference_is_a_sheet() -> None:
    text = (Path(__file__).parents[2] / "docs/sheets.md").read_text()
    example = text.split("```toml\n")[1].split("```")[0]
    sheet = read_sheet(example, "docs/sheets.md")
    assert sheet.parameter[0].can_be_written and sheet.store is not None


PARAMETER = """
[[parameter]]
name = "rate"
read = 'R?\\r'
like = '(?P<value>\\d+)'
write = 'R {value}\\r'
"""


@pytest.mark.parametrize(
    ("more", "says"),
    [
        (PARAMETER + PARAMETER, "two parameters are called 'rate'"),
        (PARAMETER + "store = true\n", "the sheet has no \\[store\\]"),
        (PARAMETER.replace("(?P<value>", "("), "needs the group"),
        (PARAMETER.replace("{value}", "5"), "write needs {value}"),
        (PARAMETER.replace(r"(?P<value>\d+)", "(?P<value>(?:0|00)+)$"), "line 20: parameter.1.like: .*take forever"),
        (PARAMETER + "code = '1.8.0'\n", "give one of read, hear, code"),
        ("[[parameter]]\nname = 'a'\nmodbus = { at = '50001' }\n", "'50001' is no address"),
        ("[[parameter]]\nname = 'a'\nmodbus = { at = '40001', type = 'float' }\n", "'float' is no type"),
        ("[[parameter]]\nname = 'a'\nmodbus = { at = '40001' }\n", "a device that speaks text is read by"),
        ("[[parameter]]\nname = 'a'\nkind = 'choice'\nhear = '(?P<value>x)'\n", "needs its choices"),
        ("[[parameter]]\nname = 'a'\nlow = 5\nhigh = 4\nhear = '(?P<value>x)'\n", "low is more than high"),
        ("[[parameter]]\nname = 'a'\nunit = 5\nhear = '(?P<value>x)'\n", "unit"),
        ("[store]\nmeans = 'x'\n", "send or register_at"),
        ("[frame]\nstart = 'zz'\n", "is no hex"),
        ("[frame]\ncheck = 'crc99'\n", "is no check"),
        ("[[procedure]]\nname = 'p'\n[[procedure.step]]\nsend = '{nothing}'\n", "the field 'nothing'"),
        ("[[procedure]]\nname = 'p'\n[[procedure.step]]\nsend = 'a'\nquiet_s = 1\n", "does one thing"),
        (
            "[[procedure]]\nname = 'p'\n[[procedure.field]]\nname = 'a'\nlabel = 'a'\nonly_if = 'b=1'\n"
            "[[procedure.field]]\nname = 'b'\nlabel = 'b'\nonly_if = 'a=1'\n[[procedure.step]]\nsend = 'x'\n",
            "goes in a circle",
        ),
    ],
)
def test_what_does_not_hang_together_is_refused_with_its_place(more: str, says: str) -> None:
    with pytest.raises(SheetError, match=says):
        read_sheet(GOOD + more, "x.toml")


def test_a_pattern_that_takes_forever_on_what_a_device_says_is_given_up() -> None:
    slow = "(?:x|xx)+$"
    assert patterns.search(slow, "x" * 60 + "!") is None and patterns.fullmatch(slow, "x" * 60 + "!") is None
    assert patterns.search(slow, "xx") is not None and patterns.fullmatch(r"\d+", "123") is not None


def test_a_busy_computer_does_not_make_a_pattern_one_that_takes_forever(monkeypatch: pytest.MonkeyPatch) -> None:
    stalls = [True, False, False] * 10_000

    class Held:
        def fullmatch(self, text: str, timeout: float) -> None:
            if stalls.pop():
                raise TimeoutError

        search = fullmatch

    monkeypatch.setattr(patterns, "_MOST_OWN", 0)
    monkeypatch.setattr(regex, "compile", lambda pattern: Held())
    assert patterns.checked("plain") == "plain"


@pytest.mark.parametrize("look", [patterns.search, patterns.fullmatch])
def test_a_look_that_a_busy_computer_held_up_is_not_one_that_does_not_fit(
    look: Callable[[str, str], object], monkeypatch: pytest.MonkeyPatch
) -> None:
    held = [0]

    class Held:
        def search(self, text: str, timeout: float) -> str:
            if held[0]:
                held[0] -= 1
                raise TimeoutError
            return text

        fullmatch = search

    monkeypatch.setattr(patterns, "_compiled", lambda pattern: Held())
    for held[0], found in ((0, "7.62"), (1, "7.62"), (2, None)):
        assert look("plain", "7.62") == found
