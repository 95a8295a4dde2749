"""What rays meet: trees, hit points, softened edges, what stands between."""
