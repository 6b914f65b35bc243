"""The computation. It never opens a file, a database or a socket, reads no clock and draws no unseeded number."""
