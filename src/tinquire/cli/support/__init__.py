"""What commands share: the terminal, options, words of the command line, files named on it."""
