"""One module for each kind of part: what it is as a value, how it is read, followed through changes and written."""
