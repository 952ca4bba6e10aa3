"""A guided bring-up, stage by stage: what the desks can do, one after the other, on one link. Every outcome is an event
of the link, and what is asked of a device is what the desks ask: nothing goes out that nobody chose."""
