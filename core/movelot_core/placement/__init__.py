"""Where a disk may live: policies, and whether a place can serve them."""
