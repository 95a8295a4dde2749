"""The picture, its overlay, and the tools under the hand."""
