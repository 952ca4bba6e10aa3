"""The desk Wire."""
