"""The kinds of campaign: a folder each, and the registry that knows all of them."""
