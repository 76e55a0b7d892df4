"""SQLite databases as ledgers, by a map: cells in place of spans."""
