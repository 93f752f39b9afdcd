"""One installation on one machine: its folder, its database server, its processes, its backups."""
