"""The urn: records and values drawn as pure functions of a seed."""
