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


class DiskFull(StoreError):
    """There is no room; what was stored before is whole."""


class Unreachable(StoreError):
    """The laboratory itself cannot be opened: moved, damaged, forbidden, or of a newer program."""


class Vanished(StoreError):
    """What something was to be stored with has been deleted meanwhile."""


def open_database(folder, migrate=True, create=True):
    """Open the database in a data folder.

    Parameters
    ----------
    migrate : bool
        Bring an older one up to date.
    create : bool
        Make one where there is none; otherwise that is an error.

    Returns
    -------
    sqlite3.Connection
        In autocommit mode, rows by name; use `transaction` for several statements.

    Raises
    ------
    Unreachable
    """
    folder = Path(folder)
    path = folder / FILE_NAME
    try:
        if create:
            folder.mkdir(parents=True, exist_ok=True)
            _create_private(path)
        elif not path.is_file():
            raise Unreachable(
                f"There is no laboratory in {folder} (no file {FILE_NAME}). If the folder was moved, move it "
                "back or name its new place with --data."
            )
    except OSError as error:
        raise Unreachable(
            f"The data folder {folder} cannot be used: {error.strerror}. Mend its permissions, or give "
            "another with --data."
        ) from None
    database = None
    try:
        database = sqlite3.connect(path, timeout=10, isolation_level=None, check_same_thread=False)
        database.row_factory = sqlite3.Row
        database.execute("PRAGMA journal_mode = WAL")
        database.execute("PRAGMA synchronous = NORMAL")
        database.execute("PRAGMA foreign_keys = ON")
        database.execute("PRAGMA busy_timeout = 10000")
        if migrate:
            _migrate(database)
            _keep_private(path)
    except (sqlite3.Error, StoreError) as error:
        if database is not None:
            database.close()
        if isinstance(error, StoreError):
            raise
        raise _unreachable(folder, error) from error
    return database


def _create_private(path):
    """Make an empty file that nobody else on the machine may read: the laboratory holds the key of the
    cookies.

    Only where there is none yet: closing a file takes away the locks that SQLite holds on it in the same
    process.
    """
    try:
        os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_RDWR, 0o600))
    except FileExistsError:
        # It has been opened before, or another process was quicker: it stays closed here.
        pass


def _keep_private(path):
    try:
        if path.stat().st_mode & 0o077:
            path.chmod(0o600)
    except OSError:
        # Somebody else's file, or a disk without permissions.
        pass


def _unreachable(folder, error):
    """The words for a laboratory that SQLite cannot open."""
    text = str(error)
    if "full" in text or "disk I/O" in text:
        return explain(error)
    if "not a database" in text or "malformed" in text or "no such table" in text:
        return Unreachable(
            f"The laboratory in {folder} is damaged ({text}). Put a backup in its place; copy the damaged "
            "file away first."
        )
    if "readonly" in text or "unable to open" in text:
        return Unreachable(
            f"The laboratory in {folder} cannot be written to. Mend the permissions of the folder and of "
            f"{FILE_NAME}, or give another folder with --data."
        )
    return Unreachable(f"The laboratory in {folder} cannot be opened: {text}.")


def _migrate(database):
    version = database.execute("PRAGMA user_version").fetchone()[0]
    steps = sorted(MIGRATIONS.glob("*.sql"))
    if version > len(steps):
        raise Unreachable(
            "The data folder was written by a newer Ventaris. Update the program, or give another folder "
            "with --data."
        )
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
    """All or nothing; a full disk becomes a `StoreError` that says so. Inside another one it is part of
    that."""
    if database.in_transaction:
        yield database
        return
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
        return DiskFull(
            "The disk is full: nothing was stored, and nothing stored before is lost. Free some space, then "
            "try again."
        )
    if "readonly" in text:
        return Unreachable("The data folder cannot be written to. Check its permissions.")
    if "malformed" in text or "not a database" in text:
        return Unreachable(
            f"The laboratory is damaged ({text}). Put a backup in its place; copy the damaged file away "
            "first."
        )
    if "FOREIGN KEY" in text:
        return Vanished("What this belongs to was deleted meanwhile; nothing was stored.")
    if "locked" in text:
        return StoreError("The database is busy. Try again in a moment.")
    return StoreError(f"The database refused: {text}")


def backup(database, path):
    """Copy the whole laboratory, while it is in use."""
    path = Path(path)
    partial = path.with_name(path.name + ".part")
    os.close(os.open(partial, os.O_CREAT | os.O_RDWR | os.O_TRUNC, 0o600))
    copy = sqlite3.connect(partial)
    try:
        with copy:
            database.backup(copy)
    except sqlite3.Error as error:
        copy.close()
        partial.unlink(missing_ok=True)
        raise explain(error) from error
    copy.close()
    os.replace(partial, path)


def setting(database, name, default=None):
    row = database.execute("SELECT value FROM setting WHERE name = ?", (name, )).fetchone()
    return json.loads(row["value"]) if row else default


def remember(database, name, value):
    with transaction(database):
        database.execute(
            "INSERT INTO setting (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = "
            "excluded.value",
            (name, json.dumps(value)))
