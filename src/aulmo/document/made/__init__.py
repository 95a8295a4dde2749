"""What rules make: meshes of set pieces, copies, and where things stand along paths."""
