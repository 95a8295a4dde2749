"""Unwrapping the selection, by its command."""

import numpy as np
from PySide6.QtCore import Qt

from desk_tools import settle


def test_a_part_is_unwrapped_in_one_step_and_its_scale_is_told(window, qtbot):
    session, said = window.session, []
    session.hint.connect(said.append)
    start = session.document
    session.select(["left"])
    window.registry.run("unwrap")
    qtbot.waitUntil(lambda: session.document is not start and not session.tasks, timeout=20000)
    parts = session.document.parts
    assert len(session.assets.mesh(parts["left"].mesh).uv) and parts["right"].mesh == parts["left"].mesh
    assert any(words.startswith("6 pieces, ") and "pixels to a mm" in words for words in said)
    settle(qtbot, window)
    draft = window.picture.draft
    grey = draft.picture[..., :3][draft.parts == window.picture.draft_parts.index("left")].mean(-1)
    assert session.stand_in == "checker" and np.percentile(grey, 90) > 2 * np.percentile(grey, 10)
    qtbot.keyClick(window.picture, Qt.Key.Key_Escape)
    assert not session.stand_in and session.selection == ("left",)
    window.registry.run("undo")
    assert session.document is start
    session.hint.disconnect(said.append)
