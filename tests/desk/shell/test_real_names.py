"""Names as engineers give them: sixty letters, six digits, twenty choices, in every page and bench at 1280 x 800."""

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QAbstractButton, QLabel, QMenu, QScrollArea, QScrollBar, QStyleOptionViewItem, QWidget

from aulmo.desk.stages import STAGES
from aulmo.desk.widgets.fields import NumberField
from aulmo.document import edits
from aulmo.document.records import Camera, Floor, Lamp, Placement, Shot, Softbox
from aulmo.document.variants import add_axis, add_choice
from desk_tools import settle

LONG = "L_CommonModeChoke_WE-CNSW_0805_HousingUpperShell_Rev14_MirrorX"
SPACED = "Assembly of the left rear wheel carrier with long travel damper and bush"


def real(document):
    """The project under an engineer's names, its sizes of six digits, an axis of twenty choices."""
    parts = {i: replace(p, name=f"{LONG}_{k}") for k, (i, p) in enumerate(document.parts.items())}
    parts["ball"] = replace(parts["ball"], placement=Placement((123456.75, -234567.25, 345678.5), (179.25, -179.5, 123.75)))
    materials = {i: replace(m, name=f"{SPACED} {m.name}") for i, m in document.materials.items()}
    cameras = {i: replace(c, name=f"{LONG}_camera", position=(-123456.7, 234567.8, 345678.9), focus=987654.3) for i, c in document.cameras.items()}
    shots = tuple(replace(s, name=f"{SPACED} shot") for s in document.shots)
    made = replace(document, name=LONG, parts=parts, materials=materials, cameras=cameras, shots=shots, floor=Floor(kind="cove", height=-123456.0))
    made = edits.put_lamp(made, Lamp("lamp", f"{LONG}_lamp", group=f"{SPACED} lights", position=(123456.0, 123456.0, 123456.0), power=1234567.0))
    box = Softbox("box", f"{LONG}_softbox", azimuth=-123.4, group=f"{SPACED} boxes")
    made = replace(made, environment=replace(made.environment, softboxes=(box,), radius_mm=123456.0, centre=(123456.0, -123456.0, 654321.0)))
    made, axis = add_axis(made, f"{SPACED} axis")
    for k in range(20):
        made, _ = add_choice(made, axis, f"{LONG}_choice_{k}")
    return edits.put_shot(edits.put_camera(made, Camera("c2", SPACED)), Shot("s2", LONG, "c2"))


def outside(window) -> list[str]:
    """Every widget that reaches over the window's or its panel's right edge, and every text that is cut."""
    found = []
    for widget in window.findChildren(QWidget):
        if not widget.isVisible() or widget.window() is not window or not widget.width() or "scrollarea" in widget.objectName():
            continue
        if isinstance(widget, QScrollBar):
            continue
        right = widget.mapTo(window, QPoint(widget.width(), 0)).x()
        scrolled = _scrolled(widget)
        if scrolled is not None and scrolled.horizontalScrollBar().maximum() == 0:
            edge = scrolled.viewport().mapTo(window, QPoint(scrolled.viewport().width(), 0)).x()
        else:
            edge = window.width() if scrolled is None else 10**6
        words = widget.text() if isinstance(widget, (QLabel, QAbstractButton)) else widget.accessibleName()
        told = f"{type(widget).__name__} “{words}”"
        if right > edge + 1:
            found.append(f"{told} ends {right - edge} px outside")
        if isinstance(widget, QLabel) and not widget.wordWrap() and widget.text() and not getattr(widget, "elided", False):
            wants = widget.fontMetrics().horizontalAdvance(widget.text())
            if wants > widget.width() + 1 and not widget.pixmap():
                found.append(f"{told} is cut: {wants} in {widget.width()} px")
        if isinstance(widget, NumberField) and widget.text() and not widget.hasFocus():
            wants = widget.fontMetrics().horizontalAdvance(widget.text())
            if wants > widget.width() - 5:
                found.append(f"{told} shows “{widget.text()}”, {wants} in {widget.width()} px")
    return found


def _scrolled(widget) -> QScrollArea | None:
    above = widget.parentWidget()
    while above is not None:
        if isinstance(above, QScrollArea) and widget is not above.viewport():
            return above
        above = above.parentWidget()
    return None


@pytest.fixture
def real_window(window, qtbot):
    window.session.open_document(real(window.session.document), window.session.assets, None)
    settle(qtbot, window)
    return window


SUBJECTS = (("ball",), ("pair",), "lamps/lamp", "softboxes/box", "cameras/c2", "environment", "floor", "materials/m", "")


@pytest.mark.parametrize("stage", [s.name for s in STAGES])
def test_nothing_is_cut_or_pushed_out_under_real_names(real_window, qtbot, stage):
    window = real_window
    session = window.session
    session.set_stage(stage)
    wrong: dict[str, list[str]] = {}
    for subject in SUBJECTS:
        session.select(subject if isinstance(subject, tuple) else (), subject if isinstance(subject, str) else "")
        for face in window.bench.faces_of(stage):
            window.bench.show_face(face)
            qtbot.wait(1)
            assert window.width() == 1280 and window.details.width() == 292, f"{stage}, {face}, {subject}: Details {window.details.width()}"
            for words in outside(window):
                wrong.setdefault(words, []).append(f"{face} {subject}")
    assert not wrong, "\n".join(f"{words} ({places[0]})" for words, places in wrong.items())


def test_words_at_the_cursor_stay_in_the_picture_and_wrap(real_window, qtbot):
    picture = real_window.picture
    for at in (QPoint(5, 5), QPoint(picture.width() - 3, picture.height() - 3)):
        picture.say_at(at, LONG * 2, SPACED * 3)
        picture.grab()
        assert picture.rect().contains(picture.label_box.toAlignedRect()) and picture.label_box.height() > 60


def test_icons_of_the_tree_do_not_lie_over_names(real_window):
    tree = real_window.parts.tree
    option = QStyleOptionViewItem()
    item = real_window.parts.item_of("ball")
    option.rect = tree.visualItemRect(item)
    narrow = tree.itemDelegate()._for_name(option, tree.indexFromItem(item))
    assert narrow.rect.right() <= option.rect.right() - 24, "the eye has room of its own"
    assert tree.textElideMode() == Qt.TextElideMode.ElideMiddle


def test_no_menu_is_taller_than_the_window_and_quit_is_last(real_window, tmp_path):
    window = real_window
    assert window.session.save(tmp_path / f"{LONG}.aulmo", None)
    for menu in [*window.menuBar().findChildren(QMenu)]:
        menu.aboutToShow.emit()
        assert menu.sizeHint().height() <= 700, menu.title()
    file = next(m for m in window.menuBar().findChildren(QMenu) if m.title() == "File")
    assert file.actions()[-1].text() == "Quit"
    assert [a.text() for a in window.recent.actions()] and LONG[:10] in window.recent.actions()[0].text()
    assert next(k for k, a in enumerate(file.actions()) if a.text() == "Open recent") == 2
    assert not any(a.text().startswith("Add motion:") for m in window.menuBar().findChildren(QMenu) for a in m.actions())


def test_a_new_project_and_a_first_import_are_in_prepare_and_never_saved_is_not_saved(window, qtbot, tmp_path):
    session = window.session
    session.set_stage("Move")
    session._saved_document = session.document
    window.registry.actions["new"].trigger()
    assert session.stage == "Prepare" and "not saved" in window.strip.saved.text()
    session.set_stage("Finish")
    path = tmp_path / "box.stl"
    path.write_text("solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 40 0 0\nvertex 0 40 0\nendloop\nendfacet\nendsolid a\n")
    window.files.take_files([path])
    qtbot.waitUntil(lambda: bool(session.document.parts), timeout=20000)
    assert session.stage == "Prepare"
