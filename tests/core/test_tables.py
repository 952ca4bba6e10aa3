"""Lists become tables: rows by pattern or by columns, nothing lost, gaps and changes named."""

import csv
import io

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from ordolex.bench.devices.annunciator import lists
from ordolex.core.tables.complete import changes, complete
from ordolex.core.tables.table import Table, by_columns, by_pattern, lines_of

EVENTS = lists()[2][1]
ROW = r"(?P<number>\d{4})  (?P<time>\d\d-\d\d-\d\d \d\d:\d\d)  (?P<point>.{20})(?P<state>\w+)"


def test_rows_by_a_pattern_keep_what_fits_none_and_name_the_gap() -> None:
    table = by_pattern("events", ["-- EVENTS --", *EVENTS, ""], ROW, "^-- .* --$")
    assert table.columns == ("number", "time", "point", "state") and len(table.rows) == 39
    assert [text for _, text in table.odd] == ["**** memory checked, 1 block remapped ****"]
    whole = complete(table)
    assert whole.missing == (17,) and whole.twice == () and whole.odd == 1
    assert whole.words == "1 missing in the numbering: 17; 1 line that fits no row"
    assert Table.of(table.as_dict()) == table


def test_columns_are_found_in_the_text_itself() -> None:
    lines = [
        "no  point        value",
        "1   intake        4.10",
        "2   raceway one  11.30",
        "3   pump house   12.07",
        "--",
    ]
    table = by_columns("values", lines)
    assert table.columns == ("no", "point", "value")
    assert table.rows[1] == ("2", "raceway one", "11.30") and table.odd == ((5, "--"),)
    plain = by_columns("words", ["one", "two words"])
    assert plain.columns == ("line",) and plain.rows == (("one",), ("two words",))


@pytest.mark.parametrize(
    ("text", "columns", "row", "odd"),
    [
        ("Ch | Name | Value\n---+------+------\n 1 | weir, low | 9.42\n 2 | | ---\n 10 | inlet | 0.4",
         ("Ch", "Name", "Value"), ("2", "", "---"), 0),
        ("+----+------+\n| No | Name |\n+----+------+\n|  1 | pond |\n|  2 | weir |\n+----+------+",
         ("No", "Name"), ("2", "weir"), 0),
        ("|1|pond||\n|2|weir|low|\n|3|inlet||", ("column 1", "column 2", "column 3"), ("3", "inlet", ""), 0),
        ('id,name,value\n1,pond,9.42\n2,"weir, low",3.10\n3,intake,2.00', ("id", "name", "value"),
         ("2", "weir, low", "3.10"), 0),
        ("id\tname\n1\tpond\n2\tweir\n3\tinlet", ("id", "name"), ("2", "weir"), 0),
        ("1;pond;9,42\n2;weir;3,10\n(end)\n3;in;4\n4;out;5\n5;top;6", ("column 1", "column 2", "column 3"),
         ("2", "weir", "3,10"), 1),
        ("  ID     Value  Quality\n   1      9.42  good\n  12    111.40  good\n 123      0.00  bad",
         ("ID", "Value", "Quality"), ("12", "111.40", "good"), 0),
        ("No  Time      Source      State\n1   08:14:22  Pond 3 O2   low\n2   08:15:01  Feeder 12   jam\n"
         "4   09:00:00  Intake      high\nTotal 3", ("No", "Time", "Source", "State"),
         ("2", "08:15:01", "Feeder 12", "jam"), 1),
        ("Slot Module     Rev\n0    CPU        1.2\n1    (empty)\n2    DI 16      2.0\n3    DO 16 rel  2.1",
         ("Slot", "Module", "Rev"), ("1", "(empty)", ""), 0),
        ("Zulauf, alt 7,62\nBecken, groß  8,10\nAblauf, 3,00", ("line",), ("Becken, groß  8,10",), 0),
    ],
)  # fmt: skip
def test_columns_are_found_however_a_device_parts_them(
    text: str, columns: tuple[str, ...], row: tuple[str, ...], odd: int
) -> None:
    table = by_columns("list", text.split("\n"))
    assert table.columns == columns and row in table.rows and len(table.odd) == odd
    assert all(len(one) == len(columns) for one in table.rows)


@given(st.lists(st.text(st.sampled_from("ab1 ,|;\t\"+-é'\0\\"), max_size=30), max_size=9))
@example(["a," + "b" * 300_000, "c,d"])
def test_any_lines_become_a_table_and_none_is_lost_but_rules(lines: list[str]) -> None:
    table = by_columns("list", lines)
    assert all(len(row) == len(table.columns) for row in table.rows)
    assert len(table.rows) + len(table.odd) + 1 >= sum(any(c.isalnum() for c in line) for line in lines)


def test_a_carriage_return_writes_over_and_control_characters_go() -> None:
    assert lines_of("-- more --\r          \r0005 x\r\n\x1b[31mred\x1b[0m\x07\r\n") == ["0005 x", "red", ""]


def test_csv_holds_any_text() -> None:
    table = Table("t", ("a", "b"), (('say "hi", there', "line\nbreak"), ("-4.5", "+3")))
    assert list(csv.reader(io.StringIO(table.csv()))) == [["a", "b"], *[list(row) for row in table.rows]]


@pytest.mark.parametrize("cell", ["=1+1", "+cmd|' /C calc'!A0", "-2+3", "@SUM(A1)", "\t=1", " =1", "\uff1d1+1", "\n=1"])
def test_a_cell_that_a_spreadsheet_would_run_is_made_harmless(cell: str) -> None:
    (_, (made,)) = csv.reader(io.StringIO(Table("t", ("a",), ((cell,),)).csv()))
    assert made == f"'{cell}"


@pytest.mark.parametrize(
    ("after", "words"),
    [
        ((("1", "on"), ("2", "off")), "as before"),
        ((("2", "on"), ("3", "on")), "since then 1 new, 1 changed, 1 gone"),
        ((), "since then 0 new, 0 changed, 2 gone"),
    ],
)
def test_what_changed_since_the_last_time(after: tuple[tuple[str, str], ...], words: str) -> None:
    before = Table("t", ("no", "state"), (("1", "on"), ("2", "off")))
    assert changes(before, Table("t", ("no", "state"), after)).words == words


def test_rows_that_come_twice_are_named() -> None:
    rows = tuple((str(number), "x") for number in (1, 2, 3, 4, 5, 6, 6, 8))
    whole = complete(Table("t", ("no", "v"), rows))
    assert whole.missing == (7,) and whole.twice == ("6",)
