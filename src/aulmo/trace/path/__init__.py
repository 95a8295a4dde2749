"""How a path goes: waves, vertices, numbers, the film."""
