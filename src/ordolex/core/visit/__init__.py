"""A visit as a whole: what is known of each device, with source, time and proof, and the report made of it."""
