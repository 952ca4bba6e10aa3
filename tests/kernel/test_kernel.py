"""Starts the guest, runs the tests of tests/kernel/inside there, and passes on how they ended.

    make kernel-test

It needs no KVM; without it takes some minutes. Not part of `make test`.
"""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

from tests.kernel.machine import in_guest, missing

_REPO = Path(__file__).resolve().parents[2]
_PATIENCE_S = 900.0


@pytest.mark.timeout(_PATIENCE_S + 60)
@pytest.mark.skipif(bool(missing()), reason=missing())
def test_what_needs_a_real_kernel() -> None:
    inside = "-m pytest -p no:cacheprovider -n 0 -v --color=no -o timeout=120 tests/kernel/inside"
    lines = in_guest(f"cd {_REPO} && PYTHONDONTWRITEBYTECODE=1 {sys.executable} {inside}", _PATIENCE_S)
    assert "the guest ended with 0" in lines, "\n".join(lines[-60:])
    assert any("passed" in line for line in lines)
