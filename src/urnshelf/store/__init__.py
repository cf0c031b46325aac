"""Records stored as in a database: by key, copied in and out."""
