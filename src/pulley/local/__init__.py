"""Running Pulley on this machine: its own MariaDB, the web server, the worker, and the developer's commands."""
