"""The application factory: configuration, security, errors, blueprints."""
import base64
import hashlib
import hmac
import ipaddress
import os
import secrets
import sqlite3
import threading
import time
from pathlib import Path

from flask import Flask, Response, abort, g, render_template, request
from flask_wtf.csrf import CSRFError, CSRFProtect
from werkzeug.exceptions import HTTPException, NotFound

from ..core.look.picture import use_face
from ..core.shapes.coordinates import ShapeError
from ..core.sheet import SheetError
from ..store.campaigns import Conflict
from ..store.surfaces import serve_library
from ..store.database import StoreError, Unreachable, explain, open_database, remember, setting
from ..store.deletions import last_deletion
from ..store.runs import StateError
from . import (
    aims, begin, body_looks, body_sheets, campaigns, compare, curves, flow, gallery, help, looks, maps,
    matrix, measured, noise, presentation, queue, reports, row_sheets, runs, searches, sheets, study, turns
)


LARGEST_UPLOAD = 210_000_000
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; font-src 'self'; "
    "connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
TITLES = {
    400: "That did not work", 403: "Not allowed", 404: "Nothing here", 405: "Not allowed here",
    409: "Changed in the meantime", 413: "Too large", 429: "Wait a moment", 500: "The program made a mistake",
    503: "The laboratory cannot be reached", 507: "Nothing was stored"
}
# Wrong passwords from one address before it has to wait, and for how long, s; doubled by every further one.
FREE_TRIES, FIRST_WAIT, LONGEST_WAIT = 5, 2.0, 900.0


def create_app(folder, password=None, local=True):
    """Make the application for a data folder.

    Parameters
    ----------
    folder : path
    password : str or None
        Asked of every request when set.
    local : bool
        Whether only this machine may speak to it.
    """
    app = Flask(__name__)
    database = open_database(folder)
    key = setting(database, "secret_key")
    if key is None:
        key = secrets.token_hex(32)
        remember(database, "secret_key", key)
    database.close()
    serve_library(folder)
    # Two servers on one machine keep their cookies apart: browsers do not tell ports.
    cookie = "ventaris_" + hashlib.sha256(str(Path(folder).resolve()).encode()).hexdigest()[:10]
    app.config.update(SECRET_KEY=key, SESSION_COOKIE_NAME=cookie, MAX_CONTENT_LENGTH=LARGEST_UPLOAD,
                      MAX_FORM_MEMORY_SIZE=4_000_000, FOLDER=Path(folder), WTF_CSRF_TIME_LIMIT=None,
                      SESSION_COOKIE_SAMESITE="Strict", SESSION_COOKIE_HTTPONLY=True,
                      SEND_FILE_MAX_AGE_DEFAULT=3600,
                      TEMPLATES_AUTO_RELOAD=bool(os.environ.get("VENTARIS_RELOAD")))
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    CSRFProtect(app)
    presentation.register(app)
    app.jinja_env.globals["help_address"] = help.help_address
    use_face(str(Path(__file__).parent / "static/vendor/fonts/ibm-plex-sans-400.ttf"))
    for room in (campaigns, begin, sheets, study, runs, flow, looks, curves, measured, compare, maps, aims,
                 body_looks, body_sheets, row_sheets, searches, noise, matrix, queue, gallery, reports,
                 help):
        app.register_blueprint(room.pages)
    _security(app, password, local)
    turns.register(app)
    _errors(app)

    @app.before_request
    def connect():
        g.database = open_database(folder, migrate=False, create=False)

    @app.teardown_request
    def disconnect(_):
        if "database" in g:
            g.pop("database").close()

    @app.context_processor
    def common():
        # An error before the connection (a refused host) has no database to ask, a damaged one no answer.
        try:
            undoable = last_deletion(g.database) if "database" in g else None
        except sqlite3.Error:
            undoable = None
        return {"undoable": undoable, "version": presentation.asset_version()}

    return app


def is_loopback(host):
    """Whether a host, with or without port and brackets, is this machine's own address."""
    name = host[1:host.index("]")] if host.startswith("[") and "]" in host else host.rsplit(
        ":", 1)[0] if host.count(":") == 1 else host
    if name == "localhost":
        return True
    try:
        return ipaddress.ip_address(name).is_loopback
    except ValueError:
        return False


class PasswordBrake:
    """Makes an address that gives wrong passwords wait, longer each time."""
    def __init__(self, clock=time.monotonic):
        self._clock, self._lock, self._wrong = clock, threading.Lock(), {}

    def wait(self, address):
        """Seconds that an address has to wait still."""
        with self._lock:
            _, until = self._wrong.get(address, (0, 0.0))
            return max(until - self._clock(), 0.0)

    def failed(self, address):
        """Count a wrong password."""
        with self._lock:
            if len(self._wrong) > 10_000:
                self._wrong.clear()
            count = self._wrong.get(address, (0, 0.0))[0] + 1
            wait = min(FIRST_WAIT * 2.0**(count - FREE_TRIES), LONGEST_WAIT) if count >= FREE_TRIES else 0.0
            self._wrong[address] = count, self._clock() + wait

    def passed(self, address):
        """Forget what an address did wrong."""
        with self._lock:
            self._wrong.pop(address, None)


def _security(app, password, local):
    brake = PasswordBrake()

    @app.before_request
    def admit():
        if local and not is_loopback(request.host):
            abort(403, "This server answers only to this machine's own address.")
        if password:
            return _ask_password(brake, password)
        return None

    @app.after_request
    def harden(response):
        response.headers.setdefault("Content-Security-Policy", POLICY)
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        return response


def _ask_password(brake, password):
    """None for the right password, else the answer that asks for it."""
    address = request.remote_addr or ""
    wait = brake.wait(address)
    if wait > 0:
        return Response(f"Too many wrong passwords. Wait {wait:.0f} s, then try again.", 429,
                        {"Retry-After": str(int(wait) + 1)})
    given = request.authorization.password if request.authorization else None
    if given is not None and hmac.compare_digest(given.encode("utf-8", "surrogatepass"), password.encode()):
        brake.passed(address)
        return None
    if given is not None:
        brake.failed(address)
    return Response("A password is needed.", 401, {"WWW-Authenticate": 'Basic realm="Ventaris"'})


NOTHING_HERE = "There is nothing at this address. It may have been deleted, or the address is mistyped."


def _errors(app):
    def page(status, message, problems=()):
        if request.headers.get("HX-Request"):
            return render_template("partials/notice.html", message=message, problems=problems,
                                   grade="bad"), status
        return render_template("error.html", title=TITLES.get(status, "Error"), message=message,
                               problems=problems), status

    @app.errorhandler(HTTPException)
    def http(error):
        message = error.description
        if error.code == 413:
            message = (
                f"The upload is larger than {LARGEST_UPLOAD // 1_000_000} MB. Section coordinates need a few "
                "kilobytes, surfaces rarely more than 100 MB: "
                "check that you chose the right file, or simplify it.")
        elif error.code == 404 and error.description == NotFound.description:
            message = NOTHING_HERE
        return page(error.code, message)

    @app.errorhandler(OverflowError)
    def too_large(error):
        # No row has a number beyond what the database can count to.
        return page(404, NOTHING_HERE) if "SQLite" in str(error) else mistake(error)

    @app.errorhandler(CSRFError)
    def forged(error):
        return page(
            400,
            "This page is too old to change anything. Reload it and try again; what you typed is still in "
            "the fields of this tab.")

    @app.errorhandler(SheetError)
    def sheet(error):
        return page(400, "Some fields need a look:" if len(error.problems) > 1 else error.problems[0][1],
                    [m for _, m in error.problems] if len(error.problems) > 1 else ())

    @app.errorhandler(ShapeError)
    def shape(error):
        return page(400, str(error))

    @app.errorhandler(Conflict)
    @app.errorhandler(StateError)
    def conflict(error):
        return page(409, str(error))

    @app.errorhandler(StoreError)
    def store(error):
        return page(503 if isinstance(error, Unreachable) else 507, str(error))

    @app.errorhandler(sqlite3.Error)
    def database(error):
        return store(explain(error))

    @app.errorhandler(Exception)
    def mistake(error):
        app.logger.exception("unexpected")
        return page(
            500,
            f"{type(error).__name__}: {error}. Your inputs are kept as they were before; please report this.")


def basic_header(password):
    """Value of an Authorization header, for tests and scripts."""
    return "Basic " + base64.b64encode(f"user:{password}".encode()).decode()
