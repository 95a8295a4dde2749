"""The film as it is worked on: keys, ready motions, the reel, and what is wrong with them."""
