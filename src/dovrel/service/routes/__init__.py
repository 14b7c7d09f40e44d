"""The service's routes, one module a subject."""
