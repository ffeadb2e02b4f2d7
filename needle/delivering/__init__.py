"""Handing over: which files a delivery consists of, how loud and what they are called, and the moves as a chart."""
