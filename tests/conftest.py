"""Fixtures shared by all tests."""

from __future__ import annotations

from pathlib import Path

import pytest

from helpers import program


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo as the program writes it, once for all tests that only read it."""
    folder = tmp_path_factory.mktemp("demo") / "trial"
    done = program("demo", folder)
    assert done.status == 0, done.err
    return folder
