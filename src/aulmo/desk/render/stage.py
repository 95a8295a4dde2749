"""Render as a stage of the window."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog

from aulmo.deliver.job import picture_folder
from aulmo.desk.picture.compare import Compare
from aulmo.desk.render.bench import RenderBench
from aulmo.desk.render.bench_range import RangeBench
from aulmo.desk.render.export_file import choose_export
from aulmo.desk.render.hand_over import choose_collect, choose_parts_list
from aulmo.desk.render.helpers_dialog import HelpersDialog
from aulmo.desk.render.page import RenderPage
from aulmo.desk.render.sphere_dialog import SphereDialog
from aulmo.desk.render.turntable_dialog import TurntableDialog
from aulmo.desk.shell.stage import Built, Desk, Stage


def _build(desk: Desk) -> Built:
    bench = RenderBench(desk.session)
    compare = Compare(desk.picture)
    desk.picture.overlays.append(compare)

    def render_range(cells: list, pattern: str) -> None:
        if bench.start_range(cells, pattern):
            desk.session.face_wanted.emit("Renders")

    def render() -> None:
        if bench.start():
            desk.session.set_stage("Render")

    def show(dialog: QDialog) -> None:
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()

    def ask(kind: type[TurntableDialog] | type[SphereDialog], name: str) -> None:
        session = desk.session
        show(kind(bench, picture_folder(session.document.render, session.own_path) / f"{session.document.name} {name}"))

    desk.registry.add("helpers", "Other machines…", "Stage", "", lambda: show(HelpersDialog(bench)), desk.working)
    desk.registry.add("export", "Export as glTF or USD…", "File", "", lambda: choose_export(desk), desk.working)
    desk.registry.add("parts_list", "List of parts…", "File", "", lambda: choose_parts_list(desk), desk.working)
    desk.registry.add("collect", "Collect in a folder…", "File", "", lambda: choose_collect(desk), desk.working)
    desk.registry.add("turntable", "Turntable for the web…", "Stage", "", lambda: ask(TurntableDialog, "turntable"), desk.working)
    desk.registry.add("sphere", "Full sphere to look around in…", "Stage", "", lambda: ask(SphereDialog, "sphere"), desk.working)
    desk.registry.add("render", "Render this shot", "Stage", "Ctrl+Return", render, desk.working)
    desk.picture.framed_stages += ("Render",)
    desk.picture.final_stages += ("Render",)
    faces = {"Renders": bench, "Range sheet": RangeBench(desk.session, compare, render_range)}
    return Built(faces, RenderPage(desk.session, render, lambda: desk.registry.run("expose")), {}, bench)


RENDER = Stage("Render", "aperture", "The picture keeps working while a render runs", _build, alone=True)
