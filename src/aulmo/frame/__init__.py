"""Frame: lens and exposure, photographs behind, sight lines, shadow stick, grey patch, shots side by side."""
