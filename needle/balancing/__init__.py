"""Balancing: what pulls a mix to one side, what would even it, and the report of its balance."""
