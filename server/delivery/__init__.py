"""Handing over: what leaves a session as files, and what comes in as a session or as moves."""
