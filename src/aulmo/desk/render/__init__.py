"""The Render stage."""
