"""Undo and redo: documents with a sentence each. Documents share what did not change, so keeping them is cheap."""

from typing import Callable

from aulmo.document.records import Document


def _alike(one: Document, other: Document) -> bool:
    """Whether two documents say the same; what they share is not looked into. What lies on what is told by the order of decals alone."""
    fields = ((getattr(one, f), getattr(other, f)) for f in one.__struct_fields__)
    return all(a is b or a == b for a, b in fields) and list(one.decals) == list(other.decals)


class History:
    """The current document and how it came to be.

    `listeners` are called with (old, new) after every change, also by undo and redo.
    """

    def __init__(self, document: Document, limit: int = 500) -> None:
        self._steps: list[tuple[str, Document]] = [("", document)]
        self._at = 0
        self._limit = limit
        self._merge_key: object = None
        self.listeners: list[Callable[[Document, Document], None]] = []

    @property
    def document(self) -> Document:
        """The document as it is now."""
        return self._steps[self._at][1]

    def apply(self, sentence: str, document: Document, merge_key: object = None) -> None:
        """Make `document` the current one. Steps in a row with the same `merge_key` (a drag) become one."""
        old = self.document
        if document is old or _alike(document, old):
            return
        del self._steps[self._at + 1 :]
        if merge_key is not None and merge_key == self._merge_key and self._at > 0:
            self._steps[self._at] = (sentence, document)
        else:
            self._steps.append((sentence, document))
            if len(self._steps) > self._limit:
                del self._steps[0]
            self._at = len(self._steps) - 1
        self._merge_key = merge_key
        self._tell(old)

    def end_merge(self) -> None:
        """The drag is over: the next step stands alone."""
        self._merge_key = None

    def undo(self) -> str:
        """Go one step back; returns the sentence of what was undone, or nothing."""
        if self._at == 0:
            return ""
        old, sentence = self.document, self._steps[self._at][0]
        self._at -= 1
        self._merge_key = None
        self._tell(old)
        return sentence

    def redo(self) -> str:
        """Go one step forward; returns the sentence of what was done again, or nothing."""
        if self._at == len(self._steps) - 1:
            return ""
        old = self.document
        self._at += 1
        self._merge_key = None
        self._tell(old)
        return self._steps[self._at][0]

    @property
    def undo_sentence(self) -> str:
        """What undo would take back."""
        return self._steps[self._at][0] if self._at else ""

    @property
    def redo_sentence(self) -> str:
        """What redo would do again."""
        return self._steps[self._at + 1][0] if self._at + 1 < len(self._steps) else ""

    def _tell(self, old: Document) -> None:
        for listener in list(self.listeners):
            listener(old, self.document)
