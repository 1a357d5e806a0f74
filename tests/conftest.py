"""Shared: fresh settings for every test, no display needed, seeded random tests."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings
from hypothesis.internal.conjecture import providers

from bastler.core import faults

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

settings.register_profile(
    "house", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large]
)
settings.load_profile("house")
# Seeded tests draw alike whichever modules are loaded: numbers that stand in the source are not thrown in.
providers._get_local_constants = lambda: providers._local_constants


@pytest.fixture(scope="session")
def _home(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("user") / "home"


@pytest.fixture(autouse=True)
def _own_folders(_home: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Recovery files, recent jobs and settings go to a folder that is empty at the start of each test; no fault is logged unseen."""
    shutil.rmtree(_home, ignore_errors=True)
    for name in ("XDG_STATE_HOME", "XDG_DATA_HOME"):
        monkeypatch.setenv(name, str(_home))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))  # Qt remembers settings by their file
    faults.forget()
    yield
    log = faults.log_file()
    assert not log.exists(), log.read_text()
