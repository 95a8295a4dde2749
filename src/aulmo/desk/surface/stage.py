"""Surface as a stage of the window."""

from aulmo.desk.shell.stage import Built, Desk, Stage
from aulmo.desk.surface.bench import SurfaceBench
from aulmo.desk.surface.bench_decals import DecalsBench
from aulmo.desk.surface.bench_nodes import NodesBench
from aulmo.desk.surface.bench_pictures import PicturesBench
from aulmo.desk.surface.commands import SurfaceCommands
from aulmo.desk.surface.decal_commands import DecalCommands
from aulmo.desk.surface.decal_marks import DecalMarks
from aulmo.desk.surface.decal_tool import DecalTool, StickTool
from aulmo.desk.surface.lay_tool import LayTool
from aulmo.desk.surface.library_commands import LibraryCommands
from aulmo.desk.surface.page import SurfacePage
from aulmo.desk.surface.page_colour import SUBJECT, ColourCommands, ColourPage
from aulmo.desk.surface.page_decal import DecalPage
from aulmo.desk.surface.page_node import NodePage
from aulmo.desk.surface.picture_drops import PictureDrops
from aulmo.desk.surface.set_card import SetCard
from aulmo.desk.surface.shelf_surface import ShelfSurface


def _build(desk: Desk) -> Built:
    session, picture = desk.session, desk.picture
    picture.named_stages += ("Surface",)
    stick, lay = StickTool(picture), LayTool(picture)
    for tool in (stick, lay, DecalTool(picture)):
        picture.add_tool(tool)
    picture.overlays.append(DecalMarks(picture))
    nodes = NodesBench(desk)  # its commands are asked before those on whole materials
    materials = LibraryCommands(desk)
    decals = DecalCommands(desk, stick)
    commands = SurfaceCommands(desk, lay)
    commands.card = SetCard(picture, decals.drop_picture)
    commands.drops = PictureDrops(picture, commands.card)
    picture.takers.append(commands.drops)
    ShelfSurface(desk, commands.drops, decals).register()
    benches = {"Swatches": SurfaceBench(session, materials), "Nodes": nodes, "Decals": DecalsBench(session, decals),
        "Pictures": PicturesBench(session)}
    return Built(benches, SurfacePage(session, commands), {"decals": DecalPage(session, decals), "nodes": NodePage(nodes),
        SUBJECT: ColourPage(desk, ColourCommands(desk))}, commands)


SURFACE = Stage("Surface", "swatches", "Drop a swatch or pictures on a part · Alt: only this part · Click a part twice for its group", _build)
