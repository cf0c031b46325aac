"""Readings: which store operation a repository method stands for."""
