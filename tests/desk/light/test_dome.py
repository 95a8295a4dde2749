"""The dome, its sets, backdrop and floor through the real widgets."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt

from aulmo.document import project_file
from desk_tools import drag, drop, file_mime, type_into

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NONE, ALT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.AltModifier


def test_dragging_the_dome_turns_the_light(window, qtbot):
    window.session.set_stage("Light")
    dome = window.bench.faces["Light"].map
    qtbot.waitUntil(lambda: dome._image is not None, timeout=10000)
    area = dome._rect()
    start = area.center()
    before = window.session.document
    drag(dome, start, start + QPoint(40, 0))
    turned = window.session.document.environment.turn
    assert turned == pytest.approx(-40 / area.width() * 360, abs=1)
    assert window.details.pages["Light"].turn.field.value() == pytest.approx(turned)
    window.session.undo()
    assert window.session.document is before


def test_the_map_moves_with_the_hand(window):
    """A softbox drawn at the left of the map moves right when the dome is dragged right."""
    from aulmo.desk.light.dome_map import flat_map
    from aulmo.document.records import Environment
    from aulmo.light.dome_map import Patch, paint

    image = paint([Patch(-90, 0, 30, 30, 3000)], 256, 128)
    column = lambda turn: int(flat_map(image, Environment(turn=turn), 360, 180)[90, :, 1].argmax())  # noqa: E731
    assert column(0) == pytest.approx(90, abs=16)  # azimuth -90 is left of the camera in the middle
    assert column(-40) == pytest.approx(column(0) + 40, abs=3)


def test_light_settings_and_sets(window):
    window.session.set_stage("Light")
    page = window.details.pages["Light"]
    type_into(page.exposure.field, "1.5 stops")
    type_into(page.saturation.field, "0.5")
    type_into(page.tilt.field, "12 deg")
    environment = window.session.document.environment
    assert (environment.exposure, environment.saturation, environment.tilt) == (1.5, 0.5, 12)
    bench = window.bench._all["Light"]["Sets"]
    names = [bench.sets.item(k).text() for k in range(bench.sets.count())]
    assert len(names) >= 6
    bench.sets.itemClicked.emit(bench.sets.item(names.index("Clear sky")))
    assert window.session.document.environment.image == "Clear sky"
    assert page.set.currentText() == "Clear sky"
    page.floor_kind.field.buttons["shadow"].click()
    assert window.session.document.floor.kind == "shadow"
    page.kind.field.setCurrentIndex(page.kind.field.findData("gradient"))
    page.kind.field.activated.emit(page.kind.field.currentIndex())
    assert window.session.document.backdrop.kind == "gradient"
    assert page.bottom.widget.isVisible()


def test_an_hdr_dropped_lights_the_set_and_stays_with_it_when_saved(window, qtbot, tmp_path):
    from aulmo.deliver.encoding import encode

    (tmp_path / "room.exr").write_bytes(encode(np.random.default_rng(1).random((32, 64, 3)).astype(np.float32), ".exr", "float"))
    said = drop(window.picture, file_mime(tmp_path / "room.exr"), QPoint(50, 50))
    assert "light the set" in said
    qtbot.waitUntil(lambda: not window.session.document.environment.shipped, timeout=20000)
    assert window.session.save(tmp_path / "lit.aulmo")
    (tmp_path / "room.exr").unlink()
    document, assets = project_file.load(tmp_path / "lit.aulmo")
    assert assets.get(document.environment.image)
    before = window.session.document
    (tmp_path / "bad.hdr").write_bytes(b"#?RADIANCE\nnonsense")
    with qtbot.waitSignal(window.session.trouble, timeout=20000):
        drop(window.picture, file_mime(tmp_path / "bad.hdr"), QPoint(50, 50))
    assert window.session.document is before
