"""Containers whose entries a map points at: one module each, a function from content and rules to places."""
