"""Tools under the hand in the picture, one file for each."""
