"""Tables of other instruments: separators, decimal commas, forms of times, and two instruments beside each other."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ordolex.core.watch.imported import (
    TableError,
    forms_of,
    imported,
    read_table,
    time_columns,
    times_us,
    value_columns,
)
from ordolex.core.watch.stats import beside


def us(*parts: int) -> int:
    return round(datetime(*parts, tzinfo=UTC).timestamp() * 1e6)  # type: ignore[misc, arg-type]


def taken(text: str, form: str = "", column: int | None = None) -> tuple[list[int | None], list[list[float]]]:
    table = read_table(text)
    at = time_columns(table)[0] if column is None else column
    forms = forms_of(table, at)
    chosen = next(one for one in forms if not form or one.name == form)
    times = times_us(table, at, chosen)
    columns = [imported(table, times, one) for one in value_columns(table, at)]
    return times, [[float(sample.value or 0) for sample in one.samples] for one in columns]


@pytest.mark.parametrize(
    ("text", "first", "values"),
    [
        ("time,pH\n2026-03-14T06:30:00Z,7.1\n2026-03-14T06:31:00Z,7.2\n", us(2026, 3, 14, 6, 30), [[7.1, 7.2]]),
        ("t;pH\n1773469800;7,1\n1773469860;-7,25\n", us(2026, 3, 14, 6, 30), [[7.1, -7.25]]),
        ("1773469800000\t3\n1773469860000\t4\n", us(2026, 3, 14, 6, 30), [[3, 4]]),
        ("sep;x\n2026-03-14 06:30:00+00:00;1.5\n2026-03-14 06:31:00+00:00;\n", us(2026, 3, 14, 6, 30), [[1.5]]),
        ("Logger 7\nserial 0012\n\nno;time;flow\n1;2026-03-14T07:30:00+01:00;5\n2;2026-03-14T07:31:00+01:00;6\n",
         us(2026, 3, 14, 6, 30), [[1, 2], [5, 6]]),
    ],
)  # fmt: skip
def test_tables_as_they_are_met(text: str, first: int, values: list[list[float]]) -> None:
    times, found = taken(text)
    assert times[0] == first and found == values


def test_days_and_months_that_cannot_be_told_apart_are_both_offered_and_else_only_one() -> None:
    doubtful = read_table("time,x\n03/04/2026 10:00,1\n05/04/2026 10:00,2\n")
    assert [form.name for form in forms_of(doubtful, 0)] == ["day/month/year", "month/day/year"]
    clear = read_table("time,x\n03/14/2026 10:00,1\n03/15/2026 10:00,2\n")
    assert [form.name for form in forms_of(clear, 0)] == ["month/day/year"]


def test_date_and_time_in_two_columns_units_under_headings_and_headings_twice() -> None:
    table = read_table("Date;Time;O2;O2\n;;mg/l;%\n14.03.2026;06:30:00;9,1;98\n14.03.2026;06:31:00;9,2;99\n")
    assert table.headings[2:] == ("O2 (mg/l)", "O2 (%)") and table.comma
    (form,) = forms_of(table, 0)
    times = times_us(table, 0, form, offset_s=90)
    assert times[1] is not None and times[0] is not None and times[1] - times[0] == 60_000_000
    local = datetime(2026, 3, 14, 6, 31, 30).timestamp()  # no zone: a time of this computer's
    assert times[0] == round(local * 1e6)
    one = imported(table, times, value_columns(table, 0)[0])
    assert (one.name, one.unit, [s.value for s in one.samples]) == ("O2", "mg/l", [9.1, 9.2])
    plain = read_table("time,O2 mg/l,Pump 3,x\n2026-03-14T06:30:00Z,1,2,3\n")
    units = [imported(plain, [0], column) for column in (1, 2, 3)]
    assert [(one.name, one.unit) for one in units] == [("O2", "mg/l"), ("Pump 3", ""), ("x", "")]


def test_cells_that_are_no_value_are_counted_and_rows_of_another_shape_left_out() -> None:
    table = read_table("time,x\n2026-03-14T06:30:00Z,1\nfooter\n2026-03-14T06:31:00Z,OVR\n2026-03-14T06:32:00Z,\n")
    times = times_us(table, 0, forms_of(table, 0)[0])
    one = imported(table, times, 1)
    assert (len(one.samples), one.unreadable, one.empty, table.odd) == (1, 1, 1, 1)


@pytest.mark.parametrize("text", ["", "\n\n", "a\nb\nc\n", "time,x\n", "\0\0\0", '"' + "x" * 200_000 + '",1\n'])
def test_what_is_no_table_is_refused_in_words(text: str) -> None:
    with pytest.raises(TableError):
        read_table(text)


@settings(max_examples=60)
@given(st.text(max_size=300))
def test_any_text_is_a_table_or_refused(text: str) -> None:
    try:
        table = read_table(text)
    except TableError:
        return
    assert all(len(row) == len(table.headings) for row in table.rows)
    for column in time_columns(table):
        for form in forms_of(table, column):
            times_us(table, column, form, 1e9)


def test_two_instruments_are_compared_at_the_times_of_the_other_and_never_over_a_gap() -> None:
    own = [(s * 1_000_000, 10.0 + s) for s in range(0, 10)] + [(s * 1_000_000, 10.0 + s) for s in range(60, 70)]
    other = [(int(s * 1e6), 9.0 + s) for s in (-1, 2.5, 5, 30, 64.25, 99)]
    found = beside(own, other, 3_000_000)
    assert (found.count, found.alone) == (3, 3) and found.mean == pytest.approx(1.0)
    assert found.largest == pytest.approx(1.0) and "3 times stand alone" in found.words
    assert beside(own, [(30_000_000, 1.0)], 3_000_000).mean is None
