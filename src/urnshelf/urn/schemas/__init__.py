"""JSON Schema (2020-12) and OpenAPI's schema objects: read, drawn, and what is drawn checked."""
