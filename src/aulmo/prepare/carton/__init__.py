"""Cartons: a flat drawing read, cleaned, its lines told apart, its panels found and dressed."""
