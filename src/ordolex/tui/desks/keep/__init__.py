"""The desk Keep."""
