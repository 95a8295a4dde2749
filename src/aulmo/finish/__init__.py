"""From passes to the picture that is delivered: layers, light balance, grades and masks. Knows nothing of windows."""
