"""The rules of the job and all computation: values in, values out.

No Django, no HTTP, no database, no clock and no randomness live here.
"""
