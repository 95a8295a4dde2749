"""Surface programs and what fills space."""
