"""Finding the ten numbers: solving readings for aims."""
