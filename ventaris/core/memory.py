"""Memory that is free goes back to the system."""
import ctypes
import functools
import gc

# Arrays beyond this size, in bytes, get memory of their own, which goes back as soon as they are freed.
APART = 16 << 20
MMAP_THRESHOLD = -3


@functools.cache
def _library():
    """The C library, told once to keep large arrays apart; None where it has no such calls.

    By itself it raises that size to 32 MB as it goes along, and keeps what is freed below it in pieces too
    scattered for the next grid: beside a million cells four tenths of a gigabyte.
    """
    try:
        library = ctypes.CDLL(None)
        library.mallopt(MMAP_THRESHOLD, APART)
        library.malloc_trim(0)
    except (OSError, AttributeError):
        return None
    return library


def settle_memory():
    """Take all that a process holds now for lasting: the collector looks through it no more, which it would
    do at every level of every run."""
    gc.collect()
    gc.freeze()


def give_back():
    """Free what only refers to itself, and return what is free to the system.

    A discretisation and its closure know each other and would wait for the collector with all their matrices.
    """
    gc.collect()
    library = _library()
    if library:
        library.malloc_trim(0)
