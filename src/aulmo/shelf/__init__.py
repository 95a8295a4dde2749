"""The shelf: what the artist owns, found, known for what it is, and taken into a project."""
