"""The database: productions, shots, their versions and kept frames."""
