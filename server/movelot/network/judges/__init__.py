"""What is judged of the ways between hosts and arrays."""
