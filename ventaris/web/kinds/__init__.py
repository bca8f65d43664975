"""What pages show of each kind of campaign: one file of numbers and words each, and the registry."""
