"""A source file that comes again, changed: what is new in it, and taking it without losing what was done."""
