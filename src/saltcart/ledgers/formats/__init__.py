"""Open formats, each from its specification: NAME, claims(name, head), spans(data)."""
