"""The harbour's real adaptors: repositories on SQLite, a tide gauge over HTTP."""
