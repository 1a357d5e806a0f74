"""Shared: fresh settings for every test, no display needed, seeded random tests."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings
from hypothesis.internal.conjecture import providers

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

settings.register_profile(
    "house", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large]
)
settings.load_profile("house")
# Seeded tests draw alike whichever modules are loaded: numbers that stand in the source are not thrown in.
providers._get_local_constants = lambda: providers._local_constants


@pytest.fixture(autouse=True)
def _own_folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Recovery files, recent jobs and settings go to a folder of the test's own."""
    for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home"))
    return
