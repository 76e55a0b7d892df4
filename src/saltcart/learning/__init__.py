"""What an unknown file says, and the map derived from it."""
