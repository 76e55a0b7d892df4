"""Tables to figures."""
