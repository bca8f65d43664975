"""Views that a campaign keeps, of flows in a plane and in space alike."""
from .body_view import BodyView, draw_bodies_alike
from .saved_view import SavedView, draw_alike

KINDS = {"body": BodyView}


def view_of(found):
    """A view from plain values: a `BodyView` where they say so, else a `SavedView`; raises `ViewError`."""
    return KINDS.get(str(found.get("kind")), SavedView).from_dict(found)


def pictures_of(view, flows):
    """PNGs of a view of several flows with one range of colours for all; None where one cannot be drawn."""
    return (draw_bodies_alike if isinstance(view, BodyView) else draw_alike)(view, flows)
