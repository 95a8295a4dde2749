"""The shelf in the window: the left panel's second face, and what becomes of things that are dragged from it and to it."""
