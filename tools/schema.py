"""Writes docs/file-format.schema.json from the records: `./aulmo python tools/schema.py`."""

import json
from pathlib import Path

from aulmo.document.schema import schema

path = Path(__file__).parents[1] / "docs" / "file-format.schema.json"
path.write_text(json.dumps(schema(), indent=1) + "\n")
