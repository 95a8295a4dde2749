"""A question with a few answers, in the window's own look; each answer has a letter to press."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from aulmo.desk.widgets.fields import button, label


class Question(QDialog):
    """A sentence and its answers; the first is the main one, Esc is the last."""

    def __init__(self, parent: QWidget, title: str, text: str, answers: dict[str, str]) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(360)
        self.setMaximumWidth(560)
        self.answer = list(answers)[-1]
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 14)
        layout.setSpacing(8)
        layout.addWidget(label(title, "title"))
        self.text = label(text, "", True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addWidget(self.text)
        line = QHBoxLayout()
        line.setContentsMargins(0, 10, 0, 0)
        line.addStretch(1)
        self.buttons = {}
        self._letters: dict[str, str] = {}
        for number, (key, words) in enumerate(answers.items()):
            letter = next((c for c in words.lower() if c.isalpha() and c not in self._letters), "")
            self._letters[letter] = key
            at = words.lower().find(letter)
            made = button(f"{words[:at]}&{words[at:]}" if letter else words, lambda k=key: self._take(k), "main" if number == 0 else "")
            made.setAutoDefault(False)
            self.buttons[key] = made
            line.addWidget(made)
        layout.addLayout(line)
        next(iter(self.buttons.values())).setDefault(True)
        next(iter(self.buttons.values())).setFocus()

    def _take(self, key: str) -> None:
        self.answer = key
        self.accept()

    def keyPressEvent(self, event) -> None:  # noqa: N802
        """An answer's letter takes it, with or without Alt."""
        key = self._letters.get(event.text().lower())
        if key:
            self._take(key)
            return
        super().keyPressEvent(event)


class Asked(QDialog):
    """Lines to type into, each below its words."""

    def __init__(self, parent: QWidget, title: str, starts: dict[str, str]) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(360)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 14)
        layout.setSpacing(8)
        layout.addWidget(label(title, "title"))
        self.lines: dict[str, QLineEdit] = {}
        for words, start in starts.items():
            layout.addWidget(label(words))
            line = QLineEdit(start)
            line.setAccessibleName(words)
            self.lines[words] = line
            layout.addWidget(line)
        self.line = next(iter(self.lines.values()))
        self.line.selectAll()
        buttons = QHBoxLayout()
        buttons.setContentsMargins(0, 10, 0, 0)
        buttons.addStretch(1)
        self.fine = button("Keep", self.accept, "main")
        self.fine.setDefault(True)
        buttons.addWidget(self.fine)
        buttons.addWidget(button("Cancel", self.reject))
        layout.addLayout(buttons)


def ask_text(parent: QWidget, title: str, text: str, start: str = "") -> str:
    """What was typed, or "" when the box was closed."""
    box = Asked(parent, title, {text: start})
    found = box.line.text().strip() if box.exec() else ""
    box.deleteLater()
    return found


def ask(parent: QWidget, title: str, text: str, answers: dict[str, str]) -> str:
    """The key of the answer that was taken; of the last one when the box was closed."""
    box = Question(parent, title, text, answers)
    box.exec()
    box.deleteLater()
    return box.answer
