"""Other machines, asked for in the window: a hub comes, the line to join it is shown, who joins is seen, and it goes again."""

import os
import subprocess
import sys

from PySide6.QtGui import QGuiApplication

from aulmo.deliver.machines import hub
from aulmo.desk.render.helpers_dialog import HelpersDialog
from aulmo.desk.shell import session as session_module


def test_other_machines_are_taken_seen_and_sent_away(window, qtbot, monkeypatch, tmp_path):
    monkeypatch.setenv("AULMO_HUB_HOST", "127.0.0.1")
    jobs = session_module.JOBS
    window.session.set_stage("Render")
    window.registry.run("helpers")
    dialog = next(w for w in window.findChildren(HelpersDialog) if w.isVisible())
    assert not dialog.line.isVisible() and not hub.told(jobs)
    dialog.on.click()
    qtbot.waitUntil(lambda: dialog.line.isVisible(), timeout=30000)
    dialog.copy.click()
    words = QGuiApplication.clipboard().text()
    assert words.startswith("./aulmo helper --join 127.0.0.1:") and "No machine" in dialog.joined.text()
    assert "secret" not in words and dialog.secret.isVisible()
    said = dialog.secret.text().rpartition(" ")[2]
    settings = {
        **os.environ, "AULMO_HELPER_STORE": str(tmp_path / "store"), "AULMO_HELPER_CARDS": str(tmp_path / "cards"), "XDG_DATA_HOME": str(tmp_path)
    }  # fmt: skip
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "stdin": subprocess.PIPE}
    helper = subprocess.Popen([sys.executable, "-m", "aulmo", *words.split()[1:]], env=settings, text=True, **quiet)
    helper.stdin.write(said + "\n")  # it asks for the secret, the first time
    helper.stdin.flush()
    try:
        qtbot.waitUntil(lambda: "1 machine joined" in dialog.joined.text(), timeout=60000)
        bench = window.built["Render"].commands
        bench.refresh()
        assert "1 machine helping" in bench.words.text()
    finally:
        helper.terminate()
        dialog.on.click()
        assert helper.wait(30) == 0
    qtbot.waitUntil(lambda: not hub.told(jobs), timeout=20000)
    assert "stay the same to the last bit" in dialog.words.text()
