"""Where the artist's own swatches lie."""

from pathlib import Path

import platformdirs
from PySide6.QtCore import QSettings


def swatch_folder() -> Path:
    """The folder of the artist's choice, else one that is Aulmo's own."""
    chosen = str(QSettings().value("swatches", ""))
    return Path(chosen) if chosen else Path(platformdirs.user_data_dir("aulmo")) / "swatches"


def set_swatch_folder(path: Path) -> None:
    """Choose another folder."""
    QSettings().setValue("swatches", str(path))
