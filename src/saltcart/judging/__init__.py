"""What an entry means on this machine, and whether it is there."""
