"""Starting the window."""

import gc
import os
import signal
import sys
import threading
from pathlib import Path


def make_application(dressed: bool = True):
    """The application with its name, fonts and theme; without the theme's style sheet when it is not to be `dressed` yet."""
    os.environ.setdefault("QT_API", "pyside6")
    from PySide6.QtCore import QSettings
    from PySide6.QtWidgets import QApplication

    from aulmo.desk.shell import theme

    running = QApplication.instance()
    application = running if isinstance(running, QApplication) else QApplication(sys.argv[:1])
    application.setApplicationName("Aulmo")
    application.setOrganizationName("Aulmo")
    application.setStyle("Fusion")
    theme.load_fonts(application)
    put_on = theme.use if dressed else theme.choose
    put_on(application, str(QSettings().value("theme", "Dusk")))
    return application


def start(project: Path | None, demo: bool = False) -> int:
    """Open the window and run until it is closed; returns the exit code."""
    application = make_application(dressed=False)
    from PySide6.QtCore import QSettings, QTimer

    from aulmo.desk.shell import theme
    from aulmo.desk.shell.session import DEMO
    from aulmo.desk.shell.window import Window
    from aulmo.document import beside

    window = Window()
    # dressed once it is built: widgets put together in a style sheet are styled again at every step
    theme.use(application, str(QSettings().value("theme", "Dusk")))
    signal.signal(signal.SIGINT, lambda *_: window.close())
    pulse = QTimer()
    pulse.timeout.connect(lambda: None)  # lets Python see Ctrl+C
    pulse.start(500)
    beside.anywhere = QSettings().value("along", "beside") == "anywhere"
    window.show()
    threading.Thread(target=_sweep, args=(window.session.recent(),), daemon=True).start()
    if demo:
        window.session.load(DEMO / "wick.aulmo")
    elif project is not None:
        window.session.load(project)
    if not offer_recovery(window) and os.environ.get("AULMO_LEAVE_AFTER_DRAFT"):
        window.picture.set_traced(False)
        window.picture.shown.connect(lambda state: state.draft is not None and QTimer.singleShot(0, application.quit))
    gc.freeze()  # what the program itself is made of stays: looking it over for garbage would hold the hand up again and again
    code = application.exec()
    gc.unfreeze()
    window.picture.live.close()
    return code


def _sweep(recent: list[Path]) -> None:
    """Take away what killed programs have left: beside the projects and pictures of late, in the list of renders, among temporary files."""
    from aulmo.deliver.job import jobs
    from aulmo.desk.shell import session as session_module
    from aulmo.document.writing import sweep, sweep_temporary

    sweep_temporary()
    listed = jobs(session_module.JOBS)
    folders = {p.parent for p in recent} | {job.folder for job in listed} | {Path(job.record.out).parent for job in listed if job.record.out}
    for folder in (*folders, *(p for p in session_module.RECOVERY.glob("*-*"))):
        sweep(folder)


def offer_recovery(window) -> bool:
    """Offer what a crash left behind; True when something was taken up. What cannot be read is set aside and told, never deleted."""
    from aulmo.desk.shell import session as session_module
    from aulmo.desk.shell.question import ask
    from aulmo.document import journal
    from aulmo.errors import AulmoError

    for folder in journal.left_behind(session_module.RECOVERY):
        if os.environ.get("QT_QPA_PLATFORM") == "offscreen" and not os.environ.get("AULMO_RECOVER"):
            return False
        try:
            document, assets, path = journal.recover(folder)
        except (AulmoError, OSError):
            window.session.trouble.emit(f"Unsaved work of an earlier session could not be read; it is kept in {journal.set_aside(folder)}.")
            continue
        text = f"Aulmo ended without saving {document.name}. Take the unsaved work up again?"
        answer = ask(window, "Unsaved work", text, {"take": "Take it up", "later": "Ask me later", "discard": "Delete it"})
        if answer == "take":
            window.session.open_document(document, assets, path, unsaved=True)
            window.session.note_now()  # noted anew before the old note goes
            journal.discard(folder)
            return True
        if answer == "discard":
            journal.discard(folder)
    return False
