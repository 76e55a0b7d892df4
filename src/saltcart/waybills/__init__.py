"""The plan of a trip as data."""
