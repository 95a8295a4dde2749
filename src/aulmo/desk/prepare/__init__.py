"""The Prepare stage."""
