"""Moving: parameters that change over time, and the lanes that hold their changes."""
