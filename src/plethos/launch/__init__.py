"""Set-up, the private database cluster and the server process: what `./plethos` runs."""
