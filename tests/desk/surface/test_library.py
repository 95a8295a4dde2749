"""My swatches through the real window: kept, found, dragged, brought up to date by choice; MaterialX read and written."""

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QMimeData, QSettings, Qt
from PySide6.QtWidgets import QInputDialog

from aulmo.desk.picture.drops import SWATCH_MIME
from aulmo.document import edits
from aulmo.surface import library, swatches
from desk_tools import drop, point_of, worn

PAYLOAD = Qt.ItemDataRole.UserRole


@pytest.fixture
def shelf(window, tmp_path, qtbot):
    """The swatches bench with the library in a folder of its own, and the commands on materials."""
    QSettings().setValue("swatches", str(tmp_path / "mine"))
    window.session.set_stage("Surface")
    window.session.face_wanted.emit("Swatches")
    return window.bench.faces["Surface"]


def keep(window, qtbot, shelf, name: str, tags: str, monkeypatch) -> None:
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: (tags, True))
    changed = []
    shelf.commands.changed.connect(lambda: changed.append(1))
    window.session.select([name])
    window.registry.run("swatch_save")
    qtbot.waitUntil(lambda: bool(changed), timeout=60000)


def shown(shelf) -> list[str]:
    return [shelf.shelf.item(k).text() for k in range(shelf.shelf.count())]


def test_a_material_is_kept_found_by_its_tag_and_put_on_another_part(window, shelf, qtbot, tmp_path, monkeypatch):
    shelf.buttons["My swatches"].click()
    assert shown(shelf) == [] and shelf.empty.isVisible() and "Nothing here yet" in shelf.empty.text()
    keep(window, qtbot, shelf, "left", "crate, blue", monkeypatch)
    assert shown(shelf) == ["Box blue"] and (tmp_path / "mine" / "Box blue.zip").is_file()
    assert not shelf.shelf.item(0).icon().isNull()
    shelf.search.setText("crate")
    assert shown(shelf) == ["Box blue"]
    shelf.search.setText("lantern")
    assert shown(shelf) == []
    shelf.search.setText("")
    mime = QMimeData()
    mime.setData(SWATCH_MIME, shelf.shelf.item(0).data(PAYLOAD).encode())
    drop(window.picture, mime, point_of(window, "ball"))
    assert worn(window, "ball").surface == worn(window, "left").surface
    # the library's own is otherwise now: nothing happens until it is asked for
    path = tmp_path / "mine" / "Box blue.zip"
    taken = worn(window, "ball")
    darker = replace(taken, name="Box blue", surface=replace(taken.surface, specular_roughness=0.77))
    library.save_swatch(edits.put_material(window.session.document, darker), window.session.assets, darker.id, path.parent)
    assert worn(window, "ball").surface.specular_roughness != 0.77
    asked = []
    monkeypatch.setattr(QInputDialog, "getItem", lambda parent, title, words, items, *a: asked.append(items) or ("All of them", True))
    window.session.apply("Taken", edits.put_material(window.session.document, replace(taken, swatch="Box blue.zip")))
    window.registry.run("swatch_update")
    assert asked and worn(window, "ball").surface.specular_roughness == pytest.approx(0.77)


def test_a_materialx_file_dropped_on_the_window_is_read_and_put_on_what_is_selected(window, shelf, qtbot, tmp_path):
    copper = swatches.material("Copper")
    document = edits.put_material(window.session.document, copper)
    window.session.apply("Copper", document)
    window.session.select(["ball"])
    shelf.commands.write(copper, tmp_path / "copper.mtlx")
    assert (tmp_path / "copper.mtlx").is_file()
    shelf.commands.read([tmp_path / "copper.mtlx"])
    qtbot.waitUntil(lambda: worn(window, "ball").name.startswith("Copper"), timeout=60000)
    assert worn(window, "ball").surface == copper.surface
    troubles = []
    window.session.trouble.connect(troubles.append)
    (tmp_path / "broken.mtlx").write_text("<materialx")
    before = window.session.document
    shelf.commands.read([tmp_path / "broken.mtlx"])
    qtbot.waitUntil(lambda: bool(troubles), timeout=60000)
    assert "no MaterialX file" in troubles[0] and window.session.document is before


def test_materials_are_tidied_among_themselves(window, shelf):
    session = window.session
    twin = replace(worn(window, "left"), id="twin", name="Twin")
    document = edits.assign_material(edits.put_material(session.document, twin), ["right"], "twin")
    session.apply("A twin", document)
    window.registry.run("material_merge")
    assert worn(window, "right").id == worn(window, "left").id and "twin" not in session.document.materials
    session.apply("Idle", edits.put_material(session.document, replace(twin, id="idle", name="Idle")))
    window.registry.run("material_tidy")
    assert "idle" not in session.document.materials
    session.select(["left"])
    window.registry.run("copy")
    session.select(["ball"])
    window.registry.run("material_surface")
    assert worn(window, "ball").surface == worn(window, "left").surface and worn(window, "ball").id != worn(window, "left").id
    session.select(["left"])
    window.registry.run("material_where")
    assert set(session.selection) == {"left", "right"}


def test_the_next_import_wears_what_its_names_are_tied_to(window, shelf, qtbot, tmp_path):
    copper = swatches.material("Copper")
    library.save_swatch(edits.put_material(window.session.document, copper), window.session.assets, copper.id, tmp_path / "mine")
    library.tie(tmp_path / "mine", "Housing", "Copper.zip")
    (tmp_path / "case.mtl").write_text("newmtl Housing\nKd 0.2 0.2 0.2\n")
    faces = "v 0 0 0\nv 10 0 0\nv 0 10 0\nv 0 0 10\nusemtl Housing\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n"
    (tmp_path / "case.obj").write_text("mtllib case.mtl\n" + faces)
    window.built["Prepare"].commands.bring_in([tmp_path / "case.obj"])
    qtbot.waitUntil(lambda: any(m.swatch == "Copper.zip" for m in window.session.document.materials.values()), timeout=60000)
    assert any("wears Copper" in note for note in window.session.document.notes)
