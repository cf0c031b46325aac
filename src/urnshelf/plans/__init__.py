"""Plans: stocking a shelf, building the object under test, data sets told in a file."""
