"""The web service: routers, schemas, the live channel."""
