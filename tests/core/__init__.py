"""The core's laws."""
