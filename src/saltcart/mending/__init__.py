"""Evidence for lost entries, and the rules that explain them."""
