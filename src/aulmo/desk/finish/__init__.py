"""The Finish stage: layers, light balance and passes over a render, held against a reference."""
