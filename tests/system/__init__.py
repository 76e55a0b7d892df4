"""The seam between operating systems."""
