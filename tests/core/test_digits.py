"""How numbers are written: a counter keeps its digits, and what was read is what is shown."""

from __future__ import annotations

import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ordolex.core.protocols.modbus.values import decode, encode, unscaled
from ordolex.core.text.digits import exact, of_float32, scaled, short


@pytest.mark.parametrize(
    ("value", "all_digits", "column", "narrow"),
    [
        (8.17, "8.17", "8.17", "8.17"),
        (8.171923041, "8.171923041", "8.17192", "8.17192"),
        (4418827.25, "4418827.25", "4418827.25", "4418827"),
        (-70031894.5, "-70031894.5", "-70031894.5", "-7e+07"),
        (0.1 + 0.2, "0.3", "0.3", "0.3"),
        (2 / 3, "0.666666666666667", "0.666667", "0.666667"),
        (0.0000234567, "2.34567e-05", "2.34567e-05", "2.35e-05"),
        (6.5e22, "6.5e+22", "6.5e+22", "6.5e+22"),
        (0.0, "0", "0", "0"),
    ],
)
def test_a_number_keeps_its_digits_before_the_point(value: float, all_digits: str, column: str, narrow: str) -> None:
    assert (exact(value), short(value), short(value, 8)) == (all_digits, column, narrow)


@given(st.floats(-1e300, 1e300), st.sampled_from([8, 12]))
def test_a_column_is_never_too_narrow_and_never_wrong(value: float, most: int) -> None:
    text = short(value, most)
    assert len(text) <= most and float(text) == pytest.approx(value, rel=0.001 if most == 12 else 0.5, abs=0)


@given(st.floats(width=32, allow_nan=False))
def test_four_bytes_are_the_shortest_number_that_is_them(value: float) -> None:
    data = struct.pack(">f", value)
    found = of_float32(data)
    assert struct.pack(">f", found) == data and len(repr(found)) <= len(repr(value))


@given(st.integers(0, 2**32 - 1), st.sampled_from([0.1, 0.01, 0.001, 0.5, 2.0]), st.sampled_from([0.0, -40.0, 0.05]))
def test_a_counter_with_a_scale_is_read_to_its_last_digit_and_goes_back_as_it_was(
    raw: int, scale: float, offset: float
) -> None:
    registers = encode(raw, "uint32")
    value = scaled(decode(registers, "uint32"), scale, offset)
    assert encode(unscaled(value, scale, offset, "uint32"), "uint32") == registers
    assert float(exact(float(value))) == float(value)


def test_the_last_digit_of_a_counter_is_there() -> None:
    assert scaled(4_294_967_295, 0.001, 0) == 4294967.295 and scaled(213, 0.1, -5) == 16.3
    assert scaled(decode(encode(49.87, "float32"), "float32"), 0.1, 0) == 4.987
