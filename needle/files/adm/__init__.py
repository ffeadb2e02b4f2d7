"""The Audio Definition Model (ITU-R BS.2076) in BW64 files (ITU-R BS.2088): object audio out, and in again."""
