"""The Surface stage."""
