"""Signal processing: arrays in, arrays out. It knows no session, no lane and no cache."""
