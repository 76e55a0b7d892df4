"""Collections that travel: made on a drive so that they play anywhere, settled on another machine, and home again."""
