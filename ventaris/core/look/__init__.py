"""Fields to drawable geometry and pictures."""
