"""Services as they are written elsewhere, for which tests are drafted."""
