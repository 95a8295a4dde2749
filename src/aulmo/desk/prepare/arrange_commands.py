"""What places things: standing, lining up, spacing, mirroring, pivots, groups, names."""

import numpy as np

from aulmo.desk.shell.question import ask_text
from aulmo.desk.shell.stage import Desk
from aulmo.document import edits, tree
from aulmo.document.placement import world_matrix
from aulmo.document.quantity import counted
from aulmo.document.records import Document
from aulmo.errors import BadValue
from aulmo.prepare import aligning


class ArrangeCommands:
    """The commands of Prepare's face for arranging."""

    def __init__(self, desk: Desk) -> None:
        self.desk, self.session = desk, desk.session
        s, add = desk.session, desk.registry.add
        chosen = lambda: desk.working() and bool(s.selection)  # noqa: E731
        one = lambda: desk.working() and len(s.selection) == 1  # noqa: E731
        several = lambda: desk.working() and len(s.selection) > 1  # noqa: E731
        tool = lambda name: lambda: s.toggle_tool(name)  # noqa: E731
        add("stand", "Stand on…", "Parts", "", tool("stand"), desk.working)
        add("measure", "Measure", "Parts", "M", tool("measure"), desk.working)
        add("centre_product", "Centre the product", "Parts", "", self.centre_product, desk.working)
        for axis in "xyz":
            for where, words in (("low", "low"), ("middle", "middle"), ("high", "high")):
                run = lambda a=axis, w=where: self.align(a, w)  # noqa: E731
                add(f"align_{where}_{axis}", f"Line up {words} along {axis}", "Arrange/Line up", "", run, several,
                    where == "low" and axis != "x", f"{words.capitalize()} along {axis}")  # fmt: skip
        for axis in "xyz":
            add(f"space_{axis}", f"Space evenly along {axis}", "Arrange", "", lambda a=axis: self.space(a), several, axis == "x")
        add("same_size", "Same size", "Arrange", "", self.same_size, several)
        for axis in "xyz":
            add(f"mirror_{axis}", f"Mirror along {axis}", "Arrange", "", lambda a=axis: self.flip(a), chosen, axis == "x")
        add("pivot", "Put the pivot…", "Arrange", "", tool("pivot"), one, True)
        add("pivot_origin", "Pivot at its own origin", "Arrange", "", lambda: self.pivot("origin"), one)
        add("pivot_middle", "Pivot in the middle of its box", "Arrange", "", lambda: self.pivot("middle"), one)
        add("ungroup", "Ungroup", "Edit", "Ctrl+Shift+G", self.ungroup, chosen)
        add("rename_pattern", "Rename with a pattern…", "Edit", "", self.rename, chosen)
        add("sort_names", "Sort by name", "Edit", "", self.sort, desk.working)
        add("lock", "Lock or unlock", "Edit", "Ctrl+L", self.lock, chosen)

    def _do(self, told: str, make) -> None:
        session = self.session

        def run() -> None:
            document: Document = make(session.as_now)
            session.apply(told, document)

        session.attempt(run)

    def align(self, axis: str, where: aligning.Where) -> None:
        """Bring ends or middles in line."""
        s = self.session
        self._do(f"Lined up {s.selected_name()}", lambda d: aligning.align(d, s.assets, s.selection, axis, where))

    def space(self, axis: str) -> None:
        """Like gaps."""
        s = self.session
        self._do(f"Spaced {s.selected_name()}", lambda d: aligning.space_evenly(d, s.assets, s.selection, axis))

    def same_size(self) -> None:
        """As large as the first one."""
        s = self.session
        self._do(f"One size for {s.selected_name()}", lambda d: aligning.same_size(d, s.assets, s.selection))

    def flip(self, axis: str) -> None:
        """Mirror at the pivot."""
        s = self.session
        pivot = aligning.pivot_of(s.resolved, s.assets, s.selection)
        if pivot is not None:
            self._do(f"Mirrored {s.selected_name()}", lambda d: aligning.mirror(d, s.selection, axis, pivot))

    def pivot(self, where: str) -> None:
        """At the part's own origin, or in the middle of its box again."""
        s = self.session
        part_id = s.selection[0]
        point = world_matrix(s.document, part_id)[:3, 3] if where == "origin" else None
        self._do(f"Pivot of {s.selected_name()}", lambda d: aligning.set_pivot(d, part_id, point))

    def centre_product(self) -> None:
        """The whole assembly over the origin."""
        self._do("Centred the product", lambda d: aligning.centre_product(d, self.session.assets))

    def ungroup(self) -> None:
        """Dissolve groups where they stand."""
        s = self.session

        def run() -> None:
            document, freed = tree.ungroup(s.document, edits.topmost(s.document, list(s.selection)))
            s.apply("Ungrouped", document)
            s.select(freed)

        s.attempt(run)

    def rename(self) -> None:
        """Names with a running number."""
        s = self.session
        start = s.document.parts[s.selection[0]].name.rstrip("0123456789 ") or "Part"
        pattern = ask_text(self.desk.window, "Rename with a pattern", "Each # becomes a digit of a running number", f"{start} #")
        if pattern:
            self._do(f"Renamed {counted(len(s.selection), 'part')}", lambda d: tree.rename_parts(d, s.selection, pattern))

    def sort(self) -> None:
        """What is in the selected group, or at the top, by name."""
        s = self.session
        group = next((i for i in s.selection if s.document.parts[i].mesh is None), None)
        if group is None and s.selection:
            group = s.document.parts[s.selection[0]].parent
        self._do("Sorted by name", lambda d: tree.sort_by_name(d, group))

    def lock(self) -> None:
        """Locked parts stay where they are and cannot be deleted."""
        s = self.session
        on = not all(s.document.parts[i].locked for i in s.selection)
        self._do(f"{'Locked' if on else 'Unlocked'} {s.selected_name()}", lambda d: edits.change_parts(d, s.selection, locked=on))

    def put_into(self, part_ids: list[str], parent: str | None, before: str | None) -> None:
        """Hang parts elsewhere in the tree; they stay where they stand."""

        def make(document: Document) -> Document:
            for part_id in part_ids:
                if document.parts[part_id].locked:
                    raise BadValue(f"{document.parts[part_id].name} is locked.")
            return tree.move_into(document, part_ids, parent, before)

        where = self.session.document.parts[parent].name if parent is not None else "the top"
        self._do(f"Put {counted(len(part_ids), 'part')} into {where}", make)


def plane_at(document: Document, assets, part_id: str, axis: str) -> tuple[np.ndarray, np.ndarray]:
    """The plane through a part's pivot, square to an axis of the world."""
    point = aligning.pivot_of(document, assets, [part_id])
    if point is None:
        raise BadValue("Choose one part to cut.")
    return point, np.eye(3)["xyz".index(axis)]
