"""Files of any kind that refer to a shelf: the forms of a path, where to look, and what was found."""
