"""A device behind a link, by its sheet: its parameters read and written, whatever it speaks."""
