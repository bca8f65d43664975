"""Open the laboratory: one SQLite file with everything in it."""
import json
import os
import sqlite3
from contextlib import contextmanager
from pathlib import Path

FILE_NAME = "laboratory.sqlite"
MIGRATIONS = Path(__file__).with_name("migrations")


class StoreError(RuntimeError):
    """Something could not be stored; the message says what and what to do."""


def open_database(folder, migrate=True):
    """Open (and create) the database in a data folder.

    Returns
    -------
    sqlite3.Connection
        In autocommit mode, rows by name; use `transaction` for several statements.
    """
    folder = Path(folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise StoreError(f"The data folder {folder} cannot be made: {error.strerror}. Give another with --data.") from None
    database = sqlite3.connect(folder / FILE_NAME, timeout=10, isolation_level=None, check_same_thread=False)
    database.row_factory = sqlite3.Row
    database.execute("PRAGMA journal_mode = WAL")
    database.execute("PRAGMA synchronous = NORMAL")
    database.execute("PRAGMA foreign_keys = ON")
    database.execute("PRAGMA busy_timeout = 10000")
    if migrate:
        _migrate(database)
    return database


def _migrate(database):
    version = database.execute("PRAGMA user_version").fetchone()[0]
    steps = sorted(MIGRATIONS.glob("*.sql"))
    if version > len(steps):
        raise StoreError("The data folder was written by a newer Ventaris. Update the program.")
    for number, step in enumerate(steps, start=1):
        if number > version:
            with transaction(database):
                # Another process may have been quicker.
                if database.execute("PRAGMA user_version").fetchone()[0] >= number:
                    continue
                for statement in _statements(step.read_text()):
                    database.execute(statement)
                database.execute(f"PRAGMA user_version = {number:d}")


def _statements(script):
    statement = ""
    for line in script.splitlines(keepends=True):
        statement += line
        if sqlite3.complete_statement(statement):
            yield statement
            statement = ""


@contextmanager
def transaction(database):
    """All or nothing; a full disk becomes a `StoreError` that says so."""
    try:
        database.execute("BEGIN IMMEDIATE")
        yield database
        database.execute("COMMIT")
    except sqlite3.Error as error:
        _roll_back(database)
        raise explain(error) from error
    except BaseException:
        _roll_back(database)
        raise


def _roll_back(database):
    if database.in_transaction:
        database.execute("ROLLBACK")


def explain(error):
    """A `StoreError` for an SQLite error, in words that help."""
    text = str(error)
    if "full" in text or "disk I/O" in text:
        return StoreError("The disk is full: nothing was stored, and nothing stored before is lost. Free some space, then try again.")
    if "readonly" in text:
        return StoreError("The data folder cannot be written to. Check its permissions.")
    if "locked" in text:
        return StoreError("The database is busy. Try again in a moment.")
    return StoreError(f"The database refused: {text}")


def backup(database, path):
    """Copy the whole laboratory, while it is in use."""
    path = Path(path)
    partial = path.with_name(path.name + ".part")
    copy = sqlite3.connect(partial)
    with copy:
        database.backup(copy)
    copy.close()
    os.replace(partial, path)


def setting(database, name, default=None):
    row = database.execute("SELECT value FROM setting WHERE name = ?", (name,)).fetchone()
    return json.loads(row["value"]) if row else default


def remember(database, name, value):
    with transaction(database):
        database.execute("INSERT INTO setting (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value",
                         (name, json.dumps(value)))
