"""The new text of entries: where each leads on a trip, what must change for that, and the changed ledger."""
