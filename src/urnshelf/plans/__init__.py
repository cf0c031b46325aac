"""Plans: building the object under test."""
