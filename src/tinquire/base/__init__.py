"""What all packages share: faults, files written whole, safe file names, work on several processors."""
