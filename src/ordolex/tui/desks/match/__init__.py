"""The desk Match."""
