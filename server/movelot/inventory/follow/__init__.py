"""Makes the tables follow what devices said: rows of many devices in a handful of statements."""

from movelot.inventory.follow.arrays import follow_array
from movelot.inventory.follow.capabilities import follow_capabilities
from movelot.inventory.follow.hosts import follow_hosts

__all__ = ["follow_array", "follow_capabilities", "follow_hosts"]
