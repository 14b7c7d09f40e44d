"""The rules of the job: colour, measurement, correction. No server, database or interface code."""
