"""Bytes travel and are read back."""
