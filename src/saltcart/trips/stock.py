"""What lies in a shelf at one moment, beside what the logbook of its trip records of it."""

from collections.abc import Iterable, Iterator

from saltcart.shelves.walk import Item
from saltcart.system import os
from saltcart.trips.logbook_schema import ITEM_COLUMNS, STATE_COLUMNS
from saltcart.trips.records import LISTED, TROUBLE, Row, packed, unpacked
from saltcart.trips.trip_shelf import TripShelf

# A folder is not changed by what happens in it, nor a link by its own times.
CHANGED = (
    "t.kind <> f.kind OR t.target IS NOT f.target OR t.kind = 'file' AND (t.size <> f.size OR abs(t.mtime_ns -"
    " f.mtime_ns) > {})"
)


class Stock:
    """The items of one shelf; a logbook holds one stock at a time."""

    def __init__(self, on_trip: TripShelf, items: Iterable[Item]):
        log = on_trip.log
        self.log, self.on_trip, self.shelf = log, on_trip, on_trip.number
        marks = ", ".join("?" * len(ITEM_COLUMNS.split(", ")))
        log.database.execute("DROP TABLE IF EXISTS temp.today")
        log.database.execute(f"CREATE TEMP TABLE today ({ITEM_COLUMNS}, PRIMARY KEY (path)) WITHOUT ROWID")
        log.database.execute("BEGIN")
        log.database.executemany(f"INSERT INTO temp.today VALUES ({marks})", map(packed, items))
        log.database.execute("COMMIT")

    def files(self) -> int:
        """How many regular files lie in the shelf."""
        return int(self.log.database.execute("SELECT count(*) FROM temp.today WHERE kind = 'file'").fetchone()[0])

    def differences(self, time_step_ns: int = 0) -> dict[str, list[str]]:
        """Paths `new` in the shelf, `changed` since they were recorded, and `vanished`; times count as equal within a
        step.
        """
        queries = {
            "new": "SELECT path FROM temp.today WHERE path NOT IN (SELECT path FROM file WHERE shelf = ?)",
            "changed": (
                "SELECT t.path FROM temp.today AS t JOIN file AS f ON f.shelf = ? AND f.path = t.path WHERE"
                f" {CHANGED.format(time_step_ns)}"
            ),
            "vanished": "SELECT path FROM file WHERE shelf = ? AND path NOT IN (SELECT path FROM temp.today)",
        }
        return {
            word: [os.fsdecode(path) for (path,) in self.log.database.execute(query, (self.shelf,))]
            for word, query in queries.items()
        }

    def doubtful(self) -> Iterator[Row]:
        """The files that have the size and time that are recorded, and of which inode or change time are
        others.
        """
        columns = ", ".join(f"f.{column}" for column in f"{ITEM_COLUMNS}, {STATE_COLUMNS}".split(", "))
        rows = self.log.database.execute(
            f"SELECT {columns} FROM file AS f JOIN temp.today AS t ON t.path = f.path WHERE f.shelf = ? AND f.kind ="
            f" 'file' AND NOT ({CHANGED.format(0)}) AND (t.inode <> f.inode OR t.ctime_ns <> f.ctime_ns) ORDER BY"
            " f.path",
            (self.shelf,),
        ).fetchall()
        yield from map(unpacked, rows)

    def proven(self, paths: Iterable[str]) -> None:
        """Record inode and change time of files whose content was found to be as recorded."""
        self.log.database.executemany(
            "UPDATE file SET (inode, ctime_ns) = (SELECT inode, ctime_ns FROM temp.today AS t WHERE t.path = file.path)"
            " WHERE shelf = ? AND path = ?",
            ((self.shelf, os.fsencode(path)) for path in paths),
        )

    def since(self, paths: Iterable[str]) -> dict[str, list[str]]:
        """Paths `new` in the shelf and `vanished` from it since someone saw `paths` in it; none when nobody did."""
        self.log.database.execute("DROP TABLE IF EXISTS temp.seen")
        self.log.database.execute("CREATE TEMP TABLE seen (path PRIMARY KEY) WITHOUT ROWID")
        self.log.database.execute("BEGIN")
        self.log.database.executemany(
            "INSERT OR IGNORE INTO temp.seen VALUES (?)", ((os.fsencode(path),) for path in paths)
        )
        self.log.database.execute("COMMIT")
        queries = {
            "new": (
                "SELECT path FROM temp.today WHERE path NOT IN (SELECT path FROM temp.seen) AND EXISTS (SELECT 1 FROM"
                " temp.seen)"
            ),
            "vanished": "SELECT path FROM temp.seen WHERE path NOT IN (SELECT path FROM temp.today)",
        }
        return {
            word: [os.fsdecode(path) for (path,) in self.log.database.execute(query)] for word, query in queries.items()
        }

    def adopt(self) -> None:
        """Record what lies there: new and changed things as `listed`, vanished ones no more.

        The digest of a changed file stays: it tells our own older copy from a stranger's file.
        """
        updates = ", ".join(f"{column} = excluded.{column}" for column in ITEM_COLUMNS.split(", ")[1:])
        with self.log.together():
            self.log.database.execute(
                "DELETE FROM file WHERE shelf = ? AND path NOT IN (SELECT path FROM temp.today)", (self.shelf,)
            )
            self.log.database.execute(
                f"INSERT INTO file (shelf, {ITEM_COLUMNS}, state) SELECT ?, {ITEM_COLUMNS}, '{LISTED}' FROM temp.today"
                " AS t WHERE NOT EXISTS (SELECT 1 FROM file AS f WHERE f.shelf = ? AND f.path = t.path AND NOT"
                f" ({CHANGED.format(0)})) ON CONFLICT (shelf, path) DO UPDATE SET state = '{LISTED}', {updates}",
                (self.shelf, self.shelf),
            )
            columns = ", ".join(ITEM_COLUMNS.split(", ")[1:])
            self.log.database.execute(
                f"UPDATE file SET ({columns}) = (SELECT {columns} FROM temp.today AS t WHERE t.path = file.path) WHERE"
                f" shelf = ? AND state IN ('{LISTED}', '{TROUBLE}')",
                (self.shelf,),
            )
