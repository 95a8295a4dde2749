"""Materials: colours, measured metals, and the swatches on the shelf."""
