"""Made-up scenes that all tests share."""

import os
import sys

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from pathlib import Path

import pytest
from hypothesis import settings

import aulmo.trace.compile.kernel_cache  # noqa: F401  (before any test imports Numba: no kernel may come from a stale cache)
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document
from shapes import one_part, sphere_mesh

settings.register_profile("aulmo", deadline=None)  # the first call of a kernel compiles it
settings.load_profile("aulmo")

ROOT = Path(__file__).parents[1]


@pytest.hookimpl(trylast=True)
def pytest_sessionfinish(session, exitstatus):
    session.config.aulmo_exit = int(exitstatus)


@pytest.hookimpl(trylast=True)
def pytest_unconfigure(config):
    """Leave without the interpreter's own cleaning up: after some sixty windows it dies in it ("deallocating True or False"), when every
    test has long been told."""
    status = getattr(config, "aulmo_exit", None)
    if status is not None and "PySide6.QtWidgets" in sys.modules:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(status)


@pytest.fixture
def ball() -> tuple[Document, AssetStore]:
    """A ball in front of a camera."""
    return one_part(sphere_mesh())


@pytest.fixture(scope="session")
def lantern_step() -> Path:
    """The demo's STEP file."""
    return ROOT / "demo" / "wick.step"


@pytest.fixture(scope="session")
def lantern_project() -> Path:
    """The demo project."""
    return ROOT / "demo" / "wick.aulmo"
