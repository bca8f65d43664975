"""Serve the application, and keep a worker running beside it."""
import errno
import logging
import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import waitress

from ..store.database import StoreError
from ..worker.loop import is_worker_running
from .app import create_app, is_loopback

# Requests held at a time, of which most wait for their turn (see `turns`); connections kept, and seconds
# after which a silent or half-sent one is dropped.
THREADS, CONNECTIONS, CHANNEL_TIMEOUT = 32, 1000, 20
# Seconds that the worker has to save what is under way, with its own workers.
END_WITHIN = 15


class WorkerKeeper(threading.Thread):
    """Starts a worker process and starts it again when it dies."""
    def __init__(self, folder):
        super().__init__(daemon=True)
        self.folder, self.process, self._ended = Path(folder), None, threading.Event()

    def run(self):
        while not self._ended.is_set():
            if not is_worker_running(self.folder):
                self.process = subprocess.Popen(
                    [sys.executable, "-m", "ventaris.worker.main",
                     str(self.folder),
                     str(os.getpid())])
                while self.process.poll() is None and not self._ended.is_set():
                    time.sleep(0.3)
                if self.process.poll() is not None and not self._ended.is_set():
                    time.sleep(1.0)
            else:
                # A worker of an earlier server is still finishing its runs.
                self._ended.wait(2.0)

    def end(self):
        self._ended.set()
        if self.process and self.process.poll() is None:
            self.process.send_signal(signal.SIGTERM)
            try:
                self.process.wait(END_WITHIN)
            except subprocess.TimeoutExpired:
                self.process.kill()


def serve(folder, host="127.0.0.1", port=8400, demo=True, worker=True):
    """Serve until interrupted; returns the exit code."""
    password = os.environ.get("VENTARIS_PASSWORD")
    host = host.strip("[]")
    local = is_loopback(f"[{host}]" if ":" in host else host)
    if not local and not password:
        print(
            f"error: --host {host} lets other machines in. Set a password first: VENTARIS_PASSWORD=… ./start "
            f"--host {host}", file=sys.stderr)
        return 2
    try:
        app = create_app(folder, password, local)
        if demo:
            from ..demo.loader import load_demo_once
            load_demo_once(folder)
    except (OSError, StoreError) as error:
        print(f"error: {error}", file=sys.stderr)
        return 2
    try:
        server = waitress.create_server(app, host=host, port=port, threads=THREADS,
                                        max_request_body_size=1_000_000_000, ident=None,
                                        channel_timeout=CHANNEL_TIMEOUT, cleanup_interval=5,
                                        connection_limit=CONNECTIONS)
    except (OSError, ValueError, OverflowError) as error:
        print(f"error: {_not_listening(host, port, error)}", file=sys.stderr)
        return 2
    # A queue is nothing to tell on the console: requests take turns.
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    keeper = WorkerKeeper(folder) if worker else None
    try:
        signal.signal(signal.SIGTERM, _interrupt)
        if keeper:
            keeper.start()
        print(f"Ventaris is ready: http://{f'[{host}]' if ':' in host else host}:{server.effective_port}",
              flush=True)
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        server.close()
        if keeper:
            keeper.end()
    return 0


def _not_listening(host, port, error):
    """Why the server cannot listen, with the mend."""
    if getattr(error, "errno", None) == errno.EADDRINUSE:
        return (
            f"port {port} is in use, perhaps by another server. Give another with --port, or 0 for any free "
            "one."
        )
    if getattr(error, "errno", None) == errno.EACCES:
        return f"port {port} may not be opened by this user. Give one above 1023 with --port."
    return f"--host {host} --port {port}: {error}. Give an address of this machine, for example 127.0.0.1."


def _interrupt(*_):
    """Leave the serving loop; a second signal must not break off the orderly end."""
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    raise KeyboardInterrupt
