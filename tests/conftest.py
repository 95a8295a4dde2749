"""Made-up scenes that all tests share."""

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from pathlib import Path

import pytest
from hypothesis import settings

import aulmo.trace.compile.kernel_cache  # noqa: F401  (before any test imports Numba: no kernel may come from a stale cache)
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document
from jobs_here import jobs_here as jobs_here
from shapes import one_part, sphere_mesh

settings.register_profile("aulmo", deadline=None)  # the first call of a kernel compiles it
settings.load_profile("aulmo")

ROOT = Path(__file__).parents[1]


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
