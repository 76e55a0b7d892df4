"""The command line: the only place that parses, prints and asks.  `commands` has a module for each command."""
