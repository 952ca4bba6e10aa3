"""The desk Find."""
