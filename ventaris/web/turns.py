"""Who is answered at once and who waits a moment: pictures and grids that take a core for a while are made a
few at a time, pages a few more, files of the program always, so that no page stands behind the pictures of
others."""
import threading

from flask import abort, g, request

# At a time, and seconds that a request waits for its turn.
AT_ONCE = {"long": 2, "short": 3}
PATIENCE = 90.0
_long = set()


def takes_long(view):
    """Mark a view whose answer may take a core for a while."""
    _long.add(view)
    return view


def register(app):
    """Make the requests of an application take turns."""
    turns = {kind: threading.BoundedSemaphore(count) for kind, count in AT_ONCE.items()}

    @app.before_request
    def wait_for_turn():
        view = app.view_functions.get(request.endpoint)
        if view is None or request.endpoint == "static":
            return
        turn = turns["long" if view in _long else "short"]
        if not turn.acquire(timeout=PATIENCE):
            abort(429, "Too much is asked for at the moment. Try again in a minute.")
        g.turn = turn

    @app.teardown_request
    def give_way(_):
        if "turn" in g:
            g.pop("turn").release()
