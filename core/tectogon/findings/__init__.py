"""What stands in the way of a profile, and what is no geometry at all: found, with a reason and a place."""
