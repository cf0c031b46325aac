"""Fakes: classes compiled from interfaces, and the answers that are obvious."""
