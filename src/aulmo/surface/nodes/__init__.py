"""Nodes as operations, a file for each family: what numbers the operation of a kind gets (`EMITTERS`)."""
