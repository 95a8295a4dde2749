"""An open project does not depend on its file; saving over what somebody else saved asks."""

import threading
from pathlib import Path

import pytest
from msgspec.structs import replace

from aulmo.document import edits, journal, project_file
from aulmo.document.project_file import Changed
from shapes import box_mesh, one_part
from taking import SINGLE


def opened(folder: Path):
    """A project with a blob that nobody has read yet: an exact shape."""
    document, assets = one_part(box_mesh())
    shape = assets.add(b"exact shape " * 500, ".shape")
    document = edits.change_part(document, "ball", shape=shape)
    folder.mkdir(parents=True)
    project_file.save(document, assets, folder / "a.aulmo")
    return (*project_file.load(folder / "a.aulmo"), shape)


@pytest.mark.parametrize("way", SINGLE)
def test_whatever_becomes_of_the_file_what_is_open_can_be_saved_elsewhere_and_is_noted(tmp_path, way):
    document, assets, shape = opened(tmp_path / "work")
    SINGLE[way](tmp_path / "work" / "a.aulmo")
    project_file.save(document, assets, tmp_path / "rescued.aulmo")
    again, blobs = project_file.load(tmp_path / "rescued.aulmo")
    assert again == document and blobs.get(shape).startswith(b"exact shape")
    notes = journal.Journal(tmp_path / "recovery")
    notes.note(document, assets, tmp_path / "work" / "a.aulmo")
    assert journal.recover(notes.folder)[1].get(shape).startswith(b"exact shape")


def test_a_large_file_is_readable_before_and_after_its_copy_is_made(tmp_path, monkeypatch):
    monkeypatch.setattr("aulmo.document.kept_file.AT_ONCE", 0)
    document, assets, shape = opened(tmp_path / "work")
    assert assets.get(shape)  # whichever of the two is there
    for thread in threading.enumerate():
        if thread.name == "keeping a copy":
            thread.join()
    (tmp_path / "work" / "a.aulmo").write_bytes(b"")
    project_file.save(document, assets, tmp_path / "rescued.aulmo")


def test_saving_over_what_another_window_saved_is_refused_with_who_and_when(tmp_path):
    document, assets, _ = opened(tmp_path / "work")
    path = tmp_path / "work" / "a.aulmo"
    theirs, their_assets = project_file.load(path)
    project_file.save(replace(theirs, name="Theirs"), their_assets, path)
    with pytest.raises(Changed, match=r"was changed by .+ on \d+ \w+ \d{4} at \d\d:\d\d"):
        project_file.save(replace(document, name="Mine"), assets, path)
    assert project_file.load(path)[0].name == "Theirs"
    project_file.save(replace(document, name="Mine"), assets, path, over=True)
    assert project_file.load(path)[0].name == "Mine"
    project_file.save(replace(document, name="Mine again"), assets, path)  # what one saved oneself is known
    with pytest.raises(Changed):
        project_file.save(theirs, their_assets, path)


def test_a_thumbnail_or_the_same_once_more_is_no_change(tmp_path):
    document, assets, _ = opened(tmp_path / "work")
    path = tmp_path / "work" / "a.aulmo"
    again, other = project_file.load(path)
    project_file.save(again, other, path, thumbnail=b"png")
    project_file.save(replace(document, name="Mine"), assets, path)


def test_of_two_that_save_at_once_one_is_told(tmp_path):
    """However the two fall: whoever comes second finds the file changed."""
    document, assets, _ = opened(tmp_path / "work")
    path = tmp_path / "work" / "a.aulmo"
    windows = [project_file.load(path) for _ in range(6)]
    told: list[str] = []
    start = threading.Barrier(len(windows))

    def save(k: int) -> None:
        start.wait()
        try:
            project_file.save(replace(windows[k][0], name=f"Window {k}"), windows[k][1], path)
            told.append("saved")
        except Changed:
            told.append("changed")

    threads = [threading.Thread(target=save, args=(k,)) for k in range(len(windows))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(told) == ["changed"] * 5 + ["saved"]


def test_recovery_goes_by_a_lock_and_not_by_the_number_of_a_process(tmp_path):
    document, assets = one_part(box_mesh())
    notes = journal.Journal(tmp_path)
    notes.note(document, assets, None)
    crashed = tmp_path / "1-abcdef"  # process 1 is always there
    notes.folder.rename(crashed)
    assert journal.left_behind(tmp_path) == []  # its lock is held
    notes._lock.close()
    assert journal.left_behind(tmp_path) == [crashed]


def test_recovered_work_knows_what_its_file_held(tmp_path):
    document, assets, _ = opened(tmp_path / "work")
    path = (tmp_path / "work" / "a.aulmo").resolve()
    notes = journal.Journal(tmp_path / "recovery")
    notes.note(replace(document, name="Unsaved"), assets, path)
    theirs, their_assets = project_file.load(path)
    project_file.save(replace(theirs, name="Theirs"), their_assets, path)
    mine, blobs, where = journal.recover(notes.folder)
    with pytest.raises(Changed):
        project_file.save(mine, blobs, where)
