"""Calls: how they are entered, answered, counted and explained."""
