"""Move: the film."""
