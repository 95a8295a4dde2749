"""The journal: unsaved work is found again, whatever ended the program."""

import os
import signal
import subprocess
import sys

import pytest

from aulmo.document import edits, journal
from aulmo.errors import BadFile
from shapes import box_mesh, one_part

JOURNALLER = """
import sys
sys.path[:0] = {paths!r}
from shapes import one_part, box_mesh
from aulmo.document import edits, journal
from pathlib import Path
import os, signal
document, assets = one_part(box_mesh())
notes = journal.Journal(Path({folder!r}))
notes.note(edits.change_part(document, "ball", name="Unsaved"), assets, Path("/somewhere/a.aulmo"))
os.kill(os.getpid(), signal.SIGKILL)
"""


def test_unsaved_work_is_found_again_after_a_kill(tmp_path):
    paths = [str(p) for p in (os.path.dirname(os.path.dirname(__file__)), *sys.path)]
    done = subprocess.run([sys.executable, "-c", JOURNALLER.format(paths=paths, folder=str(tmp_path))])
    assert done.returncode == -signal.SIGKILL
    (found,) = journal.left_behind(tmp_path)
    document, assets, path = journal.recover(found)
    assert document.parts["ball"].name == "Unsaved"
    assert len(assets.mesh(document.parts["ball"].mesh).triangles) == 12
    assert str(path) == "/somewhere/a.aulmo"
    journal.discard(found)
    assert journal.left_behind(tmp_path) == []


def test_a_journal_that_was_closed_is_not_offered(tmp_path):
    document, assets = one_part(box_mesh())
    notes = journal.Journal(tmp_path)
    notes.note(document, assets, None)
    assert journal.left_behind(tmp_path) == []  # this process still runs
    notes.close()
    assert not list(tmp_path.iterdir())


def test_only_the_newest_state_is_written_and_none_is_lost(tmp_path):
    document, assets = one_part(box_mesh())
    told: list[str] = []
    writer = journal.Writer(tmp_path, told.append)
    for k in range(200):
        writer.note(edits.change_part(document, "ball", name=f"Ball {k}"), assets, None)
    writer.flush()
    (folder,) = tmp_path.iterdir()
    assert journal.recover(folder)[0].parts["ball"].name == "Ball 199" and not told
    writer.forget()
    assert not list(tmp_path.iterdir())
    writer.note(document, assets, None)  # more work after a save
    writer.flush()
    assert journal.recover(folder)[0] == document
    writer.close()
    assert not list(tmp_path.iterdir())


def test_a_journal_that_cannot_be_written_says_so(tmp_path):
    document, assets = one_part(box_mesh())
    (tmp_path / "file").write_text("in the way")
    told: list[str] = []
    writer = journal.Writer(tmp_path / "file", told.append)
    writer.note(document, assets, None)
    writer.flush()
    assert len(told) == 1 and "recovery copy could not be written" in told[0]


def test_what_cannot_be_read_is_set_aside_and_not_deleted(tmp_path):
    folder = tmp_path / "999999-dead"
    folder.mkdir()
    (folder / "document.json").write_bytes(b'{"schema_version": 2, "parts": 5}')
    with pytest.raises(BadFile, match="recovery copy"):
        journal.recover(folder)
    kept = journal.set_aside(folder)
    assert (kept / "document.json").exists() and journal.left_behind(tmp_path) == []
