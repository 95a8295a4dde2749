"""What follows from content alone: made once, found again, and made anew where the disk holds something else."""

import numpy as np
import pytest

from aulmo.document import by_content as kept


@pytest.fixture
def shelf(tmp_path, monkeypatch):
    monkeypatch.setattr(kept, "folder", lambda: tmp_path / "kept")
    monkeypatch.setattr(kept, "_held", {})
    return tmp_path / "kept"


def made(times: list, value: float = 1.5):
    return lambda: times.append(1) or np.full((2, 3), value, np.float32)


def test_it_is_made_once_for_a_content_and_found_by_the_next_start(shelf, monkeypatch):
    times: list = []
    one = kept.by_content("dome", b"a", made(times))
    assert kept.by_content("dome", b"a", made(times)) is one and len(times) == 1
    monkeypatch.setattr(kept, "_held", {})  # another process
    np.testing.assert_array_equal(kept.by_content("dome", b"a", made(times)), one)
    assert len(times) == 1
    kept.by_content("dome", b"b", made(times))
    kept.by_content("other", b"a", made(times))
    assert len(times) == 3
    with pytest.raises(ValueError):
        one[0, 0] = 2.0  # shared by all who ask


def test_a_damaged_file_is_made_anew_and_a_disk_that_takes_nothing_is_no_trouble(shelf, monkeypatch):
    times: list = []
    kept.by_content("dome", b"a", made(times))
    (path,) = (shelf / "dome").glob("*.npy")
    path.write_bytes(path.read_bytes()[:60])
    monkeypatch.setattr(kept, "_held", {})
    assert kept.by_content("dome", b"a", made(times)).shape == (2, 3) and len(times) == 2
    monkeypatch.setattr(kept, "folder", lambda: path / "no folder")
    assert kept.by_content("dome", b"c", made(times)).shape == (2, 3)


def test_only_so_many_are_kept(shelf, monkeypatch):
    monkeypatch.setattr(kept, "IN_MEMORY", 3)
    monkeypatch.setattr(kept, "ON_DISK", 5)
    for k in range(12):
        kept.by_content("dome", bytes([k]), made([], k))
    assert len(kept._held["dome"]) == 3 and len(list((shelf / "dome").glob("*.npy"))) == 5
