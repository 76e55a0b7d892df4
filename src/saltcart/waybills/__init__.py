"""The plan of a trip as data, and the new text of each entry."""
