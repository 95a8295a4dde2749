"""Selecting: a click takes what is under the cursor, again goes one level up; a drag on nothing draws a box."""

import numpy as np
from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.shell import theme
from aulmo.document.made.copies import maker_of


class Select(Tool):
    """What the hand does when it holds nothing else."""

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self._press: QPoint | None = None
        self._pulled: Overlay | None = None
        self.box: QRect | None = None

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Begin; what an overlay holds there is taken first."""
        self._pulled = next((o for o in self.picture.overlays if o.shown() and o.press(at)), None)
        self._press = at if self._pulled is None else None

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """A box, once the hand has gone far enough."""
        if self._pulled is not None:
            self._pulled.drag(at, modifiers)
            return
        if self._press is not None and (at - self._press).manhattanLength() > 6:
            self.box = QRect(self._press, at).normalized()
            self.picture.update()

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take what is there."""
        if self._pulled is not None:
            self._pulled.release(at)
            self._pulled = None
            return
        if self._press is None:
            return
        add = bool(modifiers & Qt.KeyboardModifier.ControlModifier)
        if self.box is not None:
            self.take_box(self.box, add)
        else:
            self.click(at, add)
        self._press = self.box = None
        self.picture.update()

    def put_away(self) -> None:
        """Forget a box that was begun."""
        self._press = self.box = None

    def click(self, at: QPoint, add: bool) -> None:
        """Select what is under a point."""
        session = self.session
        subject = self.picture.subject_at(at)
        if subject:
            session.select((), subject)
            return
        part = self.picture.part_at(at)
        if part is None or part not in session.document.parts:
            if not add:
                session.select(())
            return
        if add:
            chosen = list(session.selection)
            session.select([i for i in chosen if i != part] if part in chosen else [*chosen, part])
            return
        climb, made = part, self.picture.seen_at(at) or ""
        rule = maker_of(made)
        if rule is not None and session.stage not in self.picture.named_stages:  # a copy stands for its rule; what it is made of is in the tree
            climb, made = rule, ":".join(made.split(":")[:2])
            if session.selection != (rule,) or session.copy != made:
                session.select([rule], f"made/{made}")
                return
            part = rule
        if len(session.selection) == 1:
            chain, current = [], part
            while current is not None:
                chain.append(current)
                current = session.document.parts[current].parent
            if session.selection[0] in chain:
                climb = chain[(chain.index(session.selection[0]) + 1) % len(chain)]
        surface = self.picture.surface_at(at, part) if session.stage in self.picture.named_stages else ""
        if "/face_sets/" in surface and session.subject != surface and climb in (part, session.document.parts[part].parent):
            session.select([part], surface)  # where materials are worked on, the faces under the hand are meant
        else:
            session.select([climb])

    def take_box(self, box: QRect, add: bool) -> None:
        """Select what is seen in a box."""
        found = self.parts_in(box)
        self.session.select([*self.session.selection, *found] if add else found)

    def pixels_of(self, box: QRect) -> tuple[slice, slice]:
        """Rows and columns of the draft within a box of the widget."""
        picture = self.picture
        h, w = picture.draft.parts.shape
        fx, fy = w / max(1, picture.width()), h / max(1, picture.height())
        rows = slice(max(0, int(box.top() * fy)), int(box.bottom() * fy) + 1)
        return rows, slice(max(0, int(box.left() * fx)), int(box.right() * fx) + 1)

    def parts_in(self, box: QRect) -> list[str]:
        """Parts seen in a box of the widget."""
        picture = self.picture
        if picture.draft is None:
            return []
        numbers = np.unique(picture.draft.parts[self.pixels_of(box)])
        found = [picture.draft_parts[n] for n in numbers if 0 <= n < len(picture.draft_parts)]
        return list(dict.fromkeys(maker_of(i) or i for i in found))

    def draw(self, painter: QPainter) -> None:
        """The box."""
        if self.box is not None:
            colour = QColor(theme.current().accent_hover)
            painter.setPen(QPen(colour, 1))
            colour.setAlpha(30)
            painter.setBrush(colour)
            painter.drawRect(self.box)
