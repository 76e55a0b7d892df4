"""What is there now: shelves, ledgers, and files that mention a place."""
