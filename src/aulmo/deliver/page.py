"""Pages of one file, without anything from outside: their own script, with what they are about and what they have in common put in."""

import base64
import hashlib
import re
from functools import cache
from pathlib import Path
from typing import Any, Mapping

from aulmo.document.writing import write_atomically

PAGES = Path(__file__).parent / "pages"
# what a browser lets a page do: run its own script, wear its own style, show its own pictures, and nothing else
POLICY = "default-src 'none'; script-src {script}; style-src {style}; img-src 'self' file: data: blob:; base-uri 'none'; form-action 'none'"


@cache
def _templates() -> Any:
    from jinja2 import Environment, FileSystemLoader, StrictUndefined

    return Environment(loader=FileSystemLoader(PAGES), autoescape=True, undefined=StrictUndefined, keep_trailing_newline=True)


def page_of(name: str, title: str, about: Any, more: Mapping[str, str] | None = None) -> str:
    """The text of the page of a name. `about` is what its script knows, `more` other words of it by their names; they stay words."""
    page: str = _templates().get_template(f"{name}.html").render(title=title, about=about, policy="%POLICY%", **(more or {}))
    hashes = {}
    for tag in ("script", "style"):
        found = re.search(rf"<{tag}>(.*?)</{tag}>", page, re.S)
        text = found[1] if found else ""
        hashes[tag] = f"'sha256-{base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()}'"
    return page.replace("%POLICY%", POLICY.format(**hashes), 1)  # the first is the page's own: it stands above all other words


def write_page(path: Path, name: str, title: str, about: Any, more: Mapping[str, str] | None = None) -> None:
    """Write the page of a name to a path: see `page_of`. Raises CannotWrite."""
    blob = page_of(name, title, about, more).encode("utf-8")
    write_atomically(path, lambda file: file.write(blob))
