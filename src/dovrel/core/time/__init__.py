"""A shot along time: its frames against each other, what changes in its light, and keyframes that hold it."""
