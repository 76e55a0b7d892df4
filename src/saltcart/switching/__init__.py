"""Ledgers, originals and signposts change together, or back."""
