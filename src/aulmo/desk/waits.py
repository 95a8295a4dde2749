"""How long the window's own thread is kept, for the benchmark: a process with a real window, without a screen."""

import json
import statistics
import time

from PySide6.QtCore import QEventLoop, QTimer

from aulmo.desk.shell.app import make_application
from aulmo.desk.shell.window import Window
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document


def _median(work, times: int = 5) -> float:
    taken = []
    for k in range(times):
        started = time.perf_counter()
        work(k)
        taken.append(time.perf_counter() - started)
    return statistics.median(taken)


def _wait(milliseconds: int) -> None:
    loop = QEventLoop()  # lets other threads run meanwhile
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def measure(document: Document, assets: AssetStore) -> None:
    """Print as JSON, with a document open: seconds to read each stage's page again, and for a step of a slider."""
    application = make_application()
    window = Window()
    window.resize(1280, 800)
    window.picture.set_traced(False)
    window.show()
    window.session.open_document(document, assets, None)
    _wait(2000)
    window.session.select([next(i for i, p in document.parts.items() if p.material)])
    found = {}
    for stage in window.session.stages:
        window.session.set_stage(stage)
        _wait(300)
        found[stage] = _median(lambda _: window.details.refresh())
    window.session.set_stage("Surface")
    _wait(300)
    coat = f"materials/{window.session.material_id}/surface/coat_weight"
    steps = []
    for k in range(5):
        started = time.perf_counter()
        window.session.put({coat: 0.1 * k + 0.05}, busy=True)
        application.processEvents()
        steps.append(time.perf_counter() - started)
        _wait(150)  # the draft of it, in its own thread
    found["slider"] = statistics.median(steps)
    print(json.dumps(found), flush=True)
    window.session._saved_document = window.session.document
    window.close()
