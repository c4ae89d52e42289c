"""The school file read whole: faults, references, what hangs on what."""
