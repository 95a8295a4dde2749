"""What moves a document in time: keys and the ways between them, motions, and what a moment is made of."""
