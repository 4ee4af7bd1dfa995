"""FastAPI: routes, schemas and the live socket. It knows the service and nothing below."""
