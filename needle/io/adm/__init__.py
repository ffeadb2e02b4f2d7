"""Object audio: ADM in BW64 files, from a mix and to a session."""
