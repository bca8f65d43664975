"""Uploads are parsed in a child process with limits on memory and time."""
import json
import subprocess
import sys

from ..core.sheet import SheetError

SECONDS = 20


def parse_upload(kind, data):
    """Parse an upload in a child process.

    Parameters
    ----------
    kind : {"coordinates", "measured"}
    data : bytes

    Returns
    -------
    dict

    Raises
    ------
    SheetError
        With the parser's own message, or that it took too much time or memory.
    """
    try:
        done = subprocess.run([sys.executable, "-m", "ventaris.worker.parse", kind], input=data, capture_output=True, timeout=SECONDS, check=False)
    except subprocess.TimeoutExpired:
        raise SheetError([("file", f"Reading the file took longer than {SECONDS} s and was given up. Thin it out.")]) from None
    try:
        answer = json.loads(done.stdout)
    except ValueError:
        raise SheetError([("file", "The file could not be read within the memory allowed. Thin it out.")]) from None
    if "error" in answer:
        raise SheetError([("file", answer["error"])])
    return answer
