"""OpenAPI: what a document promises of a service, and forbids those who ask it."""
