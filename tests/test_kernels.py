"""Compiled kernels are kept for one state of all files that they are made of."""

from dovrel.machine.kernels import sum_of


def test_a_kernel_that_changes_has_all_kernels_compiled_anew(tmp_path):
    outer, inner, other = (tmp_path / name for name in ("outer.py", "inner.py", "other.py"))
    outer.write_text("@njit\ndef outer(): return inner()")
    inner.write_text("@njit\ndef inner(): return 1")
    other.write_text("x = 1")
    before = sum_of(tmp_path)
    other.write_text("x = 2")
    assert sum_of(tmp_path) == before
    inner.write_text("@njit\ndef inner(): return 2")
    assert sum_of(tmp_path) != before


def test_a_constant_that_a_kernel_takes_from_elsewhere_counts(tmp_path):
    (tmp_path / "kernel.py").write_text("from dovrel.core import constants\n@njit\ndef outer(): return constants.ONE")
    (tmp_path / "constants.py").write_text("ONE = 1")
    before = sum_of(tmp_path)
    (tmp_path / "constants.py").write_text("ONE = 2")
    assert sum_of(tmp_path) != before
