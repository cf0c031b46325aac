"""Tests for a service: written, and mended."""
