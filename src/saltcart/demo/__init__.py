"""The made-up studio: the Petrel, two rooms on a moored lightship."""
