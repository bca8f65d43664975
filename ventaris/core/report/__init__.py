"""Reports that write themselves: what is in one, and how it is written as HTML and PDF."""
