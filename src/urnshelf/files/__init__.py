"""Files of data: drawn records written out, and shelves kept in files and databases."""
