"""Rows bound to properties by address: what their marks say, what a shot or a key holds, and that the window resolves once."""

import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from aulmo.document import edits
from aulmo.document.properties import get
from aulmo.document.records import Key
from desk_tools import type_into

ISO = "cameras/c/iso"


@pytest.fixture
def frame(window):
    """The Frame stage and its row of the film speed."""
    window.session.set_stage("Frame")
    page = window.details.pages["Frame"]
    (found,) = [b for b in page.bound if b.template.endswith("/iso")]
    return window, found


def test_a_dot_says_changed_and_a_click_restores(frame):
    window, iso = frame
    default = iso.default
    assert iso.dot.mark == "" and get(window.session.document, ISO) == default
    type_into(iso.field, "800")
    assert get(window.session.document, ISO) == 800 and iso.dot.mark == "changed"
    QTest.mouseClick(iso.dot, Qt.MouseButton.LeftButton)
    assert get(window.session.document, ISO) == default and iso.dot.mark == ""
    window.session.undo()
    assert get(window.session.document, ISO) == 800


def test_a_shots_own_value_is_shown_changed_alone_and_given_back(frame):
    window, iso = frame
    session = window.session
    session.apply("Own", edits.put_shot(session.document, replace(session.shot, overrides={ISO: 400})))
    assert iso.dot.mark == "own" and iso.field.text().startswith("400")
    in_project = session.document.cameras["c"].iso
    type_into(iso.field, "1600")
    assert session.shot.overrides[ISO] == 1600 and session.document.cameras["c"].iso == in_project
    assert session.shown.cameras["c"].iso == 1600
    iso.restore()
    assert session.shot.overrides == {} and session.shown.cameras["c"].iso == in_project
    assert iso.dot.mark != "own"


def test_a_keyed_value_gets_a_key_where_the_time_stands(frame):
    window, iso = frame
    session = window.session
    session.apply("Keyed", replace(session.document, keys={ISO: (Key(0.0, 100), Key(4.0, 400))}))
    assert iso.dot.mark == "keyed"
    session.set_time(2.0)
    session.set_recording(True)
    type_into(iso.field, "320")
    assert [(k.time, k.value) for k in session.document.keys[ISO]] == [(0.0, 100), (2.0, 320), (4.0, 400)]


def test_what_is_shown_is_resolved_once_and_again_only_when_something_changed(window):
    session = window.session
    assert session.shown is session.document  # nothing to resolve
    session.apply("Own", edits.put_shot(session.document, replace(session.shot, overrides={ISO: 400})))
    first = session.shown
    assert first is session.shown and first is not session.document
    session.apply("Colour", edits.change_surface(session.document, "m", base_color=(0.1, 0.9, 0.1)))
    assert session.shown is not first and session.shown.materials["m"].surface.base_color == (0.1, 0.9, 0.1)
    assert session.shown.parts is first.parts  # what did not change is the same object, and no step of the scene is taken for it


def test_a_value_that_cannot_be_gets_a_sentence_and_changes_nothing(window):
    said = []
    window.session.trouble.connect(said.append)
    before = window.session.document
    assert not window.session.put({ISO: "fast"})
    assert said and window.session.document is before


def test_one_is_one_and_two_are_two():
    from aulmo.document.quantity import counted

    assert (counted(1, "part"), counted(2, "part")) == ("1 part", "2 parts")
    assert (counted(1, "mesh", "meshes"), counted(3, "mesh", "meshes")) == ("1 mesh", "3 meshes")


def test_keys_count_before_a_shots_own_value_in_the_row_too(window):
    """What is shown, marked and set is what `resolve` takes."""
    from msgspec.structs import replace

    from aulmo.document import edits
    from aulmo.document.records import Key

    session = window.session
    address = f"cameras/{session.shot.camera}/focal_length_mm"
    shot = replace(session.shot, overrides={address: 33.0})
    keyed = replace(edits.put_shot(session.document, shot), keys={address: (Key(0.0, 50.0), Key(2.0, 90.0))})
    session.apply("Both", keyed)
    session.set_stage("Frame")
    row = next(b for b in window.details.pages["Frame"].bound if b.addresses() == [address])
    assert session.value(address) == 50.0 and row.dot.mark == "keyed"
    assert session.put({address: 60.0})
    assert session.value(address) == 60.0 and session.shot.overrides[address] == 33.0
