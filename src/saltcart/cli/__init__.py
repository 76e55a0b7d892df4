"""The command line: the only place that parses, prints and asks."""
