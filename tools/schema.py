"""Writes docs/file-format.schema.json from the records: `./aulmo python tools/schema.py`."""

import json
from pathlib import Path

import msgspec

from aulmo.document.records import Document

path = Path(__file__).parents[1] / "docs" / "file-format.schema.json"
path.write_text(json.dumps(msgspec.json.schema(Document), indent=1) + "\n")
