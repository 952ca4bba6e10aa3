"""The desk Set."""
