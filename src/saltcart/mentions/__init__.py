"""What names a shelf, in files of any kind: the forms of a path, where to look, and what was found."""
