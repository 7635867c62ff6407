"""Arrays and term tables on disk."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import array_shapes, arrays

from yonder_lantern.core import IndexStateError
from yonder_lantern.platform.storage import TermTable, byte_order, map_array, save_array

kinds = st.sampled_from([np.uint8, np.int32, np.int64, np.float32])


@given(kinds.flatmap(lambda kind: arrays(kind, array_shapes(min_side=0, max_dims=2))))
def test_arrays_come_back_as_they_were(tmp_path_factory, array) -> None:
    path = tmp_path_factory.mktemp("array") / "a.npy"
    save_array(path, array)
    back = map_array(path)
    assert back.dtype == array.dtype
    assert np.array_equal(back, array, equal_nan=array.dtype.kind == "f")
    assert np.array_equal(np.load(path), back, equal_nan=array.dtype.kind == "f")


def test_a_file_that_is_no_array_or_cut_short_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "a.npy"
    save_array(path, np.arange(100))
    whole = path.read_bytes()
    for data in (b"", whole[:5], whole[:60], whole[:-1], whole + b"x", b"\x00" + whole[1:]):
        path.write_bytes(data)
        with pytest.raises(IndexStateError, match="damaged"):
            map_array(path)


@given(st.sets(st.text(min_size=1, max_size=8)), st.text(max_size=8))
def test_terms_are_found_by_their_number(tmp_path_factory, terms: set[str], other: str) -> None:
    folder = tmp_path_factory.mktemp("terms")
    ordered = sorted(terms, key=byte_order)
    TermTable.of(ordered).save(folder)
    table = TermTable.load(folder)
    assert table.all() == ordered
    assert [table.find(term) for term in ordered] == list(range(len(ordered)))
    if other not in terms:
        assert table.find(other) == -1
