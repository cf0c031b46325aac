"""Pages: of a run's ledger, and of a kiosk that is served; one template."""
