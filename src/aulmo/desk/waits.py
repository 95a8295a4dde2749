"""How long the window's own thread is kept, for the benchmark: a process with a real window, without a screen."""

import json
import os
import time

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QEventLoop, QTimer

from aulmo.desk.shell.app import make_application
from aulmo.desk.shell.window import Window
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document


def _timed(work) -> float:
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def _wait(milliseconds: int) -> None:
    loop = QEventLoop()  # lets other threads run meanwhile
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def measure(document: Document, assets: AssetStore) -> None:
    """Print as JSON, with a document open: seconds of five times each stage's page was read again and the tree was built anew, and of five
    steps of a slider."""
    application = make_application()
    window = Window()
    window.resize(1280, 800)
    window.picture.set_traced(False)
    window.show()
    window.session.open_document(document, assets, None)
    _wait(2000)
    window.session.select([next(i for i, p in document.parts.items() if p.mesh)])
    found = {}
    for stage in window.session.stages:
        window.session.set_stage(stage)
        _wait(300)
        found[stage] = [_timed(window.details.refresh) for _ in range(5)]
    window.session.set_stage("Surface")
    _wait(300)
    found["tree"] = [_timed(window.parts.rebuild) for _ in range(5)]
    material = window.session.material_id or next(iter(document.materials))
    coat = f"materials/{material}/surface/coat_weight"
    found["slider"] = []
    for k in range(5):
        found["slider"].append(_timed(lambda k=k: (window.session.put({coat: 0.1 * k + 0.05}, busy=True), application.processEvents())))
        _wait(150)  # the draft of it, in its own thread
    print(json.dumps(found), flush=True)
    window.session._saved_document = window.session.document
    window.close()


def scroll_seconds(count: int) -> float:
    """Seconds that a frame of the shelf's cards takes while so many are scrolled through: the 95th of 100."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    from aulmo.desk.shelf.panel import ThingsList
    from aulmo.desk.shelf.shelf_model import ShelfModel
    from aulmo.desk.shelf.small_pictures import SmallPictures
    from aulmo.shelf import own

    application = QApplication.instance() or make_application()
    pictures = SmallPictures(application)
    model = ShelfModel(application, pictures, None)
    ours = own.things()
    model.show_things([replace(ours[k % len(ours)], inside=str(k)) for k in range(count)])
    cards = ThingsList(model)
    cards.resize(200, 560)
    cards.show()
    application.processEvents()
    bar, taken = cards.verticalScrollBar(), []
    for k in range(240):
        began = time.perf_counter()
        bar.setValue(bar.maximum() * k // 240)
        cards.viewport().repaint()
        application.processEvents()
        taken.append(time.perf_counter() - began)
    pictures.end()
    cards.close()
    return float(np.quantile(taken, 0.95))
