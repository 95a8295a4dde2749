"""Finish as a stage of the window."""

from pathlib import Path

from aulmo.desk.finish.bench_balance import BalanceBench
from aulmo.desk.finish.bench_layers import LayersBench
from aulmo.desk.finish.bench_passes import PassesBench
from aulmo.desk.finish.commands import FinishCommands
from aulmo.desk.finish.finish_desk import STAGE, FinishDesk
from aulmo.desk.finish.marks import FinishMarks
from aulmo.desk.finish.page import FinishPage
from aulmo.desk.finish.page_layer import LayerPage
from aulmo.desk.finish.reference import ReferenceMarks
from aulmo.desk.finish.tools import BlackTool, BrushTool, GreyTool, PairTool, PolygonTool
from aulmo.desk.shelf.keep import Wanted
from aulmo.desk.shelf.taker import Taken
from aulmo.desk.shell.stage import Built, Desk, Stage


def _build(desk: Desk) -> Built:
    picture = desk.picture
    finish = FinishDesk(desk.session, picture)
    marks = FinishMarks(finish)
    reference = ReferenceMarks(finish)
    picture.panes.append(reference.pane)
    commands = FinishCommands(desk, finish, marks)
    commands.register()
    picture.overlays.insert(0, marks)
    picture.overlays.insert(1, reference)
    picture.covers, picture.passes, picture.cover_words = finish.covers, finish.passes, finish.source_words
    picture.measures, picture.finisher = finish.measures, finish.finisher
    picture.framed_stages += (STAGE,)
    picture.final_stages += (STAGE,)
    picture.takers.append(commands)
    picture.shelf["finish"] = Taken(commands.finish_words, lambda thing, at: commands.take_finish(Path(thing.path)), (STAGE,))
    picture.shelf["colour table"] = Taken(
        lambda thing, at: (thing.name, "release takes it as this grade’s table"), lambda thing, at: commands.take_table(thing.path), (STAGE,)
    )  # fmt: skip
    brush = BrushTool(finish, marks)
    for tool in (brush, PolygonTool(finish, marks), GreyTool(finish, marks), BlackTool(finish, marks), PairTool(finish, marks)):
        picture.add_tool(tool)
    keeping = getattr(desk.window, "keeping", None)
    if keeping is not None:
        keeping.more.append(lambda: Wanted("finish", finish.finish.name, (), None) if finish.on and finish.finish.layers else None)
        keeping.ways["finish"] = lambda wanted, told: commands.save_preset(told.name)
    layers = LayersBench(finish, commands.add_layer, commands.add_mask)
    faces = {"Layers": layers, "Light balance": BalanceBench(finish), "Passes": PassesBench(finish)}
    layer = LayerPage(finish, marks, brush, commands)
    page = FinishPage(finish, marks, commands)

    def refresh() -> None:
        if finish.on:
            for one in (page, layer):
                if one.isVisible():
                    one.refresh()

    finish.made.connect(picture.status_changed)
    finish.changed.connect(refresh)
    finish.made.connect(refresh)
    return Built(faces, page, {"finishes": layer}, commands)


HINT = "Everything stays editable · hold B for before · R holds the reference against · click a part to mask by it · wheel goes nearer"
FINISH = Stage(STAGE, "sliders-horizontal", HINT, _build, own=True)
