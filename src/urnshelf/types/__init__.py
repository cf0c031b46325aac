"""Types: an annotation is resolved and looked at once, and becomes a node that everybody matches
on.
"""
