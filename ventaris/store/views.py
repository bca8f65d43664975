"""Views of flows that a campaign keeps."""
import json

from ..core.look.saved_view import MOST_VIEWS, ViewError
from ..core.look.views import view_of
from .database import transaction


def views_of(found):
    """The views (`SavedView`, `BodyView`) of a campaign, in the order in which they were kept; what is none
    is left out."""
    out = []
    for one in json.loads(found["views"] or "[]"):
        try:
            out.append(view_of(one))
        except ViewError:
            # Of a later program.
            continue
    return out


def keep_view(database, found, view):
    """Add a view to a campaign, in place of one of the same name; raises `ViewError`."""
    kept = [v for v in views_of(found) if v.name != view.name] + [view]
    if len(kept) > MOST_VIEWS:
        raise ViewError(f"A campaign keeps {MOST_VIEWS} views at most. Take one away in the gallery first.")
    save_views(database, found["id"], kept)


def drop_view(database, found, name):
    """Take a view away."""
    save_views(database, found["id"], [v for v in views_of(found) if v.name != name])


def save_views(database, campaign_id, views):
    """Keep these views."""
    with transaction(database):
        database.execute("UPDATE campaign SET views = ? WHERE id = ?",
                         (json.dumps([v.as_dict() for v in views]) if views else "", campaign_id))
