"""Records as values: their shapes, copies, equality and how they are shown."""
