"""Balance: keep datastores under their fill ceiling and pools under their latency ceiling with few bytes moved."""
