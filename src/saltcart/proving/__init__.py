"""What was copied and rewritten is as it should be."""
