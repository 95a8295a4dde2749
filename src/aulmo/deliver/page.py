"""Pages of one file, without anything from outside: their own script, with what they are about and what they have in common put in."""

import html
import json
from pathlib import Path
from typing import Any, Mapping

from aulmo.document.writing import write_atomically

PAGES = Path(__file__).parent / "pages"


def write_page(path: Path, name: str, title: str, about: Any, more: Mapping[str, str] | None = None) -> None:
    """Write the page of a name to a path. `about` is what its script knows, `more` other words of it by their marks. Raises CannotWrite."""
    page = (PAGES / f"{name}.html").read_text(encoding="utf-8").replace("%HAND%\n", (PAGES / "hand.js").read_text(encoding="utf-8"))
    told = json.dumps(about).replace("</", "<\\/")
    for mark, words in {"%TITLE%": html.escape(title), **(more or {}), "%ABOUT%": told}.items():
        page = page.replace(mark, words)
    write_atomically(path, lambda file: file.write(page.encode("utf-8")))
