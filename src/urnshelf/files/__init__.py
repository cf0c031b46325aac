"""Files of data: drawn records written out, and shelves saved in files and databases."""
