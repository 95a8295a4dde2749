"""The Frame stage."""
