"""The document: records, edits, history, assets and the project file. No Qt, no renderer."""
