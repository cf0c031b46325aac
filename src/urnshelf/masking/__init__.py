"""Secrets are masked in whatever is written down or shown: one list of names, one reader of texts.

The ledger in memory is never masked.
"""
