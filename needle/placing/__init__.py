"""Placing: where a source sounds from, as gains from its channels to the outputs."""
