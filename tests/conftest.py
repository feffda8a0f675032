"""Fixtures shared by all tests."""

from __future__ import annotations

import json
import os
from collections.abc import Generator, Iterator
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING, TypeVar

import pytest
from hypothesis import settings

from boreotabula.batch.processes import pool as workers
from boreotabula.findings.finding import Finding
from helpers import program

if TYPE_CHECKING:
    from postgres_server import Server

Report = TypeVar("Report", pytest.TestReport, pytest.CollectReport)

# How long an example takes is no matter of tests: the machine may be busy.
settings.register_profile("steady", deadline=None)
settings.load_profile("steady")


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--messages", help="a folder for all messages of findings that the suite met")
    parser.addoption("--no-skips", action="store_true", help="a test that is skipped has failed")


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(
    item: pytest.Item, call: pytest.CallInfo[None]
) -> Generator[None, pytest.TestReport, pytest.TestReport]:
    report = yield
    return _unless_allowed(report, item.config)


@pytest.hookimpl(wrapper=True)
def pytest_make_collect_report(
    collector: pytest.Collector,
) -> Generator[None, pytest.CollectReport, pytest.CollectReport]:
    report = yield
    return _unless_allowed(report, collector.config)


def _unless_allowed(report: Report, config: pytest.Config) -> Report:
    """A report; of a test that was skipped a failure, if none may be."""
    if report.skipped and config.getoption("--no-skips"):
        report.outcome = "failed"
        report.longrepr = f"skipped, but here every test must run: {report.longrepr}"
    return report


@pytest.fixture(scope="session", autouse=True)
def _messages_met(request: pytest.FixtureRequest) -> Iterator[None]:
    """With `--messages FOLDER`: every message once, to be compared after findings were reworded."""
    folder = request.config.getoption("--messages")
    if folder is None:
        yield
        return
    met: set[tuple[str, str, str]] = set()
    cut = Finding.__post_init__

    def noted(finding: Finding) -> None:
        cut(finding)
        met.add((finding.code, finding.message, finding.advice))

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Finding, "__post_init__", noted)
        yield
    Path(folder).mkdir(exist_ok=True)
    Path(folder, f"{os.getpid()}.json").write_text(json.dumps(sorted(met), ensure_ascii=False))


@pytest.fixture(scope="session", autouse=True)
def _kept_apart(tmp_path_factory: pytest.TempPathFactory) -> None:
    """Results and key are kept for the tests alone, not among those of whoever runs them."""
    os.environ["BOREOTABULA_CACHE"] = str(tmp_path_factory.mktemp("kept"))
    os.environ["XDG_DATA_HOME"] = str(tmp_path_factory.mktemp("data"))


@pytest.fixture(scope="module", autouse=True)
def _in_one_process(request: pytest.FixtureRequest) -> Iterator[None]:
    """Few files are read in the process of the tests, which is quicker by far, but for the tests
    marked `apart`: those are about the processes that files are read in."""
    with pytest.MonkeyPatch.context() as patch:
        if request.node.get_closest_marker("apart") is None:
            patch.setattr(workers, "_APART", False)
        yield


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo as the program writes it, once for all tests that only read it."""
    folder = tmp_path_factory.mktemp("demo") / "trial"
    done = program("demo", folder)
    assert done.status == 0, done.err
    return folder


@pytest.fixture(scope="session")
def server() -> Iterator[Server]:
    """A PostgreSQL server on loopback, started once; its password is in the environment."""
    from postgres_server import PASSWORD, Server, tools

    found = tools()
    if found is None:
        pytest.skip("PostgreSQL is not installed (Debian: apt-get install postgresql)")
    with TemporaryDirectory(prefix="pg") as folder:  # sockets need a short path
        started = Server(found, Path(folder))
        with pytest.MonkeyPatch.context() as patch:
            patch.setenv("PGPASSWORD", PASSWORD)
            yield started
        started.stop("immediate")
