"""Tables from outside: what is too large, and what was made to keep its reader busy, is refused by code that goes through it once."""

import numpy as np
import pytest

from dovrel.core.colour import look_files, table_files

_OPEN = "<Array" * 350_000
"""Two megabytes of arrays that never begin: a pattern that goes back over them would take days."""


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("long.cube", "LUT_1D_SIZE 1000000\n" + "0.5 0.5 0.5\n" * 1_000_000, "a curve has 65536 rows at most"),
        ("wide.cube", "LUT_3D_SIZE 200\n0 0 0\n", "a cube 129 nodes a side"),
        ("long.clf", '<LUT1D><Array dim="70000 3">0 0 0</Array></LUT1D>', "a curve has 65536 rows at most"),
        ("wide.clf", '<LUT3D><Array dim="200 200 200 3">0 0 0</Array></LUT3D>', "a cube 129 nodes a side"),
        ("infinite.clf", '<LUT3D><Array dim="2 2 2 3">0 inf 0</Array></LUT3D>', "not numbers"),
    ],
)
def test_what_is_too_large_or_no_number_is_refused(tmp_path, name, text, said):
    path = tmp_path / name
    path.write_text(text)
    with pytest.raises(ValueError, match=f"^{name}: .*{said}"):
        table_files.check_values(path, "look")


@pytest.mark.parametrize(
    "text", [_OPEN, _OPEN + ">", "<Array " * 300_000 + ">0</Array>", "<Array dim='" + "1 " * 1_000_000]
)
def test_arrays_that_never_end_are_gone_through_once(tmp_path, monkeypatch, text):
    path = tmp_path / "busy.clf"
    path.write_text(text)
    table_files.check_values(path, "look")
    look_files.keep_in(tmp_path / "looks")
    try:
        with pytest.raises(ValueError, match="not a readable look"):
            look_files.keep(path, path.name)
    finally:
        look_files.keep_in(None)


def test_a_curve_of_as_many_rows_as_there_are_codes_is_read(tmp_path):
    path = tmp_path / "curve.cube"
    rows = np.repeat(np.linspace(0, 1, table_files.MOST_ROWS)[:, None] ** 2, 3, axis=1)
    path.write_text(f"LUT_1D_SIZE {len(rows)}\n" + "\n".join(f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in rows))
    look_files.keep_in(tmp_path / "looks")
    try:
        kept = look_files.keep(path, path.name)
        shown = look_files.through(kept.digest, np.array([[0.25, 0.5, 0.75]], np.float32))
    finally:
        look_files.keep_in(None)
    assert shown[0] == pytest.approx([0.0625, 0.25, 0.5625], abs=1e-4)
