"""Where light comes from, and choosing among it."""
