"""What every app needs and none owns: refusals, limits on how often, the pool of processes."""
