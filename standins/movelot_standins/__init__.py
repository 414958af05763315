"""Simulated arrays and hosts: HTTPS servers with state, physics and faults of their own.

They are the outside world: nothing here imports from core or server, nor the other way round.
"""
