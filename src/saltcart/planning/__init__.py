"""What a trip would do, worked out before anything is touched."""
