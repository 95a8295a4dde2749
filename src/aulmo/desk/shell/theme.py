"""Colours, type and the style sheet: Dusk and Daylight, the same roles on dark and light neutrals."""

import functools
from importlib.resources import files
from typing import NamedTuple

import qtawesome
from PySide6.QtCore import QSize
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPalette, QPixmap
from PySide6.QtWidgets import QApplication, QWidget


class Theme(NamedTuple):
    """Roles of a theme. Neutrals have equal red, green and blue so that nothing tints the artist's judgement."""

    window: str
    panel: str
    field: str
    line: str
    raised: str
    text: str
    quiet: str
    surround: str
    accent: str
    accent_hover: str
    on_accent: str
    accent_text: str
    caution: str
    fault: str
    fine: str


DUSK = Theme(
    "#2e2e2e", "#383838", "#2a2a2a", "#4a4a4a", "#505050", "#e6e6e6", "#a9a9a9", "#565656",
    "#a8527f", "#bd6893", "#ffffff", "#e29abf", "#d39b2a", "#dd6a55", "#8fae5c",
)  # fmt: skip
DAYLIGHT = Theme(
    "#d6d6d6", "#e4e4e4", "#f4f4f4", "#bababa", "#cdcdcd", "#1c1c1c", "#565656", "#8e8e8e",
    "#96406d", "#a8527f", "#ffffff", "#84305c", "#7d5700", "#a5331f", "#4d6626",
)  # fmt: skip
THEMES = {"Dusk": DUSK, "Daylight": DAYLIGHT}

_current = DUSK


def current() -> Theme:
    """The theme in use."""
    return _current


def sheet(t: Theme) -> str:
    """The style sheet of a theme."""
    return f"""
* {{ font-family: "IBM Plex Sans"; font-size: 12px; color: {t.text}; outline: none; }}
QMainWindow, QDialog, #strip, #rail, #hintLine {{ background: {t.window}; }}
QWidget#panel, QScrollArea, QScrollArea > QWidget > QWidget {{ background: {t.panel}; border: none; }}
QMenuBar {{ background: {t.window}; padding: 1px 4px; }}
QMenuBar::item {{ padding: 4px 8px; background: transparent; border-radius: 3px; }}
QMenuBar::item:selected {{ background: {t.raised}; }}
QMenu {{ background: {t.panel}; border: 1px solid {t.line}; padding: 4px; }}
QMenu::item {{ padding: 5px 28px 5px 12px; border-radius: 3px; }}
QMenu::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
QMenu::item:disabled {{ color: {t.quiet}; }}
QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 6px; }}
QToolTip {{ background: {t.field}; color: {t.text}; border: 1px solid {t.line}; padding: 4px 6px; }}
QLabel {{ background: transparent; }}
QLabel#quiet {{ color: {t.quiet}; }}
QLabel#caution {{ color: {t.caution}; }}
QLabel#title {{ font-size: 14px; font-weight: 600; }}
QLabel#heading {{ font-weight: 600; }}
QLabel#big {{ font-size: 22px; font-weight: 600; }}
QLineEdit, QComboBox, QPlainTextEdit {{ background: {t.field}; border: 1px solid {t.line};
  border-radius: 3px; padding: 2px 6px; min-height: 18px;
  selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
QLineEdit:focus, QComboBox:focus, QPlainTextEdit:focus {{ border: 1px solid {t.accent_hover}; }}
QLineEdit[wrong="true"] {{ border: 1px solid {t.fault}; }}
QLineEdit[tight="true"] {{ font-size: 10px; padding: 2px 1px; }}
QLineEdit:disabled, QComboBox:disabled {{ color: {t.quiet}; }}
QComboBox::drop-down {{ border: none; width: 18px; }}
QComboBox::down-arrow {{ width: 0; height: 0; }}
QComboBox QAbstractItemView {{ background: {t.panel}; border: 1px solid {t.line}; selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
QPushButton {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 3px; padding: 4px 10px; min-height: 16px; }}
QPushButton:hover {{ border-color: {t.quiet}; }}
QPushButton:focus {{ border: 1px solid {t.accent_hover}; }}
QPushButton:pressed, QPushButton:checked {{ background: {t.field}; }}
QPushButton:checked {{ border-color: {t.accent_hover}; }}
QPushButton:disabled {{ color: {t.quiet}; background: {t.panel}; }}
QPushButton#main {{ background: {t.accent}; color: {t.on_accent}; border: 1px solid {t.accent}; font-weight: 600; padding: 4px 18px; }}
QPushButton#main:hover {{ background: {t.accent_hover}; }}
QPushButton#main:focus {{ border-color: {t.text}; }}
QPushButton#main:disabled {{ background: {t.raised}; border-color: {t.line}; color: {t.quiet}; }}
QPushButton#small {{ padding: 3px 7px; }}
QPushButton#link {{ background: transparent; border: none; color: {t.accent_text}; padding: 2px 4px; }}
QPushButton#link:hover {{ text-decoration: underline; }}
QPushButton#link:disabled {{ color: {t.quiet}; background: transparent; text-decoration: none; }}
QPushButton#link:focus {{ border: 1px solid {t.accent_hover}; }}
QPushButton#chip {{ border-radius: 10px; padding: 2px 3px; background: {t.field}; border: 1px solid {t.field}; color: {t.quiet}; }}
QPushButton#chip:checked {{ background: {t.raised}; color: {t.text}; border-color: {t.line}; }}
QPushButton#chip:focus {{ border-color: {t.accent_hover}; }}
QPushButton#section {{ background: transparent; border: none; border-bottom: 1px solid {t.line}; border-radius: 0; text-align: left; font-weight: 600; padding: 6px 0 4px 0; }}
QPushButton#section:focus {{ border-bottom: 1px solid {t.accent_hover}; }}
QPushButton#projectCard {{ min-height: 140px; max-height: 140px; min-width: 156px; max-width: 156px; padding: 4px; background: {t.panel}; }}
QPushButton#segment {{ border-radius: 0; padding: 3px 10px; background: {t.field}; color: {t.quiet}; }}
QPushButton#segment:checked {{ background: {t.raised}; color: {t.text}; border-color: {t.line}; font-weight: 500; }}
QPushButton#segment:focus {{ border-color: {t.accent_hover}; }}
QToolButton {{ background: transparent; border: 1px solid transparent; border-radius: 3px; padding: 3px; }}
QToolButton:hover {{ background: {t.raised}; }}
QToolButton:checked {{ background: {t.field}; border-color: {t.accent_hover}; }}
QToolButton:focus {{ border-color: {t.accent_hover}; }}
QToolButton#stage {{ border-radius: 4px; padding: 6px 0 4px 0; font-size: 11px; color: {t.quiet}; }}
QToolButton#stage:checked {{ background: {t.raised}; color: {t.text}; border: none; border-left: 3px solid {t.accent}; }}
QToolButton#benchTab {{ padding: 2px 0 4px 0; border: none; border-bottom: 2px solid transparent; border-radius: 0; font-weight: 600; color: {t.quiet}; background: transparent; }}
QToolButton#benchTab:checked {{ color: {t.text}; border-bottom: 2px solid {t.accent}; background: transparent; }}
QTreeView, QListView, QTableView {{ background: {t.panel}; border: none; alternate-background-color: {t.panel}; }}
QTreeView::item {{ height: 23px; border: none; }}
QTreeView::item:hover, QListView::item:hover {{ background: {t.raised}; }}
QTreeView::item:selected, QListView::item:selected, QTableView::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
QTreeView::branch {{ background: transparent; }}
QTreeView::branch:selected {{ background: {t.accent}; }}
QHeaderView::section {{ background: {t.panel}; color: {t.quiet}; border: none; border-bottom: 1px solid {t.line}; padding: 3px 6px; }}
QTableView {{ gridline-color: {t.panel}; }}
QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 4px; min-height: 24px; }}
QScrollBar:horizontal {{ background: transparent; height: 9px; margin: 0; }}
QScrollBar::handle:horizontal {{ background: {t.line}; border-radius: 4px; min-width: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QSlider {{ min-height: 18px; }}
QSlider::groove:horizontal {{ height: 4px; background: {t.field}; border-radius: 2px; }}
QSlider::sub-page:horizontal {{ background: {t.quiet}; border-radius: 2px; }}
QSlider::handle:horizontal {{ width: 11px; height: 11px; margin: -4px 0; border-radius: 5px; background: {t.text}; }}
QSlider::handle:horizontal:focus {{ background: {t.accent_hover}; }}
QCheckBox {{ spacing: 7px; }}
QCheckBox::indicator {{ width: 14px; height: 14px; border: 1px solid {t.line}; border-radius: 3px; background: {t.field}; }}
QCheckBox::indicator:checked {{ background: {t.accent}; border-color: {t.accent}; image: url({_check_mark()}); }}
QCheckBox:focus {{ color: {t.accent_text}; }}
QProgressBar {{ background: {t.field}; border: none; border-radius: 2px; max-height: 4px; min-height: 4px; }}
QProgressBar::chunk {{ background: {t.accent}; border-radius: 2px; }}
QSplitter::handle {{ background: {t.window}; }}
QFrame#line {{ background: {t.line}; max-height: 1px; min-height: 1px; border: none; }}
QFrame#card {{ background: {t.field}; border-radius: 4px; }}
QFrame#setCard {{ background: {t.panel}; border: 1px solid {t.line}; border-radius: 4px; }}
QListView#shelf {{ background: {t.panel}; }}
QListView#shelf::item {{ background: {t.field}; border-radius: 4px; border: 2px solid transparent; margin: 2px; color: {t.text}; }}
QListView#shelf::item:selected {{ background: {t.field}; border-color: {t.accent}; color: {t.text}; }}
QListView#shelf::item:hover {{ background: {t.raised}; }}
"""


def _check_mark() -> str:
    return str(files("aulmo.desk") / "fonts" / "check.svg")


def choose(application: QApplication, name: str) -> None:
    """Make a theme the one that icons and palette are taken from."""
    global _current
    _current = THEMES.get(name, DUSK)
    t = _current
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, t.window), (QPalette.ColorRole.Base, t.field), (QPalette.ColorRole.Text, t.text),
        (QPalette.ColorRole.WindowText, t.text), (QPalette.ColorRole.Button, t.raised), (QPalette.ColorRole.ButtonText, t.text),
        (QPalette.ColorRole.Highlight, t.accent), (QPalette.ColorRole.HighlightedText, t.on_accent), (QPalette.ColorRole.PlaceholderText, t.quiet),
    ):  # fmt: skip
        palette.setColor(role, QColor(colour))
    application.setPalette(palette)


def use(application: QApplication, name: str) -> None:
    """Dress the application in a theme."""
    choose(application, name)
    application.setStyleSheet("")  # from one sheet to another Qt takes four times as long as by way of none
    application.setStyleSheet(sheet(_current))
    for window in application.topLevelWidgets():  # what is not shown does not ask for its new room by itself
        for widget in reversed(window.findChildren(QWidget)):
            layout = widget.layout()
            if layout is not None:
                layout.activate()


def load_fonts(application: QApplication) -> None:
    """IBM Plex Sans from the package, and the text size of the interface."""
    for weight in ("Regular", "Medium", "SemiBold"):
        QFontDatabase.addApplicationFont(str(files("aulmo.desk") / "fonts" / f"IBMPlexSans-{weight}.woff"))
    font = QFont("IBM Plex Sans")
    font.setPixelSize(12)
    font.setFeature(QFont.Tag("tnum"), 1)
    application.setFont(font)


@functools.lru_cache(maxsize=512)
def _drawn(name: str, colour: str, size: int) -> QIcon:
    return QIcon(qtawesome.icon(f"ph.{name}", color=colour).pixmap(QSize(2 * size, 2 * size)))


def picture_icon(pixmap: QPixmap) -> QIcon:
    """A pixmap as an icon that keeps its own colours also when it is selected."""
    made = QIcon(pixmap)
    for mode in (QIcon.Mode.Selected, QIcon.Mode.Active):
        made.addPixmap(pixmap, mode)
    return made


def icon(name: str, colour: str | None = None, size: int = 18) -> QIcon:
    """An outline icon of the one family used everywhere."""
    return _drawn(name, colour or _current.text, size)
