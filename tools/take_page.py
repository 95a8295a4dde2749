"""Take the picture of a turntable's page: `python tools/take_page.py`. Fetches a browser engine into the cache, as the long proofs do."""

import subprocess
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "verify"))

from msgspec.structs import replace
from test_web_pages import browser

from aulmo.deliver.turntable import Turntable, make_turntable
from aulmo.document import project_file, variants

GRAB = """
import os, sys
os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["QTWEBENGINE_CHROMIUM_FLAGS"] = "--no-sandbox --disable-gpu"
from PySide6.QtCore import QEventLoop, QTimer, QUrl
from PySide6.QtWebEngineWidgets import QWebEngineView
from PySide6.QtWidgets import QApplication
application = QApplication(sys.argv)
view = QWebEngineView()
view.resize(960, 720)
view.show()
view.load(QUrl.fromLocalFile(sys.argv[1]))
loop = QEventLoop()
QTimer.singleShot(6000, loop.quit)
loop.exec()
view.grab().save(sys.argv[2])
"""


def main() -> None:
    """The lantern on a page, in three colours."""
    document, assets = project_file.load(Path("demo/wick-range.aulmo"))
    rows = variants.every(document, ["Colour"])
    settings = replace(document.render, stop="samples", samples=8)
    with tempfile.TemporaryDirectory() as folder:
        what = Turntable(2, (0.0,), background="#7b756a", title="Odrel Wick")
        make_turntable(document, assets, "Hero", rows, what, (480, 600), settings, Path(folder))
        subprocess.run([str(browser()), "-c", GRAB, str(Path(folder) / "index.html"), str(Path("docs/screenshots/turntable.png").resolve())], check=True)


main()
