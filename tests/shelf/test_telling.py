"""What files are taken for on the shelf, and how folders are looked through."""

import os
import shutil
import time

import numpy as np
import pytest
from PIL import Image

import shelf_files
from aulmo import script
from aulmo.errors import BadFile
from aulmo.shelf import own, shelves, thumbnails
from aulmo.shelf.telling import things_in
from aulmo.shelf.things import KINDS


@pytest.fixture(autouse=True)
def own_room(tmp_path, monkeypatch):
    """A shelf of its own for each test."""
    for name in ("XDG_DATA_HOME", "XDG_CACHE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name.lower()))


@pytest.fixture(scope="module")
def hundred(tmp_path_factory):
    """Files of a hundred kinds with what each should be taken for."""
    folder = tmp_path_factory.mktemp("hundred")
    return folder, shelf_files.make(folder)


def test_a_hundred_kinds_of_files_are_known_for_what_they_are(hundred):
    folder, want = hundred
    index = shelves.refreshed(folder, shelves.Index())
    got: dict[str, set[str]] = {}
    for thing in index.things:
        got.setdefault(thing.path, set()).add(thing.kind)
        assert thing.kind in KINDS
    wrong = [(p.name, kind, got.get(str(p))) for p, kind in want.items() if kind not in got.get(str(p), {""})]
    assert len(want) >= 95 and len(wrong) <= len(want) * 0.02, wrong


def test_what_is_known_is_kept_and_only_what_changed_is_looked_at_again(hundred, tmp_path, monkeypatch):
    folder = tmp_path / "mine"
    shutil.copytree(hundred[0] / "artwork", folder)
    shelf = shelves.Shelf()
    script.shelf_add(folder)
    assert shelf.refresh() and not shelf.refresh()
    looked: list = []
    monkeypatch.setattr(shelves, "told_of", lambda paths: looked.extend(paths) or [things_in(p) for p in paths])
    again = shelves.Shelf()
    assert {t.path for t in again.things()} >= {str(p) for p in folder.glob("*.svg")}  # before anything is looked at
    assert not again.refresh() and looked == []
    (folder / "two.svg").unlink()
    Image.new("RGB", (64, 64), (200, 0, 0)).save(folder / "fresh.png")
    os.utime(folder / "odrel.svg", (1, 1))
    assert again.refresh()
    assert {p.name for p in looked} == {"fresh.png", "odrel.svg"}
    assert str(folder / "two.svg") not in {t.path for t in again.things()}


def test_a_folder_that_vanishes_takes_its_things_with_it_and_is_told_of(tmp_path):
    folder = tmp_path / "gone"
    folder.mkdir()
    Image.new("RGB", (64, 64), (200, 0, 0)).save(folder / "red.png")
    script.shelf_add(folder)
    shelf = shelves.Shelf()
    shelf.refresh()
    assert any(t.path.endswith("red.png") for t in shelf.things())
    shutil.rmtree(folder)
    shelf.refresh()
    assert not any(t.path.endswith("red.png") for t in shelf.things())
    assert "cannot be read" in shelf.trouble[folder.resolve()]
    with pytest.raises(BadFile, match="no folder"):
        script.shelf_add(folder)


def test_what_a_broken_file_says_stays_with_it(tmp_path):
    (tmp_path / "torn.exr").write_bytes(b"v/1\1 and then nothing")
    (thing,) = things_in(tmp_path / "torn.exr")
    assert thing.trouble and "torn.exr" in thing.trouble
    assert thumbnails.picture_of(thing) is None


def test_names_that_are_the_same_are_two_things(tmp_path):
    for name in ("a", "b"):
        (tmp_path / name).mkdir()
        Image.new("RGB", (64, 64), (0, 0, 200)).save(tmp_path / name / "blue.png")
    script.shelf_add(tmp_path)
    assert len([t for t in script.shelf_find("blue picture") if t["name"] == "blue"]) == 2


def test_more_files_than_a_shelf_holds_are_told_of(tmp_path, monkeypatch):
    monkeypatch.setattr(shelves, "MOST_FILES", 5)
    for k in range(9):
        (tmp_path / f"{k}.cube").write_text("LUT_3D_SIZE 2\n" + "0 0 0\n" * 8)
    index = shelves.refreshed(tmp_path, shelves.Index())
    assert len(index.things) == 5 and "more than 5" in index.note


def test_a_shelf_of_thousands_is_there_at_once_the_second_time(tmp_path, monkeypatch):
    """Not timed: it is read from one file, without looking at a single one of the others."""
    for k in range(300):
        (tmp_path / f"look {k:04}.cube").write_text("LUT_3D_SIZE 2\n")
    script.shelf_add(tmp_path)
    shelves.Shelf().refresh()
    monkeypatch.setattr(os, "scandir", lambda *a: pytest.fail("a folder was looked into"))
    begun = time.monotonic()
    assert sum(t.kind == "colour table" for t in shelves.Shelf().things()) == 300
    assert time.monotonic() - begun < 30


def test_all_that_ships_is_there_with_its_small_picture():
    things = own.things()
    counts = {kind: sum(t.kind == kind for t in things) for kind in KINDS}
    assert counts["swatch"] >= 200 and counts["light set"] >= 12 and counts["light picture"] >= 20 and counts["dome"] >= 12 and counts["prop"] >= 6
    assert sum("hour" in t.tags for t in things) >= 4
    for thing in things:
        assert thing.path.startswith("aulmo:") or os.path.exists(thing.path), thing.name
        small = thumbnails.kept_at(thing)
        assert small is not None and small.exists(), f"{thing.kind} {thing.name}"
        with Image.open(small) as image:
            assert np.asarray(image.convert("L")).std() > 1.0, thing.name
    assert len({t.key for t in things}) == len(things)
