"""Fabric: paths between host ports and array portals, single points of failure, and what a loss would do."""
