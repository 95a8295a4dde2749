"""The Light stage."""
