"""The window and what is always there."""
