"""A window with a made-up project, its own settings and folders."""

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QEvent, QSettings
from PySide6.QtWidgets import QApplication

from aulmo.document import edits
from aulmo.document.records import Floor, Material, Part, Placement, RenderSettings, Surface
from shapes import box_mesh, one_part, sphere_mesh


@pytest.fixture(scope="session")
def qapp_cls():
    """The plain application; fonts and theme are put on by `window`."""
    return QApplication


_kept: list = []


def _made(application, fresh: bool):
    """The window that is kept for all tests of a worker, put back as it was when it was new; another one where a test has closed it, or where it is
    to be `fresh`."""
    from aulmo.desk.shell import theme
    from aulmo.desk.shell.window import Window

    if _kept and (fresh or _kept[0].session._closed):
        _gone(_kept.pop())
    if not _kept:
        application.setStyleSheet("")
        _kept.append(Window())
        theme.use(application, "Dusk")  # dressed once it is built, as the application starts: a third of the time
    else:
        if theme.current() is not theme.THEMES["Dusk"]:
            theme.use(application, "Dusk")
        _kept[0].reset()
    return _kept[0]


def _gone(window) -> None:
    window.session._saved_document = window.session.document
    window.close()
    window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)  # at once: the next window's theme would be put on this one as well


@pytest.fixture
def window(request, qtbot, tmp_path, monkeypatch):
    """The real window, on a ball, a box and a twin box that share a material. It is kept from test to test; `@pytest.mark.fresh` asks for a new
    one."""
    from aulmo.desk.shell import session as session_module
    from aulmo.desk.shell.app import make_application

    QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(tmp_path / "settings"))
    application = QApplication.instance() if _kept else make_application(dressed=False)
    QSettings().clear()
    monkeypatch.setattr(session_module, "RECOVERY", tmp_path / "recovery")
    monkeypatch.setattr(session_module, "JOBS", tmp_path / "jobs")
    monkeypatch.setattr("aulmo.desk.finish.commands.PRESETS", tmp_path / "presets")
    made = _made(application, request.node.get_closest_marker("fresh") is not None)
    document, assets = one_part(sphere_mesh(20, 32), Surface(base_color=(0.6, 0.1, 0.1)))
    document = edits.put_material(document, Material(id="b", name="Box blue", surface=Surface(base_color=(0.1, 0.2, 0.6))))
    box = assets.add_mesh(box_mesh(30))
    parts = [
        Part(id="pair", name="Pair", children=("left", "right")),
        Part(id="left", name="Left box", parent="pair", mesh=box, material="b", placement=Placement((-55, 0, 15))),
        Part(id="right", name="Right box", parent="pair", mesh=box, material="b", placement=Placement((55, 0, 15))),
    ]
    document = edits.add_parts(edits.place_parts(document, {"ball": Placement((0, 0, 20))}), parts, ["pair"])
    camera = replace(document.cameras["c"], position=(0.0, -420.0, 90.0), target=(0.0, 0.0, 22.0), focal_length_mm=60.0)
    document = replace(
        edits.put_camera(document, camera), floor=Floor(kind="plain"), render=RenderSettings(stop="samples", samples=8, folder=str(tmp_path))
    )
    made.resize(1280, 800)
    made.picture.set_traced(False)
    made.picture.live.rests = False
    made.show()
    made.activateWindow()  # keys go to the window that is active, which a box of the test before was
    made.session.open_document(document, assets, None)
    qtbot.waitUntil(lambda: made.picture.draft is not None and made.picture.draft.parts.shape[1] == made.picture.width(), timeout=60000)
    yield made
    made.session._saved_document = made.session.document
    qtbot.wait(30)  # what was on its way arrives while there is still somebody to take it


@pytest.fixture(scope="session", autouse=True)
def _at_the_end():
    yield
    while _kept:
        _gone(_kept.pop())
