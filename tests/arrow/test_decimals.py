"""Decimal numbers are the floats that Python makes of them, whatever their size."""

from decimal import Decimal

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import nachsicht
from nachsicht.arrow.numeric import floats_of_decimals

KINDS = [
    *(pa.decimal128(5, 2), pa.decimal128(38, 0), pa.decimal128(18, 9), pa.decimal128(20, -3)),
    *(pa.decimal128(38, 30), pa.decimal256(70, 20), pa.decimal128(30, 2)),
]


@given(st.sampled_from(KINDS), st.data())
def test_floats_are_the_nearest(kind, data):
    most = 10**kind.precision - 1
    digits = st.none() | st.integers(-most, most) | st.integers(-9_999, 9_999)
    drawn = data.draw(st.lists(digits, max_size=8))
    values = [None if n is None else Decimal(f"{n}E{-kind.scale}") for n in drawn]
    array = pa.array(values, kind)
    expected = [None if value is None else float(value) for value in values]
    assert floats_of_decimals(array).to_pylist() == expected
    cut = data.draw(st.integers(0, len(values)))
    assert floats_of_decimals(array[cut:]).to_pylist() == expected[cut:]
    chunked = pa.chunked_array([array[:cut], array[cut:]], kind)
    assert floats_of_decimals(chunked).to_pylist() == expected


def test_a_price_is_written_as_it_was():
    prices = pa.array([Decimal(cents) / 100 for cents in range(20_000)])
    column = nachsicht.profile(pa.table({"price": prices})).document.columns[0]
    assert [number.value for number in column.stats.highest[:2]] == [199.99, 199.98]
    assert column.dtype == str(prices.type)
    assert column.stats.sum == pytest.approx(sum(range(20_000)) / 100, rel=1e-14)
