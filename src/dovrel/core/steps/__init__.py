"""What a correction is made of: kinds of steps, their order, the four levels."""
