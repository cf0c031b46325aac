"""Small applications to try things on; they import nothing of the library."""
