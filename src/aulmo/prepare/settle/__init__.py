"""Loose parts fall and come to rest on the others."""
