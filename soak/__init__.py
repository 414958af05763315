"""Lots under kills, faults, halts and two people, for as long as one likes; nothing may be lost or doubled."""
