"""Reports that write themselves: what is in one, and how it is written as HTML and PDF."""

FORMS = ("html", "pdf")


def write(document, form):
    """A `Document` in one of the `FORMS`: bytes."""
    if form == "pdf":
        # Its library takes longer to load than a page to answer.
        from .pdf import to_pdf
        return to_pdf(document)
    from .html import to_html
    return to_html(document).encode()
