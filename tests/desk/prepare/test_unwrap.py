"""Unwrapping the selection, by its command."""


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
    window.registry.run("undo")
    assert session.document is start
    session.hint.disconnect(said.append)
