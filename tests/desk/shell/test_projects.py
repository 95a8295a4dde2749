"""Projects and files through the window's own dialogs: saved under a name, opened, asked about, brought in."""

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QSettings
from PySide6.QtWidgets import QFileDialog

from aulmo.document import edits
from aulmo.document.project_file import load, save
from aulmo.light.environment_image import shipped
from desk_tools import answering, drop, file_mime, settle, type_into
from shapes import box_mesh

IES = """IESNA:LM-63-2002
[MANUFAC] Odrel
TILT=NONE
1 -1 1.0 3 1 1 2 0 0 0
1 1 25
0 45 90
0
900 420 0
"""


def choose(monkeypatch, path) -> None:
    """The artist picks a file, or none, in whatever dialog comes."""
    name = str(path) if path else ""
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (name, ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (name, ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_, **__: ([name] if name else [], ""))


def rename_ball(window, name: str) -> None:
    window.session.apply("Renamed", edits.change_part(window.session.document, "ball", name=name))


def test_save_asks_once_for_a_name_and_then_no_more(window, monkeypatch, tmp_path):
    choose(monkeypatch, tmp_path / "Field lamp")
    rename_ball(window, "Globe")
    window.registry.actions["save"].trigger()
    assert window.session.is_saved and window.session.document.name == "Field lamp"
    assert load(tmp_path / "Field lamp.aulmo")[0].parts["ball"].name == "Globe"
    assert QSettings().value("folder") == str(tmp_path)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: pytest.fail("asked again"))
    rename_ball(window, "Glass")
    window.registry.actions["save"].trigger()
    assert load(tmp_path / "Field lamp.aulmo")[0].parts["ball"].name == "Glass"


def test_saving_may_be_thought_better_of(window, monkeypatch, tmp_path):
    choose(monkeypatch, None)
    rename_ball(window, "Globe")
    before = window.session.document
    assert not window.files.save_as()
    assert window.session.document is before and not window.session.is_saved
    assert not list(tmp_path.glob("*.aulmo"))


def test_opening_another_project_asks_about_this_one(window, monkeypatch, tmp_path, qtbot):
    choose(monkeypatch, tmp_path / "One")
    window.files.save_as()
    rename_ball(window, "Unsaved")
    asked: list[str] = []
    choose(monkeypatch, tmp_path / "One.aulmo")
    answering("c", asked)
    window.files.choose_project()
    assert asked and window.session.document.parts["ball"].name == "Unsaved"
    answering("s")
    window.files.choose_project()
    settle(qtbot, window)
    assert window.session.document.parts["ball"].name == "Unsaved"  # saved, then opened again
    assert window.windowTitle() == "One · Aulmo"
    rename_ball(window, "Given up")
    answering("d")
    window.files.new_project()
    assert not window.session.document.parts and window.session.document.shots
    window.files.choose_project()
    settle(qtbot, window)
    assert window.session.document.parts["ball"].name == "Unsaved"


def test_a_project_that_is_none_gets_a_sentence(window, monkeypatch, tmp_path):
    bad = tmp_path / "bad.aulmo"
    bad.write_bytes(b"not a project")
    trouble: list[str] = []
    window.session.trouble.connect(trouble.append)
    before = window.session.document
    choose(monkeypatch, bad)
    window.session._saved_document = before
    window.files.choose_project()
    assert window.session.document is before
    assert len(trouble) == 1 and "bad.aulmo" in trouble[0]


def test_models_environments_and_measured_lights_are_chosen_by_dialog(window, monkeypatch, tmp_path, qtbot):
    import trimesh

    trimesh.creation.box((20, 20, 20)).export(tmp_path / "block.stl")
    choose(monkeypatch, tmp_path / "block.stl")
    count = len(window.session.document.parts)
    window.built["Prepare"].commands.choose()
    qtbot.waitUntil(lambda: len(window.session.document.parts) > count, timeout=60000)
    assert any(p.name.lower().startswith("block") for p in window.session.document.parts.values())
    assert QSettings().value("folder") == str(tmp_path)

    (tmp_path / "lamp.ies").write_text(IES)
    choose(monkeypatch, tmp_path / "lamp.ies")
    window.built["Light"].commands.choose_profile()
    lamp = window.session.lamp
    assert lamp.kind == "photometric" and lamp.profile and lamp.name == "lamp"
    lamps = len(window.session.document.lamps)
    window.built["Light"].commands.choose_profile()  # the selected one gets it
    assert len(window.session.document.lamps) == lamps

    import OpenEXR

    pixels = shipped("Loft")[::8, ::8].copy()
    OpenEXR.File({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, {"RGB": pixels}).write(str(tmp_path / "set.exr"))
    choose(monkeypatch, tmp_path / "set.exr")
    window.built["Light"].commands.choose_environment()
    qtbot.waitUntil(lambda: not window.session.document.environment.shipped, timeout=60000)
    assert window.session.document.environment.image.endswith(".exr")
    window.session.undo()
    assert window.session.document.environment.shipped


def test_a_file_nobody_can_use_gets_a_sentence(window, tmp_path):
    trouble: list[str] = []
    window.session.trouble.connect(trouble.append)
    before = window.session.document
    window.files.take_files([tmp_path / "notes.txt"])
    assert window.session.document is before
    assert trouble == ["notes.txt is not a kind of file Aulmo can use here."]


def test_an_environment_that_is_gone_gets_a_sentence(window, tmp_path, qtbot):
    trouble: list[str] = []
    window.session.trouble.connect(trouble.append)
    before = window.session.document
    window.built["Light"].commands.use_environment(tmp_path / "gone.hdr")
    qtbot.waitUntil(lambda: bool(trouble), timeout=10000)
    assert window.session.document is before and "gone.hdr" in trouble[0]


def test_one_lamp_alone_and_all_again(window):
    for kind in ("rectangle", "disc"):
        window.built["Light"].commands.new_lamp(kind)
    first, second = window.session.document.lamps
    window.session.select((), f"lamps/{first}")
    window.built["Light"].commands.softboxes.solo()
    assert [lamp.solo for lamp in window.session.document.lamps.values()] == [True, False]
    window.built["Light"].commands.softboxes.solo()
    assert not any(lamp.solo for lamp in window.session.document.lamps.values())


def test_the_bench_takes_half_the_window_and_gives_it_back(window):
    from PySide6.QtCore import QEvent, QPointF, Qt
    from PySide6.QtGui import QMouseEvent
    from PySide6.QtWidgets import QApplication

    handle = window.middle.handle(1)

    def double_click():
        at = QPointF(4, 2)
        event = QMouseEvent(
            QEvent.Type.MouseButtonDblClick, at, handle.mapToGlobal(at), Qt.MouseButton.LeftButton, Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )  # fmt: skip
        QApplication.sendEvent(handle, event)
        return window.middle.sizes()[1] / sum(window.middle.sizes())

    small = window.middle.sizes()[1] / sum(window.middle.sizes())
    assert double_click() == pytest.approx(0.5, abs=0.05)
    assert double_click() == pytest.approx(small, abs=0.05)


def test_the_floor_wears_a_swatch_for_all_shots_or_for_one(window):
    page = window.details.pages["Light"]
    window.session.set_stage("Light")
    page.dress_floor("Oiled ash")
    document = window.session.document
    assert document.materials[document.floor.material].name == "Oiled ash"
    session = window.session
    session.apply("Own floor", edits.put_shot(session.document, replace(session.shot, overrides={"floor/material": None})))
    page.dress_floor("Slate")
    own = window.session.shot.overrides["floor/material"]
    assert window.session.document.materials[own].name == "Slate"
    window.session.set_stage("Surface")
    window.session.select((), "floor")
    assert window.details.pages["Surface"].title.text() == "Slate"  # the floor one stands on, and no other
    type_into(window.details.pages["Surface"].rows["specular_roughness"].field, "0.9")
    assert window.session.document.materials[own].surface.specular_roughness == 0.9
    assert window.session.document.materials[document.floor.material] == document.materials[document.floor.material]
    page.dress_floor(None)
    assert window.session.resolved.floor.material is None
    assert window.session.document.floor.material is not None  # the others keep theirs


def test_what_was_begun_for_another_project_is_dropped(window, qtbot):
    """A task that ends after another project was opened touches nothing of it."""
    import threading

    session, taken, go = window.session, [], threading.Event()
    task = session.start_task("Reading", lambda task: go.wait(20) or "late", taken.append)
    document, assets = session.document, session.assets
    session.open_document(replace(document, name="Another"), assets, None)
    assert task not in session.tasks
    go.set()
    qtbot.wait(300)
    assert taken == [] and session.document.name == "Another"


def test_the_first_thing_in_a_new_project_is_framed_by_the_shots_camera(window, qtbot, tmp_path):
    import trimesh

    mesh = box_mesh(4.0)
    trimesh.Trimesh(mesh.vertices, mesh.triangles.astype(int), process=False).export(tmp_path / "pin.stl")
    window.registry.run("new")
    qtbot.waitUntil(lambda: not window.session.document.parts, timeout=10000)
    drop(window.picture, file_mime(tmp_path / "pin.stl"), QPoint(100, 100))
    qtbot.waitUntil(lambda: bool(window.session.document.parts), timeout=60000)
    settle(qtbot, window)
    session = window.session
    assert session.free_view is None and session.view == session.camera
    far = np.linalg.norm(np.array(session.camera.position) - np.array(session.camera.target))
    wide = far * session.camera.sensor_mm / session.camera.focal_length_mm
    assert 4.0 < wide < 25.0  # millimetres across the frame: a box of four fills a good part of it


def test_the_window_goes_on_to_draw_while_a_large_project_is_written_and_keys_wait(window, monkeypatch, tmp_path):
    import time

    from PySide6.QtCore import Qt, QTimer

    from aulmo.desk.shell import session as module
    from desk_tools import key

    beats, real = [], module.project_file.save
    monkeypatch.setattr(module.project_file, "save", lambda *words, **more: (time.sleep(0.4), real(*words, **more)))
    pulse = QTimer()
    pulse.timeout.connect(lambda: beats.append(1))
    pulse.start(10)
    window.session.select(["ball"])
    assert window.session.save(tmp_path / "large.aulmo")
    pulse.stop()
    assert len(beats) > 8 and window.session.is_saved and load(tmp_path / "large.aulmo")[0].parts == window.session.document.parts
    key(window, Qt.Key.Key_H)
    assert not window.session.is_saved


@pytest.mark.parametrize(("letter", "key"), [("s", "beside"), ("t", "theirs"), ("a", "over"), ("c", "stay")])
def test_saving_over_what_somebody_else_saved_asks_what_becomes_of_it(window, tmp_path, letter, key):
    session, path = window.session, tmp_path / "p.aulmo"
    assert session.save(path)
    document, assets = load(path)
    save(replace(document, name="Theirs"), assets, path)
    session.apply("Mine", replace(session.document, name="Mine"))
    seen: list[str] = []
    answering(letter, seen)
    window.files.save()
    assert len(seen) == 1 and "p.aulmo was saved by" in seen[0] and "after it was opened here" in seen[0]
    found = {p.name: load(p)[0].name for p in tmp_path.glob("*.aulmo")}
    assert found == {
        "beside": {"p.aulmo": "Theirs", "p 2.aulmo": "Mine"}, "theirs": {"p.aulmo": "Theirs"}, "over": {"p.aulmo": "Mine"},
        "stay": {"p.aulmo": "Theirs"},
    }[key]  # fmt: skip
    assert session.document.name == ("Theirs" if key == "theirs" else "Mine") and session.is_saved == (key != "stay")


def test_the_file_may_go_while_the_project_is_open(window, tmp_path):
    session, path = window.session, tmp_path / "p.aulmo"
    assert session.save(path) and session.load(path)
    path.unlink()
    assert session.save(tmp_path / "rescued.aulmo") and load(tmp_path / "rescued.aulmo")[0] == session.document
