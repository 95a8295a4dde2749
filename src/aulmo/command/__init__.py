"""The command line, and `aulmo.script`'s shorter names for the same things."""
