"""Every command that writes, met by every kind of trouble at any of its durable points."""
