"""Light on the set: environments and how they are read."""
