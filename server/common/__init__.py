"""What every app needs and none owns: the pool of processes."""
