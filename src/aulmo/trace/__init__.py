"""The renderer: arrays in, light out. Knows nothing of documents except in `scene`."""
