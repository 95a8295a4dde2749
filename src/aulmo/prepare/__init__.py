"""Preparing geometry: reading CAD and mesh files, tessellation, placing things on the set, health."""
